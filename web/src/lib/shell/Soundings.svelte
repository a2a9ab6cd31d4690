<script lang="ts">
  import { resting } from "../film/courses";
  import type { Finding } from "../api/client";
  import { WHOLE_FILM, gathering } from "../film/gathering.svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import Sheet from "../ui/Sheet.svelte";

  let { onclose }: { onclose: () => void } = $props();

  function show(finding: Finding) {
    gathering.finding = finding;
    if (!WHOLE_FILM.includes(finding.kind)) player.seek(finding.frame);
    if (finding.vantage) {
      session.step = "fly";
      session.select({ kind: "vantage", id: finding.vantage });
      return;
    }
    if (session.film!.sounds.some(({ id }) => id === finding.mark)) {
      session.step = "sound";
      session.select({ kind: "sound", id: finding.mark! });
      return;
    }
    if (["silence", "loudness", "pressed"].includes(finding.kind)) session.step = "sound";
    if (finding.mark) {
      const found = session.marks.find(({ mark }) => mark.id === finding.mark);
      session.step = "mark";
      if (found) session.select({ kind: found.kind, id: finding.mark });
      return;
    }
    if (finding.remedy?.box) {
      const [w, s, e, n] = finding.remedy.box;
      const room = Math.max(e - w, n - s) * 0.4;
      session.showBox = [w - room, s - room, e + room, n + room];
    } else if (finding.at) {
      const plate = session.plan?.plates.find((one) => one.id === finding.plate);
      if (plate) session.showOutline(plate.outline, 1.2);
    }
  }

  async function mend(finding: Finding) {
    show(finding);
    const remedy = finding.remedy!;
    const plate = session.film!.plates.findIndex((one) => one.id === remedy.plate);
    if (remedy.act) await session.act(remedy.act);
    else if (remedy.kind === "feather") {
      if (resting(session.film!.plates[plate]!.feather.width) < 10)
        await session.patch([{ op: "replace", path: `/plates/${plate}/feather/width`, value: 14 }], "Feather");
      await session.fit([], [remedy.plate!]);
    } else if (remedy.kind === "credit") {
      session.step = "fit";
      session.select({ kind: "plate", id: remedy.plate! });
    } else if (remedy.kind === "capture") {
      session.step = "gather";
      gathering.of = "film";
      gathering.stretch = [finding.first, finding.last];
      await gathering.makePlan();
    } else if (remedy.kind === "again") {
      session.step = "gather";
      await gathering.askAgain(remedy.plate!);
    } else if (remedy.kind === "lay") session.step = "gather";
    if (["capture", "again", "lay", "credit"].includes(remedy.kind)) onclose();
  }
</script>

<Sheet
  label="Soundings"
  title="Soundings"
  says={`${gathering.findings.length} findings, ${gathering.grave} grave`}
  {onclose}
>
  <div class="rows" role="list">
    {#each gathering.findings as finding (finding.id)}
      <div class="row" role="listitem" class:grave={finding.grave} class:on={gathering.finding?.id === finding.id}>
        <button class="what" onclick={() => show(finding)}>
          <Icon name="bob" size={14} fill={finding.grave} />
          <span class="text">{finding.text}</span>
          <b>{WHOLE_FILM.includes(finding.kind) ? "whole film" : finding.time}</b>
        </button>
        {#if finding.remedy}<Button onclick={() => mend(finding)}>{finding.remedy.text}</Button>{/if}
      </div>
    {:else}
      <p>Nothing found: the imagery carries the film from end to end.</p>
    {/each}
  </div>
</Sheet>

<style>
  .rows {
    overflow-y: auto;
  }
  .row {
    display: grid;
    gap: 2px;
    padding: 4px 10px 6px 0;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .row.on {
    background: var(--sheet);
    border-left-color: var(--imagery);
  }
  .what {
    flex: 1;
    display: grid;
    grid-template-columns: 20px minmax(0, 1fr) auto;
    align-items: center;
    min-height: 24px;
    padding-left: 9px;
    gap: 4px;
    text-align: left;
    color: var(--ink-2);
  }
  .row > :global(.button) {
    margin-left: 32px;
    justify-self: start;
  }
  .text {
    white-space: normal;
    line-height: 15px;
  }
  .what b {
    font-family: var(--mono);
    font-size: 11px;
    font-weight: 460;
    color: var(--ink);
  }
  .grave .what {
    color: var(--ink);
  }
  .grave :global(svg) {
    color: var(--imagery);
  }
  p {
    padding: 14px;
    color: var(--ink-2);
  }
</style>
