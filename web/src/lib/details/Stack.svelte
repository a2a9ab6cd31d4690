<script lang="ts">
  import { session } from "../film/session.svelte";
  import { digits, length } from "../format";
  import Cell from "../ui/Cell.svelte";
  import Icon from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";

  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const ground = $derived(film?.ground.kind ?? "plain");
  const rows = $derived(
    (film?.plates ?? []).map((plate, index) => ({ plate, index, laid: plan!.plates[index]! })).reverse(),
  );
  const index = $derived(film?.plates.findIndex((plate) => plate.id === session.selection?.id) ?? -1);
  const plate = $derived(index >= 0 ? film!.plates[index]! : null);
  const placement = $derived(plate?.placement.kind === "similarity" ? plate.placement : null);
  let dragged = $state<string | null>(null);
  let over = $state<number | null>(null);

  const put = (path: string, value: unknown) =>
    session.tryPatch([{ op: "replace", path: `/plates/${index}/${path}`, value }]);
  const place = (value: number) => (ground === "plain" ? digits(value, 6) : digits(value / 1000, 7));

  /** By numbers, scale and turn keep the pin where it is, as the corners do. */
  function about(): [number, number] | null {
    return session.pivot?.plate === plate?.id ? session.pivot!.at : null;
  }

  function dropped(to: number) {
    if (dragged) void session.act({ act: "restack_plate", plate: dragged, to });
    dragged = over = null;
  }

  async function remove() {
    await session.act({ act: "remove_plate", plate: plate!.id });
    session.select(null);
  }
</script>

