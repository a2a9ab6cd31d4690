<script lang="ts">
  import type { Moment } from "../../api/client";
  import { player } from "../../film/player.svelte";
  import { session } from "../../film/session.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Select from "../../ui/Select.svelte";

  let {
    label,
    path,
    moment,
    mark,
    frame,
    open = "",
  }: {
    label: string;
    /** Where it stands in the document, as a JSON Pointer. */
    path: string;
    moment: Moment | null;
    /** The mark that hangs on it. */
    mark: string | null;
    /** The frame it comes to. */
    frame: number;
    /** What it is when it hangs on nothing, where it may. */
    open?: string;
  } = $props();

  /** How long a mark stays unless something else is said, s. */
  const STAYS = 3;

  const film = $derived(session.film!);
  /** What it can hang on, each written as a short key. */
  const events = $derived.by(() => {
    const found: { value: string; label: string; group?: string; moment: Moment | null }[] = [];
    if (open) found.push({ value: "end", label: open, moment: null });
    if (open && mark)
      found.push({
        value: `m:${mark}:starts`,
        label: "it has stayed for",
        moment: { on: "mark", mark, edge: "starts", offset: Math.round(STAYS * session.rate) },
      });
    found.push({
      value: "film",
      label: "a time of the film",
      moment: { on: "film", seconds: Number((player.frame / session.rate).toFixed(6)), offset: 0 },
    });
    for (const { id, name } of film.vantages)
      for (const edge of ["arrives", "leaves"] as const)
        found.push({
          value: `v:${id}:${edge}`,
          group: "The camera",
          label: `camera ${edge === "arrives" ? "reaches" : "leaves"} ${name}`,
          moment: { on: "vantage", vantage: id, edge, offset: 0 },
        });
    for (const { id, name, passage } of film.vantages.slice(0, -1))
      if (passage.manner.kind !== "cut")
        found.push({
          value: `p:${id}`,
          group: "The camera",
          label: `camera on its way from ${name}`,
          moment: { on: "passage", vantage: id, share: 0.5, offset: 0 },
        });
    for (const route of film.routes.filter((one) => one.id !== mark)) {
      if (mark)
        found.push({
          value: `r:${route.id}:near`,
          group: route.name,
          label: `${route.name} reaches it`,
          moment: { on: "route", route: route.id, point: null, offset: 0 },
        });
      route.points.forEach((point, k) => {
        if (point.stop)
          found.push({
            value: `r:${route.id}:${k}`,
            group: route.name,
            label: `${route.name} reaches ${point.stop}`,
            moment: { on: "route", route: route.id, point: k, offset: 0 },
          });
      });
    }
    for (const { mark: other } of session.marks.filter((one) => one.kind !== "route" && one.mark.id !== mark))
      for (const edge of ["starts", "ends"] as const)
        found.push({
          value: `m:${other.id}:${edge}`,
          group: "Other marks",
          label: `${other.name} ${edge === "starts" ? "comes" : "goes"}`,
          moment: { on: "mark", mark: other.id, edge, offset: 0 },
        });
    return found;
  });
  const now = $derived.by(() => {
    if (!moment) return "end";
    if (moment.on === "vantage") return `v:${moment.vantage}:${moment.edge}`;
    if (moment.on === "passage") return `p:${moment.vantage}`;
    if (moment.on === "route") return `r:${moment.route}:${moment.point ?? "near"}`;
    if (moment.on === "mark") return `m:${moment.mark}:${moment.edge}`;
    return "film";
  });

  function set(value: string) {
    const event = events.find((one) => one.value === value);
    if (event) void session.patch([{ op: "replace", path, value: event.moment }], label);
  }
</script>

<div class="tie" data-on={moment?.on ?? "end"}>
  <Select {label} caption={label} value={now} options={events} onchange={set} />
  {#if moment?.on === "film"}
    <Cell
      label="At"
      value={moment.seconds}
      text={moment.seconds.toFixed(2)}
      unit="s"
      step={1 / session.rate}
      min={0}
      ontry={(value) => session.tryPatch([{ op: "replace", path: `${path}/seconds`, value: Number(value.toFixed(6)) }])}
      onkeep={() => session.keepTrial(label)}
      ondrop={() => session.dropTrial()}
    />
  {:else if moment?.on === "passage"}
    <Cell
      label="When it has done"
      value={moment.share}
      text={`${Math.round(moment.share * 100)}`}
      unit="%"
      factor={0.01}
      step={0.05}
      min={0}
      max={1}
      ontry={(value) => session.tryPatch([{ op: "replace", path: `${path}/share`, value: Number(value.toFixed(4)) }])}
      onkeep={() => session.keepTrial(label)}
      ondrop={() => session.dropTrial()}
    />
  {:else if moment?.on === "mark" && moment.mark === mark}
    <Cell
      label="Stays"
      value={moment.offset}
      text={(moment.offset / session.rate).toFixed(2)}
      unit="s"
      factor={session.rate}
      step={1}
      min={1}
      ontry={(value) => session.tryPatch([{ op: "replace", path: `${path}/offset`, value: Math.round(value) }])}
      onkeep={() => session.keepTrial(label)}
      ondrop={() => session.dropTrial()}
    />
  {:else if moment}
    <Cell
      label="And then"
      value={moment.offset}
      text={`${moment.offset > 0 ? "+" : ""}${Math.round(moment.offset)}`.replace("-", "−")}
      unit="frames"
      ontry={(value) => session.tryPatch([{ op: "replace", path: `${path}/offset`, value: Math.round(value) }])}
      onkeep={() => session.keepTrial(label)}
      ondrop={() => session.dropTrial()}
    />
  {/if}
  <button title="Go to that frame" onclick={() => player.seek(frame)}>{(frame / session.rate).toFixed(2)} s</button>
</div>

<style>
  .tie {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 84px 58px;
    align-items: center;
    gap: 6px;
    padding: 3px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .tie :global(label) {
    padding-left: 0;
  }
  .tie :global(.cell) {
    border: 0;
    padding-left: 4px;
  }
  .tie[data-on="end"] {
    grid-template-columns: minmax(0, 1fr) 58px;
  }
  button {
    height: 24px;
    color: var(--ink-2);
    font-family: var(--mono);
    font-size: 11px;
    text-align: right;
  }
</style>
