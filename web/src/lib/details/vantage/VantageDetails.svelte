<script lang="ts">
  import type { Found } from "../../film/marks";
  import { player } from "../../film/player.svelte";
  import { newId, session } from "../../film/session.svelte";
  import { length } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Field from "../Field.svelte";
  import ExtrasPanel from "./ExtrasPanel.svelte";
  import PassagePanel from "./PassagePanel.svelte";
  import RecipePanel from "./RecipePanel.svelte";
  import RouteDetails from "../marks/RouteDetails.svelte";
  import TimePanel from "./TimePanel.svelte";
  import VantageList from "./VantageList.svelte";

  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const index = $derived(film?.vantages.findIndex((vantage) => vantage.id === session.selection?.id) ?? -1);
  const vantage = $derived(index >= 0 ? film!.vantages[index]! : null);
  const laid = $derived(index >= 0 ? plan!.vantages[index]! : null);
  const passage = $derived(plan?.passages[session.passage] ?? null);
  /** Whether a passage itself is chosen, and not one of its vantages. */
  const onWay = $derived(session.selection?.kind === "passage" && passage !== null);
  const last = $derived(index === (film?.vantages.length ?? 0) - 1);
  const plain = $derived(film?.ground.kind === "plain");
  const kilo = $derived(vantage && length(vantage.span, film!.ground.kind)[1] === "km" ? 1000 : 1);
  const path = $derived(`/vantages/${index}`);
  const route = $derived(session.mark?.kind === "route" ? (session.mark as Found<"route">) : undefined);

  /** A number of the vantage: where it stands, and what it is. */
  const number = (field: "span" | "tilt" | "heading" | "roll" | "focal" | "hold") => ({
    path: `${path}/${field}`,
    value: vantage![field],
  });

  function show() {
    if (laid && !player.playing && player.frame !== laid.start) player.seek(laid.start);
  }

  function go(to: number) {
    const target = film!.vantages[to];
    if (!target) return;
    session.select({ kind: "vantage", id: target.id });
    player.seek(plan!.vantages[to]!.start);
  }

  /** To the passage before or after the chosen one. */
  function goOn(by: number) {
    const other = plan!.passages[session.passage + by];
    if (!other) return;
    session.select({ kind: "passage", id: other.vantage });
    player.seek(other.start);
  }

  function zoomTo() {
    if (passage) session.showFrames = [passage.start, passage.start + Math.max(passage.frames, 1)];
  }

  async function duplicate() {
    const id = newId();
    if (!(await session.act({ act: "duplicate_vantage", vantage: vantage!.id, id }))) return;
    session.select({ kind: "vantage", id });
  }

  async function remove() {
    const at = index;
    if (!(await session.act({ act: "remove_vantages", vantages: session.chosen }))) return;
    const left = session.film!.vantages[Math.min(at, session.film!.vantages.length - 1)];
    session.select(left ? { kind: "vantage", id: left.id } : null);
  }
</script>