<section class="stack" aria-label="Stack">
  <header>
    <h2>Stack</h2>
    <span class="sub">{film?.plates.length ?? 0} plates, close on top</span>
  </header>
  <div class="rows" role="list">
    {#each rows as row (row.plate.id)}
      <div
        role="listitem"
        class="row"
        class:on={row.plate.id === session.selection?.id}
        class:over={over === row.index}
        draggable="true"
        ondragstart={(event) => {
          dragged = row.plate.id;
          event.dataTransfer!.effectAllowed = "move";
        }}
        ondragover={(event) => {
          if (!dragged) return;
          event.preventDefault();
          over = row.index;
        }}
        ondrop={(event) => {
          if (!dragged) return;
          event.preventDefault();
          event.stopPropagation();
          dropped(row.index);
        }}
        ondragend={() => (dragged = over = null)}
      >
        <label class="eye" title="Show or hide">
          <input
            type="checkbox"
            aria-label="Show {row.plate.name}"
            checked={row.plate.shown}
            onchange={(event) =>
              session.patch(
                [{ op: "replace", path: `/plates/${row.index}/shown`, value: event.currentTarget.checked }],
                "Show or hide plate",
              )}
          />
        </label>
        <button
          class="pick"
          onclick={() => session.select({ kind: "plate", id: row.plate.id })}
          ondblclick={() => session.showOutline(row.laid.outline, 1.15)}
        >
          <b>{row.plate.name}</b>
          <span>{row.plate.feather.width ? `feather ${digits(row.plate.feather.width)} %` : "hard edge"}</span>
          <span class="sharp">to {length(row.laid.sharp_span, ground).join(" ")}</span>
        </button>
      </div>
    {/each}
  </div>
  {#if plate && placement}
    <header class="second">
      <input
        class="name"
        aria-label="Name of the plate"
        value={plate.name}
        onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        onchange={(event) =>
          session.patch(
            [{ op: "replace", path: `/plates/${index}/name`, value: event.currentTarget.value }],
            "Rename plate",
          )}
      />
      <span class="sub"
        >{plate.picture.width.toLocaleString("en")} × {plate.picture.height.toLocaleString("en")} px</span
      >
      <button
        title="Up the stack (PgUp)"
        disabled={index === film!.plates.length - 1}
        onclick={() => session.act({ act: "restack_plate", plate: plate.id, to: index + 1 })}
        ><Icon name="up" size={15} /></button
      >
      <button
        title="Down the stack (PgDn)"
        disabled={index === 0}
        onclick={() => session.act({ act: "restack_plate", plate: plate.id, to: index - 1 })}
        ><Icon name="down" size={15} /></button
      >
      <button title="Show on the chart" onclick={() => session.showOutline(plan!.plates[index]!.outline, 1.15)}
        ><Icon name="frame" size={15} /></button
      >
      <button title="Take off the ground (Del)" onclick={remove}><Icon name="bin" size={15} /></button>
    </header>
    <div class="cells">
      <Cell
        label={ground === "plain" ? "X of centre" : "East of centre"}
        value={placement.x}
        text={place(placement.x)}
        unit={ground === "plain" ? "px" : "km"}
        factor={ground === "plain" ? 1 : 1000}
        step={placement.scale}
        ontry={(value) => put("placement/x", value)}
        onkeep={() => session.keepTrial("Move plate")}
        ondrop={() => session.dropTrial()}
      />
      <Cell
        label={ground === "plain" ? "Y of centre" : "North of centre"}
        value={placement.y}
        text={place(placement.y)}
        unit={ground === "plain" ? "px" : "km"}
        factor={ground === "plain" ? 1 : 1000}
        step={placement.scale}
        ontry={(value) => put("placement/y", value)}
        onkeep={() => session.keepTrial("Move plate")}
        ondrop={() => session.dropTrial()}
      />
      <Cell
        label="Scale"
        value={placement.scale}
        text={digits(placement.scale, 5)}
        unit={ground === "plain" ? "px/px" : "m/px"}
        step={0.001}
        log
        min={1e-6}
        max={1e7}
        ontry={(value) =>
          session.tryAct({
            act: "move_plate",
            plate: plate.id,
            by: [0, 0],
            factor: value / (session.sheet!.film.plates[index]!.placement as { scale: number }).scale,
            degrees: 0,
            about: about(),
          })}
        onkeep={() => session.keepTrial("Scale plate")}
        ondrop={() => session.dropTrial()}
      />
      <Cell
        label="Turn"
        value={placement.turn}
        text={digits(placement.turn)}
        unit="°"
        icon="heading"
        step={0.1}
        min={-360}
        max={360}
        ontry={(value) =>
          session.tryAct({
            act: "move_plate",
            plate: plate.id,
            by: [0, 0],
            factor: 1,
            degrees: value - (session.sheet!.film.plates[index]!.placement as { turn: number }).turn,
            about: about(),
          })}
        onkeep={() => session.keepTrial("Turn plate")}
        ondrop={() => session.dropTrial()}
      />
      <Cell
        label="Opacity"
        value={plate.opacity}
        text={digits(plate.opacity * 100)}
        unit="%"
        factor={0.01}
        step={0.05}
        min={0}
        max={1}
        ontry={(value) => put("opacity", Math.round(value * 1000) / 1000)}
        onkeep={() => session.keepTrial("Opacity")}
        ondrop={() => session.dropTrial()}
      />
      <Cell
        label="Feather width"
        value={plate.feather.width}
        text={digits(plate.feather.width)}
        unit="%"
        step={1}
        min={0}
        max={100}
        ontry={(value) => put("feather/width", Math.round(value * 10) / 10)}
        onkeep={() => session.keepTrial("Feather")}
        ondrop={() => session.dropTrial()}
      />
    </div>
    <div class="shape">
      <span>Feather</span>
      <Segments
        label="Shape of the feather"
        options={[
          { value: "rectangle", label: "Rectangle" },
          { value: "ellipse", label: "Ellipse" },
        ]}
        value={plate.feather.shape}
        onchange={(shape) =>
          session.patch([{ op: "replace", path: `/plates/${index}/feather/shape`, value: shape }], "Feather shape")}
      />
    </div>
  {:else if film?.plates.length}
    <p>
      Pick a plate to lay it: click it on the chart or here. Drag it until a feature you know meets its match below, pin
      that feature, then pull a second one onto its match.
    </p>
  {/if}
</section>

<style>
  .stack {
    overflow-y: auto;
    min-height: 0;
  }
  header {
    height: 28px;
    display: flex;
    align-items: center;
    padding: 0 7px 0 12px;
    border-bottom: 1px solid var(--rule);
    gap: 4px;
  }
  .second {
    border-top: 1px solid var(--rule-strong);
  }
  .second button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 3px;
    color: var(--ink-2);
  }
  .second button:hover:not(:disabled) {
    background: var(--desk);
  }
  .second button:disabled {
    color: #a7b0ac;
  }
  .sub {
    color: var(--ink-2);
    margin-left: 6px;
    white-space: nowrap;
  }
  .name {
    flex: 1;
    min-width: 40px;
    border: 0;
    background: none;
    font-size: 12px;
    font-weight: 660;
    height: 22px;
    border-radius: 2px;
    padding: 0 3px;
    margin-left: -3px;
  }
  .name:hover {
    background: var(--desk);
  }
  .rows {
    max-height: 216px;
    overflow-y: auto;
  }
  .row {
    height: 24px;
    display: flex;
    align-items: center;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .row:hover {
    background: var(--sheet);
  }
  .row.on {
    background: var(--sheet);
    border-left-color: var(--imagery);
  }
  .row.over {
    box-shadow: inset 0 2px 0 var(--ink);
  }
  .eye {
    width: 30px;
    height: 24px;
    display: grid;
    place-items: center;
  }
  .eye input {
    accent-color: var(--ink);
    width: 13px;
    height: 13px;
  }
  .pick {
    flex: 1;
    display: grid;
    grid-template-columns: 1fr 96px 84px;
    text-align: left;
    height: 24px;
    align-items: center;
    color: var(--ink-2);
    min-width: 0;
  }
  .pick b {
    font-weight: 560;
    color: var(--ink);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .on b {
    font-weight: 660;
  }
  .sharp {
    text-align: right;
    padding-right: 12px;
  }
  .cells {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    border-bottom: 1px solid var(--rule);
    margin-top: -1px;
  }
  .cells :global(.cell:nth-child(3n + 1)) {
    border-left: 0;
  }
  .shape {
    display: grid;
    grid-template-columns: 60px 1fr;
    align-items: center;
    padding: 7px 12px;
    color: var(--ink-2);
  }
  p {
    padding: 10px 12px;
    color: var(--ink-2);
    font-size: 12px;
    line-height: 18px;
  }
</style>
