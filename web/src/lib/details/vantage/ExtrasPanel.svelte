<script lang="ts">
  import type { Vantage } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Tick from "../../ui/Tick.svelte";
  import Field from "../Field.svelte";
  import Extra from "./Extra.svelte";

  let { vantage, index }: { vantage: Vantage | null; index: number } = $props();

  const film = $derived(session.film!);
  const path = $derived(`/vantages/${index}`);
  const inner = $derived(index > 0 && index < film.vantages.length - 1);

  /** The same shake at every vantage, or at none. */
  function shakeAll() {
    const value = vantage!.shake;
    void session.patch(
      film.vantages.map((_, k) => ({ op: "replace" as const, path: `/vantages/${k}/shake`, value })),
      "Shake everywhere",
    );
  }
</script>

{#if vantage}
  <div class="flow">
    <Tick
      label="Pass without a stop"
      checked={vantage.flow}
      onchange={(on) => session.patch([{ op: "replace", path: `${path}/flow`, value: on }], "Pass without a stop")}
    />
    <span>{vantage.flow && !inner ? "the first and the last are always rested at" : "the camera flows through"}</span>
  </div>
  {#if vantage.flow && inner}
    <Cells columns={3}>
      <Field
        path="{path}/tension"
        label="Tension"
        value={vantage.tension}
        factor={0.01}
        unit="%"
        step={0.05}
        min={0}
        max={1}
        places={0}
      />
      <div class="cell aside"><span>Its hold</span><b>is passed over</b></div>
      <div class="cell aside"></div>
    </Cells>
  {/if}
  <Extra
    title="Breathe"
    hint="what the camera does while it rests"
    path="{path}/breath"
    value={vantage.breath}
    blank={{ push: 4, across: 0, up: 0, turn: 0 }}
    disabled={vantage.flow && inner}
    parts={[
      { key: "push", label: "Push in", unit: "%", step: 0.5, min: -100, max: 60 },
      { key: "across", label: "Drift right", unit: "%", step: 0.5, min: -100, max: 100 },
      { key: "up", label: "Drift up", unit: "%", step: 0.5, min: -100, max: 100 },
      { key: "turn", label: "Turn", unit: "°", step: 0.5, min: -360, max: 360 },
    ]}
  />
  <Extra
    title="Shake"
    hint="a hand-held camera, here and on the way onward"
    path="{path}/shake"
    value={vantage.shake}
    blank={{ position: 0.4, roll: 0.2, frequency: 1.4, seed: 1 }}
    parts={[
      { key: "position", label: "Strays", unit: "%", step: 0.1, min: 0, max: 20 },
      { key: "roll", label: "Rolls", unit: "°", step: 0.1, min: 0, max: 20 },
      { key: "frequency", label: "Frequency", unit: "Hz", step: 0.1, min: 0.05, max: 20 },
      { key: "seed", label: "Seed", min: 0, max: 9999, whole: true },
    ]}
  />
  {#if vantage.shake}<div class="act"><Button onclick={shakeAll}>The same at every vantage</Button></div>{/if}
  <Extra
    title="Settle"
    hint="the passage runs a little past its goal and swings back"
    path="{path}/passage/settle"
    value={vantage.passage.settle}
    blank={{ amount: 2, swings: 1, share: 35 }}
    parts={[
      { key: "amount", label: "Overshoot", unit: "%", step: 0.5, min: 0.1, max: 20 },
      { key: "swings", label: "Swings", min: 1, max: 5, whole: true },
      { key: "share", label: "In the last", unit: "%", step: 5, min: 10, max: 70 },
    ]}
  />
{/if}
<Extra
  title="Opening twist"
  hint="the film begins turned and enlarged, and snaps straight"
  path="/opening"
  value={film.opening}
  blank={{ turn: 12, enlarge: 1.25, frames: 10, ease: { x1: 0.1, y1: 0.3, x2: 0.3, y2: 1, speed: [] } }}
  parts={[
    { key: "turn", label: "Turned by", unit: "°", step: 1, min: -180, max: 180 },
    { key: "enlarge", label: "Enlarged", unit: "times", step: 0.05, min: 1, max: 10 },
    { key: "frames", label: "Straight after", unit: "frames", min: 1, max: 1000, whole: true },
  ]}
/>
<Extra
  title="Final spin"
  hint="the film ends turning"
  path="/closing"
  value={film.closing}
  blank={{ turns: 1, frames: 30, ease: { x1: 0.6, y1: 0, x2: 0.4, y2: 1, speed: [] } }}
  parts={[
    { key: "turns", label: "Turns", step: 0.25, min: -20, max: 20 },
    { key: "frames", label: "In the last", unit: "frames", min: 2, max: 2000, whole: true },
  ]}
/>

<style>
  .flow {
    display: flex;
    align-items: center;
    gap: 6px;
    height: 27px;
    padding: 0 12px 0 6px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  .flow span {
    color: var(--ink-3);
    font-size: 10.5px;
  }
  .flow :global(.tick) {
    color: var(--ink);
    font-weight: 540;
  }
  .aside {
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
    padding: 3px 12px;
    font-size: 10.5px;
    color: var(--ink-3);
  }
  .aside b {
    display: block;
    font-size: 12px;
    font-weight: 480;
    color: var(--ink-2);
    line-height: 18px;
  }
  .act {
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
</style>
