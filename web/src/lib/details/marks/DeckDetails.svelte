<script lang="ts">
  import type { Found } from "../../film/marks";
  import Strip from "../../ui/Strip.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";

  let { of }: { of: Found<"deck"> } = $props();
</script>

<MarkHead {of} title="Deck" sub="cloud over all of the ground" />
<Fields of="Deck" part={of.mark} path={of.path} columns={3} cells={["height"]} />
<LookFields
  {of}
  cells={[
    "cover",
    "size",
    "soft",
    "opacity",
    "colour",
    "shadow",
    "parts",
    "white",
    "wind",
    of.look.wind !== 0 && "towards",
    "seed",
  ]}
/>
<Strip>
  <LookSelect
    {of}
    name="lies"
    caption="It"
    says={{ over: "lies over what is below", light: "lightens what is below" }}
  />
</Strip>
<StyleBar {of} />
<TimeFields {of} />
