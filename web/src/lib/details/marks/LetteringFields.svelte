<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Tick from "../../ui/Tick.svelte";
  import AidField from "./AidField.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import Strip from "../../ui/Strip.svelte";

  let { of }: { of: Found<"label"> } = $props();

  const font = $derived(session.fonts.find(({ key }) => key === of.look.family));
</script>

<Strip>
  <AidField
    kind="fonts"
    value={of.look.family as string}
    onchange={(key) => session.setLook(of, "family", key, "Font")}
  />
  <LookSelect {of} name="align" />
</Strip>
<Strip>
  {#each [["bold", "Bold", font?.bold], ["italic", "Italic", font?.italic], ["capitals", "Capitals", true]] as const as [name, label, can] (name)}
    {#if can}
      <Tick {label} checked={of.look[name] as boolean} onchange={(on) => session.setLook(of, name, on, label)} />
    {/if}
  {/each}
  <LookSelect {of} name="scales" says={{ frame: "constant", ground: "as the ground" }} />
</Strip>
<LookFields
  {of}
  cells={[
    of.look.scales === "frame" && "size",
    of.look.scales === "ground" && "ground",
    "tracking",
    "opacity",
    "colour",
    "halo",
    of.look.halo !== 0 && "halo_colour",
    "outline",
    of.look.outline !== 0 && "outline_colour",
    "shadow",
    of.look.shadow !== 0 && "shadow_opacity",
    "thickness",
    of.look.thickness !== 0 && "side_colour",
  ]}
/>
{#if of.mark.stands !== "route"}
  <Strip>
    <LookSelect {of} name="box" says={{ round: "round corners" }} />
  </Strip>
  {#if of.look.box !== "none"}
    <LookFields {of} cells={["box_colour", "box_opacity", "pad"]} />
  {/if}
{/if}
