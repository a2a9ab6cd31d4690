<script lang="ts">
  import type { Plate, Tone } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import { digits } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Field from "../Field.svelte";

  let { plate, index }: { plate: Plate; index: number } = $props();

  const tone = $derived(plate.tone);
  const cells: {
    key: Exclude<keyof Tone, "match" | "strength">;
    label: string;
    unit: string;
    step: number;
    most: number;
  }[] = [
    { key: "exposure", label: "Exposure", unit: "EV", step: 0.05, most: 4 },
    { key: "contrast", label: "Contrast", unit: "%", step: 1, most: 100 },
    { key: "saturation", label: "Saturation", unit: "%", step: 1, most: 100 },
    { key: "hue", label: "Hue", unit: "°", step: 1, most: 180 },
    { key: "temperature", label: "Temperature", unit: "K", step: 20, most: 3000 },
    { key: "tint", label: "Tint", unit: "%", step: 1, most: 100 },
  ];
  const idle = $derived(cells.every((cell) => tone[cell.key] === 0) && !tone.match);
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
<Cells columns={2}>
  <Field
    path="/plates/{index}/tone/strength"
    label="Strength of the match"
    value={tone.strength}
    unit="%"
    step={5}
    min={0}
    max={100}
    places={0}
    disabled={!tone.match}
  />
  <div class="cell aside">
    <span>Before and after</span><b>hold B</b>
  </div>
</Cells>
<Cells columns={3}>
  {#each cells as cell (cell.key)}
    <Field
      path="/plates/{index}/tone/{cell.key}"
      label={cell.label}
      value={tone[cell.key]}
      unit={cell.unit}
      step={cell.step}
      min={-cell.most}
      max={cell.most}
      signed
    />
  {/each}
</Cells>
<div class="foot">
  <Button
    disabled={idle}
    onclick={() =>
      session.patch(
        [
          {
            op: "replace",
            path: `/plates/${index}/tone`,
            value: {
              match: null,
              strength: 85,
              exposure: 0,
              contrast: 0,
              saturation: 0,
              hue: 0,
              temperature: 0,
              tint: 0,
            },
          },
        ],
        "Tone as it came",
      )}>As it came</Button
  >
  <span>Kept beside the picture, never worked into it</span>
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
  .aside {
    height: 37px;
    padding: 3px 12px;
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
  }
  .aside span {
    display: block;
    font-size: 10.5px;
    line-height: 13px;
    color: var(--ink-3);
  }
  .aside b {
    font-size: 13px;
    line-height: 18px;
  }
</style>
