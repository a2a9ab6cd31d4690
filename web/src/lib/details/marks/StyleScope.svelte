<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Segments from "../../ui/Segments.svelte";

  /** Whether changes are for a mark alone or for the style that it uses. */
  let { of }: { of: Found } = $props();

  const users = $derived(session.marks.filter(({ mark }) => mark.style === of.mark.style).length);
</script>

<Segments
  label="What changes of the look change"
  options={[
    { value: "mark", label: `This ${of.kind} alone` },
    { value: "style", label: `The style (${users})`, hint: "Everything that uses it changes along" },
  ]}
  value={session.lookTo}
  onchange={(value) => (session.lookTo = value)}
/>
