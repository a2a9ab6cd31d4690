<script lang="ts">
  import type { Place } from "../api/client";
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";

  let text = $state("");
  let found = $state.raw<Place[]>([]);
  let open = $state(false);
  let at = $state(0);
  let asked = 0;

  async function look() {
    const turn = ++asked;
    const places = await gathering.findPlaces(text);
    if (turn !== asked) return;
    found = places;
    at = 0;
    open = text.trim().length > 1;
  }

  function take(place: Place) {
    open = false;
    text = place.name;
    gathering.goTo(place);
  }

  function keys(event: KeyboardEvent) {
    if (event.key === "ArrowDown") at = Math.min(at + 1, found.length - 1);
    else if (event.key === "ArrowUp") at = Math.max(at - 1, 0);
    else if (event.key === "Enter" && found[at]) take(found[at]!);
    else if (event.key === "Escape") open = false;
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="search">
  <input
    aria-label="Search a place, or latitude and longitude"
    placeholder="Place, or lat, lon"
    bind:value={text}
    oninput={look}
    onkeydown={keys}
    onfocus={() => (open = found.length > 0)}
    onblur={() => setTimeout(() => (open = false), 150)}
  />
  {#if open}
    <ul role="listbox" aria-label="Places found">
      {#each found as place, k (place.name + place.kind)}
        <li>
          <button role="option" aria-selected={k === at} class:at={k === at} onpointerdown={() => take(place)}>
            <b>{place.name}</b><span
              >{place.kind}{session.film?.ground.kind === "mercator" || !session.film?.plates.length
                ? `, E ${(place.x / 1000).toFixed(1)} N ${(place.y / 1000).toFixed(1)}`
                : ""}</span
            >
          </button>
        </li>
      {:else}
        <li class="none">No place of that name in the practice gazetteer</li>
      {/each}
    </ul>
  {/if}
</div>

<style>
  .search {
    position: relative;
  }
  input {
    width: 190px;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 8px;
  }
  ul {
    position: fixed;
    z-index: 30;
    width: 260px;
    margin-top: 3px;
    background: var(--paper);
    border: 1px solid var(--rule-strong);
    list-style: none;
  }
  button,
  .none {
    width: 100%;
    padding: 5px 10px;
    text-align: left;
    border-bottom: 1px solid var(--rule);
    color: var(--ink-2);
  }
  b {
    display: block;
    font-weight: 560;
    color: var(--ink);
  }
  .at {
    background: var(--sheet);
    box-shadow: inset 3px 0 0 var(--ink);
  }
</style>
