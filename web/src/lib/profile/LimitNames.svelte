<script lang="ts">
  import { session } from "../film/session.svelte";
  import { length } from "../format";
  import { spread, type Axis } from "./scale";
  import type { Limit } from "./Strata.svelte";

  /** The names of the layers, beside the graph. */
  let { axis, limits, width }: { axis: Axis; limits: Limit[]; width: number } = $props();

  const ground = $derived(session.film?.ground.kind ?? "plain");
  const labels = $derived(
    spread(
      limits.map((limit) => axis.y(limit.span)),
      13,
      axis.bottom - 12,
    ),
  );
</script>

<g>
  <text class="axis head" x={axis.right + 6} y="14">{limits.length ? "Sharp down to" : ""}</text>
  {#each limits as limit, k (k)}
    {#if labels[k]! > 24}
      <text class="limitname" x={axis.right + 6} y={labels[k]! + 3}
        >{limit.name.length > 15 ? limit.name.slice(0, 14) + "…" : limit.name}</text
      >
      <text class="limitname figure" x={width - 6} y={labels[k]! + 3} text-anchor="end"
        >{length(limit.span, ground).join(" ")}</text
      >
      <title>{limit.name}</title>
    {/if}
  {/each}
</g>

<style>
  text {
    font-size: 11px;
  }
  .head {
    fill: var(--ink-3);
    font-size: 10.5px;
  }
  .limitname {
    font-size: 10.5px;
    font-weight: 540;
    fill: var(--imagery-deep);
  }
  .figure {
    font-weight: 450;
  }
</style>
