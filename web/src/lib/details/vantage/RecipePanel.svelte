<script lang="ts">
  import { api, frameUrl, told, type Act, type Place } from "../../api/client";
  import { player } from "../../film/player.svelte";
  import { session } from "../../film/session.svelte";
  import { digits, length } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Icon from "../../ui/Icon.svelte";

  type Recipe = Extract<Act, { act: "build_recipe" }>["recipe"];
  const COUNT = 6;

  let chosen = $state<Recipe["kind"]>("step_across");
  let values = $state<Record<string, Record<string, number>>>({});
  let places = $state<{ name: string; x: number; y: number; size: number }[]>([]);
  let search = $state("");
  let hits = $state<Place[]>([]);
  let preview = $state.raw<{ state: string; frames: number[]; seconds: number } | null>(null);
  let fault = $state("");
  let asked = 0;

  const recipes = $derived(session.choices?.recipes ?? []);
  const recipe = $derived(recipes.find((one) => one.kind === chosen));
  const sliders = $derived(recipe?.sliders ?? []);
  const numbers = $derived<Record<string, number>>({
    ...Object.fromEntries(sliders.map(({ key, start }) => [key, start])),
    ...values[chosen],
  });
  const film = $derived(session.film!);
  const route = $derived(
    session.selection?.kind === "route" ? session.selection.id : places.length ? null : (film.routes[0]?.id ?? null),
  );
  const along = $derived(chosen === "route_follow" && route !== null);
  const act = $derived({
    act: "build_recipe" as const,
    recipe: { kind: chosen, ...numbers, ...(along ? { route } : {}) } as Recipe,
    places: places.map(({ name, x, y, size }) => ({ name, x, y, size })),
    instead: false,
  });
  const ready = $derived(along || places.length > 0);

  async function look(text: string) {
    search = text;
    hits =
      text.trim() && film.ground.kind === "mercator"
        ? await told<Place[]>(api.GET("/api/places", { params: { query: { q: text } } }))
        : [];
  }

  function add(place: { name: string; x: number; y: number; size: number }) {
    places = [...places, place];
    [search, hits] = ["", []];
  }

  function addShown() {
    add({
      name: `Place ${places.length + 1}`,
      x: session.shown.x,
      y: session.shown.y,
      size: session.shown.width,
    });
  }

  function addChosen() {
    const some = film.vantages.filter((one) => session.chosen.includes(one.id));
    places = [...places, ...some.map(({ name, x, y, span }) => ({ name, x, y, size: span }))];
  }

  // What it would look like: the film with it, tried and drawn.
  $effect(() => {
    const body = act;
    const [turn, before] = [++asked, session.sheet?.plan.vantages.length ?? 0];
    if (!ready || !session.sheet) {
      preview = null;
      fault = "";
      return;
    }
    const timer = setTimeout(async () => {
      try {
        const trial = await session.madeOf(body);
        if (turn !== asked) return;
        const first = trial.plan.vantages[before]?.start ?? 0;
        const last = trial.plan.frames - 1;
        const frames = Array.from({ length: COUNT }, (_, k) => Math.round(first + ((last - first) * k) / (COUNT - 1)));
        preview = { state: trial.state, frames, seconds: (last - first + 1) / session.rate };
        fault = "";
      } catch (error) {
        if (turn !== asked) return;
        [preview, fault] = [null, (error as Error).message];
      }
    }, 180);
    return () => clearTimeout(timer);
  });

  async function build(instead: boolean) {
    const before = instead ? 0 : film.vantages.length;
    if (!(await session.act({ ...act, instead }))) return;
    const first = session.film?.vantages[before];
    if (!first) return;
    session.select({ kind: "vantage", id: first.id });
    player.seek(session.plan!.vantages[before]!.start);
    session.sheetTab = "passage";
    places = [];
  }
</script>

