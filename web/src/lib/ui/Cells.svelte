<script lang="ts">
  import type { Snippet } from "svelte";

  let { columns = 3, children }: { columns?: 2 | 3 | 4; children: Snippet } = $props();
</script>

<!-- Cells of a title block, ruled. -->
<div class="cells c{columns}">{@render children()}</div>

<style>
  .cells {
    display: grid;
    border-bottom: 1px solid var(--rule);
    margin-top: -1px;
  }
  .c2 {
    grid-template-columns: repeat(2, 1fr);
  }
  .c3 {
    grid-template-columns: repeat(3, 1fr);
  }
  .c4 {
    grid-template-columns: repeat(4, 1fr);
  }
  .c2 > :global(.cell:nth-child(2n + 1)),
  .c3 > :global(.cell:nth-child(3n + 1)),
  .c4 > :global(.cell:nth-child(4n + 1)),
  .c2 > :global(.slot:nth-child(2n + 1) > .cell),
  .c3 > :global(.slot:nth-child(3n + 1) > .cell),
  .c4 > :global(.slot:nth-child(4n + 1) > .cell) {
    border-left: 0;
  }
  @media (max-width: 1100px) {
    .c4 {
      grid-template-columns: repeat(2, 1fr);
    }
    .c4 > :global(.cell:nth-child(2n + 1)),
    .c4 > :global(.slot:nth-child(2n + 1) > .cell) {
      border-left: 0;
    }
  }
</style>
