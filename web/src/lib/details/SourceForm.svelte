<script lang="ts">
  import { gathering } from "../film/gathering.svelte";
  import { parseNumber } from "../format";
  import type { Source } from "../api/client";
  import Button from "../ui/Button.svelte";
  import Tick from "../ui/Tick.svelte";

  let { onclose }: { onclose: () => void } = $props();

  let source = $state({
    name: "",
    template: "",
    least: 0,
    most: 18,
    tile: 256,
    credit: "",
    terms: "",
    private: false,
    holds: "pictures" as Source["holds"],
  });
  let bounds = $state("-180, -85, 180, 85");
  let fault = $state("");
  let asking = $state(false);

  async function add() {
    asking = true;
    try {
      const sides = bounds.split(/[,;\s]+/).map(parseNumber);
      if (sides.length !== 4 || !sides.every(Number.isFinite))
        throw new Error("The bounds are four numbers: west, south, east, north, in degrees.");
      await gathering.addSource({
        ...$state.snapshot(source),
        bounds: sides as [number, number, number, number],
      });
      onclose();
    } catch (error) {
      fault = (error as Error).message;
    } finally {
      asking = false;
    }
  }
</script>

<form
  onsubmit={(event) => {
    event.preventDefault();
    void add();
  }}
>
  <label class="wide"><span>Name</span><input bind:value={source.name} required /></label>
  <label class="wide"
    ><span>Address of a tile</span><input
      bind:value={source.template}
      required
      spellcheck="false"
      placeholder={"https://host/layer/{z}/{x}/{y}.png"}
    /></label
  >
  <div class="three">
    <label><span>Zoom from</span><input type="number" min="0" max="24" bind:value={source.least} /></label>
    <label><span>to</span><input type="number" min="0" max="24" bind:value={source.most} /></label>
    <label><span>Tile, px</span><input type="number" min="64" max="2048" bind:value={source.tile} /></label>
  </div>
  <label class="wide"
    ><span>Bounds</span><input
      bind:value={bounds}
      spellcheck="false"
      title="West, south, east and north of what it covers, in degrees: a tile in their middle is asked for"
    /></label
  >
  <label class="wide"
    ><span>Credit line</span><input bind:value={source.credit} placeholder="As its owner asks" /></label
  >
  <label class="wide"
    ><span>Terms</span><input bind:value={source.terms} placeholder="Whether and how it may be used" /></label
  >
  <label class="wide"
    ><span>Its tiles hold</span><select bind:value={source.holds}>
      <option value="pictures">pictures</option>
      <option value="heights">heights of the ground</option>
      <option value="lights">light by night</option>
    </select></label
  >
  {#if fault}<p role="alert">{fault}</p>{/if}
  <div class="foot">
    <Tick label="A private address" bind:checked={source.private} />
    <span></span>
    <Button onclick={onclose}>Leave</Button>
    <button class="add" disabled={asking}>{asking ? "Asking it for a tile" : "Add source"}</button>
  </div>
</form>

<style>
  form {
    padding: 2px 12px 8px;
    border-bottom: 1px solid var(--rule);
    display: grid;
    gap: 5px;
  }
  label {
    display: grid;
    grid-template-columns: 96px minmax(0, 1fr);
    align-items: center;
    color: var(--ink-2);
  }
  .three {
    display: grid;
    grid-template-columns: 160px 90px 1fr;
    gap: 10px;
  }
  .three label:nth-child(2) {
    grid-template-columns: 20px minmax(0, 1fr);
  }
  .three label:nth-child(3) {
    grid-template-columns: 52px minmax(0, 1fr);
  }
  input,
  select {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 7px;
    color: var(--ink);
    min-width: 0;
  }
  p {
    background: var(--imagery-tint);
    padding: 6px 8px;
    color: var(--ink);
    line-height: 16px;
  }
  .foot {
    display: flex;
    align-items: center;
    gap: 6px;
    margin-left: -6px;
  }
  .foot span {
    flex: 1;
  }
  .add {
    height: 24px;
    padding: 0 10px;
    border-radius: 3px;
    background: var(--ink);
    color: #fff;
    font-weight: 540;
  }
  .add:disabled {
    background: var(--ink-2);
    color: #fff;
  }
</style>
