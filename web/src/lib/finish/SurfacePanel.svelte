<script lang="ts">
  import Fields from "../details/Fields.svelte";
  import { session } from "../film/session.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import Strip from "../ui/Strip.svelte";
  import Swatches from "./Swatches.svelte";
  import { SURFACES, laySurface } from "./surfaces";

  const film = $derived(session.film!);
  const surface = $derived(film.finish.surface);
  const MODES = [
    ["normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn"],
    ["hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity"],
  ].flat();
  const put = (name: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `/finish/surface/${name}`, value }], label);

  function own(plate: string) {
    if (!plate) return void laySurface("fine");
    void session.patch(
      [
        { op: "replace", path: "/finish/surface/plate", value: plate },
        { op: "replace", path: "/finish/surface/kind", value: "own" },
        { op: "replace", path: "/finish/surface/on", value: true },
      ],
      "Surface: own picture",
    );
  }
</script>

<Swatches
  what="surface"
  label="Surface"
  options={[...SURFACES]}
  value={surface.on ? surface.kind : null}
  onpick={(kind) => void laySurface(kind)}
/>
<Fields
  of="Surface"
  part={surface}
  path="/finish/surface"
  cells={["strength", "own_colour", "scale", "folds", "light"]}
/>
<Strip>
  <Select
    label="Blend"
    caption="Blend"
    value={surface.blend}
    options={MODES.map((mode) => ({ value: mode, label: mode.replace("-", " ").replace("color", "colour") }))}
    onchange={(mode) => put("blend", mode, "Blend")}
  />
  <Segments
    label="How it lies"
    tight
    options={[
      { value: "everywhere", label: "Fine at any span", hint: "As fine as the frame wherever the camera goes" },
      { value: "closest", label: "One sheet", hint: "Sharp where the camera is closest; larger as one comes near" },
    ]}
    value={surface.lies}
    onchange={(lies) => put("lies", lies, "How the surface lies")}
  />
</Strip>
<Strip>
  <Select
    label="Own picture"
    caption="Own picture"
    value={surface.kind === "own" ? (surface.plate ?? "") : ""}
    options={[
      { value: "", label: film.plates.length ? "no picture" : "no plate yet" },
      ...film.plates.map(({ id, name }) => ({ value: id, label: name })),
    ]}
    onchange={own}
  />
</Strip>
<p>T tries the next one, also while the film plays. The sun, if it is on, says from where light falls on the folds.</p>

<style>
  p {
    margin: 0;
    padding: 8px 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
