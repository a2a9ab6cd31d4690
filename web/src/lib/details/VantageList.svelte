<script lang="ts">
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { length } from "../format";

  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const ground = $derived(film?.ground.kind ?? "plain");
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

{#if film && plan && film.vantages.length}
  <section aria-label="Vantages in order">
    <header>
      <h2>Film</h2>
      <span>{film.vantages.length} vantages, drag to reorder</span>
    </header>
    {#each film.vantages as vantage, index (vantage.id)}
      {@const laid = plan.vantages[index]}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <div
        class="row"
        class:on={vantage.id === session.selection?.id}
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
          onclick={() => pick(index)}
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
  section {
    border-top: 1px solid var(--rule-strong);
  }
  header {
    height: 26px;
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    color: var(--ink-2);
  }
  .row {
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .row:hover,
  .row.on {
    background: var(--sheet);
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
