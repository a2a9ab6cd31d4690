<script lang="ts">
  import type { PlatePlan, XY } from "../api/client";
  import { session, type Tool } from "../film/session.svelte";
  import { digits } from "../format";
  import { follow } from "../ui/follow";
  import type { Placing } from "./placing.svelte";
  import { centre, polyline, toScreen, type Drag, type View } from "./view";

  let {
    view,
    laid,
    tool,
    placing,
    pointer,
    pivot,
    pinned,
    wipe = $bindable(),
    drag,
  }: {
    view: View;
    laid: PlatePlan;
    tool: Tool;
    placing: Placing;
    pointer: XY | null;
    pivot: XY;
    pinned: boolean;
    /** Where the wipe stands, a share of the chart's width. */
    wipe: number;
    drag: Drag;
  } = $props();

  const s = (point: XY): XY => toScreen(view, point);
  const path = (points: XY[]) => polyline(view, points);
  const { corners, tieFrom } = $derived({ corners: placing.corners, tieFrom: placing.tieFrom });
  const grips = $derived(tool === "select" || tool === "pin" || tool === "pull");
  const ties = $derived(laid.fit?.ties ?? []);
  /** How many times too long the arrows are drawn, a round number, so that the worst is easy to see. */
  const magnified = $derived.by(() => {
    const longest = Math.max(...ties.map((tie) => Math.hypot(tie.at[0] - tie.to[0], tie.at[1] - tie.to[1])), 0);
    const wanted = 34 / Math.max(longest * view.scale, 1e-9);
    if (wanted < 1.5) return 1;
    const base = 10 ** Math.floor(Math.log10(wanted));
    return base * ([5, 2, 1].find((step) => step * base <= wanted) ?? 1);
  });
  const arrow = (tie: (typeof ties)[number]): XY => {
    const [a, b] = [s(tie.at), s(tie.to)];
    return [b[0] + (a[0] - b[0]) * magnified, b[1] + (a[1] - b[1]) * magnified];
  };
  const turnGrip = $derived.by<XY>(() => {
    const points = laid.outline.map(s);
    const c = centre(points);
    const m: XY = [(points[0]![0] + points[1]![0]) / 2, (points[0]![1] + points[1]![1]) / 2];
    const reach = Math.hypot(m[0] - c[0], m[1] - c[1]) || 1;
    return [m[0] + ((m[0] - c[0]) / reach) * 26, m[1] + ((m[1] - c[1]) / reach) * 26];
  });

  function pull(event: PointerEvent, turn: boolean) {
    const [plate, about] = [laid.id, pivot];
    drag(
      event,
      (to, start) => session.tryAct({ act: "pull_plate", plate, about, start, to, scale: !turn, turn }),
      turn ? "Turn plate" : "Scale plate",
    );
  }

  function pullCorner(event: PointerEvent, corner: number) {
    drag(event, (to) => session.tryAct({ act: "outline_plate", plate: laid.id, corner, to }), "Feather outline");
  }

  function pullTie(event: PointerEvent, tie: (typeof ties)[number]) {
    event.preventDefault();
    event.stopPropagation();
    let to: XY | null = null;
    follow(event, {
      moved: (_, dx, dy) =>
        (moving = { id: tie.id, to: (to = [tie.to[0] + dx / view.scale, tie.to[1] - dy / view.scale]) }),
      done: async (moved) => {
        if (moved) await session.tie(laid.id, tie.at, to!, tie.id);
        moving = null;
      },
      dropped: () => (moving = null),
    });
  }
  let moving = $state.raw<{ id: string; to: XY } | null>(null);

  function pullWipe(event: PointerEvent) {
    event.preventDefault();
    event.stopPropagation();
    const from = wipe;
    follow(event, { moved: (_, dx) => (wipe = Math.min(Math.max(from + dx / view.width, 0.02), 0.98)), slack: 0 });
  }

  function wipeKeys(event: KeyboardEvent) {
    if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
    event.preventDefault();
    event.stopPropagation();
    wipe = Math.min(Math.max(wipe + (event.key === "ArrowLeft" ? -0.01 : 0.01), 0.02), 0.98);
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<g>
  {#if grips}
    {#each laid.outline as corner, k (k)}
      {@const [x, y] = s(corner)}
      <g class="grip plategrip" onpointerdown={(e) => pull(e, false)}>
        <circle class="reach" cx={x} cy={y} r="12" /><rect x={x - 4} y={y - 4} width="8" height="8" />
        <title>Scale about the pin</title>
      </g>
    {/each}
    <g class="grip round plategrip" onpointerdown={(e) => pull(e, true)}>
      <circle class="reach" cx={turnGrip[0]} cy={turnGrip[1]} r="12" /><circle
        cx={turnGrip[0]}
        cy={turnGrip[1]}
        r="5"
      />
      <title>Turn about the pin</title>
    </g>
    {@const [px, py] = s(pivot)}
    <g class="pin" class:pinned>
      <circle class="case" cx={px} cy={py} r="7" /><circle cx={px} cy={py} r="7" />
      <path class="case" d="M{px - 11} {py}h22M{px} {py - 11}v22" /><path d="M{px - 11} {py}h22M{px} {py - 11}v22" />
    </g>
  {/if}

  {#if laid.feather_outline.length}
    <polygon class="feather case" points={path(laid.feather_outline)} />
    <polygon class="feather" points={path(laid.feather_outline)} />
    {#if grips}
      {#each laid.feather_outline as corner, k (k)}
        {@const [x, y] = s(corner)}
        <g class="grip" onpointerdown={(e) => pullCorner(e, k)}>
          <circle class="reach" cx={x} cy={y} r="12" /><circle cx={x} cy={y} r="4" />
          <title>Corner {k + 1} of the feather’s outline</title>
        </g>
      {/each}
    {/if}
  {/if}
  {#if corners.length}
    <polyline class="feather case" points={path(pointer ? [...corners, pointer] : corners)} />
    <polyline class="feather" points={path(pointer ? [...corners, pointer] : corners)} />
    {#each corners as corner, k (k)}
      {@const [x, y] = s(corner)}
      <g class="grip"><circle cx={x} cy={y} r={k === 0 ? 5.5 : 3.5} /></g>
    {/each}
  {/if}

  {#each ties as tie, k (tie.id)}
    {@const [x, y] = s(moving?.id === tie.id ? moving.to : tie.to)}
    {@const [u, v] = arrow(tie)}
    <g class="tie" class:unused={!tie.used} onpointerdown={(e) => pullTie(e, tie)}>
      <circle class="reach" cx={x} cy={y} r="12" />
      {#if Math.hypot(u - x, v - y) > 3 && !moving}
        <line class="case" x1={x} y1={y} x2={u} y2={v} />
        <line x1={x} y1={y} x2={u} y2={v} />
        <circle class="head" cx={u} cy={v} r="2.4" />
      {/if}
      <circle class="ring case" cx={x} cy={y} r="6" /><circle class="ring" cx={x} cy={y} r="6" />
      <g transform="translate({x - 24} {y - 20})">
        <rect width={k > 8 ? 20 : 15} height="14" /><text x={k > 8 ? 10 : 7.5} y="11">{k + 1}</text>
      </g>
      {#if tie.worst}<text class="halo" x={x + 12} y={y + 4}>worst, {digits(tie.off, 3)} px</text>{/if}
      {#if !tie.used}<text class="halo" x={x + 12} y={y + 4}>left out, {digits(tie.off, 3)} px</text>{/if}
      <title>Tie {k + 1}: {digits(tie.off, 3)} px off. Drag it to another place.</title>
    </g>
  {/each}
  {#if ties.length > 2 && magnified > 1}
    <g class="legend" transform="translate({view.width - 186} 8)">
      <rect width="178" height="20" /><text x="8" y="14">Residuals drawn {magnified.toLocaleString("en")} times</text>
    </g>
  {/if}
  {#if tieFrom}
    {@const [x, y] = s(tieFrom)}
    {@const to = pointer ? s(pointer) : null}
    <g class="tie">
      {#if to}<line class="case" x1={x} y1={y} x2={to[0]} y2={to[1]} /><line x1={x} y1={y} x2={to[0]} y2={to[1]} />{/if}
      <circle class="ring case" cx={x} cy={y} r="6" /><circle class="ring" cx={x} cy={y} r="6" />
    </g>
  {/if}

  {#if session.judging === "wipe"}
    {@const x = wipe * view.width}
    <g
      class="wipe"
      role="slider"
      tabindex="0"
      aria-label="Wipe"
      aria-valuenow={Math.round(wipe * 100)}
      aria-valuemin="2"
      aria-valuemax="98"
      onpointerdown={pullWipe}
      onkeydown={wipeKeys}
    >
      <rect class="reach" x={x - 12} y="0" width="24" height={view.height} />
      <line class="case" x1={x} x2={x} y1="0" y2={view.height} /><line x1={x} x2={x} y1="0" y2={view.height} />
      <rect class="hold" x={x - 10} y={view.height / 2 - 9} width="20" height="18" rx="3" />
      <path d="M{x - 3} {view.height / 2 - 4}v8M{x} {view.height / 2 - 4}v8M{x + 3} {view.height / 2 - 4}v8" />
      <text class="halo" text-anchor="end" x={x - 10} y="24">below, alone</text>
      <text class="halo" x={x + 10} y="24">laid over it</text>
    </g>
  {/if}
</g>

<style>
  .case {
    stroke: #fff !important;
  }
  .reach {
    fill: transparent;
    stroke: none !important;
  }
  .grip {
    cursor: nwse-resize;
  }
  .grip rect,
  .grip circle:not(.reach) {
    fill: #fff;
    stroke: var(--imagery);
    stroke-width: 1.8;
  }
  .grip.round {
    cursor: grab;
  }
  .pin circle,
  .pin path {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.3;
    pointer-events: none;
  }
  .pin .case {
    stroke-width: 3.4;
  }
  .pin:not(.pinned) {
    opacity: 0.55;
  }
  .feather {
    fill: none;
    stroke: var(--imagery);
    stroke-width: 1.4;
    stroke-dasharray: 2 3;
    pointer-events: none;
  }
  .feather.case {
    stroke-width: 3.4;
    stroke-dasharray: none;
    opacity: 0.75;
  }
  .tie {
    cursor: move;
  }
  .tie line {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .tie line.case {
    stroke-width: 4;
  }
  .tie .head {
    fill: var(--ink);
  }
  .ring {
    fill: rgba(255, 255, 255, 0.25);
    stroke: var(--imagery);
    stroke-width: 2;
  }
  .ring.case {
    stroke-width: 4.4;
    fill: none;
  }
  .unused .ring {
    stroke: var(--edge);
    stroke-dasharray: 2 2;
  }
  .tie rect {
    fill: #fdf6e3;
    stroke: #d9b766;
  }
  .tie g text {
    font-size: 10.5px;
    font-weight: 640;
    fill: var(--imagery-deep);
    text-anchor: middle;
  }
  .legend rect {
    fill: var(--paper);
    stroke: var(--rule-strong);
  }
  .legend text {
    font-size: 11px;
    fill: var(--ink);
  }
  .wipe {
    cursor: ew-resize;
    outline: none;
  }
  .wipe line {
    stroke: var(--ink);
    stroke-width: 1;
  }
  .wipe line.case {
    stroke-width: 4;
  }
  .hold {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 1.3;
  }
  .wipe:focus-visible .hold {
    stroke-width: 3;
  }
  .wipe path {
    stroke: var(--ink);
    fill: none;
    stroke-width: 1.2;
  }
</style>
