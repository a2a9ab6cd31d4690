<script lang="ts">
  import type { Route } from "../../api/client";
  import { hangsOn, type Found, type Timed } from "../../film/marks";
  import { player } from "../../film/player.svelte";
  import { session } from "../../film/session.svelte";
  import { length } from "../../format";
  import PanelHead from "../../ui/PanelHead.svelte";
  import CoursePanel from "../CoursePanel.svelte";
  import DeckDetails from "./DeckDetails.svelte";
  import InsetDetails from "./InsetDetails.svelte";
  import LabelDetails from "./LabelDetails.svelte";
  import LampDetails from "./LampDetails.svelte";
  import MarkerDetails from "./MarkerDetails.svelte";
  import RegionDetails from "./RegionDetails.svelte";
  import RouteDetails from "./RouteDetails.svelte";

  const film = $derived(session.film!);
  const mark = $derived(session.mark);
  const course = $derived(session.courseAt(session.course));
  const rows = $derived([...session.marks].reverse());

  let sheet: HTMLElement;
  // The details of what is chosen stand at the top, however far down the list it was picked.
  $effect(() => {
    void session.selection?.id;
    sheet.scrollTop = 0;
  });
  const isShown = ({ kind, mark }: Found) => (kind === "route" ? (mark as Route).draws.shown : (mark as Timed).shown);
  const groups = $derived(
    [...new Set(session.marks.map(({ mark }) => mark.group).filter(Boolean))].map((name) => {
      const marks = session.marks.filter(({ mark }) => mark.group === name);
      return { name, marks: marks.length, shown: marks.some(isShown) };
    }),
  );

  function says(found: Found): string {
    if (found.kind !== "route") return hangsOn(found);
    const index = film.routes.findIndex(({ id }) => id === found.mark.id);
    const drawn = film.routes[index]!.draws.shown;
    return drawn ? length(session.plan!.routes[index]!.length, film.ground.kind).join(" ") : "only on the chart";
  }

  /** Up or down among those of its kind. */
  function restack(found: Found, by: number) {
    const kind = session.marks.filter((one) => one.kind === found.kind);
    const at = kind.findIndex((one) => one.mark.id === found.mark.id);
    void session.act({ act: "restack_mark", mark: found.mark.id, to: at + by });
  }
</script>

<section class="details" aria-label="Details" bind:this={sheet}>
  {#if mark?.kind === "route"}<RouteDetails of={mark as Found<"route">} />
  {:else if mark?.kind === "marker"}<MarkerDetails of={mark as Found<"marker">} />
  {:else if mark?.kind === "label"}<LabelDetails of={mark as Found<"label">} />
  {:else if mark?.kind === "region"}<RegionDetails of={mark as Found<"region">} />
  {:else if mark?.kind === "lamp"}<LampDetails of={mark as Found<"lamp">} />
  {:else if mark?.kind === "inset"}<InsetDetails of={mark as Found<"inset">} />
  {:else if mark?.kind === "deck"}<DeckDetails of={mark as Found<"deck">} />{/if}
  {#if mark && course}<CoursePanel {course} mark={mark.mark.id} />{/if}
  <PanelHead title="Marks" sub={rows.length ? `${rows.length}, the topmost first` : ""} strong />
  {#each groups as { name, marks, shown } (name)}
    <div class="group">
      <b>{name}</b><span>{marks} marks</span>
      <button onclick={() => session.act({ act: "show_group", group: name, shown: !shown })}
        >{shown ? "Hide all" : "Show all"}</button
      >
    </div>
  {/each}
  {#each rows as row (row.mark.id)}
    {@const on = session.selection?.id === row.mark.id}
    <div
      class="row"
      class:on
      class:also={session.also.includes(row.mark.id)}
      class:hidden={row.kind !== "route" && !(row.mark as Timed).shown}
    >
      <button
        class="pick"
        onclick={(event) => {
          if (event.shiftKey || event.ctrlKey || event.metaKey)
            return session.choose(row.kind, row.mark.id, event.shiftKey);
          session.select({ kind: row.kind, id: row.mark.id });
          player.seek(row.whole);
        }}
      >
        <i class={row.kind}>{row.kind === "label" ? "A" : ""}</i><b>{row.mark.name}</b><span
          >{row.mark.locked ? "locked, " : ""}{says(row)}</span
        ><u>{(row.start / session.rate).toFixed(2)} s</u>
      </button>
      {#if on}
        <button class="move" title="Further up among the {row.kind}s" onclick={() => restack(row, 1)}>↑</button>
        <button class="move" title="Further down among the {row.kind}s" onclick={() => restack(row, -1)}>↓</button>
      {/if}
    </div>
  {:else}
    <p>
      Nothing is marked yet. Draw a <b>Route</b> on the chart: its line grows in the film. Set a <b>Marker</b> on it,
      and it comes on the frame on which the line reaches it. A <b>Label</b> beside a marker comes with it.
    </p>
  {/each}
</section>

<style>
  .details {
    overflow-y: auto;
    min-height: 0;
  }
  .group {
    display: flex;
    align-items: center;
    gap: 8px;
    height: 27px;
    padding: 0 12px;
    background: #eceee8;
    border-bottom: 1px solid var(--rule);
    color: var(--ink-2);
  }
  .group span {
    flex: 1;
  }
  .group button {
    color: var(--ink);
    text-decoration: underline;
  }
  .row {
    display: flex;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .row.also {
    background: #dfeeeb;
  }
  .pick {
    flex: 1;
    min-width: 0;
    height: 27px;
    display: grid;
    grid-template-columns: 20px minmax(0, 1fr) auto 62px;
    align-items: center;
    gap: 4px;
    text-align: left;
    padding: 0 12px 0 9px;
    color: var(--ink-2);
  }
  .move {
    width: 24px;
    color: var(--ink-2);
  }
  .row:hover,
  .row.on {
    background: var(--sheet);
  }
  .row.on {
    border-left-color: #0a746d;
  }
  .row.hidden b {
    color: var(--ink-3);
    text-decoration: line-through;
  }
  b {
    font-weight: 560;
    color: var(--ink);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  u {
    text-decoration: none;
    font-family: var(--mono);
    font-size: 11px;
    text-align: right;
  }
  i {
    width: 11px;
    height: 11px;
    border-radius: 50%;
    border: 2px solid var(--ink);
  }
  i.route {
    border: 0;
    border-top: 3px solid #0a746d;
    border-radius: 0;
    height: 3px;
  }
  i.label {
    border: 0;
    border-radius: 0;
    font-style: normal;
    font-weight: 680;
    line-height: 11px;
    color: var(--ink);
  }
  i.lamp {
    background: radial-gradient(#ffd27a, #b8860b);
    border: 0;
  }
  i.deck {
    border-radius: 6px;
    height: 7px;
    background: #cfd8dd;
    border: 1px solid #7d93a3;
  }
  i.inset {
    border-radius: 1px;
    width: 13px;
    height: 9px;
    border: 1px solid var(--ink);
    background: #b9c9d6;
  }
  i.region {
    border-radius: 2px;
    border: 1px solid var(--ink);
    background: #e0d3a8;
  }
  p {
    padding: 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
