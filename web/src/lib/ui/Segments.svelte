<script lang="ts" generics="T extends string">
  let {
    options,
    value,
    onchange,
    camera = false,
    tight = false,
    label,
  }: {
    options: { value: T; label: string; hint?: string }[];
    /** None where several are chosen that differ. */
    value: T | null;
    onchange: (value: T) => void;
    camera?: boolean;
    /** Many of them: less room beside each. */
    tight?: boolean;
    label: string;
  } = $props();
</script>

<div class="segments" role="radiogroup" aria-label={label} class:camera class:tight>
  {#each options as option (option.value)}
    <button
      role="radio"
      aria-checked={value === option.value}
      class:on={value === option.value}
      title={option.hint}
      onclick={() => onchange(option.value)}>{option.label}</button
    >
  {/each}
</div>

<style>
  .segments {
    display: flex;
    border: 1px solid var(--edge);
    border-radius: 3px;
    overflow: hidden;
    background: var(--sheet);
    height: 24px;
  }
  button {
    flex: 1;
    padding: 0 9px;
    border-left: 1px solid var(--rule);
    color: var(--ink-2);
    font-weight: 480;
    white-space: nowrap;
  }
  .tight button {
    padding: 0 4px;
  }
  @media (max-width: 1100px) {
    button {
      padding: 0 5px;
      font-size: 11.5px;
    }
    .tight button {
      padding: 0 2px;
    }
  }
  button:first-child {
    border-left: 0;
  }
  button:hover:not(.on) {
    background: var(--desk);
    color: var(--ink);
  }
  .on {
    background: var(--ink);
    color: #fff;
    font-weight: 540;
  }
  .camera .on {
    background: var(--camera);
  }
  button:focus-visible {
    outline-offset: -2px;
  }
</style>
