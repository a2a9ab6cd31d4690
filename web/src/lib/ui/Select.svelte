<script lang="ts" generics="T extends string">
  let {
    label,
    value,
    options,
    onchange,
    disabled = false,
    caption = "",
  }: {
    label: string;
    value: T;
    /** Those of a group stand together, under its name. */
    options: { value: T; label: string; group?: string }[];
    onchange: (value: T) => void;
    disabled?: boolean;
    /** Written before it; otherwise the label is heard, not seen. */
    caption?: string;
  } = $props();
  const groups = $derived([...new Set(options.map(({ group }) => group ?? ""))]);
</script>

<label>
  {caption}
  <select
    aria-label={label}
    {disabled}
    {value}
    onchange={(event) => onchange((event.currentTarget as HTMLSelectElement).value as T)}
  >
    {#each groups as group (group)}
      {#if group}
        <optgroup label={group}>{@render among(group)}</optgroup>
      {:else}{@render among("")}{/if}
    {/each}
  </select>
</label>

{#snippet among(group: string)}
  {#each options.filter((option) => (option.group ?? "") === group) as option (option.value)}
    <option value={option.value}>{option.label}</option>
  {/each}
{/snippet}

<style>
  label {
    flex: 1;
    min-width: 0;
    display: flex;
    align-items: center;
    gap: 6px;
    color: var(--ink-3);
    font-size: 10.5px;
    white-space: nowrap;
  }
  select {
    height: 24px;
    flex: 1;
    min-width: 0;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    font-size: 11.5px;
    font-weight: 540;
    padding: 0 4px;
  }
  select:disabled {
    color: var(--ink-3);
    background: none;
  }
</style>
