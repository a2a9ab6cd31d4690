<script lang="ts">
  import type { Plate, PlatePlan } from "../../api/client";
  import { player } from "../../film/player.svelte";
  import { session } from "../../film/session.svelte";
  import { length, parseNumber } from "../../format";
  import Button from "../../ui/Button.svelte";
  import ClipFields from "../ClipFields.svelte";
  import Fields from "../Fields.svelte";
  import TieField from "../marks/TieField.svelte";
  import RevealFields from "../RevealFields.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Line from "../../ui/Line.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";

  let { plate, laid, index }: { plate: Plate; laid: PlatePlan; index: number } = $props();

  const ground = $derived(session.film!.ground.kind);
  const keep = (path: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `/plates/${index}/${path}`, value }], label);
  /** The known places, if there are two at least and all are numbers. */
  const known = $derived.by(() => {
    const rows = session.known.map(
      (p) => [p.x, p.y, parseNumber(p.lon), parseNumber(p.lat)] as [number, number, number, number],
    );
    return rows.length >= 2 && rows.every((row) => row.every(Number.isFinite)) ? rows : null;
  });

  function takeRole(role: Plate["role"]) {
    if (role === "heights") void session.raiseGround(plate);
    else if (role === "floats") void session.act({ act: "float_plate", plate: plate.id, frame: player.frame });
    else if (role === "lights") void session.act({ act: "light_plate", plate: plate.id });
    else void keep("role", role, role === "film" ? "Plate of the film" : "Reference plate");
  }

  async function georeference() {
    await session.act({ act: "ground_by_points", points: known! });
    if (session.film!.ground.kind !== "mercator") return;
    session.known = [];
    session.tool = "select";
    session.showAll();
  }
</script>

<dl>
  <dt>Size</dt>
  <dd>{plate.picture.width.toLocaleString("en")} × {plate.picture.height.toLocaleString("en")} px</dd>
  <dt>A pixel is</dt>
  <dd>{length(laid.pixel, ground).join(" ")} wide, sharp to a span of {length(laid.sharp_span, ground).join(" ")}</dd>
</dl>
{#if plate.plays}
  <Strip>
    <span>It plays a clip of {plate.plays.clip.seconds.toFixed(1)} s</span>
    <Button
      title="Its picture, the first of the clip, is seen instead"
      onclick={() => keep("plays", null, "Stands still")}>Let it stand still</Button
    >
  </Strip>
  <TieField
    label="It plays when"
    path="/plates/{index}/plays/starts"
    moment={plate.plays.starts}
    mark={null}
    frame={laid.plays ?? 0}
  />
  <ClipFields clip={plate.plays.clip} path="/plates/{index}/plays/clip" />
{/if}
<Line label="It is">
  <Select
    label="What the plate is"
    value={plate.role}
    options={[
      { value: "film", label: "on the ground" },
      { value: "floats", label: "floating over the ground" },
      { value: "lights", label: "light by night" },
      { value: "heights", label: "heights of the ground" },
      { value: "reference", label: "on the chart only, to trace by" },
    ]}
    onchange={takeRole}
  />
</Line>
{#if plate.role === "film"}
  <Line label=""><small>It can stand out with a thickness: see Land.</small></Line>
{:else if plate.role === "floats"}
  <Fields of="Plate" part={plate} path="/plates/{index}" columns={2} cells={["height", "opacity"]} />
  <Line label=""><small>It slides against the ground, and goes before a camera that comes near.</small></Line>
{:else if plate.role === "lights"}
  <Fields of="Plate" part={plate} path="/plates/{index}" columns={2} cells={["opacity"]} />
  <Line label=""><small>What is bright in it shines as it grows dark; how much, says Dusk in Finish.</small></Line>
{:else if plate.role === "heights"}
  <Line label=""><small>How high it raises the ground is set in Finish, under Relief.</small></Line>
{/if}
{#if plate.role === "reference"}
  <Fields
    of="Plate"
    part={plate}
    path="/plates/{index}"
    columns={2}
    cells={[
      { key: "opacity", label: "Opacity on the chart" },
      { key: "contrast", label: "Contrast on the chart", step: 5 },
    ]}
  />
{/if}
<Line label="Georeference">
  {#if plate.georeference}
    <div class="own">
      <Button onclick={() => session.act({ act: "lay_by_file", plate: plate.id, georeference: null })}
        >{ground === "plain" ? "Georeference the ground by it" : "Lay it by its file"}</Button
      >
      <small title={plate.georeference.crs}>{plate.georeference.crs.slice(0, 24)}</small>
    </div>
  {:else}
    <small
      >Its file says nothing of its place. {ground === "plain"
        ? ""
        : "Drop a world file of the same name, or tie it."}</small
    >
  {/if}
</Line>
{#if ground === "plain"}
  <Line label="Known places" top>
    <div class="known">
      {#each session.known as place, k (k)}
        <div>
          <b>{k + 1}</b>
          <input aria-label="Latitude of place {k + 1}" placeholder="latitude °" bind:value={place.lat} />
          <input aria-label="Longitude of place {k + 1}" placeholder="longitude °" bind:value={place.lon} />
          <button aria-label="Take place {k + 1} out" onclick={() => session.known.splice(k, 1)}
            ><Icon name="close" size={13} /></button
          >
        </div>
      {/each}
      <div>
        <Button
          on={session.tool === "known"}
          onclick={() => (session.tool = session.tool === "known" ? "select" : "known")}>Pick on the chart</Button
        >
        <Button disabled={!known} onclick={georeference}>Georeference the ground</Button>
      </div>
    </div>
  </Line>
{/if}
<RevealFields reveal={plate.reveal} path="/plates/{index}" of={plate.id} frame={laid.uncovers ?? 0} />
<Line label="Credit">
  <input
    class="credit"
    aria-label="Credit"
    value={plate.credit}
    placeholder="Whose picture it is, as it must be named"
    onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    onchange={(event) => keep("credit", event.currentTarget.value, "Credit")}
  />
</Line>

<style>
  dl {
    display: grid;
    grid-template-columns: 100px 1fr;
    padding: 8px 12px 4px;
    row-gap: 3px;
  }
  dt {
    color: var(--ink-2);
  }
  .own,
  .known div {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  .known {
    display: grid;
    gap: 5px;
  }
  .known input {
    width: 96px;
  }
  .credit {
    width: 100%;
  }
  small {
    font-size: 11px;
  }
  input {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 7px;
    color: var(--ink);
  }
</style>
