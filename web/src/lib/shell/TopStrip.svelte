<script lang="ts">
  import { gathering } from "../film/gathering.svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { shelf } from "../shelf/shelf.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import Soundings from "./Soundings.svelte";

  let open = $state<"" | "format" | "soundings">("");
  let strip: HTMLElement;

  const film = $derived(session.film);
  const rateName = $derived(
    session.choices?.rates.find((choice) => choice.rate === film?.rate)?.name ?? film?.rate ?? "",
  );
  const saved = $derived(
    session.sheet
      ? new Date(
          session.sheet.saved + (session.sheet.saved.endsWith("Z") || session.sheet.saved.includes("+") ? "" : "Z"),
        ).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })
      : "",
  );

  $effect(() => gathering.sound(session.sheet?.state ? `${session.sheet.state}` : ""));

  function toggle(which: "format" | "soundings") {
    open = open === which ? "" : which;
  }

  /** The playhead keeps its time. */
  async function setRate(rate: string) {
    const seconds = player.frame / session.rate;
    await session.act({ act: "change_rate", rate });
    player.seek(Math.round(seconds * session.rate));
  }
  /** Only what is said is set: of two sides typed one after the other, the second must not bring back the first. */
  function setFrame(sides: { width?: number; height?: number }) {
    const steps = Object.entries(sides)
      .filter(([side, value]) => value !== film!.frame[side as "width" | "height"])
      .map(([side, value]) => ({ op: "replace" as const, path: `/frame/${side}`, value }));
    if (steps.length) void session.patch(steps, "Frame size");
  }
</script>

<svelte:window
  onpointerdown={(event) => {
    if (open && !strip.contains(event.target as Node)) open = "";
  }}
/>

