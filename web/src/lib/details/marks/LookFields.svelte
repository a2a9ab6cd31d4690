<script lang="ts" module>
  /** What the looks of the kinds of marks are called in the schema. */
  export const LOOKS = {
    route: "Stroke",
    marker: "MarkerLook",
    label: "Lettering",
    region: "RegionLook",
    lamp: "LampLook",
    deck: "DeckLook",
    inset: "InsetLook",
  } as const;
</script>

<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Fields, { type FieldCell } from "../Fields.svelte";

  let { of, cells, columns = 3 }: { of: Found; cells: (string | FieldCell | false)[]; columns?: 2 | 3 | 4 } = $props();
</script>

<!-- Properties of how a mark looks: its own, or its style's. -->
<Fields
  of={LOOKS[of.kind]}
  part={of.look}
  path="{of.path}/look"
  {cells}
  {columns}
  onput={(key, value) => session.tryLook(of, key, value)}
/>
