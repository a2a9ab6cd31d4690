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
      <Field path="{path}/tension" {...session.numberOf("Vantage", "tension")} value={vantage.tension} />
      <div class="cell aside"><span>Its hold</span><b>is passed over</b></div>
      <div class="cell aside"></div>
    </Cells>
  {/if}
  <Extra
    title="Breathe"
    of="Breath"
    hint="what the camera does while it rests"
    path="{path}/breath"
    value={vantage.breath}
    begins={{ push: 4 }}
    disabled={vantage.flow && inner}
    cells={[
      { key: "push", step: 0.5 },
      { key: "across", step: 0.5 },
      { key: "up", step: 0.5 },
      { key: "turn", step: 0.5 },
    ]}
  />
  <Extra
    title="Shake"
    of="Shake"
    hint="a hand-held camera, here and on the way onward"
    path="{path}/shake"
    value={vantage.shake}
    cells={[
      { key: "position", step: 0.1 },
      { key: "roll", step: 0.1 },
      { key: "frequency", unit: "Hz", step: 0.1 },
      { key: "seed" },
    ]}
  />
  {#if vantage.shake}<div class="act"><Button onclick={shakeAll}>The same at every vantage</Button></div>{/if}
  <Extra
    title="Settle"
    of="Settle"
    hint="the passage runs a little past its goal and swings back"
    path="{path}/passage/settle"
    value={vantage.passage.settle}
    cells={[{ key: "amount", step: 0.5 }, { key: "swings" }, { key: "share", step: 5 }]}
  />
{/if}
<Extra
  title="Opening twist"
  of="Opening"
  hint="the film begins turned and enlarged, and snaps straight"
  path="/opening"
  value={film.opening}
  cells={[{ key: "turn" }, { key: "enlarge" }, { key: "frames" }]}
/>
<Extra
  title="Final spin"
  of="Spin"
  hint="the film ends turning"
  path="/closing"
  value={film.closing}
  cells={[{ key: "turns", step: 0.25 }, { key: "frames" }]}
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
