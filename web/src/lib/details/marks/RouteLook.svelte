<script lang="ts">
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";
  import Tick from "../../ui/Tick.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import AidField from "./AidField.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TieField from "./TieField.svelte";

  let { of, index }: { of: Found<"route">; index: number } = $props();

  const route = $derived(of.mark);
  const path = $derived(of.path);
  const draws = $derived(route.draws);
  const laid = $derived(session.plan!.routes[index]);
  const legs = $derived((laid?.stops ?? []).slice(1).map((stop, k) => ({ stop, before: laid!.stops[k]! })));
  const set = (key: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `${path}/${key}`, value }], label);

  /** Points at which legs begin, and the one whose look is worked on. */
  const begins = $derived(
    [...route.points.keys()].filter((k) => route.points[k]!.stop || k === 0).slice(0, legs.length),
  );
  let chosenLeg = $state("");
  const leg = $derived(chosenLeg && begins.includes(Number(chosenLeg)) ? Number(chosenLeg) : null);
  const own = $derived(leg === null ? null : (route.points[leg]?.leg ?? null));
  function setOwn(key: string, value: unknown) {
    const made = { colour: null, edge_colour: null, width: null, dash: null, symbol: null, ...own, [key]: value };
    const none = Object.values(made).every((one) => one === null);
    void set(`points/${leg}/leg`, none ? null : made, "Look of a leg");
  }
  const nameOf = (k: number) => route.points[k]?.stop || `point ${k + 1}`;

  const travellers = $derived(session.facts("Traveller", "symbol")?.options ?? []);
  const leastLeg = $derived(session.facts("Draws", "seconds")?.low ?? 0);

  /** The seconds of one leg; those of the others as they are now. */
  function setLeg(k: number, seconds: number) {
    const now = legs.map(({ stop, before }) => (stop.reached - before.leaves) / session.rate);
    now[k] = seconds;
    session.tryPatch([
      {
        op: "replace",
        path: `${path}/draws/legs`,
        value: now.map((value) => Number(Math.max(value, leastLeg).toFixed(4))),
      },
      { op: "replace", path: `${path}/draws/pace`, value: "legs" },
    ]);
  }
</script>

<Strip>
  <Tick
    label="Drawn in the film"
    checked={draws.shown}
    onchange={(on) => set("draws/shown", on, "Drawn in the film")}
  />
  <span class="space"></span>
  <Select
    label="Ease of each leg"
    caption="Each leg"
    value={draws.ease.x1 === 0 && draws.ease.y1 === 0 ? "even" : "eased"}
    options={[
      { value: "even", label: "even" },
      { value: "eased", label: "eased" },
    ]}
    onchange={(value) =>
      set(
        "draws/ease",
        value === "even" ? { x1: 0, y1: 0, x2: 1, y2: 1, speed: [] } : { x1: 0.3, y1: 0, x2: 0.5, y2: 1, speed: [] },
        "Ease of the line",
      )}
  />
