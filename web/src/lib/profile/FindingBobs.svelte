<script lang="ts">
  import { camera } from "../film/camera.svelte";
  import { gathering } from "../film/gathering.svelte";
  import { player } from "../film/player.svelte";
  import { widestOf, type Axis, type SpanScale } from "./scale";

  /** Findings, hung on the curve where they are worst. */
  let { axis, scale, bobs }: { axis: Axis; scale: SpanScale; bobs: typeof gathering.timed } = $props();
</script>

{#each bobs as finding (finding.id)}
  {@const u = axis.x(finding.frame)}
  {@const v = Math.max(axis.y(camera.spanAt(finding.frame) ?? widestOf(scale)) - 3, 44)}
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
  <g
    class="bob"
    class:chosen={gathering.finding?.id === finding.id}
    onclick={() => {
      gathering.finding = finding;
      player.seek(finding.frame);
    }}
  >
    <rect class="reach" x={u - 6} y="20" width="12" height={v - 20} />
    <line x1={u} x2={u} y1="20" y2={v - 12} />
    <path d="M{u - 4.5} {v - 12}c0 -3 9 -3 9 0c0 4 -3 8 -4.5 12c-1.5 -4 -4.5 -8 -4.5 -12z" />
    <title>{finding.text}</title>
  </g>
{/each}

<style>
  .bob {
    cursor: pointer;
  }
  .bob .reach {
    fill: transparent;
  }
  .bob line {
    stroke: var(--ink);
    stroke-width: 1;
  }
  .bob path {
    fill: var(--ink);
    stroke: #fff;
    stroke-width: 1;
  }
  .bob.chosen path {
    fill: var(--imagery);
  }
</style>
