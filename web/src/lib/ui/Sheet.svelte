<script lang="ts">
  import type { Snippet } from "svelte";
  import Icon from "./Icon.svelte";

  let {
    label,
    title,
    says,
    onclose,
    children,
  }: { label: string; title: string; says: string; onclose: () => void; children: Snippet } = $props();
</script>

<section aria-label={label}>
  <header>
    <h2>{title}</h2>
    <span>{says}</span>
    <button aria-label="Put away" onclick={onclose}><Icon name="close" size={15} /></button>
  </header>
  {@render children()}
</section>

<style>
  section {
    position: absolute;
    right: 0;
    top: 38px;
    width: 409px;
    max-height: calc(100vh - 38px);
    display: flex;
    flex-direction: column;
    background: var(--paper);
    border: 1px solid var(--rule-strong);
    z-index: 30;
  }
  header {
    height: 32px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 0 8px 0 12px;
    border-bottom: 1px solid var(--rule);
    color: var(--ink-2);
  }
  h2 {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  span {
    flex: 1;
    white-space: nowrap;
  }
  button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
  }
</style>
