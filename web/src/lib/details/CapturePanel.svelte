<script lang="ts">
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import { digits, length } from "../format";
  import Button from "../ui/Button.svelte";
  import Cell from "../ui/Cell.svelte";
  import Cells from "../ui/Cells.svelte";
  import Icon from "../ui/Icon.svelte";
  import PanelHead from "../ui/PanelHead.svelte";
  import Segments from "../ui/Segments.svelte";
  import SourceForm from "./SourceForm.svelte";

  let adding = $state(false);
  const plan = $derived(gathering.plan);
  const chosen = $derived(gathering.chosen);
  const held = $derived(chosen?.holds ?? "pictures");
  /** Whether the film has plates that hold the same. */
  const alike = $derived(
    session.film!.plates.some(({ role }) => role === (held === "pictures" ? ("film" as const) : held)),
  );
  /** What becomes of plates that are no pictures to be seen by day. */
  const HELD = {
    heights: {
      there: "There are heights of all of it already.",
      comes: "The ground is raised by these as soon as they are here.",
    },
    lights: {
      there: "There is light of all of it already.",
      comes: "These shine at dusk as soon as they are here.",
    },
  };
  /** A timecode without its hours. */
  const short = (timecode: string) => timecode.slice(3);
  const busy = $derived(
    session.jobs.some((job) => job.kind === "capture" && ["running", "waiting"].includes(job.state)),
  );

  $effect(() => {
    void gathering.loadSources();
  });

  type Asked = "margin" | "density" | "budget" | "wide" | "close";
  type Range = { label: string; unit: string; step: number; min: number; max: number; log?: boolean; factor?: number };
  const SPAN = { unit: "km", factor: 1000, step: 0.1, log: true, min: 50, max: 2e7 };
</script>

