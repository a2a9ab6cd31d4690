<script lang="ts">
  import { arrivals } from "../../film/arrivals.svelte";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Segments from "../../ui/Segments.svelte";
  import CoursePanel from "../CoursePanel.svelte";
  import FitTab from "./FitTab.svelte";
  import LandTab from "./LandTab.svelte";
  import PlateTab from "./PlateTab.svelte";
  import SeamTab from "./SeamTab.svelte";
  import ToneTab from "./ToneTab.svelte";

  type Tab = "fit" | "seam" | "tone" | "land" | "plate";

  let tab = $state<Tab>("fit");
  let chooser = $state<HTMLInputElement>();
  const index = $derived(session.film?.plates.findIndex((plate) => plate.id === session.selection?.id) ?? -1);
  const plate = $derived(index >= 0 ? session.film!.plates[index]! : null);
  const course = $derived(session.courseAt(session.course));
  const laid = $derived(index >= 0 ? session.plan!.plates[index]! : null);

  async function remove() {
    await session.act({ act: "remove_plate", plate: plate!.id });
    session.select(null);
  }
</script>

{#if plate && laid}
  <header>
    <input
      class="name"
      aria-label="Name of the plate"
      value={plate.name}
      onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      onchange={(event) =>
        session.patch(
          [{ op: "replace", path: `/plates/${index}/name`, value: event.currentTarget.value }],
          "Rename plate",
        )}
    />
    <Button title="Put another picture in its place; everything else is kept" onclick={() => chooser?.click()}
      ><Icon name="swap" size={14} />Swap picture</Button
    >
    <input
      class="hidden"
      type="file"
      accept="image/png,image/jpeg,image/webp,image/tiff"
      aria-label="Picture to swap in"
      bind:this={chooser}
      onchange={(event) => {
        void arrivals.receive(event.currentTarget.files ?? [], plate.id);
        event.currentTarget.value = "";
      }}
    />
    <button
      title="Up the stack (PgUp)"
      disabled={index === session.film!.plates.length - 1}
      onclick={() => session.act({ act: "restack_plate", plate: plate.id, to: index + 1 })}
      ><Icon name="up" size={15} /></button
    >
    <button
      title="Down the stack (PgDn)"
      disabled={index === 0}
      onclick={() => session.act({ act: "restack_plate", plate: plate.id, to: index - 1 })}
      ><Icon name="down" size={15} /></button
    >
    <button title="Show on the chart" onclick={() => session.showOutline(laid.outline, 1.15)}
      ><Icon name="frame" size={15} /></button
    >
    <button title="Take off the ground (Del)" onclick={remove}><Icon name="bin" size={15} /></button>
  </header>
  <div class="tabs">
    <Segments
      label="What of the plate"
      options={[
        { value: "fit", label: "Fit" },
        { value: "seam", label: "Seam" },
        { value: "tone", label: "Tone" },
        { value: "land", label: "Land" },
        { value: "plate", label: "Picture" },
      ]}
      value={tab}
      onchange={(value) => (tab = value)}
    />
  </div>
  {#if course?.of === plate.id}<CoursePanel {course} mark={plate.id} />{/if}
  {#if tab === "fit"}<FitTab {plate} {laid} {index} />{:else if tab === "seam"}<SeamTab
      {plate}
      {index}
    />{:else if tab === "tone"}<ToneTab {plate} {index} />{:else if tab === "land"}<LandTab
      {plate}
      {index}
    />{:else}<PlateTab {plate} {laid} {index} />{/if}
{/if}

<style>
  header {
    height: 30px;
    display: flex;
    align-items: center;
    gap: 4px;
    padding: 0 7px 0 12px;
    border-top: 1px solid var(--rule-strong);
  }
  header button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 3px;
    color: var(--ink-2);
  }
  header button:hover:not(:disabled) {
    background: var(--desk);
  }
  header button:disabled {
    color: #a7b0ac;
  }
  .name {
    flex: 1;
    min-width: 40px;
    border: 0;
    background: none;
    font-size: 12px;
    font-weight: 660;
    height: 22px;
    border-radius: 2px;
    padding: 0 3px;
    margin-left: -3px;
  }
  .name:hover {
    background: var(--desk);
  }
  .hidden {
    position: absolute;
    opacity: 0;
    pointer-events: none;
    width: 1px;
  }
  .tabs {
    padding: 2px 12px 8px;
    border-bottom: 1px solid var(--rule);
  }
</style>
