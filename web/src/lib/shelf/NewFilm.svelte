<script lang="ts">
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import { shelf } from "./shelf.svelte";

  let name = $state("");
  let pattern = $state("plain");
  let size = $state("1920x1080");
  let rate = $state("25");

  const patterns = $derived(session.choices?.patterns ?? []);
  const chosen = $derived(patterns.find(({ key }) => key === pattern));

  function pick(key: string) {
    pattern = key;
    if (!chosen) return;
    size = `${chosen.width}x${chosen.height}`;
    rate = chosen.rate;
  }

  async function start(event: SubmitEvent) {
    event.preventDefault();
    const [width, height] = size.split("x").map(Number);
    const film = { name: name.trim() || "Untitled film", pattern, width: width!, height: height!, rate };
    if (!(await session.create(film))) return;
    name = "";
    shelf.open = false;
  }
</script>

<form onsubmit={start}>
  <h2>A new film</h2>
  <input bind:value={name} maxlength="200" placeholder="Name" aria-label="Name of the new film" />
  <div class="patterns" role="radiogroup" aria-label="Pattern">
    {#each patterns as one (one.key)}
      <button
        type="button"
        role="radio"
        aria-checked={pattern === one.key}
        class:on={pattern === one.key}
        title={one.says}
        onclick={() => pick(one.key)}
      >
        <svg width="26" height="20" aria-hidden="true"
          ><rect
            x={13 - (9 * one.width) / Math.max(one.width, one.height)}
            y={10 - (9 * one.height) / Math.max(one.width, one.height)}
            width={(18 * one.width) / Math.max(one.width, one.height)}
            height={(18 * one.height) / Math.max(one.width, one.height)}
          /></svg
        >{one.name}</button
      >
    {/each}
  </div>
  {#if chosen}<p>{chosen.says}</p>{/if}
  <div class="row">
    <select bind:value={size} aria-label="Frame size"
      >{#each new Set( [size, ...(session.choices?.frames ?? []).map(([w, h]) => `${w}x${h}`)] ) as option (option)}<option
          value={option}>{option.replace("x", " × ")}</option
        >{/each}</select
    >
    <select bind:value={rate} aria-label="Frame rate"
      >{#each session.choices?.rates ?? [] as option (option.rate)}<option value={option.rate}>{option.name} fps</option
        >{/each}</select
    >
    <Button onclick={undefined}>Start</Button>
  </div>
</form>

<style>
  form {
    padding: 10px 14px 12px;
    border-bottom: 1px solid var(--rule-strong);
  }
  h2 {
    margin-bottom: 5px;
  }
  input,
  select {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 7px;
  }
  input {
    width: 100%;
  }
  select {
    padding: 0 4px;
    min-width: 0;
    flex: 1;
  }
  .patterns {
    margin: 7px 0 5px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    overflow: hidden;
  }
  .patterns button {
    display: flex;
    align-items: center;
    gap: 7px;
    width: 100%;
    height: 24px;
    padding: 0 6px;
    font-weight: 500;
    border-top: 1px solid var(--rule);
  }
  .patterns button:first-child {
    border-top: 0;
  }
  .patterns button:hover:not(.on) {
    background: var(--desk);
  }
  .patterns button:focus-visible {
    outline-offset: -2px;
  }
  .patterns .on {
    background: var(--ink);
    color: #fff;
  }
  rect {
    fill: none;
    stroke: currentColor;
  }
  p {
    color: var(--ink-2);
    min-height: 32px;
  }
  .row {
    display: flex;
    gap: 6px;
    margin-top: 6px;
  }
</style>
