<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import AidField from "./AidField.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";
  import Strip from "../../ui/Strip.svelte";

  let { of }: { of: Found<"marker"> } = $props();
</script>

<MarkHead {of} title="Marker" />
<TimeFields {of} />
<Fields
  of="Marker"
  part={of.mark}
  path={of.path}
  columns={2}
  cells={["blinks", "blink", of.look.scales === "ground" && "turn"]}
/>
<StyleBar {of} />
<Strip>
  <LookSelect {of} name="symbol" />
  <LookSelect {of} name="scales" says={{ frame: "constant", between: "in between", ground: "as the ground" }} />
</Strip>
{#if of.look.symbol === "picture"}
  <Strip>
    <AidField
      kind="signs"
      value={of.look.picture as string | null}
      onchange={(key) => session.setLook(of, "picture", key, "Picture")}
    />
  </Strip>
{/if}
<LookFields
  {of}
  cells={[
    of.look.scales !== "ground" && "size",
    of.look.scales !== "frame" && "ground",
    "colour",
    "opacity",
    "edge",
    "edge_colour",
    "shadow",
    "pulses",
    { key: "spin", unit: "turns/s" },
  ]}
/>
