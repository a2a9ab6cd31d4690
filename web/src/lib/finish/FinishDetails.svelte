<script lang="ts">
  import { api, told, type HeightsFound } from "../api/client";
  import type { Found } from "../film/marks";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { digits, length } from "../format";
  import CoursePanel from "../details/CoursePanel.svelte";
  import Fields, { type FieldCell } from "../details/Fields.svelte";
  import DeckDetails from "../details/marks/DeckDetails.svelte";
  import LampDetails from "../details/marks/LampDetails.svelte";
  import Button from "../ui/Button.svelte";
  import PanelHead from "../ui/PanelHead.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import Strip from "../ui/Strip.svelte";
  import Tick from "../ui/Tick.svelte";
  import GradePanel from "./GradePanel.svelte";
  import LookPanel from "./LookPanel.svelte";
  import SurfacePanel from "./SurfacePanel.svelte";
  import { EFFECTS, addressed } from "./effects";
  import { sight } from "./sharpness.svelte";

  const film = $derived(session.film!);
  const face = $derived(EFFECTS.find(({ id }) => addressed(id) === session.selection?.id) ?? null);
  const course = $derived(session.courseAt(session.course));
  const mark = $derived(session.mark);
  const lens = $derived(film.finish.lens);
  const sun = $derived(film.finish.sun);
  const relief = $derived(film.finish.relief);
  const heights = $derived(film.plates.filter(({ role }) => role === "heights"));
  const lit = $derived(film.plates.some(({ role }) => role === "lights"));
  const now = $derived(sight.now);
  const ground = $derived(film.ground.kind);
  const cells = $derived.by((): (string | FieldCell | false)[] => {
    switch (face?.id) {
      case "lens":
        return ["f_number", lens.model === "nearness" ? "nearness" : "scale", "blades", lens.blades > 2 && "roundness"];
      case "shutter":
        return ["angle", { key: "samples", label: "Moments, 0 by itself" }];
      case "relief":
        return [
          "times",
          "sea",
          "smooth",
          "shade",
          "shadows",
          "lines",
          relief.lines > 0 && "line_colour",
          relief.lines > 0 && "line_width",
          relief.codes === "grey" && "low",
          relief.codes === "grey" && "high",
        ];
      case "sun":
        return [...(sun.by === "hand" ? ["azimuth", "height"] : ["hour"]), "warmth", "tints", "soft"];
      case "dusk":
        return ["share", "dark", "colour", lit && "lights"];
      case "haze":
        return ["clear", "sees", "most", "colour"];
      case "backdrop":
        return [
          "colour",
          film.finish.backdrop.kind !== "colour" && "scale",
          "thick",
          "shadow",
          "rim",
          "horizon",
          "sky",
          "far",
        ];
      case "glow":
        return ["strength", "above", "wide", "colour"];
      case "glass":
        return ["distortion", "fringes", "soft"];
      case "wear":
        return ["dust", "scratches", "flicker", "weave", "seed"];
      case "ends":
        return [
          film.finish.ends.opens !== "cut" && "opens_over",
          film.finish.ends.closes !== "cut" && "closes_over",
          "colour",
        ];
      case "vignette":
        return ["by", "soft", "colour"];
      case "grain":
        return ["strength", "size", "middle", "coloured", "seed"];
      case "bars":
        return [film.finish.bars.by, "colour"];
      default:
        return [];
    }
  });
  const vantage = $derived.by(() => {
    const index = session.plan?.vantages.findLastIndex(({ start }) => start <= player.frame) ?? -1;
    return index < 0 ? null : { index, id: film.vantages[index]!.id };
  });

  let found = $state.raw<HeightsFound | null>(null);
  $effect(() => {
    const [state, plate, shown] = [session.state, relief.plate, face?.id === "relief" && relief.codes];
    if (!plate || !shown || session.trial) return;
    const path = { film_id: session.id, plate };
    void told<HeightsFound>(
      api.GET("/api/films/{film_id}/heights/{plate}", { params: { path, query: { state } } }),
    ).then(
      (heights) => (found = heights),
      (error: Error) => {
        found = null;
        if (state === session.state) session.notice = error.message;
      },
    );
  });

  function put(path: string, value: unknown, label: string) {
    void session.patch([{ op: "replace", path, value }], label);
  }
</script>

