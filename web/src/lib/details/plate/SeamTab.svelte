<script lang="ts">
  import type { Plate } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Fields from "../Fields.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Line from "../../ui/Line.svelte";
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

<Line label="Feather">
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
</Line>
{#if plate.feather.shape === "outline" || session.tool === "outline"}
  <Line label="">
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
  </Line>
{/if}
<Fields
  columns={2}
  path="/plates/{index}"
  cells={[
    { key: "feather/width", label: "Feather width", value: plate.feather.width, unit: "%", max: 100 },
    { key: "opacity", label: "Opacity", value: plate.opacity, unit: "%", factor: 0.01, step: 0.05, max: 1 },
  ]}
/>
<Line label="Beyond its edges">
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
</Line>
{#if plate.edges}
  <Fields
    columns={2}
    path="/plates/{index}/edges"
    cells={[
      {
        key: "reach",
        label: "Reach on every side",
        value: plate.edges.reach,
        unit: "%",
        step: 5,
        min: 1,
        max: 400,
        places: 0,
      },
      {
        key: "blend",
        label: "Blend at the joints",
        value: plate.edges.blend,
        unit: "%",
        max: 50,
        disabled: plate.edges.mode === "mirror",
      },
    ]}
  />
{/if}

<style>
  .draw {
    display: flex;
    align-items: center;
    gap: 8px;
  }
  small {
    font-size: 11px;
  }
</style>
