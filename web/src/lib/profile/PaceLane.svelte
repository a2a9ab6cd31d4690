<script lang="ts">
  import { camera } from "../film/camera.svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { follow } from "../ui/follow";
  import { traced } from "../ui/traced";
  import type { Axis } from "./scale";

  let { axis, height }: { axis: Axis; height: number } = $props();

  const curves = $derived(camera.curves);
  const limits = $derived(curves?.limits ?? [1]);
  const top = $derived(limits[limits.length - 1]! * 1.25);
  const base = $derived(axis.bottom + height - 2);
  const y = (pace: number) => base - (Math.min(pace, top) / top) * (height - 5);

  /** What lies under the curve from one moment to another. */
  function area(first: number, last: number): string {
    const points: [number, number][] = [[axis.x(curves!.frames[first]!), base]];
    for (let k = first; k <= last; k++) points.push([axis.x(curves!.frames[k]!), y(curves!.doublings[k]!)]);
    return `${traced([...points, [axis.x(curves!.frames[last]!), base]])}Z`;
  }

  /** Stretches of one level of pace. */
  const stretches = $derived.by(() => {
    const found: { level: number; path: string }[] = [];
    const levels = curves?.level ?? [];
    for (let first = 0; first < levels.length;) {
      let last = first;
      while (last + 1 < levels.length && levels[last + 1] === levels[first]) last += 1;
      found.push({ level: levels[first]!, path: area(first, Math.min(last + 1, levels.length - 1)) });
      first = last + 1;
    }
    return found;
  });

  /** How fast it is at the playhead. */
  const now = $derived.by(() => {
    if (!curves?.frames.length) return null;
    const step = curves.frames.length > 1 ? curves.frames[1]! - curves.frames[0]! : 1;
    const k = Math.min(Math.floor(player.frame / step), curves.frames.length - 1);
    return {
      doublings: curves.doublings[k]!,
      motion: curves.motion[k]!,
      level: curves.levels[curves.level[k]! - 1],
    };
  });

  /** The passage that is worked on, if its speed is drawn: its points can be dragged here. */
  const drawn = $derived.by(() => {
    const index = session.passage;
    const laid = session.plan?.passages[index];
    const speed = session.film?.vantages[index]?.passage.ease.speed ?? [];
    if (!laid?.frames || !speed.length) return null;
    const most = Math.max(...speed.map(([, value]) => value), 0.1) * 1.15;
    return { index, laid, speed, most };
  });
  const at = (time: number) => axis.x(drawn!.laid.start + time * drawn!.laid.frames);
  const up = (speed: number, most: number) => base - (speed / most) * (height - 6);

  function pull(event: PointerEvent, k: number) {
    event.preventDefault();
    event.stopPropagation();
    const { index, laid, speed, most } = drawn!;
    const wide = laid.frames * axis.perFrame;
    follow(event, {
      moved: (_, dx, dy) => {
        const [time, value] = speed[k]!;
        const free = k > 0 && k < speed.length - 1;
        const t = free ? Math.min(Math.max(time + dx / wide, speed[k - 1]![0] + 0.01), speed[k + 1]![0] - 0.01) : time;
        const v = Math.max(value - (dy / (height - 6)) * most, 0);
        const next = speed.map((point, j) => (j === k ? [Number(t.toFixed(4)), Number(v.toFixed(3))] : point));
        session.tryPatch([{ op: "replace", path: `/vantages/${index}/passage/ease/speed`, value: next }]);
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Draw speed");
      },
      dropped: () => session.dropTrial(),
    });
  }

  /** A double click between points makes one, on a point takes it away. */
  function change(event: MouseEvent, k: number | null) {
    event.preventDefault();
    event.stopPropagation();
    const { index, laid, speed } = drawn!;
    let next = speed.filter((_, j) => j !== k);
    if (k === null) {
      const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
      const time = (event.clientX - box.left - axis.x(laid.start)) / (laid.frames * axis.perFrame);
      const after = speed.findIndex(([t]) => t > time);
      if (after < 1 || speed.length >= 24) return;
      const [[t0, v0], [t1, v1]] = [speed[after - 1]!, speed[after]!];
      const value = v0 + ((v1 - v0) * (time - t0)) / (t1 - t0);
      next = [...speed.slice(0, after), [Number(time.toFixed(4)), Number(value.toFixed(3))], ...speed.slice(after)];
    } else if (k === 0 || k === speed.length - 1 || speed.length <= 2) return;
    void session.patch([{ op: "replace", path: `/vantages/${index}/passage/ease/speed`, value: next }], "Draw speed");
  }
</script>

<g class="pace">
  <rect class="ground" x="0" y={axis.bottom} width={axis.right} {height} />
  <line class="edge" x1="0" x2={axis.right} y1={axis.bottom} y2={axis.bottom} />
  <text x="12" y={axis.bottom + 19}>Pace</text>
  <clipPath id="pace"><rect x={axis.left} y={axis.bottom} width={axis.right - axis.left} {height} /></clipPath>
  <g clip-path="url(#pace)">
    {#each stretches as { level, path }, k (k)}<path class="level{level}" d={path} />{/each}
    {#each limits as limit (limit)}
      <line class="limit" x1={axis.left} x2={axis.right} y1={y(limit)} y2={y(limit)} />
    {/each}
    {#if drawn}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <rect
        class="room"
        x={at(0)}
        y={axis.bottom}
        width={at(1) - at(0)}
        {height}
        ondblclick={(event) => change(event, null)}
      >
        <title>The speed of the passage: drag its points; a double click makes one or takes one away</title>
      </rect>
      <polyline
        class="speed"
        points={drawn.speed.map(([time, value]) => `${at(time)},${up(value, drawn.most)}`).join(" ")}
      />
      {#each drawn.speed as [time, value], k (k)}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="point" onpointerdown={(event) => pull(event, k)} ondblclick={(event) => change(event, k)}>
          <circle class="reach" cx={at(time)} cy={up(value, drawn.most)} r="9" />
          <circle cx={at(time)} cy={up(value, drawn.most)} r="3.6" />
        </g>
      {/each}
    {/if}
  </g>
  {#if now}
    <text class="says" x={axis.right + 6} y={axis.bottom + 13}
      >{now.doublings.toFixed(1)} doublings/s{now.level ? `, ${now.level}` : ""}</text
    >
    <text class="says" x={axis.right + 6} y={axis.bottom + 26}>{now.motion.toFixed(2)} frame widths/s</text>
  {/if}
</g>

<style>
  .ground {
    fill: #f1f3ee;
  }
  .edge {
    stroke: var(--rule-strong);
  }
  path {
    fill: #a9b4b0;
    pointer-events: none;
  }
  .level1 {
    fill: #d9a08c;
  }
  .level2 {
    fill: #cc6a4a;
  }
  .level3 {
    fill: var(--camera);
  }
  .limit {
    stroke: var(--ink-3);
    stroke-dasharray: 2 4;
    opacity: 0.6;
    pointer-events: none;
  }
  .room {
    fill: rgba(255, 255, 255, 0.72);
    stroke: var(--rule-strong);
  }
  .speed {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.6;
    pointer-events: none;
  }
  .point {
    cursor: grab;
  }
  .point circle {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.6;
  }
  .point .reach {
    fill: transparent;
    stroke: none;
  }
  text {
    font-size: 11px;
    font-weight: 540;
    fill: var(--ink);
  }
  .says {
    font-size: 10.5px;
    font-weight: 420;
    fill: var(--ink-2);
  }
</style>
