<script lang="ts">
  import type { Plate } from "../api/client";
  import { session } from "../film/session.svelte";
  import Select from "../ui/Select.svelte";
  import Fields from "./Fields.svelte";
  import TieField from "./marks/TieField.svelte";

  let {
    reveal,
    path,
    of,
    frame,
  }: {
    reveal: Plate["reveal"];
    /** Where what is uncovered stands in the document, as a JSON Pointer. */
    path: string;
    /** Its id. */
    of: string;
    /** The frame on which it begins to be uncovered. */
    frame: number;
  } = $props();

  const unit = $derived(session.film!.ground.kind === "plain" ? "px" : "m");
  const put = (key: string, value: unknown) =>
    session.patch([{ op: "replace", path: `${path}/${key}`, value }], "Uncovered in the film");
</script>

<div class="line">
  <Select
    label="How it is uncovered in the film"
    caption="Uncovered"
    value={(reveal?.how ?? "none") as "none" | "circle" | "wipe" | "route"}
    options={[
      { value: "none", label: "all of it at once" },
      { value: "circle", label: "by a growing circle" },
      { value: "wipe", label: "by a wipe" },
      { value: "route", label: "along a route" },
    ]}
    onchange={(how) => session.act({ act: "uncover", of, how: how === "none" ? null : how })}
  />
  {#if reveal?.how === "route"}
    <Select
      label="Along which route"
      value={reveal.route ?? ""}
      options={session.film!.routes.map(({ id, name }) => ({ value: id, label: name }))}
      onchange={(value) => put("reveal/route", value)}
    />
  {/if}
</div>
{#if reveal}
  {#if reveal.how !== "route"}
    <TieField label="Uncovered when" path="{path}/reveal/starts" moment={reveal.starts} mark={of} {frame} />
  {/if}
  <Fields
    path="{path}/reveal"
    cells={[
      reveal.how === "route"
        ? {
            key: "width",
            label: "Width",
            value: reveal.width,
            unit,
            step: 0.05,
            log: true,
            min: 0.001,
            max: 1e8,
            places: 3,
          }
        : { key: "frames", label: "Within", value: reveal.frames, unit: "frames", min: 1, max: 5000, places: 0 },
      { key: "soft", label: "Soft edge", value: reveal.soft, max: 400 },
      reveal.how === "wipe" && {
        key: "direction",
        label: "Runs towards",
        value: reveal.direction,
        unit: "°",
        step: 15,
        min: -360,
        max: 360,
      },
    ]}
  />
{/if}

<style>
  .line {
    display: flex;
    gap: 8px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
  }
</style>
