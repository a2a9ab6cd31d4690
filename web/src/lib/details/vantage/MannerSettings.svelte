<script lang="ts">
  import type { Manner, PassagePlan, Vantage } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import { length } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Select from "../../ui/Select.svelte";
  import Tick from "../../ui/Tick.svelte";
  import Field from "../Field.svelte";
  import Fields from "../Fields.svelte";

  let { vantage, index, passage }: { vantage: Vantage; index: number; passage: PassagePlan } = $props();

  const manner = $derived(vantage.passage.manner);
  const path = $derived(`/vantages/${index}/passage/manner`);
  const film = $derived(session.film!);
  const plan = $derived(session.plan!);
  const next = $derived(plan.vantages[index + 1]!);
  const rises = $derived(next.eye[2] / plan.vantages[index]!.eye[2] - 1);
  const set = (key: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `${path}/${key}`, value }], label);

  function lookAtMiddle(rail: Extract<Manner, { kind: "rail" }>) {
    const middle = passage.path[Math.floor(passage.path.length / 2)]!;
    void set("look", rail.look.length ? [] : [middle], "What it looks at");
  }
</script>

{#if manner.kind === "hop"}
  <Cells columns={3}>
    <Field path="{path}/height" {...session.numberOf("Hop", "height")} step={5} value={manner.height} />
    <div class="cell said">
      <span>Rises to</span><b>{length(passage.widest, film.ground.kind).join(" ")}</b>
    </div>
    <div class="cell said"></div>
  </Cells>
{:else if manner.kind === "steps"}
  <Cells columns={3}>
    <Field path="{path}/count" {...session.numberOf("Steps", "count")} value={manner.count} />
    <Field path="{path}/rest" {...session.numberOf("Steps", "rest")} places={0} value={manner.rest} />
    <div class="cell said">
      <span>Each zoom</span><b
        >{Math.round((passage.frames - passage.rests.reduce((sum, [a, b]) => sum + b - a, 0)) / manner.count)} frames</b
      >
    </div>
  </Cells>
{:else if manner.kind === "orbit"}
  <div class="line">
    <Segments
      label="Way round"
      options={[
        { value: "clockwise", label: "Clockwise" },
        { value: "counterclockwise", label: "Counter-clockwise" },
      ]}
      value={manner.way}
      onchange={(value) => set("way", value, "Way round")}
    />
  </div>
  <Cells columns={2}>
    <Field path="{path}/turns" {...session.numberOf("Orbit", "turns")} value={manner.turns} />
    <div class="cell said">
      <span>Goes round by</span><b>{Math.round(passage.turn)}°</b>
    </div>
  </Cells>
{:else if manner.kind === "skim"}
  <div class="line">
    <Tick label="Look ahead" checked={manner.ahead} onchange={(on) => set("ahead", on, "Look ahead")} />
    {#if Math.abs(rises) > 0.005 || film.vantages[index + 1]!.tilt !== vantage.tilt}
      <span class="note"
        >{Math.abs(rises) > 0.005
          ? `The next vantage lies ${Math.abs(Math.round(rises * 100))} % ${rises > 0 ? "higher" : "lower"}.`
          : "The next vantage is tilted otherwise."}</span
      >
      <Button onclick={() => session.act({ act: "level_vantage", vantage: film.vantages[index + 1]!.id })}
        >Make it level</Button
      >
    {:else}<span class="note">Level, {length(next.eye[2], film.ground.kind).join(" ")} up</span>{/if}
  </div>
{:else if manner.kind === "follow"}
  <div class="line">
    <Select
      label="Route"
      value={manner.route}
      options={film.routes.map((route) => ({ value: route.id, label: route.name }))}
      onchange={(route) => set("route", route, "Route")}
    />
    <Segments
      label="Heading"
      options={[
        { value: "along", label: "Along it", hint: "The heading turns with the route" },
        { value: "kept", label: "Kept", hint: "From the one vantage’s heading to the other’s" },
      ]}
      value={manner.heading}
      onchange={(value) => set("heading", value, "Heading")}
    />
  </div>
  <Fields of="Follow" part={manner} {path} cells={[{ key: "ahead", step: 2 }, { key: "lag", step: 5 }, "lean"]} />
{:else if manner.kind === "rail"}
  <div class="line">
    <Button onclick={() => session.act({ act: "add_rail_point", vantage: vantage.id })}>Add a point</Button>
    <Button disabled={!manner.points.length} onclick={() => set("points", manner.points.slice(0, -1), "Rail point")}
      >Take the last away</Button
    >
    <Button onclick={() => lookAtMiddle(manner)}>{manner.look.length ? "Look onward" : "Look at one place"}</Button>
  </div>
  {#if manner.points.length}
    <div class="line">
      <Tick
        label="Handles"
        checked={manner.points.some((point) => point.after)}
        onchange={(on) => session.act({ act: "rail_handles", vantage: vantage.id, on })}
      />
      <span class="note">Drag them on the chart, their height in the section</span>
    </div>
  {/if}
  {#each manner.points as point, k (k)}
    <Cells columns={3}>
      <Field
        path="{path}/points/{k}/x"
        label="Point {k + 1} east"
        value={point.x}
        significant={7}
        factor={film.ground.kind === "plain" ? 1 : 1000}
        unit={film.ground.kind === "plain" ? "px" : "km"}
        step={vantage.span / 50}
        places={3}
      />
      <Field
        path="{path}/points/{k}/y"
        label="North"
        value={point.y}
        significant={7}
        factor={film.ground.kind === "plain" ? 1 : 1000}
        unit={film.ground.kind === "plain" ? "px" : "km"}
        step={vantage.span / 50}
        places={3}
      />
      <Field
        path="{path}/points/{k}/z"
        label="Height"
        value={point.z}
        factor={film.ground.kind === "plain" ? 1 : 1000}
        unit={film.ground.kind === "plain" ? "px" : "km"}
        step={0.02}
        log
        min={0.01}
        places={4}
      />
    </Cells>
  {/each}
{:else if manner.kind === "cut"}
  <p>The next frame stands at the next vantage. A vantage before a cut is held for a frame at least.</p>
{/if}

<style>
  .line {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px 7px;
    white-space: nowrap;
    overflow: hidden;
  }
  .note {
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .said {
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
    padding: 3px 12px;
    font-size: 10.5px;
    line-height: 13px;
    color: var(--ink-3);
    white-space: nowrap;
    overflow: hidden;
  }
  .said b {
    display: block;
    font-size: 12px;
    font-weight: 480;
    color: var(--ink-2);
    line-height: 18px;
  }
  p {
    padding: 0 12px 8px;
    color: var(--ink-2);
    line-height: 16px;
  }
</style>