<section class="details" aria-label="Details">
  {#if mark?.kind === "lamp"}<LampDetails of={mark as Found<"lamp">} />
  {:else if mark?.kind === "deck"}<DeckDetails of={mark as Found<"deck">} />
  {:else if face}
    <PanelHead title={face.name} sub={face.hint} />
    {#if face.id === "surface"}<SurfacePanel />{:else if face.id === "look"}<LookPanel
      />{:else if face.id === "grade"}<GradePanel />{:else}
      <Fields of={face.part} part={film.finish[face.id]} path="/finish/{face.id}" {cells} columns={3} />
    {/if}
    {#if face.id === "lens"}
      {#if now}
        <dl>
          <div>
            <dt>Focus</dt>
            <dd>{length(now.focus.distance ?? 0, ground).join(" ")}</dd>
          </div>
          <div>
            <dt>Near limit</dt>
            <dd>{length(now.near.distance ?? 0, ground).join(" ")}</dd>
          </div>
          <div>
            <dt>Far limit</dt>
            <dd>{now.far.distance === null ? "infinity" : length(now.far.distance, ground).join(" ")}</dd>
          </div>
          <div>
            <dt>Widest blur here</dt>
            <dd>{digits(now.widest, 2)} % of width</dd>
          </div>
        </dl>
      {/if}
      <Strip>
        <Segments
          label="How small the model is that the lens sees"
          options={[
            { value: "nearness", label: "Same blur all the way", hint: "The target always seems as near" },
            { value: "scale", label: "Stronger as one comes near", hint: "The model keeps its scale" },
          ]}
          value={lens.model}
          onchange={(value) => put("/finish/lens/model", value, "Model")}
        />
      </Strip>
      <p>
        Real distances give no blur that one could see. So the lens sees the ground as a model: now at 1 to
        {now ? digits(now.scale, 3) : "…"}{lens.model === "nearness"
          ? ", as if the target were always this near. Less is softer."
          : ". More is softer."}
      </p>
      <Strip>
        <Button onclick={() => (session.tool = "focus")} title="Click what is to be sharp (F)">Pick focus</Button>
        {#if vantage}
          <Button
            onclick={() => session.act({ act: "focus_at_vantage", vantage: vantage.id, on: "target" })}
            title="When the camera arrives there, its target is in focus: a stop that hangs on the vantage"
            >On the target at vantage {vantage.index + 1}</Button
          >
        {/if}
        {#if typeof lens.focus === "object" && !("stops" in lens.focus)}
          <Button
            onclick={() => session.grow({ of: "finish.lens", field: "focus" }, player.frame)}
            title="The focus goes over: from here on each focus that is set is a stop">Let it go over</Button
          >
        {/if}
      </Strip>
    {:else if face.id === "relief"}
      <Strip>
        <Select
          label="Heights from"
          caption="Heights from"
          value={relief.plate ?? ""}
          options={[
            { value: "", label: heights.length ? "choose a plate" : "no plate yet" },
            ...heights.map(({ id, name }) => ({ value: id, label: name })),
          ]}
          onchange={(value) => {
            const plate = heights.find(({ id }) => id === value);
            if (plate) void session.raiseGround(plate);
            else put("/finish/relief/plate", null, "Heights");
          }}
        />
        <Select
          label="Its picture holds"
          caption="It holds"
          value={relief.codes}
          options={[
            { value: "metres", label: "metres" },
            { value: "grey", label: "grey, from black to white" },
            { value: "packed", label: "packed in colours" },
          ]}
          onchange={(value) => put("/finish/relief/codes", value, "How heights are coded")}
        />
      </Strip>
      <Strip>
        <Tick
          label="Drawn only, the ground stays flat"
          checked={relief.drawing}
          onchange={(on) => put("/finish/relief/drawing", on, on ? "Drawn only" : "Raised")}
        />
      </Strip>
      {#if !heights.length}
        <p>
          Drop a GeoTIFF of heights or a grey picture in Gather, or capture the practice survey’s heights, and say in
          Fit, under Picture, that the plate is heights of the ground.
        </p>
      {:else if found}
        <p>
          From {digits(found.low, 4)} to {digits(found.high, 4)} m, {found.columns} × {found.rows} places{found.holes
            ? `, of which ${found.holes.toLocaleString("en")} had no height and take their neighbours’`
            : ""}. All that lies on the ground lies on its mountains; names stand on them.
        </p>
      {/if}
    {:else if face.id === "sun"}
      <Strip>
        <Segments
          label="How the sun is set"
          options={[
            { value: "hand", label: "By hand" },
            { value: "hour", label: "By date and hour", hint: "As it stands over the camera’s target" },
          ]}
          value={sun.by}
          onchange={(value) => put("/finish/sun/by", value, "Sun")}
        />
        {#if sun.by === "hour"}
          <label
            >Date <input
              type="date"
              value={sun.date}
              onchange={(event) => put("/finish/sun/date", event.currentTarget.value, "Date")}
            /></label
          >
        {/if}
      </Strip>
      {#if sun.by === "hour" && ground === "plain"}
        <p>
          This ground is not georeferenced, so the sun stands as set by hand. Give two places their latitude and
          longitude in Fit.
        </p>
      {:else}<p>Shadows of marks, raised names and clouds fall away from the sun.</p>{/if}
    {:else if face.id === "dusk"}
      <p>By day, 0 %, the picture is as it is. Lamps that burn at dusk are as bright as it is dark.</p>
    {:else if face.id === "shutter"}
      <p>180° is open for half of each frame. What rests stays sharp; no cut is blurred across.</p>
    {:else if face.id === "ends"}
      <Strip>
        {#each [["opens", "Opens"], ["closes", "Closes"]] as const as [edge, says] (edge)}
          <Select
            label={says}
            caption={says}
            value={film.finish.ends[edge]}
            options={[
              { value: "cut", label: "with a cut" },
              { value: "colour", label: edge === "opens" ? "from a colour" : "to a colour" },
              { value: "zoom", label: "shot through" },
              { value: "whip", label: "thrown aside" },
            ]}
            onchange={(value) => put(`/finish/ends/${edge}`, value, says)}
          />
        {/each}
      </Strip>
      <p>The first and the last frame are the colour itself, or as far gone as can be: a cut there is not seen.</p>
    {:else if face.id === "backdrop"}
      <Strip>
        <Segments
          label="What the map lies on"
          options={[
            { value: "colour", label: "A colour" },
            { value: "wood", label: "Wood" },
            { value: "felt", label: "Felt" },
            { value: "steel", label: "Steel" },
            { value: "stone", label: "Stone" },
          ]}
          value={film.finish.backdrop.kind}
          onchange={(value) => put("/finish/backdrop/kind", value, "Backdrop")}
        />
      </Strip>
      <p>It shows where no plate is. Above the horizon is the sky, to which the ground fades far away.</p>
    {:else if face.id === "glass"}
      <p>Distortion above 0 bulges; the frame stays full. Fringes and soft edges are those of the corners.</p>
    {:else if face.id === "wear"}
      <p>Another seed is another piece of film. The same frame is always worn alike.</p>
    {:else if face.id === "grain"}
      <p>Strength is how far grain strays at middle grey, in percent of white: 2 to 4 % is film, 8 % is rough.</p>
    {:else if face.id === "bars"}
      <Strip>
        <Segments
          label="How the bars are set"
          options={[
            { value: "share", label: "By the height" },
            { value: "ratio", label: "By the ratio" },
          ]}
          value={film.finish.bars.by}
          onchange={(value) => put("/finish/bars/by", value, "Bars")}
        />
      </Strip>
    {:else if face.id === "haze"}
      <p>Distances count in that from the camera to its target: at 1 the target itself begins to fade.</p>
    {/if}
  {:else}
    <p>Choose an effect below the picture, or a lamp on the chart.</p>
  {/if}
  {#if course}<CoursePanel {course} mark={mark?.mark.id ?? null} />{/if}
</section>

<style>
  .details {
    min-height: 0;
  }
  dl {
    display: grid;
    grid-template-columns: repeat(4, 1fr);
    margin: 0;
    border-top: 1px solid var(--rule);
  }
  dl div {
    padding: 5px 8px 6px 12px;
    border-left: 1px solid var(--rule);
    min-width: 0;
  }
  dl div:first-child {
    border-left: 0;
  }
  dt {
    font-size: 11px;
    color: var(--ink-2);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  dd {
    margin: 0;
    font-weight: 600;
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  p {
    margin: 0;
    padding: 8px 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
  label {
    display: flex;
    align-items: center;
    gap: 6px;
  }
  input {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
  }
</style>
