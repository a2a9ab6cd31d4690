<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";

  let { of }: { of: Found<"region"> } = $props();

  const region = $derived(of.mark);
  const plain = $derived(session.film!.ground.kind === "plain");
  const percent = { unit: "%", factor: 0.01, step: 0.05, max: 1, places: 0 };
  const corners = $derived(region.rings.reduce((sum, ring) => sum + ring.length, 0));
</script>

<MarkHead
  {of}
  title="Region"
  sub={region.circle
    ? "circle"
    : `${region.rings.length} outline${region.rings.length === 1 ? "" : "s"}, ${corners.toLocaleString("en")} corners`}
/>
<TimeFields {of} ways={["cut", "fade", "grow", "draw"]} />
<Fields
  path={of.path}
  cells={[
    region.circle !== null && {
      key: "circle/radius",
      label: "Radius",
      value: region.circle.radius,
      unit: plain ? "px" : "km",
      factor: plain ? 1 : 1000,
      step: 0.05,
      log: true,
      min: 0.001,
      max: 2e7,
      places: 4,
    },
    { key: "flashes", label: "Flashes", value: region.flashes, unit: "times", max: 50, places: 0 },
    { key: "flash", label: "Each flash", value: region.flash, unit: "frames", min: 2, max: 250, places: 0 },
  ]}
/>
<StyleBar {of} />
<LookFields
  {of}
  cells={[
    { key: "fill", label: "Fill" },
    { key: "filled", label: "Filled by", ...percent },
    { key: "opacity", label: "Opacity", ...percent },
    { key: "border", label: "Border", step: 0.5, max: 100 },
    { key: "border_colour", label: "Border colour" },
    { key: "gap", label: "Gap at the edge", step: 0.5, max: 200 },
    { key: "hatch", label: "Hatch every", max: 200 },
    { key: "hatch_colour", label: "Hatch colour" },
    { key: "soft", label: "Soft edge", max: 400 },
    { key: "glow", label: "Inner glow", max: 400 },
    { key: "glow_colour", label: "Glow and flash" },
    { key: "shadow", label: "Shadow", max: 200 },
    { key: "lift", label: "Lifted out by", max: 400 },
    of.look.lift !== 0 && { key: "sides", label: "Thickness", max: 400 },
    of.look.lift !== 0 && { key: "side_colour", label: "Sides" },
  ]}
/>
<div class="line">
  <LookSelect
    {of}
    name="rest"
    label="The rest"
    options={[
      { value: "kept", label: "as it is" },
      { value: "dimmed", label: "dimmed" },
      { value: "grey", label: "grey" },
      { value: "blurred", label: "blurred" },
    ]}
  />
  {#if region.rings.length}
    <a href="/api/films/{session.id}/regions/{region.id}.geojson" download>Save as GeoJSON</a>
  {/if}
</div>
{#if of.look.rest !== "kept"}
  <LookFields {of} columns={2} cells={[{ key: "rest_by", label: "By", ...percent }]} />
{/if}

<style>
  .line {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
  }
  a {
    color: var(--ink-2);
  }
</style>
