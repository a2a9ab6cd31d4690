<script lang="ts">
  import { arrivals } from "../film/arrivals.svelte";
  import { ROLES } from "../film/plates";
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import { isOpen } from "../film/watch";
  import { clock, length } from "../format";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import CapturePanel from "./CapturePanel.svelte";

  let picker: HTMLInputElement;
  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const ground = $derived(film?.ground.kind ?? "plain");
  const imports = $derived(
    session.jobs.filter(
      (job) =>
        (job.kind === "import" || job.kind === "capture") &&
        (job.state !== "done" || job.message) &&
        !dismissed.includes(job.id),
    ),
  );
  let dismissed = $state<string[]>([]);
  const rows = $derived((film?.plates ?? []).map((plate, index) => ({ plate, laid: plan!.plates[index]! })).reverse());
</script>

<section class="gathered" aria-label="Plates">
  <header>
    <h2>Plates</h2>
    <span class="sub">{film?.plates.length ?? 0} laid{arrivals.count ? `, ${arrivals.count} arriving` : ""}</span>
  </header>
  <div class="rows">
    {#each arrivals.list as arrival (arrival)}
      <div class="row" class:bad={arrival.error}>
        <span class="blank"></span>
        <div class="what"><b>{arrival.name}</b><span>{arrival.error || "sending"}</span></div>
        {#if arrival.error}
          <button title="Put away" onclick={() => arrivals.dismiss(arrival)}><Icon name="close" size={14} /></button>
        {:else}
          <progress max="1" value={arrival.share} aria-label="Sending {arrival.name}"></progress>
        {/if}
      </div>
    {/each}
    {#each imports as job (job.id)}
      {@const bad = !isOpen(job)}
      <div class="row" class:bad>
        <span class="blank"></span>
        <div class="what">
          <b>{job.name}</b>
          <span
            >{bad
              ? job.message
              : job.state === "waiting"
                ? "waiting its turn"
                : `${Math.round((100 * job.done) / Math.max(job.total, 1))} %${job.kind === "capture" ? ` of ${(job.total - 1).toLocaleString("en")} tiles` : ""}${job.left ? `, ${clock(job.left)} left` : ""}`}</span
          >
        </div>
        {#if bad}
          <button title="Put away" onclick={() => dismissed.push(job.id)}><Icon name="close" size={14} /></button>
        {:else}
          <progress max={job.total} value={job.done} aria-label="Importing {job.name}"></progress>
          <button title="Cancel" onclick={() => session.cancel(job.id)}><Icon name="close" size={14} /></button>
        {/if}
      </div>
    {/each}
    {#each rows as { plate, laid } (plate.id)}
      <button
        class="row pick"
        class:on={session.selection?.id === plate.id}
        onclick={() => session.select({ kind: "plate", id: plate.id })}
        ondblclick={() => session.showOutline(laid.outline, 1.15)}
      >
        <img src="/api/pictures/{plate.picture.sha256}/thumb" alt="" loading="lazy" />
        <div class="what">
          <b>{plate.name}</b><span
            >{plate.picture.width.toLocaleString("en")} × {plate.picture.height.toLocaleString("en")} px</span
          >
        </div>
        <div class="state">
          <b
            >{plate.holes.length
              ? `${plate.holes.length} ${plate.holes.length === 1 ? "tile" : "tiles"} missing`
              : "Ready"}</b
          ><span>{ROLES[plate.role] || `to ${length(laid.sharp_span, ground).join(" ")}`}</span>
        </div>
      </button>
      {#if plate.captured && plate.holes.length}
        <div class="again">
          <Button onclick={() => gathering.askAgain(plate.id)}>Ask for the missing tiles again</Button>
        </div>
      {/if}
    {/each}
  </div>
  <CapturePanel />
  <div class="drop">
    <Icon name="drop" size={22} />
    <div>
      <b>Drop pictures and ground data anywhere</b><span
        >PNG, JPEG, WebP, GeoTIFF, MBTiles, world files; GPX, KML, GeoJSON, shapefiles in a ZIP</span
      >
    </div>
    <Button onclick={() => picker.click()}>Choose</Button>
    <input
      bind:this={picker}
      type="file"
      multiple
      accept="image/png,image/jpeg,image/webp,image/tiff,.mbtiles,.wld,.jgw,.pgw,.tfw,.prj,.gpx,.kml,.kmz,.geojson,.json,.topojson,.csv,.tsv,.zip,.gpkg,.fgb"
      aria-label="Choose pictures"
      onchange={() => {
        if (picker.files) void arrivals.receive(picker.files).then(() => (picker.value = ""));
      }}
    />
  </div>
</section>

<style>
  .gathered {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
  }
  .sub {
    color: var(--ink-2);
    margin-left: 10px;
  }
  .gathered > :global(*) {
    flex: none;
  }
  .rows {
    overflow-y: auto;
    max-height: 200px;
  }
  .row {
    display: flex;
    align-items: center;
    gap: 9px;
    min-height: 39px;
    width: 100%;
    padding: 3px 12px;
    border-bottom: 1px solid var(--rule);
    text-align: left;
  }
  .pick:hover,
  .pick.on {
    background: var(--sheet);
  }
  .pick.on {
    box-shadow: inset 3px 0 0 var(--imagery);
  }
  .bad {
    background: var(--imagery-tint);
  }
  img,
  .blank {
    width: 44px;
    height: 30px;
    object-fit: cover;
    flex: none;
  }
  .blank {
    border: 1px dashed var(--imagery);
    background: var(--imagery-tint);
  }
  .what {
    flex: 1;
    min-width: 0;
    display: flex;
    flex-direction: column;
  }
  .what b {
    font-weight: 600;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .what span,
  .state span {
    color: var(--ink-2);
  }
  .state {
    display: flex;
    flex-direction: column;
    text-align: right;
    white-space: nowrap;
  }
  .state b {
    font-weight: 540;
  }
  progress {
    width: 70px;
    height: 5px;
    appearance: none;
    border: 0;
    background: var(--imagery-tint);
  }
  progress::-webkit-progress-bar {
    background: var(--imagery-tint);
  }
  progress::-webkit-progress-value {
    background: var(--imagery);
  }
  .row button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    flex: none;
  }
  .drop {
    margin: 10px 12px;
    padding: 8px 10px;
    border: 1px dashed var(--edge);
    border-radius: 3px;
    display: flex;
    align-items: center;
    gap: 10px;
    color: var(--ink-2);
  }
  .drop div {
    flex: 1;
    display: flex;
    flex-direction: column;
  }
  .drop b {
    font-weight: 600;
    color: var(--ink);
  }
  input {
    position: absolute;
    width: 1px;
    height: 1px;
    opacity: 0;
    pointer-events: none;
  }
  .again {
    padding: 4px 12px 7px 65px;
    border-bottom: 1px solid var(--rule);
  }
</style>
