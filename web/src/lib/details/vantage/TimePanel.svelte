<script lang="ts">
  import { player } from "../../film/player.svelte";
  import { session } from "../../film/session.svelte";
  import { digits } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Tick from "../../ui/Tick.svelte";

  const film = $derived(session.film!);
  const kept = $derived(session.sheet!);
  const seconds = $derived(session.plan!.seconds);
  const some = $derived(session.chosen.length > 1);
  let picker: HTMLInputElement;

  /** What is stretched: the run of vantages chosen, or the whole film. */
  const ends = $derived(
    some
      ? { first: session.chosen[0]!, last: session.chosen[session.chosen.length - 1]! }
      : { first: null, last: null },
  );
  const span = $derived.by(() => {
    const { plan } = kept;
    if (!some) return plan.seconds;
    const first = plan.vantages.find((one) => one.id === ends.first);
    const last = plan.vantages.find((one) => one.id === ends.last);
    return first && last ? (last.start + last.hold - first.start) / session.rate : 0;
  });
  const stretch = (factor: number) => ({ act: "stretch_time" as const, factor, ...ends });

  async function bring(files: FileList | null) {
    if (files?.[0]) await session.act({ act: "import_beats", text: await files[0].text() });
    picker.value = "";
  }
</script>

{#if film.vantages.length}
  <Cells columns={2}>
    <Cell
      label={some ? `Length of the ${session.chosen.length} chosen` : "Length of the film"}
      value={span}
      text={digits(span)}
      unit="s"
      step={0.2}
      min={0.1}
      max={86400}
      ontry={(value) => session.tryAct(stretch(value / span))}
      onkeep={() => session.keepTrial("Stretch")}
      ondrop={() => session.dropTrial()}
    />
    <div class="lock">
      <Tick
        label="Locked"
        checked={film.length !== null}
        onchange={(on) =>
          session.patch(
            [{ op: "replace", path: "/length", value: on ? Number(seconds.toFixed(6)) : null }],
            on ? "Lock the length" : "Unlock the length",
          )}
      />
      <span>{film.length === null ? "passages take what they take" : `passages share ${digits(film.length)} s`}</span>
    </div>
  </Cells>
  <div class="row">
    <span>Stretch {some ? "the chosen" : "all"} to</span>
    {#each [0.8, 0.9, 1.1, 1.25] as factor (factor)}
      <Button onclick={() => session.act(stretch(factor))}>{Math.round(factor * 100)} %</Button>
    {/each}
  </div>
{/if}
<div class="row">
  <b>Beats</b>
  <span>{film.beats.length || "none"}</span>
  <span class="space"></span>
  <Button
    disabled={!player.frames}
    onclick={() => session.tapBeat(player.frame)}
    title="At the playhead, also while it plays (B)">Tap</Button
  >
  <Button onclick={() => picker.click()} title="A text with a time in each line, seconds or timecode"
    >Bring a list</Button
  >
  <Button
    disabled={!film.beats.length}
    onclick={() => session.patch([{ op: "replace", path: "/beats", value: [] }], "Clear beats")}>Clear</Button
  >
  <input
    bind:this={picker}
    type="file"
    accept=".txt,.csv,.tsv,text/plain"
    aria-label="Choose a list of beats"
    onchange={() => bring(picker.files)}
  />
</div>
<p>Beats are drawn in the profile, and arrivals snap to them. Play and press B on each beat to tap them in.</p>

<style>
  .lock {
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
    display: flex;
    flex-direction: column;
    justify-content: center;
    padding-left: 4px;
    overflow: hidden;
    white-space: nowrap;
  }
  .lock :global(.tick) {
    height: 18px;
    color: var(--ink);
    font-weight: 540;
  }
  .lock span {
    padding-left: 24px;
    color: var(--ink-3);
    font-size: 10.5px;
    line-height: 12px;
  }
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
    color: var(--ink-2);
  }
  b {
    color: var(--ink);
    font-weight: 560;
  }
  .space {
    flex: 1;
  }
  input {
    display: none;
  }
  p {
    padding: 8px 12px;
    color: var(--ink-2);
    line-height: 16px;
  }
</style>
