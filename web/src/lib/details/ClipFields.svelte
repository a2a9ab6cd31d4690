<script lang="ts">
  import type { Inset } from "../api/client";
  import { session } from "../film/session.svelte";
  import Select from "../ui/Select.svelte";
  import Strip from "../ui/Strip.svelte";
  import Tick from "../ui/Tick.svelte";
  import Fields from "./Fields.svelte";

  let {
    clip,
    path,
    waits = false,
  }: {
    clip: Extract<Inset["shows"], { kind: "clip" }>;
    /** Where it stands in the document, as a JSON Pointer. */
    path: string;
    /** Whether it may wait until all of what shows it is there. */
    waits?: boolean;
  } = $props();

  const put = (key: string, value: unknown, says: string) =>
    session.patch([{ op: "replace", path: `${path}/${key}`, value }], says);
</script>

<Fields of="ShownClip" part={clip} {path} columns={2} cells={["skip", "speed"]} />
<Strip>
  <Select
    label="After its end"
    caption="After its end"
    value={clip.after}
    options={[
      { value: "holds", label: "its last picture stays" },
      { value: "again", label: "it begins anew" },
      { value: "gone", label: "it is gone" },
    ]}
    onchange={(value) => put("after", value, "After its end")}
  />
  {#if waits}
    <Tick
      label="Plays once it is there"
      checked={clip.waits}
      onchange={(on) => put("waits", on, on ? "Plays once it is there" : "Plays at once")}
    />
  {/if}
</Strip>
