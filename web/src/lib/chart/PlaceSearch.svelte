<script lang="ts">
  import type { Place } from "../api/client";
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";

  let text = $state("");
  let found = $state.raw<Place[]>([]);
  let open = $state(false);
  let all = $state<HTMLElement>();
  let chooser = $state<HTMLInputElement>();
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

  function show() {
    open = true;
    void gathering.listGazetteers();
  }

  const whither = ({ x, y }: Place) =>
    `${(Math.abs(x) / 1000).toFixed(1)} km ${x < 0 ? "west" : "east"}, ${(Math.abs(y) / 1000).toFixed(1)} km ${y < 0 ? "south" : "north"}`;

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

<!-- It stays open while anything in it has the focus. -->
<div
  class="search"
  bind:this={all}
  onfocusout={(event) => {
    if (!all?.contains(event.relatedTarget as Node | null)) open = false;
  }}
>
  <input
    aria-label="Search a place, or latitude and longitude"
    placeholder="Place, or lat, lon"
    bind:value={text}
    oninput={look}
    onkeydown={keys}
    onfocus={show}
    onclick={show}
  />
  {#if open}
    <div class="list">
      <ul role="listbox" aria-label="Places found">
        {#each found as place, k (`${place.name} ${place.kind} ${place.x}`)}
          <li>
            <button role="option" aria-selected={k === at} class:at={k === at} onpointerdown={() => take(place)}>
              <b>{place.name}</b><span
                >{place.kind}{session.film?.ground.kind === "mercator" || !session.film?.plates.length
                  ? `, ${whither(place)}`
                  : ""}</span
              >
            </button>
          </li>
        {:else}
          {#if text.trim().length > 1}<li class="none">No place of that name in what is searched</li>{/if}
        {/each}
      </ul>
      <section aria-label="Gazetteers">
        <h3>Searched</h3>
        <p>Practice world</p>
        {#each gathering.gazetteers as { id, name, places } (id)}
          <p>
            {name}<span>{places.toLocaleString("en")}</span>
            <button title="Take “{name}” away" onclick={() => void gathering.removeGazetteer(id).then(look)}
              ><Icon name="close" size={12} /></button
            >
          </p>
        {/each}
        <Button
          title="A table of GeoNames (.txt, .zip), CSV, GeoJSON or another file of places"
          disabled={gathering.bringing}
          onclick={() => chooser?.click()}>{gathering.bringing ? "Reading it" : "Bring a gazetteer"}</Button
        >
      </section>
    </div>
  {/if}
  <input
    type="file"
    class="chooser"
    tabindex="-1"
    aria-label="Gazetteer file"
    accept=".txt,.tsv,.csv,.zip,.geojson,.json,.gpkg,.fgb,.kml,.kmz,.gpx"
    bind:this={chooser}
    onchange={(event) => {
      const file = event.currentTarget.files?.[0];
      event.currentTarget.value = "";
      if (file) void gathering.bringGazetteer(file).then(look);
    }}
  />
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
  .chooser {
    position: absolute;
    width: 1px;
    opacity: 0;
    pointer-events: none;
  }
  .list {
    position: fixed;
    z-index: 30;
    width: 260px;
    margin-top: 3px;
    background: var(--paper);
    border: 1px solid var(--rule-strong);
  }
  ul {
    list-style: none;
  }
  li button,
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
  section {
    padding: 6px 10px 8px;
    font-size: 11.5px;
  }
  h3 {
    font-size: 10.5px;
    font-weight: 420;
    color: var(--ink-3);
  }
  p {
    display: flex;
    gap: 8px;
    align-items: center;
    line-height: 20px;
  }
  p span {
    margin-left: auto;
    color: var(--ink-2);
  }
  p button {
    display: grid;
    place-items: center;
    width: 24px;
    height: 24px;
    margin: -2px -6px -2px 0;
    color: var(--ink-2);
  }
</style>
