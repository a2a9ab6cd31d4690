<script lang="ts">
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import { plateNames, shownPlates } from "./names";
  import { toScreen, type View } from "./view";

  let { view }: { view: View } = $props();

  /** How wide the name of a planned plate is, at the most. */
  const WIDE = 150;

  /** A box of ground (west, south, east, north) on the screen. */
  function rect([west, south, east, north]: readonly number[]) {
    const [x, y] = toScreen(view, [west!, north!]);
    const [right, below] = toScreen(view, [east!, south!]);
    return { x, y, width: right - x, height: below - y };
  }

  /** Planned plates on the screen; one whose name would hide another's has none, it stands in the list. */
  const planned = $derived.by(() => {
    const plates = session.step === "gather" ? (gathering.plan?.plates ?? []) : [];
    const named: { x: number; y: number }[] = [];
    const laid = plates.length ? plateNames(view, shownPlates(true)) : [];
    return plates.map((plate) => {
      const box = rect(plate.box);
      const place = { x: Math.max(box.x, 0) + 5, y: Math.min(box.y + box.height, view.height) - 6 };
      const free =
        named.every(({ x, y }) => Math.abs(x - place.x) > WIDE || Math.abs(y - place.y) > 14) &&
        laid.every(
          ({ place: [x, y], wide }) => x > place.x + WIDE || x + wide < place.x || Math.abs(y + 12 - place.y) > 16,
        );
      if (box.width <= 60 || !free) return { box, name: null, place };
      named.push(place);
      const [wide, high] = plate.size.map((side) => side.toLocaleString("en"));
      return { box, name: `zoom ${plate.zoom}, ${wide} × ${high}`, place };
    });
  });
  const finding = $derived(gathering.finding);
</script>

{#each planned as { box, name, place }, k (k)}
  <rect class="planned case" {...box} />
  <rect class="planned" {...box} />
  {#if name}<text class="halo" {...place}>{name}</text>{/if}
{/each}
{#if finding?.remedy?.box}
  <rect class="fault" {...rect(finding.remedy.box)} />
{/if}
{#if finding?.at}
  {@const [x, y] = toScreen(view, finding.at)}
  <g class="bob" transform="translate({x} {y})">
    <path d="M0 -26v12M-5 -26h10" /><path d="M-5 -12c0 -3 10 -3 10 0c0 4 -3 8 -5 12c-2 -4 -5 -8 -5 -12z" />
    <text class="halo" x="10" y="-8">{finding.text}</text>
  </g>
{/if}

<style>
  .planned {
    fill: none;
    stroke: var(--imagery);
    stroke-width: 1.8;
    stroke-dasharray: 6 4;
  }
  .planned.case {
    stroke: #fff;
    stroke-width: 3.6;
    stroke-dasharray: none;
    opacity: 0.6;
  }
  .fault {
    fill: rgba(240, 180, 64, 0.16);
    stroke: var(--imagery-line);
    stroke-dasharray: 6 4;
    stroke-width: 1.6;
  }
  .bob path {
    fill: var(--ink);
    stroke: #fff;
    stroke-width: 1.4;
    paint-order: stroke;
  }
  .bob path:first-child {
    stroke: var(--ink);
    fill: none;
  }
</style>
