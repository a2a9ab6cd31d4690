<script lang="ts">
  import type { Snippet } from "svelte";

  let {
    children,
    onclick,
    title,
    label,
    disabled = false,
    on = false,
    href,
  }: {
    children: Snippet;
    onclick?: () => void;
    title?: string;
    /** What it is called where several read the same. */
    label?: string;
    disabled?: boolean;
    /** Chosen among several. */
    on?: boolean;
    /** A file to download instead. */
    href?: string;
  } = $props();
</script>

{#if href}
  <a class="button" {href} {title} aria-label={label} download>{@render children()}</a>
{:else}
  <button class="button" class:on {title} aria-label={label} {disabled} {onclick}>{@render children()}</button>
{/if}

<style>
  .button {
    height: 24px;
    padding: 0 9px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    font-weight: 500;
    display: inline-flex;
    align-items: center;
    gap: 5px;
    flex: none;
    white-space: nowrap;
    text-decoration: none;
  }
  .button:hover:not(:disabled) {
    border-color: var(--ink-2);
  }
  .button:disabled {
    color: #74807c;
    border-color: var(--rule-strong);
  }
  .on {
    background: var(--ink);
    color: #fff;
  }
</style>
