<script lang="ts">
  import type { XY } from "../api/client";
  import { buried } from "../film/plates";
  import { session } from "../film/session.svelte";
  import { namePlaces } from "./badges";
  import { boxOf, polyline, toScreen, type View } from "./view";

  let { view, fitting }: { view: View; fitting: boolean } = $props();

  const plates = $derived(
    (session.plan?.plates ?? []).flatMap((laid, index) => {
      const plate = session.film?.plates[index];
      return plate?.shown && (fitting || !buried(plate))
        ? [{ laid, plate, chosen: session.selection?.id === plate.id }]
        : [];
    }),
  );

  /** Where a plate's name would stand: at its first corner; nowhere if the plate is out of sight or tiny. */
  function tag(outline: XY[], chosen: boolean): XY | null {
    const points = outline.map((point) => toScreen(view, point));
    const [left, top, right, bottom] = boxOf(points);
    const [first, second] = points as [XY, XY];
    const across = Math.hypot(second[0] - first[0], second[1] - first[1]);
    const seen = right > 0 && bottom > 0 && left < view.width && top < view.height;
    return seen && (across > 34 || chosen) ? first : null;
  }

  /** The names of plates, that of the chosen one where it belongs and the others, from the top of the stack down, where
   * there is room. */
  const names = $derived.by(() => {
    if (!fitting) return [];
    const inTurn = plates.toReversed().toSorted((one, other) => Number(other.chosen) - Number(one.chosen));
    const wanted = inTurn.map(({ laid, plate, chosen }) => {
      const at = tag(laid.outline, chosen);
      return at && { at, wide: plate.name.length * 6.1 + 12 };
    });
    return namePlaces(wanted, view.width, view.height).flatMap((place, index) =>
      place ? [{ place, wide: wanted[index]!.wide, ...inTurn[index]! }] : [],
    );
  });
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