<section class="details" aria-label="Details">
  {#if onWay && film && passage}
    <header data-part={passage.vantage}>
      <span class="number">{session.passage + 1}</span><Icon name="right" size={13} /><span class="number after"
        >{session.passage + 2}</span
      >
      <b class="way">{film.vantages[session.passage]!.name} to {film.vantages[session.passage + 1]!.name}</b>
      {#if session.passages.length > 1}<span class="many">{session.passages.length} chosen</span>{/if}
      <button title="Fill the profile with it" onclick={zoomTo}><Icon name="span" size={15} /></button>
      <i></i>
      <button title="The passage before" disabled={session.passage === 0} onclick={() => goOn(-1)}
        ><Icon name="up" size={15} /></button
      >
      <button title="The passage after" disabled={session.passage > plan!.passages.length - 2} onclick={() => goOn(1)}
        ><Icon name="down" size={15} /></button
      >
    </header>
  {:else if vantage && laid && film}
    <header data-part={vantage?.id}>
      <span class="number">{index + 1}</span>
      <input
        class="name"
        aria-label="Name of the vantage"
        value={vantage.name}
        onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        onchange={(event) =>
          session.patch([{ op: "replace", path: `${path}/name`, value: event.currentTarget.value }], "Rename vantage")}
      />
      {#if session.also.length}<span class="many">{session.chosen.length} chosen</span>{/if}
      <button title="Duplicate (Ctrl D)" onclick={duplicate}><Icon name="copy" size={15} /></button>
      <button
        title="Earlier in the film"
        disabled={index === 0}
        onclick={() => session.act({ act: "reorder_vantage", vantage: vantage.id, to: index - 1 })}
        ><Icon name="left" size={15} /></button
      >
      <button
        title="Later in the film"
        disabled={last}
        onclick={() => session.act({ act: "reorder_vantage", vantage: vantage.id, to: index + 1 })}
        ><Icon name="right" size={15} /></button
      >
      <button title="Delete (Del)" onclick={remove}><Icon name="bin" size={15} /></button>
      <i></i>
      <button title="Previous vantage (↑)" disabled={index === 0} onclick={() => go(index - 1)}
        ><Icon name="up" size={15} /></button
      >
      <button title="Next vantage (↓)" disabled={last} onclick={() => go(index + 1)}
        ><Icon name="down" size={15} /></button
      >
    </header>
    <Cells columns={3}>
      {#each ["x", "y"] as const as axis (axis)}
        <Field
          path="{path}/{axis}"
          label={plain ? axis.toUpperCase() : axis === "x" ? "East" : "North"}
          value={vantage[axis]}
          unit={plain ? "px" : "km"}
          factor={plain ? 1 : 1000}
          significant={7}
          step={vantage.span / 200}
          places={plain ? 3 : 6}
          ontouch={show}
        />
      {/each}
      <Field
        {...number("span")}
        {...session.numberOf("Vantage", "span")}
        label="Ground span"
        icon="span"
        unit={length(vantage.span, film.ground.kind)[1]}
        factor={kilo}
        step={0.01}
        log
        places={6}
        ontouch={show}
      />
      <Field {...number("tilt")} {...session.numberOf("Vantage", "tilt")} icon="tilt" ontouch={show} />
      <Field
        {...number("heading")}
        {...session.numberOf("Vantage", "heading")}
        step={1}
        icon="heading"
        ontouch={show}
      />
      <Field {...number("roll")} {...session.numberOf("Vantage", "roll")} icon="roll" ontouch={show} />
      <Field {...number("focal")} {...session.numberOf("Vantage", "focal")} icon="lens" ontouch={show} />
      <Field
        {...number("hold")}
        {...session.numberOf("Vantage", "hold")}
        label={laid.flows ? "Hold (passed over)" : "Hold"}
        icon="hold"
        unit="s"
        step={0.1}
        places={3}
        disabled={laid.flows}
        ontouch={show}
      />
      <button
        class="cell action"
        onclick={() => session.showOutline([...laid.outline, [laid.eye[0], laid.eye[1]]], 1.3)}
        title="Show this frame on the chart"><Icon name="frame" size={15} />Show it</button
      >
    </Cells>
  {:else if route}
    <RouteDetails of={route} />
  {:else}
    <header><h2>Vantages</h2></header>
    <p>
      {film?.vantages.length
        ? "Pick a vantage on the chart or in the profile."
        : film?.plates.length
          ? "Where should the camera rest? Draw a frame with the Vantage tool, fly freely in the viewfinder and keep what you see, or take a recipe below."
          : "Bring map pictures in Gather first. Then set vantages here."}
    </p>
  {/if}
  <div class="tabs">
    <Segments
      label="Below"
      tight
      options={[
        { value: "passage", label: "Passage", hint: "The move from here to the next vantage" },
        { value: "extras", label: "Extras", hint: "Flow, breath, shake, settling, opening and end" },
        { value: "order", label: "Order", hint: "All vantages, to drag into another order" },
        { value: "time", label: "Time", hint: "Length, stretching, beats" },
        { value: "recipes", label: "Recipes", hint: "Whole choreographies from a list of places" },
      ]}
      value={session.sheetTab}
      onchange={(tab) => (session.sheetTab = tab)}
    />
  </div>
  {#if session.sheetTab === "extras"}<ExtrasPanel {vantage} {index} />
  {:else if session.sheetTab === "time"}<TimePanel />
  {:else if session.sheetTab === "recipes"}<RecipePanel />
  {:else if session.sheetTab === "order"}<VantageList />
  {:else if vantage && passage && film}
    {#if !onWay && index > 0 && !last}
      <div class="sides">
        <Segments
          label="Which passage"
          tight
          options={[
            { value: "leads", label: `From ${index}`, hint: "The passage that leads here" },
            { value: "leaves", label: `To ${index + 2}`, hint: "The passage that leaves from here" },
          ]}
          value={session.side}
          onchange={(side) => (session.side = side)}
        />
        <Button onclick={zoomTo} title="Fill the profile with this passage">Zoom to it</Button>
      </div>
    {/if}
    <PassagePanel vantage={film.vantages[session.passage]!} index={session.passage} {passage} />
  {:else if vantage}<p>The film ends here. A further vantage makes a passage from this one.</p>
  {:else}<VantageList />{/if}
</section>

<style>
  .details {
    overflow-y: auto;
    min-height: 0;
  }
  header {
    height: 28px;
    display: flex;
    align-items: center;
    padding: 0 7px 0 12px;
    border-bottom: 1px solid var(--rule);
    gap: 1px;
  }
  .number {
    min-width: 17px;
    height: 16px;
    border-radius: 2px;
    background: var(--camera);
    color: #fff;
    font-size: 11px;
    font-weight: 680;
    display: grid;
    place-items: center;
    margin-right: 6px;
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
  }
  .number.after {
    margin: 0 6px 0 0;
  }
  header .number:has(+ :global(svg)) {
    margin-right: 0;
  }
  .way {
    flex: 1;
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-weight: 660;
  }
  .sides {
    display: flex;
    gap: 8px;
    padding: 6px 12px 0;
  }
  .sides :global(.segments) {
    flex: 1;
  }
  .name:hover {
    background: var(--desk);
  }
  .many {
    color: var(--camera-deep);
    font-weight: 540;
    padding: 0 5px;
    white-space: nowrap;
  }
  header button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 3px;
    color: var(--ink-2);
  }
  header button:hover:not(:disabled) {
    background: var(--desk);
  }
  header button:disabled {
    color: #a7b0ac;
  }
  i {
    width: 1px;
    height: 14px;
    background: var(--rule);
    margin: 0 3px;
  }
  .action {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px;
    border: 0 solid var(--rule);
    border-width: 1px 0 0 1px;
    color: var(--ink-2);
    font-weight: 500;
  }
  .action:hover {
    background: var(--sheet);
    color: var(--ink);
  }
  p {
    padding: 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
  .tabs {
    padding: 6px 12px;
    border-top: 1px solid var(--rule-strong);
    border-bottom: 1px solid var(--rule);
    position: sticky;
    top: 0;
    background: var(--paper);
    z-index: 2;
  }
</style>
