<script lang="ts">
  import { untrack } from "svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import Icon from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";
  import Tick from "../ui/Tick.svelte";

  let { large = false }: { large?: boolean } = $props();

  let width = $state(400);
  let height = $state(230);
  let safe = $state(false);
  let mat: HTMLDivElement;
  let canvas: HTMLCanvasElement;

  const size = $derived(session.film?.frame ?? { width: 16, height: 9 });
  const picture = $derived.by(() => {
    const room = Math.min((width - 36) / size.width, (height - 24) / size.height);
    return { width: Math.round(size.width * room), height: Math.round(size.height * room) };
  });
  const where = $derived.by(() => {
    const plan = session.plan;
    if (!plan?.frames) return "no vantage yet";
    const index = plan.vantages.findLastIndex((vantage) => vantage.start <= player.frame);
    const laid = plan.vantages[index]!;
    if (player.frame < laid.start + laid.hold || index === plan.vantages.length - 1) return `on vantage ${index + 1}`;
    return `on the ${session.film!.vantages[index]!.passage.manner} to ${index + 2}`;
  });

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      height = entry!.contentRect.height;
    });
    observer.observe(mat);
    return () => observer.disconnect();
  });

  // Ask for no more pixels than the screen shows; live frames at most 960 wide.
  $effect(() => {
    const wanted = Math.ceil((picture.width * Math.min(devicePixelRatio || 1, 2)) / 16) * 16;
    player.width = Math.min(Math.max(wanted, 128), large ? 960 : 640);
  });

  $effect(() => {
    void [session.state, player.width];
    untrack(() => {
      player.renew();
      void session.fetchMoments(session.state);
    });
  });

  $effect(() => {
    const bitmap = player.picture;
    if (!bitmap) return;
    if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
      canvas.width = bitmap.width;
      canvas.height = bitmap.height;
    }
    canvas.getContext("2d")!.drawImage(bitmap, 0, 0);
  });
</script>

<section class="viewfinder" aria-label="Viewfinder">
  <header>
    <h2>Viewfinder</h2>
    <span class="sub">{where}</span>
    <span class="space"></span>
    <Tick label="Safe areas" bind:checked={safe} />
    <Segments
      label="Quality at rest"
      options={[
        { value: "draft", label: "Draft", hint: "Draft while moving, full quality a moment after" },
        { value: "final", label: "Full", hint: "Full quality at once when at rest" },
      ]}
      value={player.quality}
      onchange={(quality) => {
        player.quality = quality;
        player.showStill();
      }}
    />
  </header>
  <div class="mat" bind:this={mat}>
    <div class="picture" style:width="{picture.width}px" style:height="{picture.height}px">
      <canvas bind:this={canvas} class:blank={!player.picture} data-frame={player.shownFrame}></canvas>
      {#if safe}
        <!-- EBU R 95: action within 93 %, graphics within 90 % of width and height. -->
        <div class="safe action" title="Action safe, 93 %"></div>
        <div class="safe graphics" title="Graphics safe, 90 %"></div>
      {/if}
      {#each ["nw", "ne", "se", "sw"] as corner}<span class="crop {corner}"></span>{/each}
    </div>
    {#if !session.plan?.frames}
      <p>
        {session.film?.plates.length
          ? "Set a vantage in Fly, and the camera’s picture appears here."
          : "The camera’s picture appears here."}
      </p>
    {/if}
  </div>
  <div class="transport">
    <span class="timecode" aria-label="Timecode">{session.moments?.timecodes[player.frame] ?? "00:00:00:00"}</span>
    <button title="First frame (Home)" onclick={() => player.seek(0)}><Icon name="first" size={15} fill /></button>
    <button title="One frame back (←)" onclick={() => player.seek(player.frame - 1)}
      ><Icon name="back" size={15} /></button
    >
    <button
      class="play"
      title="Play (Space)"
      aria-label={player.playing ? "Pause" : "Play"}
      disabled={!session.plan?.frames}
      onclick={() => player.toggle()}
    >
      <Icon name={player.playing ? "pause" : "play"} size={17} fill />
    </button>
    <button title="One frame on (→)" onclick={() => player.seek(player.frame + 1)}
      ><Icon name="ahead" size={15} /></button
    >
    <button title="Last frame (End)" onclick={() => player.seek(player.frames - 1)}
      ><Icon name="last" size={15} fill /></button
    >
    <button
      class="loop"
      class:on={player.loop}
      aria-pressed={player.loop}
      title="Play round and round"
      onclick={() => (player.loop = !player.loop)}><Icon name="loop" size={15} /></button
    >
    <span class="space"></span>
    {#if player.playing}<span class="count rate" title="Frames a second that reach the screen">{player.drawn} fps</span
      >{/if}
    <span class="count">{player.frames ? player.frame : 0} / {player.frames}</span>
  </div>
</section>

<style>
  .viewfinder {
    display: flex;
    flex-direction: column;
    min-height: 0;
    min-width: 0;
  }
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
  h2 {
    margin-right: 4px;
  }
  .sub {
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .rate {
    margin-right: 12px;
  }
  .space {
    flex: 1;
  }
  .mat {
    flex: 1;
    min-height: 0;
    background: var(--mat);
    position: relative;
    display: grid;
    place-items: center;
    overflow: hidden;
  }
  .picture {
    position: relative;
  }
  canvas {
    width: 100%;
    height: 100%;
    display: block;
  }
  canvas.blank {
    background: #4a4a4a;
  }
  p {
    position: absolute;
    color: #f2f2f2;
    font-size: 12.5px;
    padding: 0 30px;
    text-align: center;
  }
  .safe {
    position: absolute;
    border: 1px solid rgba(255, 255, 255, 0.85);
    outline: 1px solid rgba(0, 0, 0, 0.3);
    pointer-events: none;
  }
  .action {
    inset: 3.5%;
  }
  .graphics {
    inset: 5%;
    border-style: dashed;
  }
  .crop {
    position: absolute;
    width: 7px;
    height: 7px;
    border: 0 solid var(--crop);
  }
  .nw {
    left: -10px;
    top: -10px;
    border-right-width: 1px;
    border-bottom-width: 1px;
  }
  .ne {
    right: -10px;
    top: -10px;
    border-left-width: 1px;
    border-bottom-width: 1px;
  }
  .se {
    right: -10px;
    bottom: -10px;
    border-left-width: 1px;
    border-top-width: 1px;
  }
  .sw {
    left: -10px;
    bottom: -10px;
    border-right-width: 1px;
    border-top-width: 1px;
  }
  .transport {
    height: 34px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 2px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule-strong);
  }
  .timecode {
    font-family: var(--mono);
    font-size: 16px;
    font-weight: 500;
    letter-spacing: -0.02em;
    width: 118px;
  }
  .transport button {
    width: 26px;
    height: 26px;
    border-radius: 3px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
  }
  .transport button:hover {
    background: var(--desk);
  }
  .transport .play {
    width: 36px;
    background: var(--ink);
    color: #fff;
    margin: 0 3px;
  }
  .transport .play:hover {
    background: #24363f;
  }
  .transport .play:disabled {
    background: #8a9692;
  }
  .loop.on {
    background: var(--desk);
    color: var(--ink);
    box-shadow: inset 0 0 0 1px var(--rule-strong);
  }
  .count {
    white-space: nowrap;
    font-family: var(--mono);
    font-size: 11.5px;
    color: var(--ink-2);
  }
</style>
