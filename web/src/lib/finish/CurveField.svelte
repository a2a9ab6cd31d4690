<script lang="ts">
  import type { Grade } from "../api/client";
  import { session } from "../film/session.svelte";
  import { follow } from "../ui/follow";
  import Button from "../ui/Button.svelte";
  import Segments from "../ui/Segments.svelte";

  type Point = { x: number; y: number };
  type Channel = "curve" | "curve_red" | "curve_green" | "curve_blue";

  let { grade }: { grade: Grade } = $props();

  const SIDE = 132;
  const STRAIGHT: Point[] = [
    { x: 0, y: 0 },
    { x: 1, y: 1 },
  ];
  let channel = $state<Channel>("curve");
  let chosen = $state<number | null>(null);
  let box: SVGSVGElement;

  const points = $derived(grade[channel].length ? (grade[channel] as Point[]) : STRAIGHT);
  const path = $derived(`/finish/grade/${channel}`);
  const colours = { curve: "var(--ink)", curve_red: "#b8322f", curve_green: "#2f7d3a", curve_blue: "#2d55b8" };

  const line = $derived(
    (session.plan?.grade_curves[channel] ?? []).map(([x, y]) => `${x * SIDE},${(1 - y) * SIDE}`).join(" "),
  );

  const round = (value: number) => Math.round(Math.min(Math.max(value, 0), 1) * 1000) / 1000;
  const attempt = (value: Point[]) => session.tryPatch([{ op: "replace", path, value }]);

  function moved(at: number, to: Point): Point[] {
    const low = at > 0 ? points[at - 1]!.x + 0.01 : 0;
    const high = at < points.length - 1 ? points[at + 1]!.x - 0.01 : 1;
    return points.map((one, k) => (k === at ? { x: round(Math.min(Math.max(to.x, low), high)), y: round(to.y) } : one));
  }

  function grab(event: PointerEvent, at: number) {
    event.preventDefault();
    event.stopPropagation();
    chosen = at;
    const start = points[at]!;
    follow(event, {
      moved: (_, dx, dy) => attempt(moved(at, { x: start.x + dx / SIDE, y: start.y - dy / SIDE })),
      done: (far) => {
        if (far) void session.keepTrial("Curve");
      },
      dropped: () => session.dropTrial(),
    });
  }

  function add(event: PointerEvent) {
    const area = box.getBoundingClientRect();
    const x = round((event.clientX - area.left) / area.width);
    const y = round(1 - (event.clientY - area.top) / area.height);
    if (points.length >= 16 || points.some((one) => Math.abs(one.x - x) < 0.02)) return;
    const value = [...points, { x, y }].sort((a, b) => a.x - b.x);
    chosen = value.findIndex((one) => one.x === x);
    void session.patch([{ op: "replace", path, value }], "Curve");
  }

  function keys(event: KeyboardEvent, at: number) {
    const by = event.shiftKey ? 0.05 : 0.01;
    const step: Record<string, Point> = {
      ArrowLeft: { x: -by, y: 0 },
      ArrowRight: { x: by, y: 0 },
      ArrowUp: { x: 0, y: by },
      ArrowDown: { x: 0, y: -by },
    };
    const one = points[at]!;
    if (step[event.key]) {
      const to = { x: one.x + step[event.key]!.x, y: one.y + step[event.key]!.y };
      void session.patch([{ op: "replace", path, value: moved(at, to) }], "Curve");
    } else if ((event.key === "Delete" || event.key === "Backspace") && points.length > 2)
      void session.patch([{ op: "replace", path, value: points.filter((_, k) => k !== at) }], "Curve");
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<!-- A curve of a grade: a click sets a point, a drag moves one, Delete takes it away. -->
<div class="field">
  <svg
    bind:this={box}
    width={SIDE}
    height={SIDE}
    viewBox="0 0 {SIDE} {SIDE}"
    role="group"
    aria-label="Curve"
    onpointerdown={add}
  >
    {#each [0.25, 0.5, 0.75] as share (share)}
      <path class="rule" d="M{share * SIDE} 0V{SIDE}M0 {share * SIDE}H{SIDE}" />
    {/each}
    <path class="rule" d="M0 {SIDE}L{SIDE} 0" />
    <polyline class="line" points={line} style:stroke={colours[channel]} />
    {#each points as point, k (k)}
      <rect
        class="point"
        class:on={chosen === k}
        x={point.x * SIDE - 4}
        y={(1 - point.y) * SIDE - 4}
        width="8"
        height="8"
        role="slider"
        tabindex="0"
        aria-label="Point {k + 1} of the curve"
        aria-valuenow={Math.round(point.y * 100)}
        onpointerdown={(event) => grab(event, k)}
        onkeydown={(event) => keys(event, k)}
      />
    {/each}
  </svg>
  <div class="side">
    <Segments
      label="Which curve"
      tight
      options={[
        { value: "curve", label: "All" },
        { value: "curve_red", label: "Red" },
        { value: "curve_green", label: "Green" },
        { value: "curve_blue", label: "Blue" },
      ]}
      value={channel}
      onchange={(next) => {
        channel = next;
        chosen = null;
      }}
    />
    <p>Click to set a point, drag it, Delete takes it away.</p>
    <Button
      disabled={!grade[channel].length}
      onclick={() => session.patch([{ op: "replace", path, value: [] }], "Straight curve")}>Straight again</Button
    >
  </div>
</div>

<style>
  .field {
    display: flex;
    gap: 12px;
    padding: 10px 12px;
    border-top: 1px solid var(--rule);
  }
  svg {
    flex: none;
    background: var(--sheet);
    outline: 1px solid var(--rule-strong);
    overflow: visible;
    touch-action: none;
    cursor: crosshair;
  }
  .rule {
    stroke: var(--rule);
    fill: none;
  }
  .line {
    fill: none;
    stroke-width: 1.8;
    pointer-events: none;
  }
  .point {
    fill: var(--sheet);
    stroke: var(--ink);
    stroke-width: 1.5;
    cursor: move;
  }
  .point.on {
    fill: var(--camera);
  }
  .side {
    display: grid;
    align-content: start;
    justify-items: start;
    gap: 8px;
    min-width: 0;
  }
  p {
    margin: 0;
    color: var(--ink-2);
    line-height: 16px;
  }
</style>
