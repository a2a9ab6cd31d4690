<script lang="ts" module>
  import type { View as Kept } from "./view";

  /** What the large chart showed when it was last on screen. */
  let kept: { film: string; view: Kept } | null = null;
</script>

<script lang="ts">
  import type { XY } from "../api/client";
  import { gathering } from "../film/gathering.svelte";
  import { player } from "../film/player.svelte";
  import { newId, session, type Judging, type Tool } from "../film/session.svelte";
  import { digits, length, roundStep } from "../format";
  import Button from "../ui/Button.svelte";
  import { follow } from "../ui/follow";
  import Icon, { type IconName } from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";
  import Tick from "../ui/Tick.svelte";
  import FitLayer from "./FitLayer.svelte";
  import FlyLayer from "./FlyLayer.svelte";
  import MarkLayer from "./MarkLayer.svelte";
  import Loupes from "./Loupes.svelte";
  import PlaceSearch from "./PlaceSearch.svelte";
  import { drawPlate, melt, TileCache } from "./tiles";
  import { fitted, inverse, marks, through, toGround, toScreen, zoomed, type View } from "./view";

  let view = $state.raw<View>({ x: 0, y: 0, scale: 1, width: 0, height: 0 });
  const tool = $derived(session.tool);
  let tieFrom = $state.raw<XY | null>(null);
  let corners = $state.raw<XY[]>([]);
  let wipe = $state(0.5);
  let plates = $state(true);
  let passages = $state(true);
  let pointer = $state.raw<XY | null>(null);
  let canvas: HTMLCanvasElement;
  let area: HTMLDivElement;
  let scratch: HTMLCanvasElement | undefined;
  let asked = false;
  let band = $state.raw<{ from: XY; to: XY } | null>(null);

  const tiles = new TileCache(() => redraw());
  const ground = $derived(session.film?.ground.kind ?? "plain");
  const plan = $derived(session.plan);
  const film = $derived(session.film);
  const selectedPlate = $derived(
    session.selection?.kind === "plate" ? plan?.plates.find((p) => p.id === session.selection?.id) : undefined,
  );
  const fitting = $derived(session.step === "fit" || session.step === "gather");
  const flying = $derived(["fly", "mark", "render"].includes(session.step));
  /** Where marks have no layer of their own. */
  const shownRegions = $derived(flying ? [] : (film?.regions.filter(({ shown }) => shown) ?? []));
  const tools = $derived<{ id: Tool; label: string; icon: IconName; hint: string }[]>(
    session.step === "fit"
      ? [
          {
            id: "select",
            label: "Move",
            icon: "hand",
            hint: "Drag the plate, its corners or its turning grip",
          },
          {
            id: "tie",
            label: "Tie points",
            icon: "tie",
            hint: "Click a feature of the chosen plate, then the same feature below (X)",
          },
          {
            id: "pin",
            label: "Pin",
            icon: "pin",
            hint: "Click the point that stays put while the plate is scaled and turned",
          },
          {
            id: "pull",
            label: "Pull",
            icon: "span",
            hint: "Drag a second feature onto its match: the plate scales and turns about the pin",
          },
        ]
      : session.step === "fly"
        ? [
            { id: "select", label: "Select", icon: "hand", hint: "Pick and drag frames" },
            {
              id: "frame",
              label: "Vantage",
              icon: "frame",
              hint: "Drag a frame where the camera should rest",
            },
            {
              id: "route",
              label: "Route",
              icon: "fly",
              hint: "Click the points of a way; Enter or a click on the last one ends it",
            },
          ]
        : session.step === "mark"
          ? [
              { id: "select", label: "Select", icon: "hand", hint: "Pick and drag marks" },
              { id: "route", label: "Route", icon: "fly", hint: "Click the points of a way; Enter ends it" },
              {
                id: "marker",
                label: "Marker",
                icon: "pin",
                hint: "Click where it stands; on a route it comes when the line reaches it",
              },
              {
                id: "label",
                label: "Label",
                icon: "letter",
                hint: "Click where the text stands; beside a marker it comes with it",
              },
              {
                id: "region",
                label: "Region",
                icon: "outline",
                hint: "Click its corners; Enter or a click on the first one ends it",
              },
              { id: "circle", label: "Circle", icon: "heading", hint: "Drag from its middle to its rim" },
            ]
          : [],
  );
  $effect(() => {
    const known =
      tools.some((entry) => entry.id === tool) ||
      (session.step === "fit" && ["outline", "pick", "known", "control"].includes(tool));
    if (!known) session.tool = "select";
  });
  $effect(() => {
    void [tool, session.selection];
    tieFrom = null;
    corners = [];
  });

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      const first = view.width === 0;
      const scale = first || !width ? view.scale : (view.scale * width) / view.width;
      view = { ...view, scale, width, height };
      if (!first) return;
      if (session.step !== "render" && kept?.film === session.id) view = { ...kept.view, width, height };
      else session.showAll();
    });
    observer.observe(area);
    return () => observer.disconnect();
  });

  $effect(() => {
    if (session.showBox && view.width > 10) {
      view = fitted(view, session.showBox);
      session.showBox = null;
    }
  });

  $effect(() => {
    if (!view.width) return;
    if (session.step !== "render") kept = { film: session.id, view };
    session.shown = {
      x: view.x,
      y: view.y,
      width: view.width / view.scale,
      height: view.height / view.scale,
    };
  });

  /** What the plates look like and where they lie, in short: the sheet is painted anew only when this changes. */
  const imagery = $derived(
    (film?.plates ?? [])
      .map((plate, index) => {
        const laid = plan?.plates[index];
        const { shape, width } = plate.feather;
        return [laid?.look, laid?.matrix, plate.shown, plate.opacity, plate.role, plate.contrast, shape, width].join();
      })
      .join(";"),
  );
  $effect(() => {
    void [session.id, imagery, view, plates, session.judging, wipe];
    if (session.step === "fit") void session.selection;
    redraw();
  });

  function redraw() {
    if (asked) return;
    asked = true;
    requestAnimationFrame(() => {
      asked = false;
      if (canvas && view.width > 1) paint();
    });
  }

  function paint() {
    const ratio = devicePixelRatio || 1;
    const [w, h] = [Math.round(view.width * ratio), Math.round(view.height * ratio)];
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    const context = canvas.getContext("2d")!;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = 1;
    context.fillStyle = "#dfe4df";
    context.fillRect(0, 0, w, h);
    if (!film || !plan || !plates) return;
    context.imageSmoothingQuality = "high";
    const source = `/api/films/${session.id}/plates/PLATE/tiles/TILE?state=${session.state}`;
    const chosen = film.plates.findIndex((plate) => plate.id === session.selection?.id);
    const judged = session.step === "fit" && chosen >= 0 ? session.judging : "laid";
    film.plates.forEach((plate, index) => {
      const laid = plan.plates[index];
      if (!plate.shown || !laid || (judged !== "laid" && index > chosen)) return;
      const mode = index === chosen ? judged : "laid";
      paintPlate(context, view, ratio, index, source, mode, w, h);
    });
    // The chart is slightly muted, so that what is drawn over it reads; the viewfinder never is.
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = "rgba(246,247,243,0.13)";
    context.fillRect(0, 0, w, h);
  }

  /** Put one plate on a canvas of w x h device pixels, as it is or as its fit is being judged. */
  function paintPlate(
    context: CanvasRenderingContext2D,
    on: View,
    ratio: number,
    index: number,
    source: string,
    mode: Judging,
    w: number,
    h: number,
  ) {
    const [plate, laid] = [film!.plates[index]!, plan!.plates[index]!];
    const reference = plate.role === "reference";
    const melts = plate.feather.shape === "ellipse" || (plate.feather.shape === "rectangle" && plate.feather.width > 0);
    const opacity = plate.opacity * (mode === "through" ? 0.5 : 1);
    if (!melts && opacity === 1 && mode === "laid" && !reference) {
      return drawPlate(context, on, ratio, laid, tiles, source);
    }
    scratch ??= document.createElement("canvas");
    if (scratch.width !== w || scratch.height !== h) [scratch.width, scratch.height] = [w, h];
    const layer = scratch.getContext("2d")!;
    layer.setTransform(1, 0, 0, 1, 0, 0);
    layer.clearRect(0, 0, w, h);
    drawPlate(layer, on, ratio, laid, tiles, source);
    if (melts && mode !== "difference") melt(layer, on, ratio, plate, laid);
    context.save();
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = opacity;
    if (reference) context.filter = `contrast(${plate.contrast}%)`;
    if (mode === "difference") context.globalCompositeOperation = "difference";
    if (mode === "wipe") {
      context.beginPath();
      context.rect(wipe * w, 0, w, h);
      context.clip();
    }
    context.drawImage(scratch, 0, 0);
    context.restore();
    if (mode === "difference") {
      // What is equal is black; small differences are lifted so that they can be seen.
      context.save();
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.globalCompositeOperation = "color-dodge";
      context.fillStyle = "rgb(176,176,176)";
      context.beginPath();
      for (const corner of laid.outline) context.lineTo(...toScreen(on, corner));
      context.fill();
      context.restore();
    }
  }

  const s = (point: XY): XY => toScreen(view, point);
  const line = (points: XY[]) =>
    points
      .map((p) =>
        s(p)
          .map((v) => v.toFixed(1))
          .join(","),
      )
      .join(" ");

  const grid = $derived.by(() => {
    const step = roundStep(90 / view.scale);
    const [west, north] = toGround(view, [0, 0]);
    const [east, south] = toGround(view, [view.width, view.height]);
    return { step, xs: marks(west, east, step), ys: marks(south, north, step) };
  });
  const axisName = (value: number) => (ground === "plain" ? digits(value, 6) : digits(value / 1000, 7));
  const scaleBar = $derived.by(() => {
    const size = roundStep(70 / view.scale);
    return { width: size * view.scale, label: length(size, ground).join(" ") };
  });
  const at = $derived(pointer ? toGround(view, pointer) : ([view.x, view.y] as XY));
  const sharpest = $derived.by(() => {
    if (!film || !plan) return null;
    let best: { name: string; span: number } | null = null;
    film.plates.forEach((plate, index) => {
      const laid = plan.plates[index];
      if (!laid || !plate.shown || !inside(index, at)) return;
      if (!best || laid.sharp_span < best.span) best = { name: plate.name, span: laid.sharp_span };
    });
    return best as { name: string; span: number } | null;
  });

  function inside(index: number, point: XY): boolean {
    const [x, y] = through(inverse(plan!.plates[index]!.matrix), ...point);
    const [width, height] = plan!.plates[index]!.size;
    return x >= 0 && y >= 0 && x <= width && y <= height;
  }

  /** Whether an outline's box meets what the chart shows. */
  function inSight(outline: XY[]): boolean {
    const points = outline.map(s);
    const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
    return Math.max(...xs) > 0 && Math.max(...ys) > 0 && Math.min(...xs) < view.width && Math.min(...ys) < view.height;
  }

  function plateAt(point: XY): string | null {
    for (let index = (film?.plates.length ?? 0) - 1; index >= 0; index--)
      if (film!.plates[index]!.shown && inside(index, point)) return film!.plates[index]!.id;
    return null;
  }

  const here = (event: PointerEvent | WheelEvent): XY => {
    const box = area.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };

  /** Drag something: what it comes to is tried as the pointer moves, and kept when it is let go. */
  function drag(event: PointerEvent, moving: (to: XY, from: XY) => void, label: string, clicked?: () => void) {
    event.preventDefault();
    event.stopPropagation();
    area.focus({ preventScroll: true });
    const from = toGround(view, here(event));
    follow(event, {
      moved: (next) => moving(toGround(view, here(next)), from),
      done: (moved) => (moved ? void session.keepTrial(label) : clicked?.()),
      dropped: () => session.dropTrial(),
    });
  }

  function pressed(event: PointerEvent) {
    if (event.button !== 0 && event.button !== 1) return;
    const start = here(event);
    const from = toGround(view, start);
    if (event.button === 0) {
      if (tool === "pin" && selectedPlate) {
        session.pivot = { plate: selectedPlate.id, at: from };
        session.tool = "pull";
        return;
      }
      if (tool === "pull" && selectedPlate) {
        const about = pivotOf();
        drag(
          event,
          (to) =>
            session.tryAct({
              act: "pull_plate",
              plate: selectedPlate.id,
              about,
              start: from,
              to,
              scale: true,
              turn: true,
            }),
          "Pull plate",
        );
        return;
      }
      if (tool === "frame") return drawFrame(event);
      if (tool === "circle") return drawCircle(event);
      if (["tie", "control", "outline", "pick", "known", "route", "marker", "label", "region"].includes(tool))
        return panOr(event, () => void clicked(from));
      if (session.step === "fit" && selectedPlate && insidePlate(selectedPlate.id, from)) {
        const plate = selectedPlate.id;
        drag(
          event,
          (to) =>
            session.tryAct({
              act: "move_plate",
              plate,
              by: [to[0] - from[0], to[1] - from[1]],
              factor: 1,
              degrees: 0,
            }),
          "Move plate",
          () => pick(from),
        );
        return;
      }
    }
    panOr(event, () => pick(from));
  }

  /** Dragging pans; a click does something. */
  function panOr(event: PointerEvent, click: () => void) {
    const origin = view;
    area.focus({ preventScroll: true });
    follow(event, {
      moved: (_, dx, dy) => (view = { ...view, x: origin.x - dx / view.scale, y: origin.y + dy / view.scale }),
      done: (moved) => {
        if (!moved) click();
      },
    });
  }

  /** A click of a tool that takes places one by one. */
  async function clicked(at: XY) {
    const plate = selectedPlate?.id;
    if (tool === "known") {
      session.known.push({ x: at[0], y: at[1], lat: "", lon: "" });
      return;
    }
    if (tool === "marker") {
      const id = newId();
      const name = `Marker ${(film?.markers.length ?? 0) + 1}`;
      const marker = { id, name, x: at[0], y: at[1] };
      await session.act({ act: "add_marker", marker, frame: player.frame, reach: 12 / view.scale } as never);
      session.select({ kind: "marker", id });
      showMark();
      session.tool = "select";
      return;
    }
    if (tool === "label") {
      const id = newId();
      const label = { id, name: "Label", text: "Label", x: at[0], y: at[1] };
      await session.act({ act: "add_label", label, frame: player.frame, reach: 14 / view.scale } as never);
      session.select({ kind: "label", id });
      showMark();
      session.tool = "select";
      // What it says comes first.
      requestAnimationFrame(() => document.querySelector<HTMLTextAreaElement>(".details textarea")?.select());
      return;
    }
    if (tool === "region") {
      const first = corners[0] && s(corners[0]);
      const [u, v] = s(at);
      if (corners.length >= 3 && Math.hypot(u - first![0], v - first![1]) < 10) return closeRegion();
      corners = [...corners, at];
      return;
    }
    if (tool === "route") {
      const last = corners[corners.length - 1];
      const [u, v] = s(at);
      if (last && corners.length >= 2 && Math.hypot(u - s(last)[0], v - s(last)[1]) < 9) return closeRoute();
      // A click beside a marker or the target of a vantage means that place.
      const places = [...film!.vantages, ...film!.markers];
      const beside = places.find(({ x, y }) => Math.hypot(s([x, y])[0] - u, s([x, y])[1] - v) < 12);
      corners = [...corners, beside ? [beside.x, beside.y] : at];
      return;
    }
    if (!plate) return pick(at);
    if (tool === "tie") {
      if (!tieFrom) {
        if (insidePlate(plate, at)) tieFrom = at;
        else session.notice = "Click a feature of the chosen plate first; that place is not on it.";
        return;
      }
      const from = tieFrom;
      tieFrom = null;
      await session.tie(plate, from, at);
    } else if (tool === "control") {
      if (insidePlate(plate, at)) await session.tie(plate, at, at, null, true);
      else session.notice = "Click a feature of the chosen plate; that place is not on it.";
    } else if (tool === "outline") {
      const first = corners[0] && s(corners[0]);
      const [u, v] = s(at);
      if (corners.length >= 3 && Math.hypot(u - first![0], v - first![1]) < 10) return closeOutline();
      corners = [...corners, at];
    } else if (tool === "pick") {
      const index = film!.plates.findIndex((one) => one.id === plate);
      const colour = await session.colourAt(plate, at);
      const land = film!.plates[index]!.land;
      if (!colour) return;
      const value =
        land?.by === "colour"
          ? { ...land, samples: [...land.samples, colour].slice(-24) }
          : { by: "colour", samples: [colour], tolerance: 6, softness: 2, invert: false };
      await session.patch([{ op: "replace", path: `/plates/${index}/land`, value }], "Pick a colour");
    }
  }

  async function closeRoute() {
    const points = corners.map(([x, y]) => ({ x, y, corner: false, stop: null, wait: 0, before: null, after: null }));
    corners = [];
    session.tool = "select";
    if (points.length >= 2) await session.addRoute(points, player.frame);
  }

  /** Go to where all of a mark that was just set is seen. */
  function showMark() {
    if (session.mark && !player.playing) player.seek(session.mark.whole);
  }

  async function closeRegion() {
    const drawn = corners;
    corners = [];
    if (drawn.length < 3) return;
    await layRegion({ rings: [drawn] });
  }

  /** Lay a region that comes at the playhead. */
  async function layRegion(shape: object, rim: XY | null = null) {
    const id = newId();
    session.tool = "select";
    const name = `Region ${(film?.regions.length ?? 0) + 1}`;
    const look = { filled: 0.35, border: 4 };
    const region = { id, name, look, comes: { how: "fade", frames: 12 }, ...shape };
    await session.act({ act: "add_region", region, frame: player.frame, rim } as never);
    session.select({ kind: "region", id });
    showMark();
  }

  /** The circle that is being dragged: its middle, and how far its rim is away. */
  let rim = $state.raw<{ middle: XY; reach: number } | null>(null);

  function drawCircle(event: PointerEvent) {
    event.preventDefault();
    const middle = toGround(view, here(event));
    follow(event, {
      moved: (next) => {
        const to = toGround(view, here(next));
        rim = { middle, reach: Math.hypot(to[0] - middle[0], to[1] - middle[1]) };
      },
      done: async (moved) => {
        const [x, y] = middle;
        const drawn = rim?.reach ?? 0;
        rim = null;
        if (!moved || !drawn) return;
        const shape = { circle: { x, y, radius: drawn }, comes: { how: "grow", frames: 25 } };
        await layRegion(shape, [x + drawn, y]);
      },
      dropped: () => (rim = null),
    });
  }

  async function closeOutline() {
    const drawn = corners;
    corners = [];
    session.tool = "select";
    if (drawn.length >= 3) await session.act({ act: "outline_plate", plate: selectedPlate!.id, corners: drawn });
  }

  const insidePlate = (id: string, point: XY) =>
    inside(
      film!.plates.findIndex((plate) => plate.id === id),
      point,
    );

  function pick(point: XY) {
    if (!fitting) return;
    const id = plateAt(point);
    session.select(id ? { kind: "plate", id } : null);
  }

  function drawFrame(event: PointerEvent) {
    event.preventDefault();
    const from = toGround(view, here(event));
    follow(event, {
      moved: (next) => (band = { from, to: toGround(view, here(next)) }),
      done: () => {
        const drawn = band;
        band = null;
        if (!drawn) return;
        const [w, h] = [Math.abs(drawn.to[0] - drawn.from[0]), Math.abs(drawn.to[1] - drawn.from[1])];
        const size = session.film!.frame;
        const width = Math.max(w, (h * size.width) / size.height);
        const middle: XY = [(drawn.from[0] + drawn.to[0]) / 2, (drawn.from[1] + drawn.to[1]) / 2];
        void addVantage(middle, width, (width * size.height) / size.width);
        session.tool = "select";
      },
      dropped: () => (band = null),
      slack: 8,
    });
  }

  async function addVantage(at: XY, width: number, height: number) {
    const id = newId();
    const after = session.selection?.kind === "vantage" ? session.selection.id : null;
    await session.act({ act: "add_vantage", at, width, height, after, id });
    session.select({ kind: "vantage", id });
    const start = session.plan?.vantages.find((vantage) => vantage.id === id)?.start;
    if (start !== undefined) player.seek(start);
  }

  function pivotOf(): XY {
    if (session.pivot && session.pivot.plate === selectedPlate?.id) return session.pivot.at;
    return centre(selectedPlate!.outline);
  }

  const centre = (points: XY[]): XY => [
    points.reduce((sum, p) => sum + p[0], 0) / points.length,
    points.reduce((sum, p) => sum + p[1], 0) / points.length,
  ];

  function wheel(event: WheelEvent) {
    event.preventDefault();
    view = zoomed(view, Math.exp(-event.deltaY * (event.deltaMode ? 0.05 : 0.0016)), here(event));
  }

  function keys(event: KeyboardEvent) {
    if (event.key === "Escape" && (tieFrom || corners.length || tool !== "select")) {
      event.stopPropagation();
      if (!tieFrom && !corners.length) session.tool = "select";
      tieFrom = null;
      corners = [];
      return;
    }
    if (event.key === "Enter" && tool === "route") {
      event.stopPropagation();
      return void closeRoute();
    }
    if (event.key === "Enter" && corners.length >= 3) {
      event.stopPropagation();
      return void (tool === "region" ? closeRegion() : closeOutline());
    }
    if (event.key === "Backspace" && corners.length) corners = corners.slice(0, -1);
    if (session.step !== "fit" || !selectedPlate || event.ctrlKey || event.metaKey) return;
    const far = (event.shiftKey ? 10 : 1) / view.scale;
    const by = { ArrowLeft: [-far, 0], ArrowRight: [far, 0], ArrowUp: [0, far], ArrowDown: [0, -far] }[event.key] as
      XY | undefined;
    const fine = event.shiftKey ? 10 : 1;
    const factor =
      event.key === "+" || event.key === "=" ? 1 + 0.001 * fine : event.key === "-" ? 1 / (1 + 0.001 * fine) : 1;
    const degrees = event.key === "." ? 0.1 * fine : event.key === "," ? -0.1 * fine : 0;
    if (!by && factor === 1 && degrees === 0) return;
    event.preventDefault();
    event.stopPropagation();
    void session.act({
      act: "move_plate",
      plate: selectedPlate.id,
      by: by ?? [0, 0],
      factor,
      degrees,
      about: pivotOf(),
    });
  }

  export function vantageHere() {
    void addVantage([view.x, view.y], view.width / view.scale, view.height / view.scale);
  }
