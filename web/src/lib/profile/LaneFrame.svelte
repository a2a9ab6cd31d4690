<script lang="ts">
  import type { Snippet } from "svelte";
  import type { Axis } from "./scale";
  import type { LaneScroll } from "./scroll.svelte";

  /** What lanes below the profile lie in: their ground, where their names and what lies in time are cut off (by the clip
   * paths `{id}-names` and `{id}-time`), and how far they are scrolled. */
  let {
    id,
    axis,
    height,
    scroll,
    children,
    element = $bindable(),
  }: {
    id: string;
    axis: Axis;
    height: number;
    scroll: LaneScroll;
    children: Snippet;
    element?: SVGGElement;
  } = $props();
</script>

<g class={id} bind:this={element} onwheel={scroll.wheel}>
  <rect class="ground" x="0" y={axis.bottom} width={axis.right} {height} />
  <line class="edge" x1="0" x2={axis.right} y1={axis.bottom} y2={axis.bottom} />
  <clipPath id="{id}-names"><rect x="0" y={axis.bottom} width={axis.left} {height} /></clipPath>
  <clipPath id="{id}-time"><rect x={axis.left} y={axis.bottom} width={axis.right - axis.left} {height} /></clipPath>
  {#if scroll.most}
    <rect
      class="thumb"
      x={axis.right + 2}
      y={axis.bottom + scroll.thumb.from}
      width="4"
      height={scroll.thumb.high}
      rx="2"
    />
  {/if}
  {@render children()}
</g>

<style>
  .ground {
    fill: #f1f3ee;
  }
  .thumb {
    fill: #a9b5b3;
  }
  .edge {
    stroke: var(--rule-strong);
  }
</style>
