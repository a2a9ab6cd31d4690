<script lang="ts">
  import { onDestroy } from "svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";

  let { kind }: { kind: "waveform" | "vectors" | "histogram" } = $props();

  let width = $state(380);
  let height = $state(140);
  let picture = $state("");
  let clipped = $state<[number, number] | null>(null);
  let body: HTMLDivElement;

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = Math.round(entry!.contentRect.width);
      height = Math.round(entry!.contentRect.height);
    });
    observer.observe(body);
    return () => observer.disconnect();
  });

  onDestroy(() => URL.revokeObjectURL(picture));

  // It follows the picture, a moment after it; while the film plays a few times a second.
  let asked = 0;
  $effect(() => {
    const without = session.without.join();
    const size = `width=${Math.min(Math.max(width, 64), 1024)}&height=${Math.min(Math.max(height, 64), 1024)}`;
    const address =
      `/api/films/${session.id}/scopes/${player.frame}.png?state=${session.state}&kind=${kind}&${size}` +
      (without ? `&without=${without}` : "");
    if (!player.frames) return;
    const stop = new AbortController();
    const wait = player.playing ? Math.max(250 - (performance.now() - asked), 0) : 60;
    const timer = setTimeout(async () => {
      asked = performance.now();
      const answer = await fetch(address, { signal: stop.signal }).catch(() => null);
      if (!answer?.ok) return;
      const [black, white] = (answer.headers.get("X-Clipped") ?? "").split(" ").map(Number);
      clipped = [black ?? 0, white ?? 0];
      const blob = await answer.blob().catch(() => null);
      if (!blob || stop.signal.aborted) return;
      URL.revokeObjectURL(picture);
      picture = URL.createObjectURL(blob);
    }, wait);
    return () => {
      clearTimeout(timer);
      // While the film plays, what is on its way is still worth seeing.
      if (!player.playing) stop.abort();
    };
  });
</script>

<div class="scope" bind:this={body}>
  {#if picture}<img alt="What the frame’s colours measure" src={picture} />{/if}
  {#if kind === "waveform"}
    {#each [100, 75, 50, 25, 0] as level (level)}
      <b style:top="calc(4px + (100% - 8px) * {1 - level / 100})">{level}</b>
    {/each}
  {/if}
  {#if clipped}
    <span class:warns={clipped[0] > 1 || clipped[1] > 1}
      >{clipped[0].toFixed(1)} % black, {clipped[1].toFixed(1)} % full</span
    >
  {/if}
</div>

<style>
  .scope {
    position: relative;
    flex: 1;
    min-height: 0;
    background: #202426;
    overflow: hidden;
  }
  img {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
  }
  b {
    position: absolute;
    right: 6px;
    transform: translateY(-50%);
    font-size: 10px;
    font-weight: 500;
    color: #b9c0bd;
    text-shadow: 0 0 2px #000;
  }
  b:nth-of-type(1) {
    transform: none;
  }
  b:nth-of-type(5) {
    transform: translateY(-100%);
  }
  span {
    position: absolute;
    left: 8px;
    top: 6px;
    font-size: 11px;
    color: #dfe4e1;
    background: rgba(20, 24, 26, 0.6);
    padding: 0 4px;
  }
  .warns {
    color: #ffc76b;
  }
</style>
