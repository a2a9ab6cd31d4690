<script lang="ts">
  import { plateNames, shownPlates } from "./names";
  import { polyline, type View } from "./view";

  let { view, fitting }: { view: View; fitting: boolean } = $props();

  const plates = $derived(shownPlates(fitting));
  const names = $derived(fitting ? plateNames(view, plates) : []);
</script>

<defs>
  <pattern id="missing" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
    <rect width="6" height="6" fill="#F1E4C6" opacity="0.7" />
    <line x1="0" x2="0" y1="0" y2="6" stroke="#966300" stroke-width="1.6" />
  </pattern>
</defs>
{#each plates as { laid, chosen } (laid.id)}
  <polygon class="plate" class:chosen points={polyline(view, laid.outline)} />
{/each}
{#if fitting}
  {#each plates as { laid } (laid.id)}
    {#each laid.holes as hole, k (k)}
      <polygon class="hole" points={polyline(view, hole)} fill="url(#missing)" />
    {/each}
  {/each}
  {#each names as { laid, plate, chosen, place, wide } (laid.id)}
    <g class="tag" class:chosen transform="translate({place[0]} {place[1]})">
      <rect width={wide} height="16" /><text x="6" y="12">{plate.name}</text>
    </g>
  {/each}
{/if}

<style>
  .plate {
    fill: none;
    stroke: var(--imagery-line);
    stroke-width: 1.2;
    opacity: 0.9;
  }
  .plate.chosen {
    stroke-width: 2;
    stroke: #ffd27a;
  }
  .hole {
    stroke: var(--imagery);
    stroke-width: 1;
    pointer-events: none;
  }
  .tag rect {
    fill: #fdf6e3;
    stroke: #d9b766;
  }
  .tag text {
    font-size: 11px;
    font-weight: 540;
    fill: var(--imagery-deep);
  }
  .tag.chosen rect {
    fill: var(--imagery-line);
  }
</style>
