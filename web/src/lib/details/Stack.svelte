<script lang="ts">
  import { resting } from "../film/courses";
  import { ROLES } from "../film/plates";
  import { session } from "../film/session.svelte";
  import { isOpen } from "../film/watch";
  import { digits } from "../format";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import PanelHead from "../ui/PanelHead.svelte";
  import PlateDetails from "./plate/PlateDetails.svelte";

  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const rows = $derived(
    (film?.plates ?? []).map((plate, index) => ({ plate, index, laid: plan!.plates[index]! })).reverse(),
  );
  const declined = $derived(rows.filter((row) => row.plate.fit.note).length);
  const job = $derived(session.jobs.find((job) => job.kind === "fit" && isOpen(job)));
  const failed = $derived(
    session.jobs[0]?.kind === "fit" && session.jobs[0].state === "failed" ? session.jobs[0] : null,
  );
  let dragged = $state<string | null>(null);
  let over = $state<number | null>(null);

  /** Plates that were laid by somebody, or by their file, stay; the lowest is the ground of all. */
  const loose = $derived(
    (film?.plates ?? []).slice(1).filter((plate) => plate.fit.by === "hand" || plate.fit.by === "found"),
  );
  const toned = $derived((film?.plates ?? []).slice(1).filter((plate) => plate.role === "film"));

  const how = { hand: "by hand", ties: "ties", found: "found", file: "its file" };

  function fitText(plate: (typeof rows)[number]["plate"]): string {
    if (plate.fit.note) return "declined";
    if (plate.fit.by === "found") return `${digits(plate.fit.confidence ?? 0, 2)} % sure`;
    if (plate.fit.by === "ties") return `${plate.fit.ties.filter((tie) => tie.used).length} ties`;
    return how[plate.fit.by];
  }

  function dropped(to: number) {
    if (dragged) void session.act({ act: "restack_plate", plate: dragged, to });
    dragged = over = null;
  }
</script>

