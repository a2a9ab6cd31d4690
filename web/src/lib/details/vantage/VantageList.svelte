<script lang="ts">
  import { api, told, type Place } from "../../api/client";
  import { player } from "../../film/player.svelte";
  import { newId, session } from "../../film/session.svelte";
  import { length } from "../../format";

  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const ground = $derived(film?.ground.kind ?? "plain");
  let search = $state("");
  let hits = $state<Place[]>([]);

  async function look(text: string) {
    search = text;
    hits = text.trim() ? await told<Place[]>(api.GET("/api/places", { params: { query: { q: text } } })) : [];
  }

  /** A vantage at a place, as wide as the place wants. */
  async function goTo(place: Place) {
    const id = newId();
    const after = session.after;
    const width = place.size * 1.6;
    const height = (width * film!.frame.height) / film!.frame.width;
    if (
      !(await session.act({ act: "add_vantage", at: [place.x, place.y], width, height, after, name: place.name, id }))
    )
      return;
    [search, hits] = ["", []];
    session.select({ kind: "vantage", id });
    const start = session.plan?.vantages.find((vantage) => vantage.id === id)?.start;
    if (start !== undefined) player.seek(start);
  }

  let dragged = $state<string | null>(null);
  let over = $state<number | null>(null);

  function pick(index: number) {
    session.select({ kind: "vantage", id: film!.vantages[index]!.id });
    player.seek(plan!.vantages[index]!.start);
  }

  function dropped(to: number) {
    if (dragged) void session.act({ act: "reorder_vantage", vantage: dragged, to });
    dragged = over = null;
  }
</script>

{#if ground === "mercator"}
  <div class="find">
    <input
      placeholder="A vantage at a place by name, or 2.05, 4.25"
      aria-label="A vantage at a place"
      value={search}
      oninput={(event) => look(event.currentTarget.value)}
      onkeydown={(event) => event.key === "Enter" && hits[0] && goTo(hits[0])}
    />
    {#each hits as hit (hit.name)}
      <button onclick={() => goTo(hit)}><b>{hit.name}</b><span>{hit.kind}</span></button>
    {/each}
  </div>
{/if}
{#if film && plan && film.vantages.length}
  <section aria-label="Vantages in order">
    {#each film.vantages as vantage, index (vantage.id)}
      {@const laid = plan.vantages[index]}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <div
        class="row"
        class:on={vantage.id === session.selection?.id}
        class:also={session.also.includes(vantage.id)}
        class:over={over === index}
        draggable="true"
        ondragstart={(event) => {
          dragged = vantage.id;
          event.dataTransfer!.effectAllowed = "move";
        }}
        ondragover={(event) => {
          if (!dragged) return;
          event.preventDefault();
          over = index;
        }}
        ondrop={(event) => {
          if (!dragged) return;
          event.preventDefault();
          event.stopPropagation();
          dropped(index);
        }}
        ondragend={() => (dragged = over = null)}
      >
        <button
          onclick={(event) =>
            event.shiftKey || event.ctrlKey || event.metaKey
              ? session.choose("vantage", vantage.id, event.shiftKey)
              : pick(index)}
          ondblclick={() => laid && session.showOutline([...laid.outline, [laid.eye[0], laid.eye[1]]], 1.3)}
        >
          <span class="number">{index + 1}</span>
          <b>{vantage.name}</b>
          <span class="figure">{length(vantage.span, ground).join(" ")}</span>
          <span class="figure">{vantage.tilt ? `tilt ${Math.round(vantage.tilt)}°` : "straight"}</span>
          <span class="time">{laid?.timecode.slice(3)}</span>
        </button>
      </div>
    {/each}
  </section>
{/if}

<style>
  .find {
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .find input {
    width: 100%;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
  }
  .find button {
    display: flex;
    gap: 8px;
    grid-template-columns: none;
    padding: 0 6px;
  }
  .find button:hover {
    background: var(--desk);
  }
  .row {
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .row:hover,
  .row.on {
    background: var(--sheet);
  }
  .row.also {
    background: var(--sheet);
    border-left-color: var(--camera-tint, #e9a5b8);
  }
  .row.on {
    border-left-color: var(--camera);
  }
  .row.over {
    box-shadow: inset 0 2px 0 var(--ink);
  }
  button {
    width: 100%;
    height: 24px;
    display: grid;
    grid-template-columns: 26px minmax(0, 1fr) 74px 58px 66px;
    align-items: center;
    text-align: left;
    padding: 0 12px 0 9px;
    color: var(--ink-2);
  }
  .number {
    width: 17px;
    height: 15px;
    border: 1px solid var(--camera);
    border-radius: 2px;
    font-size: 10.5px;
    line-height: 13px;
    font-weight: 680;
    color: var(--camera);
    text-align: center;
    background: #fff;
  }
  .on .number {
    background: var(--camera);
    color: #fff;
  }
  b {
    font-weight: 560;
    color: var(--ink);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .figure {
    text-align: right;
    white-space: nowrap;
  }
  .time {
    font-family: var(--mono);
    font-size: 11px;
    text-align: right;
  }
</style>
