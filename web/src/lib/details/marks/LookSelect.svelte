<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Select from "../../ui/Select.svelte";

  let {
    of,
    name,
    label,
    caption = label,
    options,
  }: {
    of: Found;
    /** The property of the look. */
    name: string;
    label: string;
    caption?: string;
    options: { value: string; label: string }[];
  } = $props();
</script>

<Select
  {label}
  {caption}
  value={of.look[name] as string}
  {options}
  onchange={(value) => session.setLook(of, name, value, label)}
/>
