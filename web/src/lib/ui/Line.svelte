<script lang="ts">
  import type { Snippet } from "svelte";

  let { label, top = false, children }: { label: string; top?: boolean; children: Snippet } = $props();
</script>

<!-- A line of a panel: what it is, and what sets it. -->
<div class="line" class:top>
  <span>{label}</span>
  <div>{@render children()}</div>
</div>

<style>
  .line {
    display: grid;
    grid-template-columns: 100px 1fr;
    align-items: center;
    padding: 7px 12px;
    color: var(--ink-2);
  }
  .top {
    align-items: start;
  }
</style>
