<script lang="ts">
  import { onMount } from "svelte";
  import { api, told, type OfferedFarm, type OfferedReels, type ReelPart } from "../api/client";
  import { hearing } from "../sound/hearing.svelte";
  import { LISTS } from "../film/marks";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { isOpen } from "../film/watch";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import JobState from "../ui/JobState.svelte";
  import Tick from "../ui/Tick.svelte";
  import { stretchOf, type Edge } from "./stretch";

  let { playing = $bindable() }: { playing: string | null } = $props();

  let width = $state("film");
  let crf = $state(18);
  let sound = $state(true);
  /** The scheduler of the farm that draws it, and whether there is a key to one. */
  let on = $state(localStorage.getItem("farm") ?? "");
  let farm = $state.raw<OfferedFarm | null>(null);
  $effect(() => localStorage.setItem("farm", on));
  let form = $state("h264");
  let atOnce = $state(false);
  let part = $state<ReelPart>("all");
  let offered = $state.raw<OfferedReels>({ forms: [], parts: [], marks: [] });
  const forms = $derived(offered.forms);
  const ofMarks = $derived(offered.parts.some(({ key, of_marks }) => key === part && of_marks));
  /** Which marks a part of them holds: all, those of a kind, or one. */
  let which = $state("");
  const named = $derived(
    session.marks
      .filter(({ kind }) => offered.marks.includes(LISTS[kind]))
      .map(({ kind, mark }) => ({ kind, id: mark.id, name: mark.name })),
  );
  const kinds = $derived([...new Set(named.map(({ kind }) => kind))]);
  // One that is taken away cannot be held any more.
  $effect(() => {
    if (which && !named.some(({ kind, id }) => which === kind || which === id)) which = "";
  });
  const only = $derived(
    ofMarks ? named.filter(({ kind, id }) => which === kind || which === id).map(({ id }) => id) : [],
  );
  const purposes = $derived([...new Set(forms.map(({ purpose }) => purpose))]);
  const chosen = $derived(forms.find(({ key }) => key === form) ?? null);
  const missing = $derived(forms.filter(({ available }) => !available).map(({ name }) => name));

  onMount(async () => {
    await session.guarded(async () => {
      offered = await told(api.GET("/api/forms"));
      farm = await told(api.GET("/api/farm"));
    }, false);
  });
  /** From where to where it goes. */
  let from = $state<Edge>("end");
  let to = $state<Edge>("end");
  const stretch = $derived(stretchOf(session.plan, from, to));
  const stops = $derived(
    (session.film?.vantages ?? []).map(({ id, name }, k) => ({ value: `at ${id}` as Edge, label: `${k + 1} ${name}` })),
  );
  /** Frames that were chosen by the playhead stay to be seen. */
  const frames = $derived([...new Set([from, to].filter((one) => one.startsWith("frame ")))] as Edge[]);
  const here = $derived(`frame ${player.frame}` as Edge);

  const film = $derived(session.film);
  const reels = $derived(session.jobs.filter((job) => job.kind === "reel"));
  const sizes = $derived.by(() => {
    if (!film) return [];
    const { width: w, height: h } = film.frame;
    const by = (times: number, says: string) => {
      const wide = Math.round((w * times) / 2) * 2;
      return { value: `${times}`, wide, label: `${wide} × ${Math.round((wide * h) / w / 2) * 2}, ${says}` };
    };
    const others = chosen?.still
      ? [2, 4, 8].map((times) => by(times, `${times} times the film’s`))
      : [by(0.5, "for a look"), by(1 / 3, "for a look"), by(2, "twice the film’s")];
    const most = chosen?.most ?? Infinity;
    return [
      { value: "film", wide: null, label: `${w} × ${h}, the film’s own` },
      ...others.filter(({ wide }) => Math.max(wide, (wide * h) / w) <= most),
    ];
  });
  const size = $derived(sizes.find(({ value }) => value === width) ?? sizes[0]);
  const HANDED = [
    {
      what: "gltf",
      name: "Camera in space (glTF)",
      hint: "The camera animated in metres, plates at their places, marks as nodes",
    },
    { what: "otio", name: "Timeline (OTIO)", hint: "Arrivals and marks as markers, for an editor" },
    { what: "tour", name: "Tour (KML)", hint: "The camera over the Earth, where the ground is georeferenced" },
    { what: "vtt", name: "Names (WebVTT)", hint: "When each name is read" },
    { what: "csv", name: "Camera (CSV)", hint: "Every frame’s numbers" },
    { what: "shots", name: "Shots, to print", hint: "A picture, time, place and width for each vantage" },
  ];
  const qualities = [
    { crf: 14, label: "Best, large file" },
    { crf: 18, label: "High" },
    { crf: 23, label: "Good, small file" },
    { crf: 28, label: "For a look" },
  ];
