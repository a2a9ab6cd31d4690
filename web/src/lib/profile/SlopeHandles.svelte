<script lang="ts">
  import { session } from "../film/session.svelte";
  import { follow } from "../ui/follow";
  import type { Axis } from "./scale";

  let { axis }: { axis: Axis } = $props();

  /** The slope of the passage that is worked on, as long as its ease has handles. */
  const slope = $derived.by(() => {
    const index = session.passage;
    const laid = session.plan?.passages[index];
    if (!laid?.frames || laid.frames * axis.perFrame < 40) return null;
    const [start, end] = [session.film!.vantages[index]!, session.film!.vantages[index + 1]!];
    const ease = start.passage.ease;
    if (ease.speed.length) return null;
    const [u0, u1] = [axis.x(laid.start), axis.x(laid.start + laid.frames)];
    const [v0, v1] = [axis.y(start.span), axis.y(end.span)];
    return { index, ease, u0, u1, v0, v1 };
  });
  const handles = $derived.by(() => {
    if (!slope) return [];
    const { ease, u0, u1, v0, v1 } = slope;
    const place = (x: number, y: number) => [u0 + x * (u1 - u0), v0 + y * (v1 - v0)] as const;
    return [
      { which: 1 as const, from: [u0, v0] as const, to: place(ease.x1, ease.y1) },
      { which: 2 as const, from: [u1, v1] as const, to: place(ease.x2, ease.y2) },
    ];
  });

  function pull(event: PointerEvent, which: 1 | 2) {
    event.preventDefault();
    event.stopPropagation();
    const { index, ease, u0, u1, v0, v1 } = slope!;
    const flat = Math.abs(v1 - v0) < 6;
    follow(event, {
      moved: (_, dx, dy) => {
        const [x, y] = which === 1 ? [ease.x1, ease.y1] : [ease.x2, ease.y2];
        const nx = Number(Math.min(Math.max(x + dx / (u1 - u0), 0), 1).toFixed(3));
        const ny = flat ? y : Number(Math.min(Math.max(y + dy / (v1 - v0), -1), 2).toFixed(3));
        const value = which === 1 ? { ...ease, x1: nx, y1: ny } : { ...ease, x2: nx, y2: ny };
        session.tryPatch([{ op: "replace", path: `/vantages/${index}/passage/ease`, value }]);
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Ease");
      },
      dropped: () => session.dropTrial(),
    });
  }
</script>

{#each handles as handle (handle.which)}
  <line x1={handle.from[0]} y1={handle.from[1]} x2={handle.to[0]} y2={handle.to[1]} />
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <g onpointerdown={(event) => pull(event, handle.which)}>
    <circle class="reach" cx={handle.to[0]} cy={handle.to[1]} r="9" />
    <path d="M{handle.to[0]} {handle.to[1] - 4.6}l4.6 4.6l-4.6 4.6l-4.6 -4.6z" />
    <title>{handle.which === 1 ? "How the passage sets off" : "How the passage comes in"}</title>
  </g>
{/each}

<style>
  line {
    stroke: var(--camera);
    stroke-width: 1;
    pointer-events: none;
  }
  g {
    cursor: grab;
  }
  path {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.5;
  }
  .reach {
    fill: transparent;
  }
</style>
