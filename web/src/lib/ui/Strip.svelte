<script lang="ts">
  import type { Snippet } from "svelte";

  /** Controls side by side, with a rule below; `wraps` lets them go on in a second row. */
  let { wraps = false, children }: { wraps?: boolean; children: Snippet } = $props();
</script>

<div class:wraps>{@render children()}</div>

<style>
  div {
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .wraps {
    gap: 2px;
    flex-wrap: wrap;
  }
</style>
