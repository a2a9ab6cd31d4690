<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Select from "../../ui/Select.svelte";
  import { LOOKS } from "./LookFields.svelte";

  let {
    of,
    name,
    caption,
    says = {},
  }: {
    of: Found;
    /** The property of the look. */
    name: string;
    caption?: string;
    /** What its values are called, where that is not their name. */
    says?: Record<string, string>;
  } = $props();

  const facts = $derived(session.facts(LOOKS[of.kind], name));
  const label = $derived(facts?.label ?? name);
</script>

<Select
  {label}
  caption={caption ?? label}
  value={of.look[name] as string}
  options={(facts?.options ?? []).map((value) => ({ value, label: says[value] ?? value }))}
  onchange={(value) => session.setLook(of, name, value, label)}
/>
