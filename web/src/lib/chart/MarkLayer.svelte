<script lang="ts">
  import { resting } from "../film/courses";
  import type { Label, Marker, Region, Route, XY } from "../api/client";
  import type { Found, Timed } from "../film/marks";
  import { session } from "../film/session.svelte";
  import { length } from "../format";
  import type { Standing } from "./standing";
  import { polyline, shifted, toGround, toScreen, type Drag, type View } from "./view";

  let { view, vantages, drag }: { view: View; vantages: Standing[]; drag: Drag } = $props();

  /** Outlines with more corners than this are not pulled corner by corner. */
  const PULLED = 80;

  const film = $derived(session.film!);
  const plan = $derived(session.plan!);
  const marking = $derived(session.step === "mark");
  const editing = $derived(session.step === "fly" || marking);
  const of = (kind: string) => session.marks.filter((one) => one.kind === kind);
  const regions = $derived(of("region") as Found<"region">[]);
  const points = $derived([...of("marker"), ...of("label")] as Found<"marker" | "label">[]);
  const insets = $derived(of("inset") as Found<"inset">[]);
  const lamps = $derived(of("lamp") as Found<"lamp">[]);
  const finishing = $derived(session.step === "finish");
  const line = (points: XY[]) => polyline(view, points);
  /** How a mark in a hand is drawn; what stands along a route stays there. */
  const held = ({ mark }: Found) =>
    (mark as Label).stands === "route" ? undefined : shifted(view, session.ahead(mark.id), session.holds);
  const rings = ({ mark }: Found<"region">): XY[][] =>
    mark.circle ? (plan.marks.find(({ id }) => id === mark.id)?.rings ?? []) : (mark.rings as XY[][]);

  function pullPoint(event: PointerEvent, route: number, k: number) {
    const point = film.routes[route]!.points[k]!;
    drag(
      event,
      (to, from) =>
        session.tryPatch([
          {
            op: "replace",
            path: `/routes/${route}/points/${k}`,
            value: { ...point, x: point.x + to[0] - from[0], y: point.y + to[1] - from[1] },
          },
        ]),
      "Move a point",
    );
  }

  function pullHandle(event: PointerEvent, route: string, point: number, which: "before" | "after") {
    drag(event, (to) => session.tryAct({ act: "pull_route_handle", route, point, which, to }), "Pull a handle");
  }

  /** A double click on a route puts a point there that shapes it; with Shift, a stop. */
  function split(event: MouseEvent, route: string) {
    event.stopPropagation();
    const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    const at = toGround(view, [event.clientX - box.left, event.clientY - box.top]);
    const stops = film.routes.find(({ id }) => id === route)!.points.filter(({ stop }) => stop).length;
    void session.act({ act: "split_leg", route, at, stop: event.shiftKey ? `Stop ${stops + 1}` : null });
  }

  function pullMark(event: PointerEvent, { kind, mark }: Found) {
    if (event.shiftKey || event.ctrlKey || event.metaKey) {
      event.stopPropagation();
      return session.choose(kind, mark.id, event.shiftKey);
    }
    const marks = session.also.length && session.chosen.includes(mark.id) ? session.chosen : [mark.id];
    if (marks.length === 1) session.select({ kind, id: mark.id });
    if (mark.locked) return event.stopPropagation();
    drag(
      event,
      (to, from) => session.tryAct({ act: "shift_marks", marks, by: [to[0] - from[0], to[1] - from[1]] }),
      marks.length > 1 ? `Move ${marks.length} ${kind}s` : `Move ${kind}`,
      { held: marks },
    );
  }

  function pullCorner(event: PointerEvent, found: Found<"region">, ring: number, k: number) {
    const [x, y] = found.mark.rings[ring]![k] as XY;
    drag(
      event,
      (to, from) => {
        const corner = [x + to[0] - from[0], y + to[1] - from[1]];
        session.tryPatch([{ op: "replace", path: `${found.path}/rings/${ring}/${k}`, value: corner }]);
      },
      "Move a corner",
    );
  }

  function pullRim(event: PointerEvent, { mark }: Found<"region">) {
    drag(event, (to) => session.tryAct({ act: "pull_rim", region: mark.id, to }), "Radius");
  }

  /** Drag the rim of a lamp's light. */
  function pullReach(event: PointerEvent, found: Found<"lamp">) {
    const { x, y } = found.mark;
    drag(event, (to) => session.tryLook(found, "reach", Math.max(Math.hypot(to[0] - x, to[1] - y), 1e-3)), "Reach");
  }

  /** Where labels are on the screen; what they say beside a stop or a marker is not written twice. */
  const labelled = $derived(
    of("label").flatMap((label) => {
      const place = placeOf(label as Found<"label">);
      return place ? [toScreen(view, place)] : [];
    }),
  );
  const named = (x: number, y: number) => labelled.some(([u, v]) => Math.hypot(u - x, v - y) < 14);

  /** How far a tag is raised at most, pixels. */
  const HIGHEST = 42;

  type Box = [left: number, top: number, right: number, bottom: number];
  /** What tags keep clear of: pictures and clips set into the film and, where they lie above marks, the numbers of
   * vantages, with the name of the chosen one. */
  const taken = $derived<Box[]>([
    ...insets.flatMap(({ mark }): Box[] => {
      if (!mark.shown || mark.stands === "frame" || mark.stands === "full") return [];
      const [x, y] = toScreen(view, [mark.x, mark.y]);
      return [[x - 14, y - 25, x + 17 + (marking ? mark.name.length * 6.2 : 0), y - 2]];
    }),
    ...(marking ? [] : vantages).map(({ badge: [x, y], selected, document }): Box => {
      return [x - 10, y - 10, x + 10 + (selected && editing ? document.name.length * 6.2 + 6 : 0), y + 10];
    }),
  ]);

  /** The tags of labels: what they say, how wide they are, and how far they are raised so that none hides another. One
   * that finds no room has none; the chosen one comes first. */
  const tags = $derived.by(() => {
    const set: { id: string; x: number; y: number; wide: number; text: string; raised: number }[] = [];
    const chosen = (found: (typeof points)[number]) => Number(found.mark.id === session.selection?.id);
    for (const found of [...points].sort((a, b) => chosen(b) - chosen(a))) {
      const place = found.kind === "label" && placeOf(found);
      const shown = (found.mark as Timed).shown || session.selection?.id === found.mark.id;
      if (!place || !shown) continue;
      const [x, y] = toScreen(view, place);
      const text = (found.mark as Label).text.split("\n")[0]!;
      const wide = text.length * 6.4 + 10;
      let raised = 0;
      const hidden = () =>
        set.some(
          (one) => Math.abs(one.x - x) < (one.wide + wide) / 2 && Math.abs(one.y - one.raised - y + raised) < 18,
        ) ||
        taken.some(
          ([left, top, right, bottom]) =>
            x + wide / 2 > left && x - wide / 2 < right && y - raised - 9 > top && y - raised - 26 < bottom,
        );
      while (hidden() && raised <= HIGHEST) raised += 6;
      if (raised <= HIGHEST) set.push({ id: found.mark.id, x, y, wide, text, raised });
    }
    return new Map(set.map((tag) => [tag.id, tag]));
  });

  /** Where a label is on the chart: one along a route stands at its middle, one in the frame nowhere. */
  function placeOf({ mark }: Found<"marker" | "label">): XY | null {
    const label = mark as Label;
    if (label.stands === "frame") return null;
    if (label.stands !== "route") return [mark.x, mark.y];
    const route = plan.routes.find(({ id }) => id === label.route);
    return route ? (route.line[Math.round((route.line.length - 1) * resting(label.along))] ?? null) : null;
  }
