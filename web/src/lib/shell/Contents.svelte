<script lang="ts">
  import { opened } from "../film/opened.svelte";
  import { session } from "../film/session.svelte";
  import { length } from "../format";
  import Button from "../ui/Button.svelte";
  import Select from "../ui/Select.svelte";
  import Sheet from "../ui/Sheet.svelte";

  let search = $state("");
  const things = $derived(opened.contents?.things ?? []);
  const shown = $derived(
    things
      .map((thing, k) => ({ thing, k }))
      .filter(({ thing }) => `${thing.name} ${thing.folder}`.toLowerCase().includes(search.trim().toLowerCase())),
  );
  const all = $derived(shown.every(({ k }) => opened.ticked.has(k)));
  const counts = $derived(
    (["way", "place", "outline", "camera"] as const)
      .map((kind) => [things.filter((thing) => thing.kind === kind).length, kind] as const)
      .filter(([count]) => count)
      .map(([count, kind]) => `${count} ${kind}${count === 1 ? "" : "s"}`)
      .join(", "),
  );
  const has = (kind: string) => things.some((thing) => thing.kind === kind);

  function tick(k: number, on: boolean) {
    const next = new Set(opened.ticked);
    if (on) next.add(k);
    else next.delete(k);
    opened.ticked = next;
  }

  function tickAll(on: boolean) {
    const next = new Set(opened.ticked);
    for (const { k } of shown) {
      if (on) next.add(k);
      else next.delete(k);
    }
    opened.ticked = next;
  }

  function says({ kind, points, stops, seconds, box }: (typeof things)[number]): string {
    if (seconds !== null) return `${points.toLocaleString()} views, ${seconds.toFixed(1)} s`;
    const wide = length(Math.max(box[2] - box[0], box[3] - box[1]), session.film!.ground.kind).join(" ");
    if (kind === "place") return "place";
    return `${points.toLocaleString()} points${stops ? `, ${stops} stops` : ""}, ${wide} across`;
  }
</script>

<Sheet label="Contents of a file" title={opened.file?.name ?? ""} says={counts} onclose={() => opened.putAway()}>
  <div class="line">
    <label class="all"
      ><input type="checkbox" checked={all} onchange={(event) => tickAll(event.currentTarget.checked)} />
      {search ? "All found" : "All"}</label
    >
    <input type="search" aria-label="Find in the file" placeholder="Find by name" bind:value={search} />
  </div>
  <div class="rows" role="list">
    {#each shown.slice(0, 400) as { thing, k } (k)}
      <label class="row" role="listitem">
        <input
          type="checkbox"
          checked={opened.ticked.has(k)}
          onchange={(event) => tick(k, event.currentTarget.checked)}
        />
        <i class={thing.kind} style:background={thing.colour ?? undefined}></i>
        <b>{thing.name}</b>
        <span>{thing.folder ? `${thing.folder}, ` : ""}{says(thing)}</span>
      </label>
    {:else}<p>Nothing here has that name.</p>{/each}
    {#if shown.length > 400}<p>{shown.length - 400} more: find them by name.</p>{/if}
  </div>
  {#if has("camera")}
    <div class="line">
      <label class="stray"
        >A camera becomes vantages that keep its picture within
        <input
          type="number"
          min="0.1"
          max="50"
          step="0.5"
          aria-label="How far the picture may be from that of the camera, percent of its width"
          value={opened.error}
          onchange={(event) => (opened.error = Number(event.currentTarget.value) || 1)}
        /> %</label
      >
    </div>
  {/if}
  {#if has("place") || has("way")}
    <div class="line">
      {#if has("place")}
        <Select
          label="Places become"
          caption="Places"
          value={opened.places}
          options={[
            { value: "named", label: "markers with names" },
            { value: "markers", label: "markers" },
            { value: "labels", label: "names" },
          ]}
          onchange={(value) => (opened.places = value)}
        />
      {/if}
      {#if has("way")}
        <label class="stray"
          >Ways stray by
          <input
            type="number"
            min="0.1"
            step="1"
            placeholder="fitting"
            aria-label="How far ways may stray, metres"
            value={opened.tolerance ?? ""}
            onchange={(event) => (opened.tolerance = Number(event.currentTarget.value) || null)}
          /> m</label
        >
      {/if}
    </div>
  {/if}
  {#each opened.contents?.notes ?? [] as note (note)}<p>{note}</p>{/each}
  <footer>
    <Button disabled={!opened.ticked.size} onclick={() => opened.lay()}
      >Lay {opened.ticked.size === things.length ? "all" : opened.ticked.size}
      {things.length === 1 ? "" : `of ${things.length}`}</Button
    >
  </footer>
</Sheet>

<style>
  .line,
  footer {
    flex: none;
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .all,
  .stray {
    display: flex;
    align-items: center;
    gap: 6px;
    white-space: nowrap;
  }
  .line input[type="search"] {
    flex: 1;
    min-width: 0;
  }
  .stray input {
    width: 64px;
  }
  .line input:not([type="checkbox"]) {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    padding: 0 7px;
    background: var(--sheet);
    font: inherit;
  }
  .rows {
    overflow-y: auto;
    min-height: 60px;
    max-height: 420px;
  }
  .row {
    display: grid;
    grid-template-columns: 18px 14px minmax(0, 1fr) auto;
    align-items: center;
    gap: 6px;
    min-height: 26px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
  }
  .row b {
    font-weight: 540;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  input[type="checkbox"] {
    accent-color: var(--ink);
  }
  .row span {
    color: var(--ink-2);
    white-space: nowrap;
  }
  i {
    width: 12px;
    height: 4px;
    background: #0b7d74;
  }
  i.place {
    width: 9px;
    height: 9px;
    border-radius: 50%;
  }
  i.camera {
    background: var(--camera);
  }
  i.outline {
    height: 10px;
    opacity: 0.6;
  }
  p {
    padding: 8px 12px;
    color: var(--ink-2);
  }
  footer {
    justify-content: flex-end;
    border-bottom: 0;
  }
</style>