<header class="top" bind:this={strip}>
  <h1 class="brand"><img src="/favicon.svg" alt="" width="18" height="18" />Yaila</h1>
  <button
    class="film"
    aria-expanded={shelf.open}
    title="The shelf: all films, and what is under way"
    onclick={() => (shelf.open = !shelf.open)}>{film?.name ?? "…"}<Icon name="down" size={14} /></button
  >
  <button
    class="fact"
    aria-expanded={open === "format"}
    onclick={() => toggle("format")}
    title="Frame size, rate and background"
  >
    <b>{film?.frame.width ?? 0} × {film?.frame.height ?? 0}</b>·<b>{rateName} fps</b>
  </button>
  <span class="fact"><b>{(session.plan?.seconds ?? 0).toFixed(1)} s</b>{session.plan?.frames ?? 0} frames</span>
  <span class="fact">
    <button
      class="icon"
      disabled={!session.sheet?.undo}
      title={session.sheet?.undo ? `Undo: ${session.sheet.undo} (Ctrl Z)` : "Nothing to undo"}
      aria-label="Undo"
      onclick={() => session.undo()}><Icon name="undo" size={16} /></button
    >
    <button
      class="icon"
      disabled={!session.sheet?.redo}
      title={session.sheet?.redo ? `Redo: ${session.sheet.redo} (Ctrl Shift Z)` : "Nothing to redo"}
      aria-label="Redo"
      onclick={() => session.redo()}><Icon name="redo" size={16} /></button
    >
  </span>
  <span class="space"></span>
  <span class="saved"><Icon name="check" size={14} />Saved {saved}</span>
  <button
    class="soundings"
    class:grave={gathering.grave}
    aria-expanded={open === "soundings"}
    onclick={() => toggle("soundings")}
    title="The checks of the whole film"
    ><Icon name="bob" size={14} fill={gathering.grave > 0} />Soundings<b
      >{gathering.findings.length
        ? `${gathering.findings.length} finding${gathering.findings.length === 1 ? "" : "s"}`
        : gathering.soundedFilm
          ? "clear"
          : "looking …"}</b
    ></button
  >
  {#if open === "soundings"}<Soundings onclose={() => (open = "")} />{/if}

  {#if open === "format" && film}
    <div class="sheet format">
      <h3>Frame size</h3>
      <div class="choices">
        {#each session.choices?.frames ?? [] as [w, h] (`${w}x${h}`)}
          <Button
            on={film.frame.width === w && film.frame.height === h}
            onclick={() => setFrame({ width: w, height: h })}>{w} × {h}</Button
          >
        {/each}
      </div>
      <div class="free">
        <label
          >Width <input
            type="number"
            min="64"
            max="8192"
            step="2"
            value={film.frame.width}
            onchange={(event) => setFrame({ width: Number(event.currentTarget.value) })}
          /></label
        >
        <label
          >Height <input
            type="number"
            min="64"
            max="8192"
            step="2"
            value={film.frame.height}
            onchange={(event) => setFrame({ height: Number(event.currentTarget.value) })}
          /></label
        >
      </div>
      <h3>Frames per second</h3>
      <div class="choices">
        {#each session.choices?.rates ?? [] as option (option.rate)}
          <Button on={film.rate === option.rate} onclick={() => setRate(option.rate)}>{option.name}</Button>
        {/each}
      </div>
      <label class="colour"
        >Background, where there is no imagery <input
          type="color"
          value={film.background}
          onchange={(event) =>
            session.patch([{ op: "replace", path: "/background", value: event.currentTarget.value }], "Background")}
        /></label
      >
    </div>
  {/if}
</header>

<style>
  .top {
    height: 38px;
    border-bottom: 1px solid var(--rule-strong);
    display: flex;
    align-items: center;
    background: var(--paper);
    position: relative;
    white-space: nowrap;
  }
  .brand {
    width: 84px;
    height: 37px;
    display: flex;
    align-items: center;
    gap: 7px;
    padding-left: 12px;
    font-weight: 640;
    font-size: 13.5px;
    border-right: 1px solid var(--rule);
  }
  .film {
    padding: 0 12px 0 14px;
    font-size: 14px;
    font-weight: 640;
    display: flex;
    align-items: center;
    gap: 5px;
    height: 30px;
    border-radius: 3px;
    max-width: 320px;
    overflow: hidden;
  }
  .film:hover,
  button.fact:hover {
    background: var(--desk);
  }
  .fact {
    padding: 0 13px;
    height: 26px;
    border-left: 1px solid var(--rule);
    display: flex;
    align-items: center;
    color: var(--ink-2);
    gap: 6px;
  }
  .fact b {
    font-weight: 520;
    color: var(--ink);
  }
  .icon {
    width: 26px;
    height: 24px;
    border-radius: 3px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
  }
  .icon:hover:not(:disabled) {
    background: var(--desk);
  }
  .icon:disabled {
    color: #a7b0ac;
  }
  .space {
    flex: 1;
  }
  .soundings {
    height: 24px;
    display: flex;
    align-items: center;
    gap: 5px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding-left: 7px;
    margin: 0 12px;
    overflow: hidden;
    white-space: nowrap;
    font-weight: 500;
  }
  .soundings b {
    font-weight: 560;
    padding: 0 8px;
    height: 24px;
    line-height: 22px;
    background: var(--desk);
    border-left: 1px solid var(--rule);
  }
  .soundings.grave b {
    background: var(--imagery-tint);
    color: var(--imagery-deep);
  }
  .saved {
    display: flex;
    gap: 6px;
    align-items: center;
    color: var(--ink-2);
    padding: 0 14px;
  }
  .sheet {
    position: absolute;
    top: 37px;
    left: 84px;
    z-index: 20;
    width: 420px;
    padding: 10px 14px 14px;
    background: var(--paper);
    border: 1px solid var(--rule-strong);
    border-radius: 0 0 3px 3px;
  }
  .sheet.format {
    left: 210px;
    width: 360px;
  }
  h3 {
    font-size: 11px;
    font-weight: 620;
    color: var(--ink-2);
    margin: 10px 0 4px;
  }
  input {
    height: 26px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
    color: var(--ink);
    font-size: 12px;
  }
  .choices {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
  }
  .free {
    display: flex;
    gap: 14px;
    margin-top: 8px;
    color: var(--ink-2);
  }
  .free input {
    width: 78px;
  }
  .colour {
    display: flex;
    align-items: center;
    gap: 8px;
    margin-top: 12px;
    color: var(--ink-2);
  }
  .colour input {
    width: 40px;
    padding: 2px;
  }
</style>
