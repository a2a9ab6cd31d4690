<script lang="ts" module>
  import type { View as Kept } from "./view";

  /** What the large chart showed when it was last on screen. */
  let kept: { film: string; view: Kept } | null = null;
</script>

<script lang="ts">
  import { resting } from "../film/courses";
  import type { XY } from "../api/client";
  import { arrivals } from "../film/arrivals.svelte";
  import { buried } from "../film/plates";
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import { digits, length, roundStep } from "../format";
  import Button from "../ui/Button.svelte";
  import { follow } from "../ui/follow";
  import Icon from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";
  import Tick from "../ui/Tick.svelte";
  import FitLayer from "./FitLayer.svelte";
  import FocusOnChart from "../finish/FocusOnChart.svelte";
  import FlyLayer from "./FlyLayer.svelte";
  import GatherLayer from "./GatherLayer.svelte";
  import Imagery from "./Imagery.svelte";
  import Loupes from "./Loupes.svelte";
  import MarkLayer from "./MarkLayer.svelte";
  import { Painter } from "./painter.svelte";
  import PlaceSearch from "./PlaceSearch.svelte";
  import { Placing } from "./placing.svelte";
  import PlacingLayer from "./PlacingLayer.svelte";
  import PlateLayer from "./PlateLayer.svelte";
  import { aimed } from "./aim";
  import { asks, TOOLS } from "./tools";
  import { standingOn } from "./standing";
  import { centre, fitted, marks, on, polyline, toGround, toScreen, zoomed, type Drag, type View } from "./view";

  let view = $state.raw<View>({ x: 0, y: 0, scale: 1, width: 0, height: 0 });
  let wipe = $state(0.5);
  let plates = $state(true);
  let passages = $state(true);
  let pointer = $state.raw<XY | null>(null);
  /** Whether keys moved to where the pointer is said to be. */
  let byKeys = $state(false);
  let area: HTMLDivElement;

  const tool = $derived(session.tool);
  const tools = $derived(TOOLS[session.step] ?? []);
  /** A place that was searched lies on the Earth, also while nothing is laid there yet. */
  const ground = $derived(
    gathering.place && !session.film?.plates.length ? "mercator" : (session.film?.ground.kind ?? "plain"),
  );
  const plan = $derived(session.plan);
  const film = $derived(session.film);
  const selectedPlate = $derived(
    session.selection?.kind === "plate" ? plan?.plates.find((p) => p.id === session.selection?.id) : undefined,
  );
  const fitting = $derived(session.step === "fit" || session.step === "gather");
  const flying = $derived(["fly", "mark", "finish", "render"].includes(session.step));
  /** Where marks have no layer of their own. */
  const shownRegions = $derived(flying ? [] : (film?.regions.filter(({ shown }) => shown) ?? []));
  const painter = new Painter();
  const placing = new Placing(
    () => view,
    () => selectedPlate,
  );
  $effect(() => {
    if (!asks(session.step, tool)) session.tool = "select";
  });
  $effect(() => {
    void [tool, session.selection];
    placing.clear();
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

  const vantages = $derived(standingOn(view));
  const s = (point: XY): XY => toScreen(view, point);
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
      if (!laid || !plate.shown || buried(plate) || !on(laid, at)) return;
      if (!best || laid.sharp_span < best.span) best = { name: plate.name, span: laid.sharp_span };
    });
    return best as { name: string; span: number } | null;
  });

  const here = (event: PointerEvent | WheelEvent, box = area.getBoundingClientRect()): XY => [
    event.clientX - box.left,
    event.clientY - box.top,
  ];

  /** Where on the ground a hand that drags is. The chart stays where it is meanwhile: were it asked each time, the page
   * would be laid out anew before what is dragged is. */
  function grasped(): (event: PointerEvent) => XY {
    const box = area.getBoundingClientRect();
    return (event) => toGround(view, here(event, box));
  }

  /** Drag something: what it comes to is tried as the pointer moves, and kept when it is let go. Parts that are `held`
   * go with the hand as they are. */
  const drag: Drag = (event, moving, label, { clicked, held } = {}) => {
    event.preventDefault();
    event.stopPropagation();
    area.focus({ preventScroll: true });
    const place = grasped();
    const from = place(event);
    follow(event, {
      moved: (next) => {
        const to = place(next);
        if (held) session.hold(held, [to[0] - from[0], to[1] - from[1]]);
        moving(to, from);
      },
      done: (moved) => (moved ? void session.keepTrial(label) : clicked?.()),
      dropped: () => session.dropTrial(),
    });
  };

  function pressed(event: PointerEvent) {
    if (event.button !== 0 && event.button !== 1) return;
    const start = here(event);
    const from = toGround(view, start);
    if (event.button === 0) {
      if (tool === "pin" && selectedPlate) return pin(from);
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
      if (tool === "frame" || tool === "circle") {
        event.preventDefault();
        const place = grasped();
        return tool === "frame" ? placing.dragFrame(event, place) : placing.dragCircle(event, place);
      }
      if (placing.clicks(tool)) return panOr(event, () => void placing.click(from));
      if (session.step === "fit" && selectedPlate && on(selectedPlate, from)) {
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
          { clicked: () => pick(from) },
        );
        return;
      }
    }
    panOr(event, () => pick(from));
  }

  function pin(at: XY) {
    session.pivot = { plate: selectedPlate!.id, at };
    session.tool = "pull";
  }

  /** Keys that move a cross over the chart and set there what the tool in hand sets; true if one was meant for that. */
  function aims(event: KeyboardEvent): boolean {
    if (event.ctrlKey || event.metaKey) return false;
    const holds = tool !== "select" && tool !== "pull";
    if (event.key === " " && holds) {
      const place = toGround(view, pointer ?? [view.width / 2, view.height / 2]);
      if (tool === "pin" && selectedPlate) pin(place);
      else void placing.press(place);
      return true;
    }
    // Without a tool, arrows are for what is chosen, or for the film's frames.
    if (!holds && session.step === "fit" && selectedPlate) return false;
    const next = aimed(pointer, view, event, holds);
    if (!next) return false;
    ({ cross: pointer, view } = next);
    byKeys = holds;
    placing.reach(toGround(view, next.cross));
    return true;
  }

  /** Keys go to the chart from now on. */
  export function focus() {
    area.focus({ preventScroll: true });
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

  function pick(point: XY) {
    if (!fitting || !film || !plan) return;
    const under = plan.plates.findLast((laid, index) => film.plates[index]?.shown && on(laid, point));
    session.select(under ? { kind: "plate", id: under.id } : null);
  }

  function pivotOf(): XY {
    if (session.pivot && session.pivot.plate === selectedPlate?.id) return session.pivot.at;
    return centre(selectedPlate!.outline);
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    view = zoomed(view, Math.exp(-event.deltaY * (event.deltaMode ? 0.05 : 0.0016)), here(event));
  }

  function keys(event: KeyboardEvent) {
    if (placing.key(event.key)) return event.stopPropagation();
    if (aims(event)) {
      event.preventDefault();
      return event.stopPropagation();
    }
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
    void placing.vantage([view.x, view.y], view.width / view.scale, view.height / view.scale);
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
        onclick={() => (session.tool = entry.id)}
        ><Icon name={entry.icon} size={15} /><span class="word">{entry.label}</span></button
      >
    {/each}
    <span class="space"></span>
    <span class="layers" class:few={session.step === "finish"}>
      {#if session.step !== "finish"}<Tick label="Plates" bind:checked={plates} />{/if}
      {#if flying}<Tick label="Passages" bind:checked={passages} />{/if}
    </span>
    {#if session.step === "fit"}
      <span class="layers">
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
      </span>
    {/if}
    <i></i>
    {#if session.step === "fly"}
      <span class="layers"><Tick label="Section" bind:checked={session.section} /></span>
      <Button
        onclick={vantageHere}
        disabled={!film?.plates.length}
        title="A vantage that shows what the chart shows (N). {session.comes}"
        ><Icon name="plus" size={13} />Vantage here</Button
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
      class:aiming={tool !== "select" && tool !== "pull"}
      bind:this={area}
      tabindex="0"
      role="application"
      aria-label="Chart of the ground. Wheel zooms, dragging pans; with a tool, arrows move a cross and Space sets."
      onpointerdown={pressed}
      onpointermove={(event) => ([pointer, byKeys] = [here(event), false])}
      onpointerleave={() => byKeys || (pointer = null)}
      onwheel={wheel}
      onkeydown={keys}
    >
      <Imagery {view} {painter} {plates} {wipe} />
      <svg class="over" width={view.width} height={view.height}>
        {#each grid.xs as x (x)}<line class="grid" x1={s([x, 0])[0]} x2={s([x, 0])[0]} y1="0" y2={view.height} />{/each}
        {#each grid.ys as y (y)}<line class="grid" y1={s([0, y])[1]} y2={s([0, y])[1]} x1="0" x2={view.width} />{/each}

        {#if plates}<PlateLayer {view} {fitting} />{/if}

        {#each shownRegions as region (region.id)}
          <path
            class="region"
            d={region.rings.map((ring) => `M${polyline(view, ring as XY[]).replaceAll(" ", "L")}Z`).join("")}
            fill={resting(region.look.fill)}
            fill-opacity={0.75 * resting(region.look.opacity) * Math.max(resting(region.look.filled), 0.15)}
          />
        {/each}

        {#if flying && film && plan}
          <g class:still={tool !== "select"}>
            {#if session.step === "mark"}
              <g class="below"><FlyLayer {view} {vantages} {passages} {drag} /></g>
              <MarkLayer {view} {vantages} {drag} />
            {:else}
              <MarkLayer {view} {vantages} {drag} />
              <FlyLayer {view} {vantages} {passages} {drag} />
              {#if session.step === "finish"}<FocusOnChart {view} />{/if}
            {/if}
          </g>
        {/if}

        <GatherLayer {view} />

        {#if session.step === "fit" && selectedPlate}
          <FitLayer
            {view}
            laid={selectedPlate}
            {tool}
            {placing}
            pointer={pointer ? toGround(view, pointer) : null}
            pivot={pivotOf()}
            pinned={session.pivot?.plate === selectedPlate.id}
            bind:wipe
            {drag}
          />
        {/if}

        <PlacingLayer {view} {placing} at={pointer ? toGround(view, pointer) : null} />
        {#if byKeys && pointer && tool !== "select"}
          {@const cross = `M${pointer[0] - 16} ${pointer[1]}h12m8 0h12M${pointer[0]} ${pointer[1] - 16}v12m0 8v12`}
          <path class="cross halo" d={cross} /><path class="cross" d={cross} />
        {/if}
      </svg>
      {#if tool === "tie" && selectedPlate && pointer && film && plan}
        <Loupes
          at={toGround(view, pointer)}
          away={pointer[0] > view.width / 2 ? "left" : "right"}
          chosen={film.plates.findIndex((plate) => plate.id === selectedPlate.id)}
          {painter}
        />
      {/if}
      {#if film && !film.plates.length && !gathering.plan}
        <div class="empty">
          {#if arrivals.count}
            <b>Imagery is on its way</b>
            <span>It is laid as soon as all of it is here; the list beside says how far it is.</span>
          {:else}
            <b>No imagery yet</b>
            <span>Drop map pictures anywhere on this sheet, or search a place and capture it from a survey.</span>
          {/if}
        </div>
      {/if}
    </div>
  </div>

  <footer>
    <div>
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
        >{placing.asks ?? asks(session.step, tool) ?? "Wheel zooms, dragging pans"}{tool === "frame"
          ? `. ${session.comes}`
          : ""}</span
      >
    </div>
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
  .chart {
    container-type: inline-size;
  }
  .layers {
    display: contents;
  }
  /* In a corner, tools are their pictures, and there is no room to choose what is seen. */
  @container (max-width: 560px) {
    .layers:not(.few) {
      display: none;
    }
    .word {
      position: absolute;
      clip-path: inset(50%);
    }
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
  .over {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
  }
  .grid {
    stroke: rgba(255, 255, 255, 0.22);
  }
  .over :global(.halo) {
    font-size: 11px;
    font-weight: 560;
    fill: #fff;
    stroke: rgba(10, 24, 30, 0.8);
    stroke-width: 3px;
    paint-order: stroke;
    pointer-events: none;
  }
  .region {
    fill-rule: evenodd;
    stroke: var(--imagery-deep);
    stroke-width: 1;
    pointer-events: none;
  }
  /* While something is being placed, what is there already lets the click through. */
  .still :global(*) {
    pointer-events: none !important;
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
    border-top: 1px solid var(--rule-strong);
  }
  footer > div {
    /* It changes with every movement of the pointer, and nothing around it does. */
    contain: strict;
    height: 100%;
    display: flex;
    align-items: center;
    padding: 0 10px 0 20px;
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
    flex-shrink: 9;
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
  .fact + .fact {
    flex: 0 1 auto;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
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
  .cross {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .cross.halo {
    stroke: #fff;
    stroke-width: 4.5;
    stroke-linecap: round;
  }
</style>