</script>

{#each regions as region (region.mark.id)}
  {@const on = session.selection?.id === region.mark.id}
  {#if region.mark.shown || on}
    {@const outline = rings(region)}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <path
      class="region"
      style={held(region)}
      class:on
      class:fixed={!marking}
      d={outline.map((ring) => `M${line(ring).replaceAll(" ", "L")}Z`).join("")}
      fill={region.look.fill as string}
      fill-opacity={0.7 * (region.look.opacity as number) * Math.max(region.look.filled as number, 0.15)}
      onpointerdown={(event) => marking && pullMark(event, region)}
    />
    {#if on && marking}
      {#if region.mark.circle}
        {@const [x, y] = toScreen(view, outline[0]?.[45] ?? [region.mark.circle.x, region.mark.circle.y])}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="grip" style={held(region)} onpointerdown={(event) => pullRim(event, region)}>
          <circle class="reach" cx={x} cy={y} r="12" /><rect x={x - 4} y={y - 4} width="8" height="8" />
          <text class="halo" x={x + 10} y={y + 4}
            >{length(resting(region.mark.circle.radius), film.ground.kind).join(" ")}</text
          >
          <title>Drag the rim</title>
        </g>
      {:else if region.mark.rings.reduce((sum, ring) => sum + ring.length, 0) <= PULLED}
        <g style={held(region)}>
          {#each region.mark.rings as ring, j (j)}
            {#each ring as corner, k (k)}
              {@const [x, y] = toScreen(view, corner as XY)}
              <!-- svelte-ignore a11y_no_static_element_interactions -->
              <g class="grip" onpointerdown={(event) => pullCorner(event, region, j, k)}>
                <circle class="reach" cx={x} cy={y} r="10" /><rect x={x - 3.5} y={y - 3.5} width="7" height="7" />
              </g>
            {/each}
          {/each}
        </g>
      {/if}
    {/if}
  {/if}
{/each}
{#each plan.routes as laid, k (laid.id)}
  {@const route = film.routes[k] as Route}
  {@const on = session.selection?.id === laid.id}
  <polyline class="route case" points={line(laid.line)} />
  <polyline class="route" class:on points={line(laid.line)} />
  {#if editing}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <polyline
      class="routehit"
      points={line(laid.line)}
      onpointerdown={(event) => {
        event.stopPropagation();
        session.select({ kind: "route", id: laid.id });
      }}
      ondblclick={(event) => split(event, laid.id)}
    />
  {/if}
  {#each route.points as point, j (j)}
    {@const [x, y] = toScreen(view, [point.x, point.y])}
    {#if point.stop || on}
      <circle class="stop" class:shape={!point.stop} cx={x} cy={y} r={point.stop ? 4.5 : 3.5} />
      {#if point.stop && (on || (marking && !named(x, y)))}<text class="halo" x={x + 9} y={y + 4}>{point.stop}</text
        >{/if}
    {/if}
    {#if on && editing && !route.locked}
      {#each ["before", "after"] as const as which (which)}
        {#if point[which]}
          {@const [u, v] = toScreen(view, [point.x + point[which][0], point.y + point[which][1]])}
          <line class="arm" x1={x} y1={y} x2={u} y2={v} />
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <g class="grip" onpointerdown={(event) => pullHandle(event, laid.id, j, which)}>
            <circle class="reach" cx={u} cy={v} r="10" /><rect x={u - 3.5} y={v - 3.5} width="7" height="7" />
            <title>A handle of the route</title>
          </g>
        {/if}
      {/each}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <circle class="reach" cx={x} cy={y} r="11" onpointerdown={(event) => pullPoint(event, k, j)}>
        <title>Drag this point of the route</title>
      </circle>
    {/if}
  {/each}
{/each}
{#each points as found (found.mark.id)}
  {@const place = placeOf(found)}
  {@const on = session.selection?.id === found.mark.id}
  {#if place && ((found.mark as Timed).shown || on)}
    {@const [x, y] = toScreen(view, place)}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <g
      class={found.kind}
      style={held(found)}
      class:on={on || session.also.includes(found.mark.id)}
      onpointerdown={(event) => marking && pullMark(event, found)}
    >
      {#if found.kind === "marker"}
        <circle class="reach" cx={x} cy={y} r="12" /><circle cx={x} cy={y} r={on ? 7 : 5} />
        <circle class="inner" cx={x} cy={y} r="1.6" />
      {:else if tags.has(found.mark.id)}
        {@const { wide, text, raised } = tags.get(found.mark.id)!}
        <rect class="tag" x={x - wide / 2} y={y - 26 - raised} width={wide} height="17" rx="2" />
        <path class="stalk" d="M{x} {y - 9 - raised}V{y}" />
        <text class="says" {x} y={y - 14 - raised}>{text}</text>
      {/if}
    </g>
    {#if found.kind === "marker" && (on || (marking && !named(x, y)))}
      <text class="halo" style={held(found)} x={x + 11} y={y + 4}>{(found.mark as Marker | Region).name}</text>
    {/if}
  {/if}
{/each}

{#each insets as inset (inset.mark.id)}
  {@const on = session.selection?.id === inset.mark.id}
  {#if (inset.mark.shown || on) && inset.mark.stands !== "frame" && inset.mark.stands !== "full"}
    {@const [x, y] = toScreen(view, [inset.mark.x, inset.mark.y])}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <g
      class="inset"
      style={held(inset)}
      class:on={on || session.also.includes(inset.mark.id)}
      onpointerdown={(event) => marking && pullMark(event, inset)}
    >
      <circle class="reach" cx={x} cy={y - 12} r="13" />
      <path class="card" d="M{x} {y}L{x - 4} {y - 6}H{x - 13}V{y - 23}H{x + 13}V{y - 6}H{x + 4}Z" />
      {#if inset.mark.shows.kind === "clip"}<path class="play" d="M{x - 3} {y - 19}l8 4.500l-8 4.500z" />{/if}
      <title>{inset.mark.name}: drag it</title>
    </g>
    {#if on || marking}<text class="halo" style={held(inset)} x={x + 17} y={y - 11}>{inset.mark.name}</text>{/if}
  {/if}
{/each}

{#if finishing || marking}
  {#each lamps as lamp (lamp.mark.id)}
    {@const on = session.selection?.id === lamp.mark.id}
    {#if lamp.mark.shown || on}
      {@const [x, y] = toScreen(view, [lamp.mark.x, lamp.mark.y])}
      {@const reach = (lamp.look.reach as number) * view.scale}
      {#if on}<circle class="lit" style={held(lamp)} cx={x} cy={y} r={reach} />{/if}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <g class="lamp" class:on style={held(lamp)} onpointerdown={(event) => pullMark(event, lamp)}>
        <circle class="reach" cx={x} cy={y} r="12" /><circle cx={x} cy={y} r={on ? 7 : 5.5} />
        <path d="M{x - 9} {y}h-3M{x + 9} {y}h3M{x} {y - 9}v-3M{x} {y + 9}v3" />
        <title>{lamp.mark.name}: drag it</title>
      </g>
      {#if on && !lamp.mark.locked}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="grip" style={held(lamp)} onpointerdown={(event) => pullReach(event, lamp)}>
          <circle class="reach" cx={x + reach} cy={y} r="12" /><rect x={x + reach - 4} y={y - 4} width="8" height="8" />
          <text class="halo" x={x + reach + 10} y={y + 4}
            >{length(lamp.look.reach as number, film.ground.kind).join(" ")}</text
          >
          <title>How far it reaches: drag it</title>
        </g>
      {/if}
    {/if}
  {/each}
{/if}

<style>
  .inset {
    cursor: grab;
  }
  .card {
    fill: #eef3f6;
    stroke: #34566c;
    stroke-width: 1.6;
    stroke-linejoin: round;
  }
  .inset.on .card {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 2.2;
  }
  .play {
    fill: #34566c;
    pointer-events: none;
  }
  .lit {
    fill: rgba(255, 196, 92, 0.16);
    stroke: #c98a1b;
    stroke-dasharray: 3 3;
    pointer-events: none;
  }
  .lamp {
    cursor: grab;
  }
  .lamp circle:nth-child(2) {
    fill: #ffc65c;
    stroke: #5a3d06;
    stroke-width: 1.6;
  }
  .lamp path {
    stroke: #c98a1b;
    stroke-width: 1.8;
    stroke-linecap: round;
  }
  .region {
    fill-rule: evenodd;
    stroke: #fff;
    stroke-width: 1;
    cursor: grab;
  }
  .region.on {
    stroke: var(--ink);
    stroke-width: 1.8;
  }
  .region.fixed {
    pointer-events: none;
  }
  .arm {
    stroke: #0b7d74;
    stroke-width: 1;
    pointer-events: none;
  }
  .grip {
    cursor: grab;
  }
  .grip rect {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .route {
    fill: none;
    stroke: #0b7d74;
    stroke-width: 2.2;
  }
  .route.on {
    stroke-width: 3;
  }
  .route.case {
    stroke: #fff;
    stroke-width: 4.6;
    opacity: 0.75;
  }
  .routehit {
    fill: none;
    stroke: transparent;
    stroke-width: 14;
    pointer-events: stroke;
    cursor: pointer;
  }
  .stop {
    fill: #fff;
    stroke: #0b7d74;
    stroke-width: 2;
  }
  .stop.shape {
    fill: #0b7d74;
    stroke: #fff;
    stroke-width: 1.4;
  }
  .case {
    pointer-events: none;
  }
  .reach {
    fill: transparent;
    pointer-events: all;
    cursor: grab;
  }
  .marker circle {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 2;
  }
  .marker .reach {
    fill: transparent;
    stroke: none;
  }
  .marker .inner {
    fill: var(--ink);
    stroke: none;
  }
  .marker.on circle:not(.reach):not(.inner) {
    stroke-width: 3;
  }
  .label {
    cursor: grab;
  }
  .tag {
    fill: rgba(255, 255, 255, 0.92);
    stroke: var(--ink);
    stroke-width: 1;
  }
  .label.on .tag {
    fill: var(--ink);
  }
  .label.on .says {
    fill: #fff;
  }
  .stalk {
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .says {
    font-size: 11.5px;
    font-weight: 600;
    fill: var(--ink);
    text-anchor: middle;
  }
</style>