</script>

<section class="chart" aria-label="Chart">
  <header>
    <h2>Chart</h2>
    {#each tools as entry (entry.id)}
      <button
        class="tool"
        class:on={tool === entry.id}
        aria-pressed={tool === entry.id}
        title={entry.hint}
        disabled={session.step === "fit" && !selectedPlate && entry.id !== "select"}
        onclick={() => (session.tool = entry.id)}><Icon name={entry.icon} size={15} />{entry.label}</button
      >
    {/each}
    <span class="space"></span>
    <Tick label="Plates" bind:checked={plates} />
    {#if flying}<Tick label="Passages" bind:checked={passages} />{/if}
    {#if session.step === "fit"}
      <Segments
        label="How the chosen plate is shown"
        options={[
          { value: "laid", label: "Laid" },
          { value: "through", label: "See-through", hint: "Half see-through (T)" },
          { value: "difference", label: "Difference", hint: "Black where it equals what lies below (D)" },
          { value: "wipe", label: "Wipe", hint: "Below alone to the left, laid over to the right (W)" },
        ]}
        value={session.judging}
        onchange={(value) => (session.judging = value)}
      />
    {/if}
    <i></i>
    {#if session.step === "fly"}
      <Tick label="Section" bind:checked={session.section} />
      <Button
        onclick={vantageHere}
        disabled={!film?.plates.length}
        title="A vantage that shows what the chart shows (N)"><Icon name="plus" size={13} />Vantage here</Button
      >
    {/if}
    <Button onclick={() => session.showAll()}>Whole film</Button>
    {#if session.step === "gather"}<PlaceSearch />{/if}
  </header>

  <div class="ruled">
    <div class="corner">{ground === "plain" ? "X/Y" : "E/N"}</div>
    <svg class="ruler across" width={view.width} height="16" aria-hidden="true">
      {#each grid.xs as x (x)}
        {@const u = s([x, 0])[0]}
        <line x1={u} x2={u} y1="0" y2="16" /><text x={u + 3} y="11">{axisName(x)}</text>
      {/each}
    </svg>
    <svg class="ruler along" width="20" height={view.height} aria-hidden="true">
      {#each grid.ys as y (y)}
        {@const v = s([0, y])[1]}
        <line x1="0" x2="20" y1={v} y2={v} /><text transform="translate(12 {v - 3}) rotate(-90)">{axisName(y)}</text>
      {/each}
    </svg>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      class="area"
      class:aiming={[
        "frame",
        "route",
        "marker",
        "label",
        "region",
        "circle",
        "pin",
        "tie",
        "control",
        "outline",
        "pick",
        "known",
      ].includes(tool)}
      bind:this={area}
      tabindex="0"
      role="application"
      aria-label="Chart of the ground. Wheel zooms, dragging pans."
      onpointerdown={pressed}
      onpointermove={(event) => (pointer = here(event))}
      onpointerleave={() => (pointer = null)}
      onwheel={wheel}
      onkeydown={keys}
    >
      <canvas bind:this={canvas}></canvas>
      <svg class="over" width={view.width} height={view.height}>
        <defs>
          <pattern id="missing" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="6" height="6" fill="#F1E4C6" opacity="0.7" />
            <line x1="0" x2="0" y1="0" y2="6" stroke="#966300" stroke-width="1.6" />
          </pattern>
        </defs>
        {#each grid.xs as x (x)}<line class="grid" x1={s([x, 0])[0]} x2={s([x, 0])[0]} y1="0" y2={view.height} />{/each}
        {#each grid.ys as y (y)}<line class="grid" y1={s([0, y])[1]} y2={s([0, y])[1]} x1="0" x2={view.width} />{/each}

        {#if plates && film && plan}
          {#each plan.plates as laid, index (laid.id)}
            {@const plate = film.plates[index]!}
            {@const chosen = session.selection?.id === laid.id}
            {#if plate.shown}
              <polygon class="plate" class:chosen points={line(laid.outline)} />
            {/if}
          {/each}
        {/if}

        {#each shownRegions as region (region.id)}
          <path
            class="region"
            d={region.rings.map((ring) => `M${line(ring as XY[]).replaceAll(" ", "L")}Z`).join("")}
            fill={region.look.fill}
            fill-opacity={0.75 * region.look.opacity * Math.max(region.look.filled, 0.15)}
          />
        {/each}

        {#if flying && film && plan}
          <g class:still={tool !== "select"}>
            {#if session.step === "mark"}
              <g class="below"><FlyLayer {view} {passages} {drag} /></g>
              <MarkLayer {view} {drag} />
            {:else}
              <MarkLayer {view} {drag} />
              <FlyLayer {view} {passages} {drag} />
            {/if}
          </g>
        {/if}

        {#if fitting && film && plan}
          {#each plan.plates as laid, index (laid.id)}
            {#if film.plates[index]!.shown}
              {#each laid.holes as hole, k (k)}<polygon class="hole" points={line(hole)} fill="url(#missing)" />{/each}
            {/if}
          {/each}
        {/if}

        {#if session.step === "gather" && gathering.plan}
          {#each gathering.plan.plates as planned, k (k)}
            {@const [x0, y0] = s([planned.box[0], planned.box[3]])}
            {@const [x1, y1] = s([planned.box[2], planned.box[1]])}
            <rect class="planned case" x={x0} y={y0} width={x1 - x0} height={y1 - y0} />
            <rect class="planned" x={x0} y={y0} width={x1 - x0} height={y1 - y0} />
            {#if x1 - x0 > 60}<text class="halo" x={x0 + 5} y={y0 + 14}
                >zoom {planned.zoom}, {planned.size[0].toLocaleString("en")} × {planned.size[1].toLocaleString(
                  "en",
                )}</text
              >{/if}
          {/each}
        {/if}

        {#if gathering.finding}
          {@const finding = gathering.finding}
          {#if finding.remedy?.box}
            {@const [x0, y0] = s([finding.remedy.box[0], finding.remedy.box[3]])}
            {@const [x1, y1] = s([finding.remedy.box[2], finding.remedy.box[1]])}
            <rect class="fault" x={x0} y={y0} width={x1 - x0} height={y1 - y0} />
          {/if}
          {#if finding.at}
            {@const [x, y] = s(finding.at)}
            <g class="bob" transform="translate({x} {y})">
              <path d="M0 -26v12M-5 -26h10" /><path d="M-5 -12c0 -3 10 -3 10 0c0 4 -3 8 -5 12c-2 -4 -5 -8 -5 -12z" />
              <text class="halo" x="10" y="-8">{finding.text}</text>
            </g>
          {/if}
        {/if}

        {#if plates && film && plan && fitting}
          {#each plan.plates as laid, index (laid.id)}
            {@const plate = film.plates[index]!}
            {@const across =
              Math.hypot(laid.outline[1]![0] - laid.outline[0]![0], laid.outline[1]![1] - laid.outline[0]![1]) *
              view.scale}
            {#if plate.shown && inSight(laid.outline) && (across > 34 || session.selection?.id === plate.id)}
              {@const [x, y] = s(laid.outline[0]!)}
              {@const tag = [Math.min(Math.max(x, 4), view.width - 90), Math.min(Math.max(y, 4), view.height - 24)]}
              {@const wide = plate.name.length * 6.1 + 12}
              <g class="tag" class:chosen={session.selection?.id === laid.id} transform="translate({tag[0]} {tag[1]})">
                <rect width={wide} height="16" /><text x="6" y="12">{plate.name}</text>
              </g>
            {/if}
          {/each}
        {/if}

        {#if session.step === "fit" && selectedPlate}
          <FitLayer
            {view}
            laid={selectedPlate}
            {tool}
            {tieFrom}
            {corners}
            pointer={pointer ? toGround(view, pointer) : null}
            pivot={pivotOf()}
            pinned={session.pivot?.plate === selectedPlate.id}
            bind:wipe
            {drag}
          />
        {/if}

        {#if rim}
          {@const [x, y] = s(rim.middle)}
          <circle class="drawing" cx={x} cy={y} r={rim.reach * view.scale} />
        {/if}
        {#if (tool === "route" || tool === "region") && corners.length}
          <polyline class="drawing" points={line(pointer ? [...corners, toGround(view, pointer)] : corners)} />
          {#each corners as corner, k (k)}
            {@const [x, y] = s(corner)}
            <circle class="drawn" cx={x} cy={y} r="4" />
          {/each}
        {/if}

        {#if session.step === "fit"}
          {#each session.known as place, k (k)}
            {@const [x, y] = s([place.x, place.y])}
            <g class="known">
              <path d="M{x - 8} {y}h16M{x} {y - 8}v16" />
              <text class="halo" x={x + 8} y={y - 6}>{k + 1}</text>
            </g>
          {/each}
        {/if}

        {#if band}
          {@const a = s(band.from)}
          {@const b = s(band.to)}
          <rect
            class="band"
            x={Math.min(a[0], b[0])}
            y={Math.min(a[1], b[1])}
            width={Math.abs(a[0] - b[0])}
            height={Math.abs(a[1] - b[1])}
          />
        {/if}
      </svg>
      {#if tool === "tie" && selectedPlate && pointer && film && plan}
        <Loupes
          at={toGround(view, pointer)}
          away={pointer[0] > view.width / 2 ? "left" : "right"}
          chosen={film.plates.findIndex((plate) => plate.id === selectedPlate.id)}
          paint={paintPlate}
        />
      {/if}
      {#if film && !film.plates.length && !gathering.plan}
        <div class="empty">
          <b>No imagery yet</b>
          <span>Drop map pictures anywhere on this sheet, or search a place and capture it from a survey.</span>
        </div>
      {/if}
    </div>
  </div>

  <footer>
    <span class="bar" style:width="{scaleBar.width}px"></span><span class="barlabel">{scaleBar.label}</span>
    <span class="fact"
      >{ground === "plain" ? "X" : "E"} <b>{axisName(at[0])}</b>
      {ground === "plain" ? "Y" : "N"} <b>{axisName(at[1])}</b></span
    >
    {#if sharpest}<span class="fact"
        >Sharpest here <b>{sharpest.name}</b> to {length(sharpest.span, ground).join(" ")}</span
      >{/if}
    <span class="space"></span>
    <span class="hint"
      >{session.step === "fit"
        ? {
            pull: "Drag a feature onto its match",
            pin: "Click a feature that lies right",
            tie: tieFrom ? "Now the same feature below" : "Click a feature of the chosen plate",
            control: "Click a feature, then type where it belongs",
            outline: corners.length > 2 ? "Enter or the first corner closes it" : "Click the outline’s corners",
            pick: "Click colours that are to become see-through",
            known: "Click a place whose latitude and longitude you know",
            select: "Drag the plate; T sees through it",
          }[tool as string]
        : session.step === "fly" || session.step === "mark"
          ? tool === "frame"
            ? "Drag a frame"
            : tool === "route"
              ? "Click its points; Enter ends it, Backspace takes one back"
              : tool === "marker" || tool === "label"
                ? "Click a place, a route, or a marker"
                : tool === "region"
                  ? "Click its corners; Enter closes it"
                  : tool === "circle"
                    ? "Drag from the middle to the rim"
                    : session.step === "mark"
                      ? "Double click on a route: a point; with Shift: a stop"
                      : "Drag an edge for span, the far grip for heading"
          : "Wheel zooms, dragging pans"}</span
    >
  </footer>
</section>

<style>
  .chart {
    display: flex;
    flex-direction: column;
    min-width: 0;
    min-height: 0;
    border-right: 1px solid var(--rule-strong);
    background: var(--paper);
  }
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 4px;
    padding: 0 10px 0 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
    overflow: hidden;
  }
  h2 {
    margin-right: 10px;
  }
  .tool {
    height: 24px;
    padding: 0 8px 0 5px;
    border-radius: 3px;
    display: flex;
    align-items: center;
    gap: 4px;
    color: var(--ink-2);
    font-weight: 480;
  }
  .tool:hover {
    background: var(--desk);
  }
  .tool.on {
    background: var(--ink);
    color: #fff;
  }
  .tool:disabled {
    color: #85908c;
    background: none;
  }
  .space {
    flex: 1;
  }
  i {
    width: 1px;
    height: 14px;
    background: var(--rule);
    margin: 0 5px;
  }
  .ruled {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template: 16px minmax(0, 1fr) / 20px minmax(0, 1fr);
  }
  .corner {
    font-size: 10px;
    line-height: 15px;
    color: var(--ink-2);
    padding-left: 2px;
  }
  .ruler {
    overflow: hidden;
    background: var(--paper);
  }
  .ruler line {
    stroke: var(--rule-strong);
  }
  .ruler text {
    font-size: 10px;
    fill: var(--ink-2);
  }
  .area {
    position: relative;
    overflow: hidden;
    touch-action: none;
    cursor: grab;
    outline: none;
    border-top: 1px solid var(--rule-strong);
    border-left: 1px solid var(--rule-strong);
  }
  .area:focus-visible {
    box-shadow: inset 0 0 0 2px var(--ink);
  }
  .area.aiming {
    cursor: crosshair;
  }
  canvas,
  .over {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
  }
  .grid {
    stroke: rgba(255, 255, 255, 0.22);
  }
  .plate {
    fill: none;
    stroke: var(--imagery-line);
    stroke-width: 1.2;
    opacity: 0.9;
  }
  .plate.chosen {
    stroke-width: 2;
    stroke: #ffd27a;
  }
  .tag rect {
    fill: #fdf6e3;
    stroke: #d9b766;
  }
  .tag text {
    font-size: 11px;
    font-weight: 540;
    fill: var(--imagery-deep);
  }
  .tag.chosen rect {
    fill: var(--imagery-line);
  }
  .case {
    stroke: #fff !important;
  }
  .halo {
    font-size: 11px;
    font-weight: 560;
    fill: #fff;
    stroke: rgba(10, 24, 30, 0.8);
    stroke-width: 3px;
    paint-order: stroke;
    pointer-events: none;
  }
  .known path {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .hole {
    stroke: var(--imagery);
    stroke-width: 1;
    pointer-events: none;
  }
  .region {
    fill-rule: evenodd;
    stroke: var(--imagery-deep);
    stroke-width: 1;
    pointer-events: none;
  }
  .planned {
    fill: none;
    stroke: var(--imagery);
    stroke-width: 1.8;
    stroke-dasharray: 6 4;
  }
  .planned.case {
    stroke-width: 3.6;
    stroke-dasharray: none;
    opacity: 0.6;
  }
  .fault {
    fill: rgba(240, 180, 64, 0.16);
    stroke: var(--imagery-line);
    stroke-dasharray: 6 4;
    stroke-width: 1.6;
  }
  .bob path {
    fill: var(--ink);
    stroke: #fff;
    stroke-width: 1.4;
    paint-order: stroke;
  }
  .bob path:first-child {
    stroke: var(--ink);
    fill: none;
  }
  /* While something is being placed, what is there already lets the click through. */
  .still :global(*) {
    pointer-events: none !important;
  }
  .drawing {
    fill: none;
    stroke: var(--route, #0b7d74);
    stroke-width: 2;
    stroke-dasharray: 5 4;
  }
  .drawn {
    fill: #fff;
    stroke: var(--route, #0b7d74);
    stroke-width: 1.8;
  }
  .band {
    fill: rgba(208, 16, 80, 0.1);
    stroke: var(--camera);
    stroke-width: 1.5;
  }
  .empty {
    position: absolute;
    inset: 0;
    display: flex;
    flex-direction: column;
    align-items: center;
    justify-content: center;
    gap: 6px;
    color: var(--ink-2);
    font-size: 13px;
    pointer-events: none;
  }
  .empty b {
    font-size: 15px;
    font-weight: 620;
    color: var(--ink);
  }
  footer {
    height: 24px;
    flex: none;
    display: flex;
    align-items: center;
    padding: 0 10px 0 20px;
    border-top: 1px solid var(--rule-strong);
    font-size: 11px;
    color: var(--ink-2);
    white-space: nowrap;
    overflow: hidden;
  }
  .bar {
    height: 5px;
    border: 1px solid var(--ink);
    background: linear-gradient(90deg, var(--ink) 50%, transparent 50%) 0 0 / 25% 100%;
    flex: none;
  }
  .hint {
    overflow: hidden;
    text-overflow: ellipsis;
    min-width: 0;
    padding-left: 10px;
  }
  .barlabel {
    padding: 0 10px 0 7px;
    color: var(--ink);
  }
  .fact {
    padding: 0 10px;
    border-left: 1px solid var(--rule);
    flex: none;
  }
  b {
    font-weight: 540;
    color: var(--ink);
  }
  @media (max-width: 1100px) {
    .tool {
      font-size: 0;
      gap: 0;
      padding: 0 5px;
    }
    h2 {
      margin-right: 2px;
    }
  }
  .below {
    opacity: 0.5;
    pointer-events: none;
  }
</style>
