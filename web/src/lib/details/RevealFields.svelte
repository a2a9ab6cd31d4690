<script lang="ts">
  import type { Plate } from "../api/client";
  import { session } from "../film/session.svelte";
  import Select from "../ui/Select.svelte";
  import Strip from "../ui/Strip.svelte";
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

  const put = (key: string, value: unknown) =>
    session.patch([{ op: "replace", path: `${path}/${key}`, value }], "Uncovered in the film");
</script>

<Strip>
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
      value={reveal.routes[0] ?? ""}
      options={session.film!.routes.map(({ id, name }) => ({ value: id, label: name }))}
      onchange={(value) => put("reveal/routes", [value])}
    />
  {/if}
</Strip>
{#if reveal}
  {#if reveal.how !== "route"}
    <TieField label="Uncovered when" path="{path}/reveal/starts" moment={reveal.starts} mark={of} {frame} />
  {/if}
  <Fields
    of="Reveal"
    part={reveal}
    path="{path}/reveal"
    cells={[reveal.how === "route" ? "width" : "frames", "soft", reveal.how === "wipe" && "direction"]}
  />
{/if}
