<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import AidField from "./AidField.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";

  let { of }: { of: Found<"marker"> } = $props();

  const plain = $derived(session.film!.ground.kind === "plain");
  const symbols = ["ring", "dot", "target", "square", "cross", "star", "pin", "flag", "picture"];
  const named = (values: string[]) => values.map((value) => ({ value, label: value }));
</script>

<MarkHead {of} title="Marker" />
<TimeFields {of} ways={["cut", "fade", "pop", "grow", "drop", "draw"]} />
<Fields
  path={of.path}
  columns={2}
  cells={[
    { key: "blinks", label: "Blinks", value: of.mark.blinks, unit: "times", max: 100, places: 0 },
    { key: "blink", label: "Each blink", value: of.mark.blink, unit: "frames", min: 2, max: 250, places: 0 },
  ]}
/>
<StyleBar {of} />
<div class="line">
  <LookSelect {of} name="symbol" label="Symbol" options={named(symbols)} />
  <LookSelect
    {of}
    name="scales"
    label="Size"
    options={[
      { value: "frame", label: "constant" },
      { value: "between", label: "in between" },
      { value: "ground", label: "as the ground" },
    ]}
  />
</div>
{#if of.look.symbol === "picture"}
  <div class="line">
    <AidField
      kind="signs"
      value={of.look.picture as string | null}
      onchange={(key) => session.setLook(of, "picture", key, "Picture")}
    />
  </div>
{/if}
<LookFields
  {of}
  cells={[
    of.look.scales !== "ground" && { key: "size", label: "Size", min: 1, max: 1000 },
    of.look.scales !== "frame" && {
      key: "ground",
      label: "Width on the ground",
      unit: plain ? "px" : "m",
      step: 0.05,
      log: true,
      min: 0.001,
      max: 1e8,
      places: 3,
    },
    { key: "colour", label: "Colour" },
    { key: "opacity", label: "Opacity", unit: "%", factor: 0.01, step: 0.05, max: 1, places: 0 },
    { key: "edge", label: "Edge", step: 0.5, max: 60 },
    { key: "edge_colour", label: "Edge colour" },
    { key: "pulses", label: "Pulses", unit: "/s", step: 0.1, max: 10, places: 2 },
    { key: "spin", label: "Spins", unit: "turns/s", step: 0.05, min: -20, max: 20, places: 2 },
  ]}
/>

<style>
  .line {
    display: flex;
    gap: 8px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
  }
</style>
