<script lang="ts">
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import { toScreen, type View } from "./view";

  let { view }: { view: View } = $props();

  /** A box of ground (west, south, east, north) on the screen. */
  function rect([west, south, east, north]: readonly number[]) {
    const [x, y] = toScreen(view, [west!, north!]);
    const [right, below] = toScreen(view, [east!, south!]);
    return { x, y, width: right - x, height: below - y };
  }

  const planned = $derived(session.step === "gather" ? (gathering.plan?.plates ?? []) : []);
  const finding = $derived(gathering.finding);
</script>

{#each planned as plate, k (k)}
  {@const box = rect(plate.box)}
  <rect class="planned case" {...box} />
  <rect class="planned" {...box} />
  {#if box.width > 60}
    <text class="halo" x={box.x + 5} y={box.y + 14}
      >zoom {plate.zoom}, {plate.size[0].toLocaleString("en")} × {plate.size[1].toLocaleString("en")}</text
    >
  {/if}
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
