<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Tick from "../../ui/Tick.svelte";
  import AidField from "./AidField.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";

  let { of }: { of: Found<"label"> } = $props();

  const font = $derived(session.fonts.find(({ key }) => key === of.look.family));
  const plain = $derived(session.film!.ground.kind === "plain");
</script>

<div class="line">
  <AidField
    kind="fonts"
    value={of.look.family as string}
    onchange={(key) => session.setLook(of, "family", key, "Font")}
  />
  <LookSelect
    {of}
    name="align"
    label="Lines"
    options={["left", "middle", "right"].map((value) => ({ value, label: value }))}
  />
</div>
<div class="line">
  {#each [["bold", "Bold", font?.bold], ["italic", "Italic", font?.italic], ["capitals", "Capitals", true]] as const as [name, label, can] (name)}
    {#if can}
      <Tick {label} checked={of.look[name] as boolean} onchange={(on) => session.setLook(of, name, on, label)} />
    {/if}
  {/each}
  <LookSelect
    {of}
    name="scales"
    label="Size"
    options={[
      { value: "frame", label: "constant" },
      { value: "ground", label: "as the ground" },
    ]}
  />
</div>
<LookFields
  {of}
  cells={[
    of.look.scales === "frame" && { key: "size", label: "Size", min: 4, max: 1000 },
    of.look.scales === "ground" && {
      key: "ground",
      label: "Size on the ground",
      unit: plain ? "px" : "m",
      step: 0.05,
      log: true,
      min: 0.001,
      max: 1e8,
      places: 3,
    },
    { key: "tracking", label: "Spaced by", unit: "%", min: -20, max: 200 },
    { key: "opacity", label: "Opacity", unit: "%", factor: 0.01, step: 0.05, max: 1, places: 0 },
    { key: "colour", label: "Colour" },
    { key: "halo", label: "Halo", max: 200 },
    of.look.halo !== 0 && { key: "halo_colour", label: "Halo colour" },
    { key: "outline", label: "Outline", step: 0.5, max: 60 },
    of.look.outline !== 0 && { key: "outline_colour", label: "Outline colour" },
    { key: "shadow", label: "Shadow", max: 100 },
    of.look.shadow !== 0 && {
      key: "shadow_opacity",
      label: "Shadow’s depth",
      unit: "%",
      factor: 0.01,
      step: 0.05,
      max: 1,
      places: 0,
    },
    { key: "thickness", label: "Thickness", max: 200 },
    of.look.thickness !== 0 && { key: "side_colour", label: "Sides" },
  ]}
/>
{#if of.mark.stands !== "route"}
  <div class="line">
    <LookSelect
      {of}
      name="box"
      label="Box"
      options={[
        { value: "none", label: "none" },
        { value: "square", label: "square" },
        { value: "round", label: "round corners" },
      ]}
    />
  </div>
  {#if of.look.box !== "none"}
    <LookFields
      {of}
      cells={[
        { key: "box_colour", label: "Box colour" },
        { key: "box_opacity", label: "Box opacity", unit: "%", factor: 0.01, step: 0.05, max: 1, places: 0 },
        { key: "pad", label: "Room inside", max: 400 },
      ]}
    />
  {/if}
{/if}

<style>
  .line {
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
</style>
