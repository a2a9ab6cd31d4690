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
<Fields of="Plate" part={plate} path="/plates/{index}" columns={2} cells={["opacity"]} />
<Fields
  of="Feather"
  part={plate.feather}
  path="/plates/{index}/feather"
  columns={2}
  cells={[{ key: "width", label: "Feather width" }]}
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
    of="Edges"
    part={plate.edges}
    path="/plates/{index}/edges"
    columns={2}
    cells={[
      { key: "reach", step: 5 },
      { key: "blend", disabled: plate.edges.mode === "mirror" },
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
