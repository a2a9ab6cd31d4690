<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";

  let { of }: { of: Found<"lamp"> } = $props();

  const bearers = $derived(session.marks.filter(({ kind }) => kind !== "lamp" && kind !== "deck" && kind !== "region"));
</script>

<MarkHead {of} title="Lamp" sub={of.look.burns === "dusk" ? "burns at dusk" : "always burns"} />
<LookFields
  {of}
  cells={[
    "bright",
    "reach",
    "warmth",
    "colour",
    "edge",
    "glow",
    "flicker",
    "beam",
    of.look.beam !== 360 && "points",
    of.look.beam !== 360 && "turns",
  ]}
/>
<Fields of="Lamp" part={of.mark} path={of.path} columns={3} cells={["height"]} />
<Strip>
  <LookSelect {of} name="burns" caption="Burns" says={{ dusk: "by as much as it is dark", always: "always" }} />
  <Select
    label="Hangs on"
    caption="Hangs on"
    value={of.mark.hangs ?? ""}
    options={[
      { value: "", label: "its place" },
      ...bearers.map(({ kind, mark }) => ({
        value: mark.id,
        label: kind === "route" ? `what rides ${mark.name}` : mark.name,
      })),
    ]}
    onchange={(value) =>
      session.patch([{ op: "replace", path: `${of.path}/hangs`, value: value || null }], "What a lamp hangs on")}
  />
</Strip>
<StyleBar {of} />
<TimeFields {of} />