<section class="stack" aria-label="Stack">
  <PanelHead
    title="Stack"
    sub="{film?.plates.length ?? 0} plate{film?.plates.length === 1 ? '' : 's'}, close on top{declined
      ? `, ${declined} declined`
      : ''}"
  >
    {#if job}
      <span class="under"
        >{job.state === "waiting" ? "waiting" : `fitting, ${Math.round((100 * job.done) / job.total)} %`}</span
      >
      <span class="bar"><span style:width="{(100 * job.done) / job.total}%"></span></span>
      <Button onclick={() => session.cancel(job.id)}>Cancel</Button>
    {:else}
      <Button
        title="Give every plate the tone of those below it"
        disabled={!toned.length}
        onclick={() =>
          session.fit(
            [],
            toned.map((plate) => plate.id),
          )}>Match tones</Button
      >
      <Button
        title="Find every plate that is not tied or laid by its file on those below, and match its tone"
        disabled={!loose.length}
        onclick={() =>
          session.fit(
            loose.map((plate) => plate.id),
            toned.map((plate) => plate.id),
          )}>Fit all</Button
      >
    {/if}
  </PanelHead>
  {#if failed}<p class="failed" role="alert">{failed.message}</p>{/if}
  <div class="heads" aria-hidden="true">
    <span></span><span>Plate</span><span>Fit</span><span>px off</span><span>Feather</span><span>Tone</span>
  </div>
  <div class="rows" role="list">
    {#each rows as row (row.plate.id)}
      <div
        role="listitem"
        class="row"
        class:on={row.plate.id === session.selection?.id}
        class:over={over === row.index}
        class:reference={row.plate.role !== "film"}
        draggable="true"
        ondragstart={(event) => {
          dragged = row.plate.id;
          event.dataTransfer!.effectAllowed = "move";
        }}
        ondragover={(event) => {
          if (!dragged) return;
          event.preventDefault();
          over = row.index;
        }}
        ondrop={(event) => {
          if (!dragged) return;
          event.preventDefault();
          event.stopPropagation();
          dropped(row.index);
        }}
        ondragend={() => (dragged = over = null)}
      >
        <label class="eye" title="Show or hide">
          <input
            type="checkbox"
            aria-label="Show {row.plate.name}"
            checked={row.plate.shown}
            onchange={(event) =>
              session.patch(
                [{ op: "replace", path: `/plates/${row.index}/shown`, value: event.currentTarget.checked }],
                "Show or hide plate",
              )}
          />
        </label>
        <button
          class="pick"
          onclick={() => session.select({ kind: "plate", id: row.plate.id })}
          ondblclick={() => session.showOutline(row.laid.outline, 1.15)}
        >
          <b>
            {#if row.plate.plays}<i title="It plays a clip"><Icon name="play" size={10} fill /></i>{/if}
            {row.plate.name}
          </b>
          <span class:fault={row.plate.fit.note} title={row.plate.fit.note || undefined}>
            {#if row.plate.fit.note}<Icon name="bob" size={12} fill />{/if}{row.index === 0 &&
            row.plate.fit.by === "hand"
              ? "base"
              : fitText(row.plate)}
          </span>
          <span class="figure">{row.plate.fit.residual === null ? "–" : digits(row.plate.fit.residual, 2)}</span>
          <span class="figure">{ROLES[row.plate.role] || `${digits(resting(row.plate.feather.width), 2)} %`}</span>
          <span class="figure" title="How much of the tone of what lies below it has taken on"
            >{row.plate.tone.match ? `${digits(resting(row.plate.tone.strength), 3)} %` : "–"}</span
          >
        </button>
      </div>
    {/each}
  </div>
  {#if session.selection?.kind === "plate"}
    <PlateDetails />
  {:else if film?.plates.length}
    <p>
      Pick a plate to lay it: click it on the chart or here. <b>Fit all</b> finds the plates on those below; what it declines
      is laid by two or three tie points.
    </p>
  {/if}
</section>

<style>
  .stack {
    overflow-y: auto;
    min-height: 0;
  }
  .under {
    color: var(--ink-2);
  }
  .bar {
    width: 60px;
    height: 5px;
    background: var(--imagery-tint);
  }
  .bar span {
    display: block;
    height: 100%;
    background: var(--imagery);
  }
  .heads,
  .pick {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 78px 44px 54px 46px;
    align-items: center;
  }
  .heads {
    grid-template-columns: 30px minmax(0, 1fr) 78px 44px 54px 46px;
    height: 20px;
    padding-right: 12px;
    font-size: 10.5px;
    color: var(--ink-3);
    border-bottom: 1px solid var(--rule);
  }
  .heads span:nth-child(n + 4),
  .figure {
    text-align: right;
  }
  .rows {
    max-height: 168px;
    overflow-y: auto;
  }
  .row {
    height: 24px;
    display: flex;
    align-items: center;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .row:hover {
    background: var(--sheet);
  }
  .row.on {
    background: var(--sheet);
    border-left-color: var(--imagery);
  }
  .row.over {
    box-shadow: inset 0 2px 0 var(--ink);
  }
  .row.reference {
    background: var(--desk);
  }
  .reference b {
    font-style: italic;
  }
  .eye {
    width: 27px;
    height: 24px;
    display: grid;
    place-items: center;
    flex: none;
  }
  .eye input {
    accent-color: var(--ink);
    width: 13px;
    height: 13px;
  }
  .pick {
    flex: 1;
    text-align: left;
    height: 24px;
    color: var(--ink-2);
    min-width: 0;
    padding-right: 12px;
  }
  .pick b {
    font-weight: 560;
    color: var(--ink);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  i {
    display: inline-flex;
    margin-right: 3px;
  }
  .on b {
    font-weight: 660;
  }
  .fault {
    color: var(--imagery-deep);
    display: flex;
    align-items: center;
    gap: 2px;
  }
  p {
    padding: 10px 12px;
    color: var(--ink-2);
    font-size: 12px;
    line-height: 18px;
  }
  .failed {
    background: var(--imagery-tint);
    color: var(--ink);
  }
</style>
