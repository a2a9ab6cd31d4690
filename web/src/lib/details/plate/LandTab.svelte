<script lang="ts">
  import type { Plate } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import { digits } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Fields from "../Fields.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Line from "../../ui/Line.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Tick from "../../ui/Tick.svelte";
  import Regions from "./Regions.svelte";

  let { plate, index }: { plate: Plate; index: number } = $props();

  const land = $derived(plate.land);
  const by = $derived(session.tool === "pick" && !land ? "colour" : (land?.by ?? "none"));
  const keep = (value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `/plates/${index}/land`, value }], label);

  let tolerance = $state(1);
  let least = $state(400);

  function choose(value: "none" | "colour" | "brightness") {
    if (value === "none") {
      session.tool = "select";
      void keep(null, "Whole picture");
    } else if (value === "brightness") {
      session.tool = "select";
      void keep({ by: "brightness", gamma: 1, lift: 0, invert: false }, "Land by brightness");
    } else session.tool = "pick";
  }
</script>

<Line label="See-through">
  <Segments
    label="What becomes see-through"
    options={[
      { value: "none", label: "Nothing" },
      { value: "colour", label: "By colour", hint: "Click the sea, or borders, on the chart" },
      { value: "brightness", label: "By brightness" },
    ]}
    value={by}
    onchange={choose}
  />
</Line>
{#if by === "colour"}
  <Line label="Colours that go">
    <div class="samples">
      {#if land?.by === "colour"}
        {#each land.samples as sample, k (k)}
          <button
            class="sample"
            style:background="rgb({sample.join(',')})"
            title="Take this colour out"
            aria-label="Take colour {k + 1} out"
            onclick={() => {
              const samples = land.samples.filter((_, other) => other !== k);
              void keep(samples.length ? { ...land, samples } : null, "Take a colour out");
            }}
          ></button>
        {/each}
      {/if}
      <Button on={session.tool === "pick"} onclick={() => (session.tool = session.tool === "pick" ? "select" : "pick")}
        ><Icon name="dropper" size={14} />Pick on the chart</Button
      >
    </div>
  </Line>
{/if}
{#if land?.by === "colour"}
  <Fields
    of="ByColour"
    part={land}
    columns={2}
    path="/plates/{index}/land"
    cells={[
      { key: "tolerance", unit: "of 100", step: 0.5 },
      { key: "softness", unit: "of 100", step: 0.5 },
    ]}
  />
{:else if land?.by === "brightness"}
  <Fields
    of="ByBrightness"
    part={land}
    columns={2}
    path="/plates/{index}/land"
    cells={[
      { key: "gamma", unit: "", log: true },
      { key: "lift", signed: true },
    ]}
  />
{/if}
{#if land}
  <div class="foot">
    <Tick
      label={land.by === "colour" ? "Keep the picked colours, not the rest" : "The dark stays, the bright goes"}
      checked={land.invert}
      onchange={(invert) => keep({ ...land, invert }, "Turn round")}
    />
  </div>
  <Cells columns={3}>
    <Cell
      label="Outline strays by"
      value={tolerance}
      text={digits(tolerance)}
      unit="px"
      step={0.25}
      min={0}
      max={1000}
      ontry={(value) => (tolerance = value)}
      onkeep={() => {}}
      ondrop={() => {}}
    />
    <Cell
      label="Least island"
      value={least}
      text={digits(least)}
      unit="px²"
      step={0.2}
      log
      min={1}
      max={1e9}
      ontry={(value) => (least = Math.round(value))}
      onkeep={() => {}}
      ondrop={() => {}}
    />
    <div class="trace">
      <Button onclick={() => session.trace(plate.id, tolerance, least)}
        ><Icon name="outline" size={14} />Trace to outlines</Button
      >
    </div>
  </Cells>
{:else if by === "none"}
  <p>Make the sea of a drawn sheet see-through, or its borders: pick them by colour, or let brightness be opacity.</p>
{/if}

{#if plate.role === "film"}
  <Fields
    of="Plate"
    part={plate}
    columns={2}
    path="/plates/{index}"
    cells={["raised", plate.raised !== 0 && "side_colour"]}
  />
{/if}

<Regions />

<style>
  .trace {
    display: grid;
    place-items: center;
    border-top: 1px solid var(--rule);
    border-left: 1px solid var(--rule);
  }
  .samples {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
    align-items: center;
  }
  .sample {
    width: 24px;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
  }
  .foot {
    padding: 5px 6px;
  }
  p {
    padding: 4px 12px 10px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
