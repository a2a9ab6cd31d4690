<script lang="ts">
  import type { Snippet } from "svelte";

  let {
    title,
    sub = "",
    strong = false,
    children,
  }: {
    title: string;
    sub?: string;
    /** With a heavier rule above: it begins a part of its own. */
    strong?: boolean;
    /** What stands at the right: buttons, a figure. */
    children?: Snippet;
  } = $props();
</script>

<header class:strong>
  <h2>{title}</h2>
  {#if sub}<span class="sub">{sub}</span>{/if}
  <span class="space"></span>
  {@render children?.()}
</header>

<style>
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  .strong {
    border-top: 1px solid var(--rule-strong);
  }
  .sub {
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
    min-width: 0;
  }
  .space {
    flex: 1;
  }
</style>