</Strip>
{#if draws.shown}
  <TieField
    label="Sets out when"
    path="{path}/draws/starts"
    moment={draws.starts}
    mark={route.id}
    frame={laid?.starts ?? 0}
  />
  <Strip>
    <Segments
      label="Its time"
      options={[
        { value: "whole", label: "On the ground", hint: "The same speed on the ground on all legs" },
        { value: "screen", label: "On screen", hint: "The same speed in the frame, however close the camera is" },
        { value: "legs", label: "Seconds a leg" },
        { value: "camera", label: "With the camera", hint: "As far as the passage that follows it has come" },
      ]}
      value={draws.pace}
      onchange={(value) => set("draws/pace", value, "Pace of the line")}
    />
  </Strip>
  <Strip>
    <Select
      label="Which part is drawn"
      caption="Draws"
      value={draws.part}
      options={[
        { value: "from_start", label: "from its start" },
        { value: "from_end", label: "from its end back" },
        { value: "both_ends", label: "from both ends" },
        { value: "middle", label: "from its middle" },
        { value: "piece", label: "a piece that travels" },
      ]}
      onchange={(value) => set("draws/part", value, "Which part is drawn")}
    />
  </Strip>
  {#if draws.part === "piece"}
    <Fields of="Draws" part={draws} path="{path}/draws" columns={2} cells={[{ key: "piece", unit: "% of the way" }]} />
  {/if}
  {#if draws.pace === "camera"}
    {#if !session.film!.vantages.some(({ passage }) => passage.manner.kind === "follow" && passage.manner.route === route.id)}
      <p>No passage follows it yet, so it draws itself in {draws.seconds} s. Choose Follow for a passage in Fly.</p>
    {/if}
  {:else if draws.pace === "whole" || draws.pace === "screen"}
    <Fields of="Draws" part={draws} path="{path}/draws" columns={2} cells={["seconds"]} />
  {:else}
    <Cells columns={3}>
      {#each legs as { stop, before }, k (k)}
        <Cell
          label="Leg {k + 1}"
          value={(stop.reached - before.leaves) / session.rate}
          text={((stop.reached - before.leaves) / session.rate).toFixed(2)}
          unit="s"
          step={0.1}
          min={leastLeg}
          ontry={(value) => setLeg(k, value)}
          onkeep={() => session.keepTrial("Leg")}
          ondrop={() => session.dropTrial()}
        />
      {/each}
    </Cells>
  {/if}
  <Strip>
    <Tick
      label="Traveller"
      checked={route.traveller !== null}
      onchange={(on) => set("traveller", on ? {} : null, "Traveller")}
    />
    {#if route.traveller}
      <Select
        label="What travels"
        value={route.traveller.symbol}
        options={travellers.map((value) => ({ value, label: value }))}
        onchange={(value) => set("traveller/symbol", value, "Traveller")}
      />
    {:else}<span class="hint">rides at the head of the line, turned along the way</span>{/if}
  </Strip>
  {#if route.traveller?.symbol === "picture"}
    <Strip>
      <AidField
        kind="signs"
        value={route.traveller.picture}
        onchange={(key) => set("traveller/picture", key, "Picture")}
      />
      <Tick
        label="Upright"
        checked={route.traveller.upright}
        onchange={(on) => set("traveller/upright", on, "Upright")}
      />
    </Strip>
  {/if}
  {#if route.traveller}
    <Strip>
      <Select
        label="Size of the traveller"
        caption="Size"
        value={route.traveller.scales}
        options={[
          { value: "frame", label: "constant" },
          { value: "ground", label: "as the ground" },
        ]}
        onchange={(value) => set("traveller/scales", value, "Size of the traveller")}
      />
      <Select
        label="Its height is above"
        caption="Height above"
        value={route.traveller.above}
        options={[
          { value: "ground", label: "the ground" },
          { value: "sea", label: "the sea" },
        ]}
        onchange={(value) => set("traveller/above", value, "Height above")}
      />
      <Tick
        label="Lies on the ground"
        checked={route.traveller.lies}
        onchange={(on) => set("traveller/lies", on, "Lies on the ground")}
      />
    </Strip>
    <Fields
      of="Traveller"
      part={route.traveller}
      path="{path}/traveller"
      cells={[
        route.traveller.scales === "frame" && "size",
        route.traveller.scales === "ground" && "ground",
        "colour",
        "edge",
        "edge_colour",
        "turning",
        "takes_off",
        "height",
        { key: "climb", unit: "% of a leg" },
        "shadow",
        "trail",
        "count",
        "apart",
      ]}
    />
  {/if}
  <StyleBar {of} />
  <Strip>
    <LookSelect {of} name="dash" />
    <LookSelect {of} name="head" />
    <LookSelect {of} name="blend" />
  </Strip>
  <Strip>
    <LookSelect {of} name="scales" says={{ frame: "constant", ground: "as the ground" }} />
    <LookSelect {of} name="caps" />
    <Tick
      label="Colour runs over"
      checked={of.look.end_colour !== null}
      onchange={(on) => session.setLook(of, "end_colour", on ? "#d01050" : null, "Colour runs over")}
    />
  </Strip>
  <LookFields
    {of}
    cells={[
      of.look.scales === "frame" && "width",
      of.look.scales === "ground" && "ground",
      "colour",
      of.look.end_colour !== null && "end_colour",
      (of.look.dash === "dashes" || of.look.dash === "dots") && "spacing",
      "edge",
      "edge_colour",
      "glow",
      "opacity",
      "core",
      "shadow",
      "wobble",
      "to_come",
    ]}
  />
{/if}

{#if draws.shown && legs.length > 1}
  <Strip>
    <Select
      label="Which leg has a look of its own"
      caption="Leg"
      value={leg === null ? "" : `${leg}`}
      options={[
        { value: "", label: "all of them as above" },
        ...begins.map((k) => ({
          value: `${k}`,
          label: `from ${nameOf(k)}${route.points[k]?.leg ? ", on its own" : ""}`,
        })),
      ]}
      onchange={(value) => (chosenLeg = value)}
    />
  </Strip>
  {#if leg !== null}
    <Strip>
      <Select
        label="Line of the leg"
        caption="Line"
        value={own?.dash ?? ""}
        options={[
          { value: "", label: "as the others" },
          ...(session.facts("Stroke", "dash")?.options ?? []).map((value) => ({ value, label: value })),
        ]}
        onchange={(value) => setOwn("dash", value || null)}
      />
      {#if route.traveller}
        <Select
          label="What travels on the leg"
          caption="Travels"
          value={own?.symbol ?? ""}
          options={[{ value: "", label: "as before" }, ...travellers.map((value) => ({ value, label: value }))]}
          onchange={(value) => setOwn("symbol", value || null)}
        />
      {/if}
    </Strip>
    <Strip>
      {#each [["colour", "Own colour"], ["edge_colour", "Own edge"]] as const as [key, label] (key)}
        <Tick
          {label}
          checked={Boolean(own?.[key])}
          onchange={(on) => setOwn(key, on ? (of.look[key] as string) : null)}
        />
        {#if own?.[key]}
          <input
            type="color"
            aria-label="{label} of the leg"
            value={own[key]}
            onchange={(event) => setOwn(key, event.currentTarget.value)}
          />
        {/if}
      {/each}
      <Tick
        label="Own width"
        checked={own?.width != null}
        onchange={(on) => setOwn("width", on ? (of.look.width as number) : null)}
      />
      {#if own?.width != null}
        <input
          class="width"
          type="number"
          min="0.2"
          max="200"
          step="0.5"
          aria-label="Width of the leg, px"
          value={own.width}
          onchange={(event) => setOwn("width", Number(event.currentTarget.value) || null)}
        />
      {/if}
    </Strip>
  {/if}
{/if}

<style>
  p {
    padding: 6px 12px;
    color: var(--ink-2);
    line-height: 16px;
    border-bottom: 1px solid var(--rule);
  }
  .hint {
    color: var(--ink-3);
    font-size: 10.5px;
  }
  .space {
    flex: 1;
  }
  .width {
    width: 58px;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
  }
  input[type="color"] {
    width: 34px;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 2px;
  }
</style>
