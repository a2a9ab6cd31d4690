<script lang="ts" module>
  /** Down to which span a plate is sharp. */
  export type Limit = { span: number; name: string };
  const STRATA = ["#EBD9AE", "#F0E1BE", "#F4E9CF", "#F7F0DF", "#F9F5EA"];
</script>

<script lang="ts">
  import type { Axis } from "./scale";

  /** How far down each plate carries the picture, as layers of the graph; the widest first. */
  let { axis, limits }: { axis: Axis; limits: Limit[] } = $props();
  const graph = $derived(axis.right - axis.left);
</script>

{#each limits as limit, k (k)}
  {@const upper = k ? axis.y(limits[k - 1]!.span) : 20}
  <rect
    x={axis.left}
    y={upper}
    width={graph}
    height={Math.max(axis.y(limit.span) - upper, 0)}
    fill={STRATA[Math.min(k, STRATA.length - 1)]}
  />
{/each}
{#each limits as limit, k (k)}<line
    class="limitline"
    x1={axis.left}
    x2={axis.right}
    y1={axis.y(limit.span)}
    y2={axis.y(limit.span)}
  />{/each}

<style>
  .limitline {
    stroke: var(--imagery);
    stroke-width: 0.7;
    opacity: 0.55;
  }
</style>
