<script lang="ts">
  import type { Region } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Field from "../Field.svelte";
  import Icon from "../../ui/Icon.svelte";
  import PanelHead from "../../ui/PanelHead.svelte";

  type Length = "gap" | "glow" | "shadow" | "opacity";

  let open = $state<string | null>(null);
  let chooser = $state<HTMLInputElement>();
  const regions = $derived(session.film?.regions ?? []);
  const corners = (region: Region) => region.rings.reduce((sum, ring) => sum + ring.length, 0);
  const cells: { key: Length; label: string; unit: string; factor: number; step: number; most: number }[] = [
    { key: "gap", label: "Border gap", unit: "px", factor: 1, step: 0.5, most: 200 },
    { key: "glow", label: "Inner glow", unit: "px", factor: 1, step: 1, most: 400 },
    { key: "shadow", label: "Shadow", unit: "px", factor: 1, step: 1, most: 200 },
    { key: "opacity", label: "Opacity", unit: "%", factor: 0.01, step: 0.05, most: 1 },
  ];
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
      void session.receive(event.currentTarget.files ?? []);
      event.currentTarget.value = "";
    }}
  />
</PanelHead>
{#each regions as region, index (region.id)}
  <div class="row" class:on={open === region.id}>
    <input
      type="checkbox"
      aria-label="Show {region.name}"
      checked={region.shown}
      onchange={(event) => session.patch([put(index, "shown", event.currentTarget.checked)], "Show or hide region")}
    />
    <button class="pick" onclick={() => (open = open === region.id ? null : region.id)}>
      <i style:background={region.style.fill}></i><b>{region.name}</b>
      <span>{region.rings.length} outlines, {corners(region).toLocaleString("en")} corners</span>
    </button>
    <a href="/api/films/{session.id}/regions/{region.id}.geojson" download title="Save as GeoJSON">GeoJSON</a>
    <button
      class="icon"
      title="Take off the ground"
      aria-label="Take {region.name} off the ground"
      onclick={() => session.act({ act: "remove_region", region: region.id })}><Icon name="bin" size={14} /></button
    >
  </div>
  {#if open === region.id}
    <div class="colours">
      {#each [["fill", "Fill"], ["glow_colour", "Glow"]] as const as [key, label] (key)}
        <label
          ><span>{label}</span><input
            type="color"
            value={region.style[key]}
            oninput={(event) => session.tryPatch([put(index, `style/${key}`, event.currentTarget.value)])}
            onchange={() => session.keepTrial(`${label} of a region`)}
          /></label
        >
      {/each}
    </div>
    <Cells columns={4}>
      {#each cells as cell (cell.key)}
        <Field
          path="/regions/{index}/style/{cell.key}"
          label={cell.label}
          value={region.style[cell.key]}
          unit={cell.unit}
          factor={cell.factor}
          step={cell.step}
          min={0}
          max={cell.most}
        />
      {/each}
    </Cells>
  {/if}
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
  .row.on {
    background: var(--sheet);
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
  .colours {
    display: flex;
    gap: 18px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .colours label {
    display: flex;
    align-items: center;
    gap: 6px;
    color: var(--ink-2);
  }
  .colours input {
    width: 34px;
    height: 24px;
    border: 1px solid var(--edge);
    background: none;
    padding: 1px;
  }
</style>
