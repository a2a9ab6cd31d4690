<script lang="ts">
  import type { Plate } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import { digits } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Fields from "../Fields.svelte";

  let { plate, index }: { plate: Plate; index: number } = $props();

  const tone = $derived(plate.tone);
  const cells = ["exposure", "contrast", "saturation", "hue", "temperature", "tint"] as const;
  const idle = $derived(cells.every((cell) => tone[cell] === 0) && !tone.match);
</script>

<div class="match">
  <Button disabled={index === 0} onclick={() => session.fit([], [plate.id])}
    >{tone.match ? "Match again" : "Match to those below"}</Button
  >
  <span class="said">
    {#if tone.match}
      step <b>{digits(tone.match.before, 2)}</b> before, <b>{digits(tone.match.after, 2)}</b> after, from {digits(
        tone.match.share * 100,
        2,
      )} % of the overlap
    {:else if index === 0}It gives the others their tone{:else}not matched{/if}
  </span>
</div>
<Fields
  of="Tone"
  part={tone}
  path="/plates/{index}/tone"
  columns={2}
  cells={[{ key: "strength", step: 5, disabled: !tone.match }]}
/>
<Fields
  of="Tone"
  part={tone}
  path="/plates/{index}/tone"
  cells={cells.map((key) => ({ key, unit: key === "exposure" ? "EV" : undefined, signed: true }))}
/>
<div class="foot">
  <Button
    disabled={idle}
    onclick={() => session.patch([{ op: "replace", path: `/plates/${index}/tone`, value: {} }], "Tone as it came")}
    >As it came</Button
  >
  <span>Kept beside the picture; hold <b>B</b> for before and after</span>
</div>

<style>
  .match,
  .foot {
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 8px 12px;
    color: var(--ink-2);
  }
  .said {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  b {
    font-weight: 560;
    color: var(--ink);
  }
</style>