</script>

{#snippet edges()}
  {#each stops as { value, label } (value)}<option {value}>{label}</option>{/each}
  {#each frames as value (value)}<option {value}>{value}</option>{/each}
  {#if !frames.includes(here)}<option value={here}>the playhead, {here}</option>{/if}
{/snippet}

<section class="reels" aria-label="Reels">
  <header>
    <h2>New reel</h2>
    <span class="sub">{chosen ? `for ${chosen.purpose}` : ""}</span>
  </header>
  <div class="form">
    <label
      >Size <select bind:value={width}
        >{#each sizes as size (size.value)}<option value={size.value}>{size.label}</option>{/each}</select
      ></label
    >
    <label
      >Form <select bind:value={form}
        >{#each purposes as purpose (purpose)}<optgroup label="For {purpose}"
            >{#each forms.filter((one) => one.purpose === purpose && one.available) as one (one.key)}<option
                value={one.key}>{one.name}</option
              >{/each}</optgroup
          >{/each}</select
      ></label
    >
    {#if !chosen?.still}
      <div class="pair">
        <label
          >From <select bind:value={from} aria-label="From"
            ><option value="end">the start</option>{@render edges()}</select
          ></label
        >
        <label
          >To <select bind:value={to} aria-label="To"><option value="end">the end</option>{@render edges()}</select
          ></label
        >
      </div>
    {/if}
    {#if !chosen?.layers}
      <label
        >Holds <select bind:value={part}
          >{#each offered.parts as { key, name } (key)}<option value={key}>{name}</option>{/each}</select
        ></label
      >
      {#if ofMarks}
        <label
          >Which <select bind:value={which} aria-label="Which marks"
            ><option value="">All of them</option>{#each kinds as kind (kind)}<optgroup label="The {kind}s"
                ><option value={kind}>All {kind}s</option
                >{#each named.filter((one) => one.kind === kind) as one (one.id)}<option value={one.id}
                    >{one.name}</option
                  >{/each}</optgroup
              >{/each}</select
          ></label
        >
      {/if}
    {/if}

    <div class="pair">
      {#if chosen?.quality}
        <label
          >Quality <select bind:value={crf}
            >{#each qualities as quality (quality.crf)}<option value={quality.crf}
                >{quality.label} (CRF {quality.crf})</option
              >{/each}</select
          ></label
        >
      {/if}
      {#if hearing.sounds && (part === "all" || chosen?.layers) && chosen?.sounds}
        <label
          >Sound <select bind:value={sound}
            ><option value={true}
              >{chosen.purpose === "frame by frame" ? "The film’s, as a WAV beside the pictures" : "The film’s"}</option
            ><option value={false}>None</option></select
          ></label
        >
      {/if}
    </div>
    {#if farm?.key && !chosen?.still}
      <label
        >Drawn on <input
          bind:value={on}
          placeholder="this machine, or a farm: tls://host:8786"
          aria-label="Farm that draws it"
        /></label
      >
    {/if}
    {#if chosen?.layers}
      <p>
        Each picture holds the whole, the ground, the marks, those of each kind, and as Z how far the ground is, in
        {session.film?.ground.kind === "plain" ? "pixels" : "metres"}.
      </p>
    {:else if part === "ground" || part === "marks"}
      <p>
        Without what sticks to the frame: that is done to the whole, where the parts are laid together.{part ===
          "marks" && !chosen?.alpha
          ? " This form has no transparency, so they lie on black."
          : ""}
      </p>
    {:else if part === "depth"}
      <p>The target is always mid grey. Real distances are in OpenEXR with layers.</p>
    {/if}
    {#if missing.length}<p>Not offered, as this machine cannot write it: {missing.join(", ")}.</p>{/if}
    {#if size?.wide && chosen && size.wide > 4 * (film?.frame.width ?? 0)}
      <p>It is drawn in tiles and takes some minutes. Signs, names and lines grow with it.</p>
    {/if}
    <Tick label="At once, beside reels that are under way" bind:checked={atOnce} />
    <div class="go">
      <span class="sub"
        >{#if chosen?.still}frame {player.frame}{:else if stretch}{stretch.count} frames, {stretch.seconds.toFixed(1)} s{:else}It
          ends before it begins.{/if}</span
      >
      <button
        class="main"
        disabled={!session.plan?.frames || !stretch}
        onclick={() =>
          session.render(
            {
              first: chosen?.still ? player.frame : stretch!.first,
              last: chosen?.still ? player.frame : stretch!.last,
              width: size?.wide ?? null,
              crf,
              form,
              part: chosen?.layers ? "all" : part,
              only: chosen?.layers ? [] : only,
              sound,
              on: farm?.key ? on.trim() : "",
            },
            atOnce,
          )}
        ><Icon name="render" size={16} />{chosen?.still
          ? "Render this frame"
          : stretch && stretch.count < (session.plan?.frames ?? 0)
            ? "Render this part"
            : "Render film"}</button
      >
    </div>
    {#if !session.plan?.frames}<p>The film has no vantage yet. Set one in Fly.</p>{/if}
  </div>
  <header>
    <h2>Reels</h2>
    <span class="sub">{reels.length ? `${reels.length}` : "none yet"}</span>
  </header>
  <div class="rows">
    {#each reels as reel (reel.id)}
      <div
        class="row {reel.state}"
        class:on={playing === reel.id + reel.suffix}
        data-reel={reel.id}
        data-state={reel.state}
      >
        <div class="what">
          <b
            >{reel.size ? `${reel.size[0]} × ${reel.size[1]}` : reel.name}
            <u>{reel.form}{reel.crf === null ? "" : `, CRF ${reel.crf}`}{reel.part === "all" ? "" : `, ${reel.part}`}</u
            ></b
          >
          <JobState job={reel} />
        </div>
        {#if reel.state === "done"}
          {#if reel.plays}<Button
              onclick={() => (playing = playing === reel.id + reel.suffix ? null : reel.id + reel.suffix)}
              >{playing === reel.id + reel.suffix ? "Viewfinder" : "Play"}</Button
            >{/if}
          <Button href="/api/reels/{reel.id}{reel.suffix}?download=true">Download</Button>
        {:else if isOpen(reel)}
          <Button onclick={() => session.halt(reel.id, "pause")} title="What is written stays">Pause</Button>
          <Button onclick={() => session.cancel(reel.id)}>Cancel</Button>
        {:else if reel.state === "interrupted" || reel.state === "failed"}
          <Button onclick={() => session.halt(reel.id, "resume")} title="What is written already is used">Go on</Button>
          <Button onclick={() => session.cancel(reel.id)} title="Throw away what it has written">Give up</Button>
        {/if}
      </div>
    {/each}
  </div>
</section>

{#if session.plan?.frames}
  <section class="over" aria-label="Hand over">
    <header>
      <h2>Hand over</h2>
      <span class="sub">to other programs, and on paper</span>
    </header>
    <div class="links">
      {#each HANDED as { what, name, hint } (what)}
        <a
          href="/api/films/{session.id}/handover/{what}?state={session.state}"
          title={hint}
          target={what === "shots" ? "_blank" : undefined}>{name}</a
        >
      {/each}
    </div>
  </section>
{/if}

<style>
  .links {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    padding: 10px 12px;
  }
  .links a {
    height: 24px;
    line-height: 22px;
    padding: 0 9px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    text-decoration: none;
  }
  .reels {
    display: flex;
    flex-direction: column;
    min-height: 0;
    overflow-y: auto;
  }
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    border-top: 1px solid var(--rule-strong);
    margin-top: -1px;
  }
  .sub {
    color: var(--ink-2);
  }
  .form {
    padding: 8px 12px 10px;
    display: flex;
    flex-direction: column;
    gap: 6px;
  }
  label {
    display: grid;
    grid-template-columns: 56px 1fr;
    align-items: center;
    color: var(--ink-3);
  }
  .form input,
  select {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    font-weight: 520;
    padding: 0 4px;
  }
  .pair {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(160px, 1fr));
    gap: 6px 12px;
  }
  .pair:empty {
    display: none;
  }
  .pair label + label {
    grid-template-columns: 42px 1fr;
  }
  .pair select {
    min-width: 0;
  }
  .go {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding-left: 56px;
    padding-top: 2px;
  }
  .main {
    height: 28px;
    padding: 0 12px;
    border-radius: 3px;
    border: 1px solid var(--ink);
    background: var(--sheet);
    font-weight: 620;
    display: flex;
    align-items: center;
    gap: 7px;
  }
  .main:hover:not(:disabled) {
    background: var(--desk);
  }
  .main:disabled {
    border-color: var(--rule-strong);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 6px 12px;
    min-height: 42px;
    border-bottom: 1px solid var(--rule);
  }
  .row.on {
    background: var(--sheet);
    box-shadow: inset 3px 0 0 var(--ink);
  }
  .failed,
  .interrupted {
    background: var(--imagery-tint);
  }
  .what {
    flex: 1;
    min-width: 0;
    display: flex;
    flex-direction: column;
  }
  b {
    font-weight: 600;
  }
  u {
    text-decoration: none;
    font-weight: 420;
    color: var(--ink-2);
    margin-left: 4px;
  }
  p {
    color: var(--ink-2);
  }
</style>
