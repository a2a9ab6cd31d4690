<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";
  import Strip from "../../ui/Strip.svelte";

  let { of }: { of: Found<"region"> } = $props();

  const region = $derived(of.mark);
  const plain = $derived(session.film!.ground.kind === "plain");
  const corners = $derived(region.rings.reduce((sum, ring) => sum + ring.length, 0));
</script>

<MarkHead
  {of}
  title="Region"
  sub={region.circle
    ? "circle"
    : `${region.rings.length} outline${region.rings.length === 1 ? "" : "s"}, ${corners.toLocaleString("en")} corners`}
/>
<TimeFields {of} />
{#if region.circle}
  <Fields
    of="Circle"
    part={region.circle}
    path="{of.path}/circle"
    columns={2}
    cells={[plain ? "radius" : { key: "radius", unit: "km", factor: 1000, places: 4 }]}
  />
{/if}
<Fields of="Region" part={region} path={of.path} columns={2} cells={[{ key: "flashes", unit: "times" }, "flash"]} />
<StyleBar {of} />
<LookFields
  {of}
  cells={[
    "fill",
    "filled",
    "opacity",
    "border",
    "border_colour",
    "gap",
    "hatch",
    "hatch_colour",
    "soft",
    "glow",
    "glow_colour",
    "shadow",
    "opens",
    "raised",
    "lift",
    of.look.lift !== 0 && "sides",
    (of.look.lift !== 0 || of.look.raised !== 0) && "side_colour",
    (of.look.lift !== 0 || of.look.raised !== 0 || of.look.shadow !== 0) && "shadow_opacity",
  ]}
/>
<Strip>
  <LookSelect {of} name="rest" says={{ kept: "as it is" }} />
  {#if region.rings.length}
    <a href="/api/films/{session.id}/regions/{region.id}.geojson" download>Save as GeoJSON</a>
  {/if}
</Strip>
{#if of.look.rest !== "kept"}
  <LookFields {of} columns={2} cells={["rest_by"]} />
{/if}

<style>
  a {
    color: var(--ink-2);
  }
</style>