<div class="kinds" role="radiogroup" aria-label="Recipe">
  {#each recipes as one (one.kind)}
    <button
      role="radio"
      aria-checked={one.kind === chosen}
      class:on={one.kind === chosen}
      title={one.says}
      onclick={() => (chosen = one.kind as Recipe["kind"])}>{one.label}</button
    >
  {/each}
</div>
<p>{recipe?.says}.</p>
<Cells columns={3}>
  {#each sliders as slider (slider.key)}
    <Cell
      label={slider.label}
      value={numbers[slider.key]!}
      text={digits(numbers[slider.key]!)}
      unit={slider.unit}
      step={slider.step}
      min={slider.least}
      max={slider.most}
      ontry={(value) =>
        (values = {
          ...values,
          [chosen]: { ...numbers, [slider.key]: slider.whole ? Math.round(value) : Number(value.toFixed(3)) },
        })}
      onkeep={() => {}}
      ondrop={() => {}}
    />
  {/each}
</Cells>
<div class="places">
  {#if along}
    <div class="row">
      <b>{film.routes.find((one) => one.id === route)!.name}</b><span>the route, with its stops</span>
    </div>
  {/if}
  {#each places as place, k (k)}
    <div class="row">
      <span class="count">{k + 1}</span>
      <input aria-label="Name of place {k + 1}" bind:value={place.name} />
      <span class="wide"
        >{length(place.size, film.ground.kind).join(" ")} wide
        <button title="Half as wide" onclick={() => (place.size /= 2)}>−</button>
        <button title="Twice as wide" onclick={() => (place.size *= 2)}>+</button></span
      >
      <button title="Earlier" disabled={k === 0} onclick={() => places.splice(k - 1, 0, ...places.splice(k, 1))}
        ><Icon name="up" size={13} /></button
      >
      <button title="Take away" onclick={() => places.splice(k, 1)}><Icon name="close" size={13} /></button>
    </div>
  {/each}
  <div class="row add">
    {#if film.ground.kind === "mercator"}
      <input
        class="search"
        placeholder="Add a place by name, or 2.05, 4.25"
        aria-label="Add a place"
        value={search}
        oninput={(event) => look(event.currentTarget.value)}
        onkeydown={(event) => event.key === "Enter" && hits[0] && add({ ...hits[0], size: hits[0].size * 1.6 })}
      />
    {/if}
    <Button onclick={addShown} title="What the chart shows">What the chart shows</Button>
    {#if session.chosen.length}<Button onclick={addChosen} title="The places of the chosen vantages"
        >{session.chosen.length > 1 ? `${session.chosen.length} chosen` : "The chosen"}</Button
      >{/if}
  </div>
  {#each hits as hit (hit.name)}
    <button class="hit" onclick={() => add({ name: hit.name, x: hit.x, y: hit.y, size: hit.size * 1.6 })}
      ><b>{hit.name}</b><span>{hit.kind}</span></button
    >
  {/each}
</div>
{#if fault}<p class="fault" role="alert">{fault}</p>{/if}
{#if preview}
  <div class="preview" aria-label="What it would look like">
    {#each preview.frames as frame (frame)}
      <img src={frameUrl(session.id, preview.state, frame, 192, "draft", session.without.join())} alt="" />
    {/each}
  </div>
  <div class="build">
    <span>{preview.seconds.toFixed(1)} s</span>
    <span class="space"></span>
    {#if film.vantages.length}<Button onclick={() => build(true)}>Instead of all vantages</Button>{/if}
    <Button onclick={() => build(false)}>{film.vantages.length ? "Build it behind them" : "Build it"}</Button>
  </div>
{/if}

<style>
  .kinds {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    gap: 1px;
    background: var(--rule);
    border-bottom: 1px solid var(--rule);
  }
  .kinds button {
    height: 26px;
    background: var(--paper);
    color: var(--ink-2);
    font-weight: 500;
  }
  .kinds button:hover {
    background: var(--sheet);
  }
  .kinds .on {
    background: var(--camera);
    color: #fff;
    font-weight: 600;
  }
  p {
    padding: 6px 12px;
    color: var(--ink-2);
    border-bottom: 1px solid var(--rule);
  }
  .fault {
    color: var(--imagery-deep);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 5px;
    padding: 2px 8px 2px 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  .row.add {
    padding: 5px 12px;
  }
  .row b {
    font-weight: 560;
  }
  .count {
    width: 16px;
    color: var(--ink-3);
  }
  .row span {
    color: var(--ink-2);
  }
  input {
    flex: 1;
    min-width: 0;
    height: 24px;
    border: 1px solid transparent;
    border-radius: 3px;
    background: none;
    padding: 0 5px;
    font-weight: 540;
  }
  input:hover,
  input:focus,
  .search {
    border-color: var(--edge);
    background: var(--sheet);
    font-weight: 420;
  }
  .row button:not(:global(.button)) {
    min-width: 22px;
    height: 22px;
    display: inline-grid;
    place-items: center;
    color: var(--ink-2);
    border-radius: 3px;
  }
  .hit {
    width: 100%;
    height: 26px;
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    background: var(--sheet);
  }
  .hit:hover {
    background: var(--desk);
  }
  .hit b {
    font-weight: 560;
  }
  .hit span {
    color: var(--ink-3);
  }
  .preview {
    display: grid;
    grid-template-columns: repeat(6, 1fr);
    gap: 2px;
    padding: 5px 12px;
    background: var(--mat);
  }
  .preview img {
    width: 100%;
    aspect-ratio: 16 / 9;
    object-fit: cover;
    display: block;
  }
  .build {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 6px 12px;
    color: var(--ink-2);
  }
  .space {
    flex: 1;
  }
</style>
