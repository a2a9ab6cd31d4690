<script lang="ts">
  import type { Label } from "../../api/client";
  import type { MarkKind, Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Select from "../../ui/Select.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Strip from "../../ui/Strip.svelte";
  import Field from "../Field.svelte";
  import RevealFields from "../RevealFields.svelte";
  import StyleScope from "./StyleScope.svelte";
  import TieField from "./TieField.svelte";

  let {
    of,
    apart = false,
  }: {
    of: Found<Exclude<MarkKind, "route">>;
    /** Whether its style is said elsewhere, out of sight. */
    apart?: boolean;
  } = $props();

  const NAMES: Record<string, string> = {
    letters: "letter by letter",
    words: "word by word",
    typed: "as typed",
    rise: "rising",
    wipe: "wipe",
    draw: "border draws itself",
    unfold: "unfolding",
    iris: "as an iris",
  };
  const within = $derived(session.facts("Arrival", "frames"));
  const options = $derived(
    (session.choices?.ways[of.kind] ?? []).map((value) => ({ value, label: NAMES[value] ?? value })),
  );
</script>

<TieField label="Comes when" path="{of.path}/starts" moment={of.mark.starts} mark={of.mark.id} frame={of.start} />
<TieField
  label="Goes when"
  path="{of.path}/ends"
  moment={of.mark.ends}
  mark={of.mark.id}
  frame={of.end}
  open="the film ends"
/>
{#if apart && of.mark.style}
  <Strip><StyleScope {of} /></Strip>
{/if}
<Strip>
  {#each [["comes", "Comes by"], ["goes", "Goes by"]] as const as [edge, caption] (edge)}
    <Select
      label={edge === "comes" ? "How it comes" : "How it goes"}
      {caption}
      value={of[edge]!.how as string}
      {options}
      onchange={(value) => session.setArrival(of, edge, value, caption)}
    />
  {/each}
</Strip>
<Cells columns={2}>
  {#each [["comes", "Comes within"], ["goes", "Goes within"]] as const as [edge, label] (edge)}
    <Field
      path="{of.path}/{edge}/frames"
      {label}
      value={of[edge]!.frames}
      unit="frames"
      min={within?.low ?? 1}
      max={within?.high ?? Infinity}
      places={0}
      disabled={of[edge]!.how === "cut"}
      onput={(frames) => session.tryArrival(of, edge, { frames })}
    />
  {/each}
</Cells>

{#if !["frame", "full"].includes((of.mark as Label).stands)}
  <RevealFields reveal={of.mark.reveal} path={of.path} of={of.mark.id} frame={of.uncovers ?? 0} />
{/if}
