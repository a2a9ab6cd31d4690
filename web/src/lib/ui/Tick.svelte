<script lang="ts">
  let {
    label,
    checked = $bindable(),
    title,
    onchange,
  }: {
    label: string;
    checked: boolean;
    title?: string;
    onchange?: (on: boolean) => void;
  } = $props();
</script>

<label class="tick" {title}>
  <input type="checkbox" bind:checked onchange={() => onchange?.(checked)} />
  <span class="box" aria-hidden="true"></span>
  {label}
</label>

<style>
  .tick {
    display: flex;
    align-items: center;
    gap: 5px;
    height: 24px;
    padding: 0 6px;
    color: var(--ink-2);
    white-space: nowrap;
    cursor: pointer;
    position: relative;
  }
  input {
    position: absolute;
    opacity: 0;
    inset: 0;
    cursor: pointer;
  }
  .box {
    width: 12px;
    height: 12px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: var(--sheet);
    flex: none;
  }
  input:checked + .box {
    background: var(--ink)
      url('data:image/svg+xml,<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 12 12"><path d="M2.5 6l2.5 2.5L9.5 3.5" fill="none" stroke="white" stroke-width="1.6"/></svg>')
      center / 12px;
    border-color: var(--ink);
  }
  input:focus-visible + .box {
    outline: 2px solid var(--ink);
    outline-offset: 1px;
  }
</style>
