<script lang="ts">
  import { onDestroy, untrack } from "svelte";
  import { swatchUrl } from "../api/client";
  import { session } from "../film/session.svelte";
  import { swatch } from "./swatch.svelte";

  let {
    what,
    options,
    value,
    onpick,
    label,
  }: {
    /** What each picture shows the frame with. */
    what: "surface" | "look";
    options: { key: string; name: string }[];
    value: string | null;
    onpick: (key: string) => void;
    label: string;
  } = $props();

  let pictures = $state<Record<string, string>>({});

  $effect(() => swatch.follow());

  // One after the other, so that the picture itself and what is done do not wait for them.
  $effect(() => {
    const [film, state, frame, keys] = [session.id, swatch.state, swatch.frame, options.map(({ key }) => key)];
    if (!state) return;
    const stop = new AbortController();
    void (async () => {
      for (const key of keys) {
        const url = swatchUrl(film, state, frame, what, key);
        const answer = await fetch(url, { signal: stop.signal }).catch(() => null);
        if (stop.signal.aborted) return;
        if (!answer?.ok) continue;
        const blob = await answer.blob();
        untrack(() => pictures[key] && URL.revokeObjectURL(pictures[key]));
        pictures[key] = URL.createObjectURL(blob);
      }
    })();
    return () => stop.abort();
  });

  onDestroy(() => Object.values(pictures).forEach((url) => URL.revokeObjectURL(url)));
</script>

<!-- The film's own frame as it would be with each of some choices. -->
<div class="swatches" role="radiogroup" aria-label={label}>
  {#each options as { key, name } (key)}
    <button role="radio" aria-checked={value === key} class:on={value === key} onclick={() => onpick(key)} title={name}>
      {#if pictures[key]}<img alt="" src={pictures[key]} />{:else}<i></i>{/if}
      <span>{name}</span>
    </button>
  {/each}
</div>

<style>
  .swatches {
    display: grid;
    grid-template-columns: repeat(5, minmax(0, 1fr));
    gap: 6px;
    padding: 8px 12px;
  }
  button {
    display: grid;
    gap: 2px;
    padding: 0;
    min-width: 0;
    border-radius: 3px;
  }
  img,
  i {
    width: 100%;
    aspect-ratio: 16 / 9;
    object-fit: cover;
    display: block;
    background: var(--desk);
    outline: 1px solid var(--rule-strong);
  }
  .on img,
  .on i {
    outline: 2px solid var(--camera);
  }
  span {
    font-size: 11px;
    line-height: 14px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    color: var(--ink-2);
    text-align: center;
  }
  .on span {
    color: var(--ink);
    font-weight: 600;
  }
</style>
