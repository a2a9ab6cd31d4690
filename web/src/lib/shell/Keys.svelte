<script lang="ts">
  let { onclose }: { onclose: () => void } = $props();
  const groups: [string, [string, string][]][] = [
    [
      "Playing",
      [
        ["Space", "play and pause"],
        ["J K L", "backwards, stop, forwards; again for double speed"],
        ["← →", "one frame"],
        ["Shift ← →", "one second"],
        ["Home End", "first and last frame"],
        ["↑ ↓", "previous and next vantage"],
      ],
    ],
    [
      "Vantages, in Fly",
      [
        ["N", "a vantage that shows what the chart shows"],
        ["Ctrl D", "duplicate"],
        ["Del", "delete"],
        ["Alt ← →", "reach it a frame earlier or later, with Shift ten"],
        ["Alt ↑ ↓", "wider or closer by 2 %"],
        ["Shift click", "choose all up to it; with Ctrl, one more"],
        ["Ctrl A C V", "choose all, copy, paste"],
        ["Z", "fill the profile with the passage"],
        ["B", "a beat at the playhead"],
      ],
    ],
    [
      "Marks, in Mark",
      [
        ["R M A I G C", "draw a route; set a marker, a label, an inset; a region, a circle"],
        ["Enter ⌫", "end what is being drawn, take its last point back"],
        ["Shift 2 × click", "on a route: a stop; without Shift a point"],
        ["Shift click", "choose all up to it; with Ctrl, one more"],
        ["Ctrl D", "duplicate, with its look and its times"],
        ["Del", "take away"],
      ],
    ],
    [
      "Finish",
      [
        ["F", "pick what is to be sharp, in the picture or on the chart"],
        ["E", "leave all effects out of sight, or show them"],
        ["S", "split: the finish on the left, the picture without it on the right"],
        ["T", "try the next surface"],
        ["Del", "take the chosen lamp or deck away"],
      ],
    ],
    [
      "Sound",
      [
        ["M", "hear the film here, or not"],
        ["Ctrl D", "the chosen sound once more, at the playhead"],
        ["Del", "take it away"],
      ],
    ],
    [
      "Flying freely, in the viewfinder",
      [
        ["W A S D", "over the ground"],
        ["Q E R F", "turn, tilt"],
        ["+ −", "closer, wider"],
        ["Enter Esc", "keep as a vantage, back to the film"],
      ],
    ],
    [
      "Plates, in Fit, with the chart in focus",
      [
        ["T D W", "see through the plate, difference, wipe"],
        ["X", "tie points: a feature, then its match below"],
        ["B", "held: the plate without its tone"],
        ["Enter", "close an outline being drawn"],
        ["← → ↑ ↓", "move by a screen pixel, with Shift by ten"],
        ["+ −", "scale about the pin"],
        [", .", "turn about the pin"],
        ["PgUp PgDn", "up and down the stack"],
        ["Del", "take off the ground"],
      ],
    ],
    [
      "A tool in hand, with the chart in focus",
      [
        ["← → ↑ ↓", "move the cross, with Shift farther, with Alt by a pixel"],
        ["Space", "set there; what is dragged out: where it begins, then where it ends"],
        ["+ −", "closer, wider"],
        ["Esc", "lay the tool down"],
      ],
    ],
    [
      "Fields",
      [
        ["↑ ↓", "step the number, with Shift by ten"],
        ["Enter Esc", "keep, or leave as it was"],
      ],
    ],
    [
      "Everywhere",
      [
        ["Ctrl Z", "undo"],
        ["Ctrl Shift Z", "redo"],
        ["1 … 7", "the steps"],
        ["0", "whole film on the chart"],
        ["V", "the viewfinder as large as the sheet, and back"],
        ["?", "this sheet"],
      ],
    ],
  ];
  let close: HTMLButtonElement;
  $effect(() => close.focus());
</script>

<div class="keys" role="dialog" aria-label="Keys">
  <div class="head">
    <h2>Keys</h2>
    <button bind:this={close} onclick={onclose}>Close</button>
  </div>
  <div class="columns">
    {#each groups as [title, rows] (title)}
      <section>
        <h3>{title}</h3>
        <dl>
          {#each rows as [key, does] (key)}<dt>
              {#each key.split(" ") as part}<kbd>{part}</kbd>{/each}
            </dt>
            <dd>{does}</dd>{/each}
        </dl>
      </section>
    {/each}
  </div>
</div>

<style>
  .keys {
    position: absolute;
    left: 84px;
    bottom: 0;
    z-index: 30;
    width: min(760px, calc(100vw - 84px));
    background: var(--paper);
    border: 1px solid var(--rule-strong);
  }
  .head {
    display: flex;
    align-items: center;
    justify-content: space-between;
    height: 30px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
  }
  .head button {
    height: 24px;
    padding: 0 9px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
  }
  .columns {
    columns: 2;
    padding: 10px 14px;
    column-gap: 24px;
  }
  section {
    break-inside: avoid;
    margin-bottom: 10px;
  }
  h3 {
    font-size: 11.5px;
    font-weight: 640;
    margin-bottom: 3px;
  }
  dl {
    display: grid;
    grid-template-columns: 112px 1fr;
    gap: 3px 8px;
  }
  dt {
    display: flex;
    gap: 3px;
    flex-wrap: wrap;
  }
  dd {
    color: var(--ink-2);
  }
  kbd {
    font: 500 10.5px var(--mono);
    border: 1px solid var(--edge);
    border-radius: 2px;
    padding: 0 4px;
    background: var(--sheet);
    height: 17px;
    line-height: 15px;
  }
</style>
