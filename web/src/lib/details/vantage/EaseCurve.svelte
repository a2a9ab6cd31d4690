<script lang="ts">
  import type { Ease, XY } from "../../api/client";
  import { follow } from "../../ui/follow";

  let {
    ease,
    curve,
    seconds,
    ontry,
    onkeep,
    ondrop,
  }: {
    ease: Ease;
    /** Progress over time, as the engine computed it. */
    curve: XY[];
    seconds: number;
    ontry: (ease: Ease) => void;
    onkeep: () => void;
    ondrop: () => void;
  } = $props();

  const W = 126;
  const H = 74;
  const PAD = 12;
  const u = (x: number) => PAD + x * (W - 2 * PAD);
  const v = (y: number) => H - PAD - y * (H - 2 * PAD);
  let svg: SVGSVGElement;
  let mine = $state.raw<Ease | null>(null);
  const shown = $derived(mine ?? ease);
  /** A drawn speed has no handles. */
  const handles = $derived<(1 | 2)[]>(shown.speed.length ? [] : [1, 2]);
  // Half-second notches along the curve, as on the chart's passages.
  const ticks = $derived.by(() => {
    const found: { x: number; y: number; whole: boolean }[] = [];
    for (let half = 1; half / 2 < seconds && half < 80; half++) {
      const t = half / 2 / seconds;
      const k = t * (curve.length - 1);
      const [a, b] = [curve[Math.floor(k)]!, curve[Math.ceil(k)]!];
      found.push({ x: t, y: a[1] + (b[1] - a[1]) * (k - Math.floor(k)), whole: half % 2 === 0 });
    }
    return found;
  });

  function drag(event: PointerEvent, handle: 1 | 2) {
    event.preventDefault();
    const box = svg.getBoundingClientRect();
    follow(event, {
      moved: (next) => {
        const x = Math.min(Math.max((next.clientX - box.left - PAD) / (W - 2 * PAD), 0), 1);
        const y = Math.min(Math.max((box.bottom - PAD - next.clientY) / (H - 2 * PAD), -0.5), 1.5);
        const at = { x: Math.round(x * 100) / 100, y: Math.round(y * 100) / 100 };
        mine = handle === 1 ? { ...shown, x1: at.x, y1: at.y } : { ...shown, x2: at.x, y2: at.y };
        ontry(mine);
      },
      done: (moved) => {
        if (moved) onkeep();
        mine = null;
      },
      dropped: () => {
        mine = null;
        ondrop();
      },
    });
  }

  function keys(event: KeyboardEvent, handle: 1 | 2) {
    const step = { ArrowLeft: [-0.02, 0], ArrowRight: [0.02, 0], ArrowUp: [0, 0.02], ArrowDown: [0, -0.02] }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    const keep = (value: number, low: number, high: number) =>
      Math.round(Math.min(Math.max(value, low), high) * 100) / 100;
    const next = { ...ease };
    if (handle === 1) {
      next.x1 = keep(ease.x1 + step[0]!, 0, 1);
      next.y1 = keep(ease.y1 + step[1]!, -1, 2);
    } else {
      next.x2 = keep(ease.x2 + step[0]!, 0, 1);
      next.y2 = keep(ease.y2 + step[1]!, -1, 2);
    }
    ontry(next);
    onkeep();
  }
</script>

<svg bind:this={svg} width={W} height={H} role="group" aria-label="Ease curve">
  <path class="base" d="M{u(0)} {v(0)}H{u(1)}M{u(0)} {v(1)}H{u(1)}" />
  {#if !shown.speed.length}
    <line class="arm" x1={u(0)} y1={v(0)} x2={u(shown.x1)} y2={v(shown.y1)} />
    <line class="arm" x1={u(1)} y1={v(1)} x2={u(shown.x2)} y2={v(shown.y2)} />
  {/if}
  <polyline points={curve.map(([x, y]) => `${u(x)},${v(y)}`).join(" ")} />
  {#each ticks as tick (tick.x)}<line
      class="tick"
      x1={u(1) + 3}
      x2={u(1) + (tick.whole ? 10 : 7)}
      y1={v(tick.y)}
      y2={v(tick.y)}
    />{/each}
  {#each handles as handle (handle)}
    {@const [x, y] = handle === 1 ? [shown.x1, shown.y1] : [shown.x2, shown.y2]}
    <g
      role="slider"
      tabindex="0"
      aria-label={handle === 1 ? "How it sets off" : "How it comes in"}
      aria-valuenow={x}
      aria-valuetext="{x}, {y}"
      onpointerdown={(event) => drag(event, handle)}
      onkeydown={(event) => keys(event, handle)}
    >
      <circle class="reach" cx={u(x)} cy={v(y)} r="12" /><circle cx={u(x)} cy={v(y)} r="4" />
    </g>
  {/each}
</svg>

<style>
  svg {
    overflow: visible;
    touch-action: none;
  }
  .base {
    stroke: var(--rule);
    fill: none;
  }
  polyline {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.8;
  }
  .arm {
    stroke: var(--edge);
  }
  .tick {
    stroke: var(--camera);
  }
  circle {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.6;
  }
  .reach {
    fill: transparent;
    stroke: none;
  }
  g {
    cursor: grab;
    outline-offset: -6px;
  }
</style>