<!-- A number of the plan counts at once; the plan follows when it is let go. -->
{#snippet asked(name: Asked, range: Range)}
  <Cell
    {...range}
    value={gathering[name]}
    text={name === "budget" ? gathering.budget.toLocaleString("en") : digits(gathering[name] / (range.factor ?? 1), 4)}
    ontry={(value) => (gathering[name] = name === "budget" ? Math.round(value) : value)}
    onkeep={() => gathering.makePlan()}
    ondrop={() => {}}
  />
{/snippet}

<PanelHead
  title="Capture plan"
  sub={plan?.looked
    ? plan.density < gathering.density * 0.999
      ? "coarser, to keep to the budget"
      : "within the budget"
    : ""}
  strong
>
  {#if plan?.plates.length}
    <Button onclick={() => gathering.fetchPlan()} disabled={busy} title="Fetch, stitch and lay these plates"
      >Fetch {plan.tiles.toLocaleString("en")} tiles</Button
    >
  {:else}
    <Button onclick={() => gathering.makePlan()} disabled={gathering.planning}
      >{gathering.planning ? "Planning" : "Make a plan"}</Button
    >
  {/if}
</PanelHead>
<div class="source">
  <select
    aria-label="Survey source"
    value={gathering.source}
    onchange={(event) => {
      gathering.source = event.currentTarget.value;
      gathering.plan = null;
    }}
  >
    {#each gathering.sources as source (source.id)}
      <option value={source.id}>{source.builtin ? `Practice survey: ${source.name}` : source.name}</option>
    {/each}
  </select>
  <Segments
    label="What the plan is for"
    options={[
      { value: "film", label: "The film", hint: "Everything the camera sees" },
      { value: "place", label: "A place", hint: "A descent on the place searched above the chart" },
    ]}
    value={gathering.of}
    onchange={(value) => {
      gathering.of = value;
      gathering.plan = null;
    }}
  />
  <Button onclick={() => (adding = !adding)} on={adding} title="Add a survey source of your own"
    ><Icon name="plus" size={13} />Source</Button
  >
</div>
{#if adding}<SourceForm onclose={() => (adding = false)} />{/if}
{#if chosen && !adding}
  <p class="terms" title={chosen.terms}>
    zoom {chosen.least} to {chosen.most}, {chosen.tile} px{chosen.credit ? ` · ${chosen.credit}` : " · no credit line"}
    {#if !chosen.builtin}<button class="plain" onclick={() => gathering.removeSource(chosen.id)}>Forget it</button>{/if}
  </p>
{/if}
<Cells columns={3}>
  {@render asked("budget", { label: "Budget", unit: "tiles", step: 100, min: 1, max: 200000 })}
  {@render asked("margin", { label: "Margin", unit: "%", step: 1, min: 0, max: 200 })}
  {@render asked("density", { label: "Density", unit: "px/px", step: 0.1, min: 0.1, max: 4 })}
</Cells>
{#if gathering.of === "place"}
  <Cells columns={3}>
    <div class="aside">
      <span>Place</span>
      <b>{gathering.place?.name ?? "none yet"}</b>
      <button title="Plan for the middle of the chart" onclick={() => gathering.goHere()}>here</button>
    </div>
    {@render asked("wide", { label: "From a span of", ...SPAN })}
    {@render asked("close", { label: "Down to", ...SPAN })}
  </Cells>
{/if}
{#if gathering.of === "film" && gathering.stretch && plan?.stretch}
  <p>
    For {short(plan.stretch[0])} to {short(plan.stretch[1])} only.
    <button
      class="plain"
      onclick={() => {
        gathering.stretch = null;
        void gathering.makePlan();
      }}>Plan the whole film</button
    >
  </p>
{/if}
{#if gathering.fault}<p class="fault" role="alert">{gathering.fault}</p>{/if}
{#if plan}
  {#if !plan.looked}
    <p>The camera sees no ground yet. Set a vantage in Fly, or plan for a place.</p>
  {:else if !plan.plates.length}
    <p>
      {plan.left > 0.98 && !alike
        ? "This survey has nothing there."
        : held !== "pictures"
          ? HELD[held].there
          : plan.left > 0.002
            ? "This survey has nothing better than the plates on the ground, and some of it stays soft or bare."
            : "Nothing is missing: the plates on the ground carry all of it."}
    </p>
  {:else}
    <div class="table">
      <div class="head"><span>Planned plate</span><span>Size, px</span><span>Sharp to</span><span>Serves</span></div>
      {#each plan.plates as plate, k (k)}
        <button
          class="line"
          title="Show it on the chart"
          onclick={() => (session.showBox = plate.box as [number, number, number, number])}
        >
          <span><i></i>zoom {plate.zoom}</span>
          <span>{plate.size[0].toLocaleString("en")} × {plate.size[1].toLocaleString("en")}</span>
          <span>{length(plate.sharp_span, "mercator").join(" ")}</span>
          <span>{gathering.of === "film" ? plate.serves.map(short).join(" to ") : ""}</span>
        </button>
      {/each}
    </div>
    <p>
      {#if plan.density < gathering.density * 0.999}
        The budget gives {digits(plan.density, 2)} survey pixels a film pixel; {plan.whole.toLocaleString("en")} tiles would
        give {digits(gathering.density, 2)}. {digits(plan.left * 100, 2)} % of what the camera sees stays softer.
      {:else if held !== "pictures"}
        {HELD[held].comes}
      {:else if plan.left > 0.002}
        {digits(plan.left * 100, 2)} % of what the camera sees is beyond this survey and stays soft or bare.
      {:else}
        With these, nothing of it is soft or bare.
      {/if}
    </p>
  {/if}
{/if}

<style>
  .source {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto auto;
    gap: 6px;
    padding: 7px 12px;
  }
  select {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    min-width: 0;
  }
  p {
    padding: 6px 12px;
    color: var(--ink-2);
    line-height: 16px;
  }
  .terms {
    padding: 0 12px 7px;
    font-size: 11px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .plain {
    text-decoration: underline;
    color: var(--ink-2);
  }
  .fault {
    background: var(--imagery-tint);
    color: var(--ink);
  }
  .aside {
    height: 37px;
    padding: 3px 12px;
    border-top: 1px solid var(--rule);
    overflow: hidden;
    white-space: nowrap;
  }
  .aside {
    position: relative;
    text-overflow: ellipsis;
  }
  .aside button {
    position: absolute;
    right: 6px;
    top: 6px;
    height: 24px;
    padding: 0 7px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
  }
  .aside span {
    display: block;
    font-size: 10.5px;
    line-height: 13px;
    color: var(--ink-3);
  }
  .aside b {
    font-size: 13px;
    line-height: 18px;
    font-weight: 540;
  }
  .table {
    max-height: 168px;
    overflow-y: auto;
  }
  .head,
  .line {
    display: grid;
    grid-template-columns: 92px 110px 74px minmax(0, 1fr);
    width: 100%;
    align-items: center;
    padding: 0 12px;
    text-align: left;
    white-space: nowrap;
    border-bottom: 1px solid var(--rule);
  }
  .head {
    height: 20px;
    font-size: 10.5px;
    color: var(--ink-3);
  }
  .line {
    height: 24px;
    color: var(--ink-2);
  }
  .line:hover {
    background: var(--sheet);
  }
  .line span:first-child {
    color: var(--ink);
    font-weight: 540;
  }
  .line i {
    display: inline-block;
    width: 14px;
    height: 9px;
    border: 1.5px dashed var(--imagery);
    margin-right: 7px;
  }
  .line span:last-child,
  .head span:last-child {
    text-align: right;
    overflow: hidden;
    text-overflow: ellipsis;
  }
</style>
