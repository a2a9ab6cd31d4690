<script lang="ts">
  import type { Plate } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Field from "../Field.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Segments from "../../ui/Segments.svelte";

  let { plate, index }: { plate: Plate; index: number } = $props();

  const keep = (path: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `/plates/${index}/${path}`, value }], label);

  function shape(value: Plate["feather"]["shape"]) {
    if (value === "outline" && plate.feather.outline.length < 3) session.tool = "outline";
    else void keep("feather/shape", value, "Feather shape");
  }

  function edges(mode: "none" | "mirror" | "repeat") {
    void keep("edges", mode === "none" ? null : { reach: 50, blend: 8, ...plate.edges, mode }, "Edges");
  }
</script>

<div class="line">
  <span>Feather</span>
  <Segments
    label="Shape of the feather"
    options={[
      { value: "rectangle", label: "Rectangle" },
      { value: "ellipse", label: "Ellipse" },
      { value: "outline", label: "Outline", hint: "Click its corners on the chart" },
    ]}
    value={session.tool === "outline" ? "outline" : plate.feather.shape}
    onchange={shape}
  />
</div>
{#if plate.feather.shape === "outline" || session.tool === "outline"}
  <div class="line">
    <span></span>
    <div class="draw">
      <Button
        on={session.tool === "outline"}
        onclick={() => (session.tool = session.tool === "outline" ? "select" : "outline")}
        ><Icon name="outline" size={14} />{plate.feather.outline.length
          ? "Draw it anew"
          : "Draw it on the chart"}</Button
      >
      <small
        >{plate.feather.outline.length
          ? `${plate.feather.outline.length} corners; drag them`
          : "Enter closes it"}</small
      >
    </div>
  </div>
{/if}
<Cells columns={2}>
  <Field
    path="/plates/{index}/feather/width"
    label="Feather width"
    value={plate.feather.width}
    unit="%"
    step={1}
    min={0}
    max={100}
    places={1}
  />
  <Field
    path="/plates/{index}/opacity"
    label="Opacity"
    value={plate.opacity}
    unit="%"
    factor={0.01}
    step={0.05}
    min={0}
    max={1}
    places={1}
  />
</Cells>
<div class="line">
  <span>Beyond its edges</span>
  <Segments
    label="How the plate goes on beyond its edges"
    options={[
      { value: "none", label: "It ends" },
      { value: "mirror", label: "Mirrored" },
      { value: "repeat", label: "Repeated" },
    ]}
    value={plate.edges?.mode ?? "none"}
    onchange={edges}
  />
</div>
{#if plate.edges}
  <Cells columns={2}>
    <Field
      path="/plates/{index}/edges/reach"
      label="Reach on every side"
      value={plate.edges.reach}
      unit="%"
      step={5}
      min={1}
      max={400}
      places={0}
    />
    <Field
      path="/plates/{index}/edges/blend"
      label="Blend at the joints"
      value={plate.edges.blend}
      unit="%"
      step={1}
      min={0}
      max={50}
      places={1}
      disabled={plate.edges.mode === "mirror"}
    />
  </Cells>
{/if}

<style>
  .line {
    display: grid;
    grid-template-columns: 100px 1fr;
    align-items: center;
    padding: 7px 12px;
    color: var(--ink-2);
  }
  .draw {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  small {
    font-size: 11px;
  }
</style>
