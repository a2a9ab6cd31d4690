<script lang="ts">
  import type { XY } from "../api/client";
  import { session } from "../film/session.svelte";
  import { digits } from "../format";
  import type { Painter } from "./painter.svelte";
  import { on } from "./view";

  let {
    at,
    away,
    chosen,
    painter,
  }: {
    at: XY;
    /** The side of the chart where it is out of the way. */
    away: "left" | "right";
    chosen: number;
    painter: Painter;
  } = $props();

  const SIZE = 132;
  /** Screen pixels for a pixel of the coarser of the two plates. */
  const TIMES = 5;
  let above = $state<HTMLCanvasElement>();
  let below = $state<HTMLCanvasElement>();

  const under = $derived.by(() => {
    const plan = session.plan!;
    for (let index = chosen - 1; index >= 0; index--) {
      if (session.film!.plates[index]!.shown && on(plan.plates[index]!, at)) return index;
    }
    return -1;
  });
  const pixel = $derived(
    Math.max(session.plan!.plates[chosen]!.pixel, under >= 0 ? session.plan!.plates[under]!.pixel : 0),
  );

  $effect(() => {
    void painter.arrived;
    const size = Math.round(SIZE * (devicePixelRatio || 1));
    const view = { x: at[0], y: at[1], scale: TIMES / pixel, width: SIZE, height: SIZE };
    for (const [canvas, plates] of [
      [above, [chosen]],
      [below, Array.from({ length: chosen }, (_, index) => index)],
    ] as const) {
      if (!canvas) continue;
      canvas.width = canvas.height = size;
      const context = canvas.getContext("2d")!;
      context.imageSmoothingEnabled = false;
      for (const index of plates) if (session.film!.plates[index]!.shown) painter.plate(context, view, index, "laid");
    }
  });
</script>

<div class="loupes" class:left={away === "left"}>
  {#each [{ name: "Above" }, { name: "Below" }] as loupe, k (loupe.name)}
    <figure>
      <div class="glass">
        {#if k === 0}<canvas bind:this={above}></canvas>{:else}<canvas bind:this={below}></canvas>{/if}
        <svg width={SIZE} height={SIZE} aria-hidden="true">
          {#each ["case", ""] as kind (kind)}
            <path
              class={kind}
              d="M{SIZE / 2} 18V{SIZE / 2 - 8}M{SIZE / 2} {SIZE / 2 + 8}V{SIZE - 18}M18 {SIZE / 2}H{SIZE / 2 -
                8}M{SIZE / 2 + 8} {SIZE / 2}H{SIZE - 18}"
            />
          {/each}
        </svg>
      </div>
      <figcaption>
        <b>{loupe.name}</b>
        {k === 0
          ? session.film!.plates[chosen]!.name
          : under >= 0
            ? session.film!.plates[under]!.name
            : "nothing: ties to the ground"}
      </figcaption>
    </figure>
  {/each}
  <span class="times">× {digits(TIMES)}</span>
</div>

<style>
  .loupes {
    position: absolute;
    right: 10px;
    bottom: 10px;
    display: flex;
    gap: 8px;
    padding: 8px;
    background: var(--paper);
    border: 1px solid var(--rule-strong);
    pointer-events: none;
  }
  .loupes.left {
    right: auto;
    left: 10px;
  }
  figure {
    width: 132px;
  }
  .glass {
    position: relative;
    width: 132px;
    height: 132px;
    background: #dfe4df;
  }
  canvas,
  svg {
    position: absolute;
    inset: 0;
    width: 132px;
    height: 132px;
  }
  path {
    stroke: var(--ink);
    stroke-width: 1.2;
  }
  path.case {
    stroke: #fff;
    stroke-width: 3.2;
    opacity: 0.85;
  }
  figcaption {
    margin-top: 4px;
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
    color: var(--ink-2);
  }
  .times {
    position: absolute;
    right: 8px;
    top: 8px;
    background: var(--paper);
    padding: 0 5px;
    font-size: 10.5px;
  }
</style>
