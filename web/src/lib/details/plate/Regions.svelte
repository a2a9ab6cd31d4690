<script lang="ts">
  import { arrivals } from "../../film/arrivals.svelte";
  import { resting } from "../../film/courses";
  import type { Region } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Icon from "../../ui/Icon.svelte";
  import PanelHead from "../../ui/PanelHead.svelte";

  let chooser = $state<HTMLInputElement>();
  const regions = $derived(session.film?.regions ?? []);
  const corners = (region: Region) => region.rings.reduce((sum, ring) => sum + ring.length, 0);
  const put = (index: number, path: string, value: unknown) => ({
    op: "replace" as const,
    path: `/regions/${index}/${path}`,
    value,
  });
</script>

<PanelHead title="Regions" sub={regions.length ? "drawn as outlines, over the plates" : "none yet"} strong>
  <Button title="GeoJSON polygons" onclick={() => chooser?.click()}>Lay GeoJSON</Button>
  <input
    type="file"
    accept=".geojson,.json"
    aria-label="GeoJSON outlines"
    bind:this={chooser}
    onchange={(event) => {
      void arrivals.receive(event.currentTarget.files ?? []);
      event.currentTarget.value = "";
    }}
  />
</PanelHead>
{#each regions as region, index (region.id)}
  <div class="row">
    <input
      type="checkbox"
      aria-label="Show {region.name}"
      checked={region.shown}
      onchange={(event) => session.patch([put(index, "shown", event.currentTarget.checked)], "Show or hide region")}
    />
    <button
      class="pick"
      title="See to its look and its time in Mark"
      onclick={() => {
        session.step = "mark";
        session.select({ kind: "region", id: region.id });
      }}
    >
      <i style:background={resting(region.look.fill)}></i><b>{region.name}</b>
      <span
        >{region.rings.length}
        {region.rings.length === 1 ? "outline" : "outlines"}, {corners(region).toLocaleString("en")} corners</span
      >
    </button>
    <a href="/api/films/{session.id}/regions/{region.id}.geojson" download title="Save as GeoJSON">GeoJSON</a>
    <button
      class="icon"
      title="Take off the ground"
      aria-label="Take {region.name} off the ground"
      onclick={() => session.act({ act: "remove_marks", marks: [region.id] })}><Icon name="bin" size={14} /></button
    >
  </div>
{/each}

<style>
  input[type="file"] {
    position: absolute;
    width: 1px;
    opacity: 0;
    pointer-events: none;
  }
  .row {
    display: flex;
    align-items: center;
    gap: 8px;
    height: 26px;
    padding: 0 8px 0 12px;
    border-bottom: 1px solid var(--rule);
    color: var(--ink-2);
  }
  .row input {
    accent-color: var(--ink);
    margin: 0;
  }
  .pick {
    flex: 1;
    display: flex;
    gap: 7px;
    align-items: center;
    height: 24px;
    min-width: 0;
    white-space: nowrap;
    color: var(--ink-2);
  }
  .pick b {
    font-weight: 560;
    color: var(--ink);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .pick i {
    width: 14px;
    height: 12px;
    border: 1px solid var(--edge);
    flex: none;
  }
  a {
    color: var(--ink-2);
  }
  .icon {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
  }
</style>
