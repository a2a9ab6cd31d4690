<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Fields, { type FieldCell } from "../Fields.svelte";

  type LookCell = Omit<FieldCell, "value">;
  let { of, cells, columns = 3 }: { of: Found; cells: (LookCell | false)[]; columns?: 2 | 3 | 4 } = $props();

  const filled = $derived(
    cells.map((cell) => cell !== false && { ...cell, value: of.look[cell.key] as number | string }),
  );
</script>

<!-- Properties of how a mark looks: its own, or its style's. -->
<Fields cells={filled} {columns} onput={(key, value) => session.tryLook(of, key, value)} />
