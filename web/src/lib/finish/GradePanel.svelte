<script lang="ts">
  import { onMount } from "svelte";
  import Fields, { type FieldCell } from "../details/Fields.svelte";
  import { resting, type Changing } from "../film/courses";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import Strip from "../ui/Strip.svelte";
  import CurveField from "./CurveField.svelte";
  import { looks } from "./looks.svelte";

  type Tab = "light" | "colour" | "tints" | "curve";

  const film = $derived(session.film!);
  const grade = $derived(film.finish.grade);
  let tab = $state<Tab>("light");
  let cube: HTMLInputElement;

  const signed = (key: string, unit?: string): FieldCell => ({ key, signed: true, ...(unit ? { unit } : {}) });
  const CELLS: Record<Tab, (string | FieldCell)[]> = {
    light: [signed("exposure"), signed("contrast"), "pivot", "black", "white", "middle"],
    colour: [
      ...[signed("warmth", "mired"), signed("tint"), signed("hue")],
      ...[signed("saturation"), signed("vibrance"), "grey"],
      ...["reds", "yellows", "greens", "cyans", "blues", "magentas"].map((key) => signed(key)),
    ],
    tints: ["shadows", "shadows_by", "grey_tint", "lights", "lights_by", "grey", "wash", "wash_by"],
    curve: ["curves_by"],
  };
  const cells = $derived([...CELLS[tab], tab === "light" && grade.table !== null && "table_by"]);

  onMount(() => void looks.load());

  /** A grade that was proposed, and what was there before. */
  let proposed = $state.raw<{ name: string; from: Record<string, number>; to: Record<string, number> } | null>(null);
  let by = $state(100);
  let picture: HTMLInputElement;

  async function match(event: Event & { currentTarget: HTMLInputElement }) {
    const [file] = event.currentTarget.files ?? [];
    event.currentTarget.value = "";
    const found = file ? await looks.match(file, player.frame) : null;
    if (!found || !file) return;
    const now = grade as unknown as Record<string, Changing<number>>;
    const from = Object.fromEntries(Object.keys(found.numbers).map((key) => [key, Number(resting(now[key]!))]));
    proposed = { name: file.name, from, to: found.numbers };
    by = 100;
    attempt();
    await session.keepTrial(`Grade like ${file.name}`);
  }

  function attempt() {
    const { from, to } = proposed!;
    session.tryPatch([
      { op: "replace", path: "/finish/grade/on", value: true },
      ...Object.keys(to).map((key) => ({
        op: "replace" as const,
        path: `/finish/grade/${key}`,
        value: from[key]! + (to[key]! - from[key]!) * (by / 100),
      })),
    ]);
  }

  const put = (name: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `/finish/grade/${name}`, value }], label);

  async function bringTable(event: Event & { currentTarget: HTMLInputElement }) {
    const [file] = event.currentTarget.files ?? [];
    event.currentTarget.value = "";
    const key = file ? await looks.bringTable(file) : null;
    if (key) await put("table", key, "Table of colours");
  }
</script>

<Strip>
  <Segments
    label="Part of the grade"
    options={[
      { value: "light", label: "Light" },
      { value: "colour", label: "Colour" },
      { value: "tints", label: "Tints" },
      { value: "curve", label: "Curves" },
    ]}
    value={tab}
    onchange={(next) => (tab = next)}
  />
</Strip>
{#if tab === "curve"}<CurveField {grade} />{/if}
<Fields of="Grade" part={grade} path="/finish/grade" {cells} columns={3} />
<Strip>
  <Select
    label="Over"
    caption="Over"
    value={grade.over}
    options={[
      { value: "frame", label: "all of the frame" },
      { value: "ground", label: "the ground alone" },
      { value: "inside", label: "what is inside of" },
      { value: "outside", label: "what is outside of" },
    ]}
    onchange={(value) => put("over", value, "What is graded")}
  />
  {#if grade.over === "inside" || grade.over === "outside"}
    <Select
      label="Region"
      value={grade.region ?? ""}
      options={[
        { value: "", label: film.regions.length ? "choose a region" : "no region yet" },
        ...film.regions.map(({ id, name }) => ({ value: id, label: name })),
      ]}
      onchange={(value) => put("region", value || null, "Graded region")}
    />
  {/if}
  <Select
    label="Table"
    caption="Table"
    value={grade.table ?? ""}
    options={[{ value: "", label: "none" }, ...looks.tables.map(({ key, name }) => ({ value: key, label: name }))]}
    onchange={(value) => put("table", value || null, "Table of colours")}
  />
</Strip>
<Strip>
  <Button onclick={() => cube.click()} title="A .cube file, of one or three dimensions">Bring a .cube</Button>
  <input hidden type="file" accept=".cube" bind:this={cube} aria-label="A .cube file" onchange={bringTable} />
  <Button href="/api/films/{session.id}/grade/{player.frame}.cube?state={session.state}" title="For another program"
    >Save this frame’s grade as .cube</Button
  >
</Strip>
<Strip>
  <Button onclick={() => picture.click()} title="A picture of another scene: the grade that brings this one near to it"
    >Match a picture</Button
  >
  <input hidden type="file" accept="image/*" bind:this={picture} aria-label="A picture to match" onchange={match} />
  {#if proposed}
    <label
      >Like {proposed.name} by
      <input
        type="range"
        min="0"
        max="150"
        bind:value={by}
        oninput={attempt}
        onchange={() => session.keepTrial("How much it is matched")}
        aria-label="How much it is matched, %"
      />
      {by} %</label
    >
  {/if}
</Strip>
<p>In this order, from light to tints. Nought everywhere leaves the picture as it is.</p>

<style>
  label {
    display: flex;
    align-items: center;
    gap: 6px;
    min-width: 0;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  input[type="range"] {
    width: 90px;
    accent-color: var(--ink);
  }
  p {
    margin: 0;
    padding: 8px 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
