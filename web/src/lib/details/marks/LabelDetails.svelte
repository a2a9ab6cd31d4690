<script lang="ts">
  import { camera } from "../../film/camera.svelte";
  import type { Found } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";
  import Tick from "../../ui/Tick.svelte";
  import Fields from "../Fields.svelte";
  import LetteringFields from "./LetteringFields.svelte";
  import MarkHead from "./MarkHead.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";

  let { of }: { of: Found<"label"> } = $props();

  const film = $derived(session.film!);
  const label = $derived(of.mark);
  let tab = $state<"place" | "time" | "letters">("place");
  const put = (key: string, value: unknown, says: string) =>
    session.patch([{ op: "replace", path: `${of.path}/${key}`, value }], says);

  function stand(value: string) {
    const route = value === "route" ? (label.route ?? film.routes[0]?.id ?? null) : null;
    if (value === "route" && !route) return (session.notice = "Draw a route first; then the text can run along it.");
    void session.patch(
      [
        { op: "replace", path: `${of.path}/stands`, value },
        { op: "replace", path: `${of.path}/route`, value: route },
        // What uncovers it lies on the ground.
        ...(value === "frame" ? [{ op: "replace" as const, path: `${of.path}/reveal`, value: null }] : []),
      ],
      "How it stands",
    );
  }

  /** All that are chosen and can, or none. */
  function makeRoom(on: boolean) {
    const marks = film.labels.filter(({ id, stands }) => session.chosen.includes(id) && stands === "facing");
    void session.act({ act: "make_room", marks: marks.length ? marks.map(({ id }) => id) : [label.id], on });
  }
</script>

<MarkHead {of} title={label.leader ? "Callout" : "Label"} />
<textarea
  aria-label="Text of the label"
  rows={Math.min(label.text.split("\n").length, 4)}
  value={label.text}
  onkeydown={(event) => {
    event.stopPropagation();
    if (event.key === "Enter" && !event.shiftKey) event.currentTarget.blur();
  }}
  onchange={(event) => {
    const text = event.currentTarget.value;
    // A label that is still called by its text goes on being called so.
    const name = label.name === label.text.slice(0, 60).replaceAll("\n", " ");
    void session.patch(
      [
        { op: "replace", path: `${of.path}/text`, value: text },
        ...(name && text.trim()
          ? [{ op: "replace" as const, path: `${of.path}/name`, value: text.slice(0, 60).replaceAll("\n", " ") }]
          : []),
      ],
      "Text",
    );
  }}></textarea>
<Strip>
  <Tick
    label="Counts"
    checked={label.counter !== null}
    onchange={(on) => put("counter", on ? { route: film.routes[0]?.id ?? null } : null, "Counter")}
  />
  {#if label.counter}
    <Select
      label="What it counts"
      caption="the"
      value={label.counter.route ?? ""}
      options={[
        ...film.routes.map(({ id, name }) => ({ value: id, label: `way of ${name}` })),
        { value: "", label: "value below" },
      ]}
      onchange={(value) => put("counter/route", value || null, "What it counts")}
    />
    {#if label.counter.route && film.ground.kind === "mercator"}
      <Select
        label="Unit of the count"
        caption="in"
        value={label.counter.unit}
        options={(["m", "km", "mi", "nmi", "ft"] as const).map((value) => ({ value, label: value }))}
        onchange={(value) => put("counter/unit", value, "Unit")}
      />
    {/if}
  {:else}<span class="hint">a number where a # stands in the text</span>{/if}
</Strip>
{#if label.counter}
  <Fields
    of="Counter"
    part={label.counter}
    path="{of.path}/counter"
    columns={2}
    cells={[!label.counter.route && "value", "places"]}
  />
{/if}
<Strip>
  <Segments
    label="What of the label"
    options={[
      { value: "place", label: "Place" },
      { value: "time", label: "Time" },
      { value: "letters", label: "Letters" },
    ]}
    value={tab}
    onchange={(value) => (tab = value)}
  />
</Strip>
{#if tab === "place"}
  <Strip>
    <Select
      label="How it stands"
      caption="Stands"
      value={label.stands}
      options={[
        { value: "facing", label: "upright, at its place" },
        { value: "board", label: "on the ground or tilted" },
        { value: "route", label: "along a route" },
        { value: "frame", label: "in the frame" },
      ]}
      onchange={stand}
    />
    {#if label.stands !== "frame"}
      <Select
        label="On which side"
        caption="Sits"
        value={label.sits}
        options={["above", "below", "left", "right", "over"].map((value) => ({
          value: value as typeof label.sits,
          label: value,
        }))}
        onchange={(value) => put("sits", value, "Sits")}
        disabled={label.leader !== null && label.stands === "facing"}
      />
    {/if}
  </Strip>
  {#if label.stands === "facing"}
    <Strip>
      <Tick label="Makes room" checked={label.gives_way} onchange={makeRoom} />
      <span class="hint">moves up or down where another name would hide it</span>
    </Strip>
  {/if}
  {#if label.stands === "frame"}
    <Fields of="Label" part={label} path={of.path} columns={2} cells={["u", "v"]} />
  {:else if label.stands === "route"}
    <Strip>
      <Select
        label="Along which route"
        caption="Along"
        value={label.route ?? ""}
        options={film.routes.map(({ id, name }) => ({ value: id, label: name }))}
        onchange={(value) => put("route", value, "Along a route")}
      />
    </Strip>
    <Fields
      of="Label"
      part={label}
      path={of.path}
      columns={2}
      cells={[
        { key: "along", unit: "% of the way" },
        { key: "gap", label: "Away from it" },
      ]}
    />
  {:else}
    <Fields
      of="Label"
      part={label}
      path={of.path}
      cells={["height", "gap", label.stands === "board" && "tilt", label.stands === "board" && "turn"]}
    />
    {#if label.stands === "board"}
      <Strip>
        <Tick label="Turns with the camera" checked={label.turns} onchange={(on) => put("turns", on, "Turns along")} />
      </Strip>
    {:else}
      <Strip>
        <Tick
          label="Callout: a line leads to it"
          checked={label.leader !== null}
          onchange={(on) => put("leader", on ? {} : null, "Callout")}
        />
      </Strip>
      {#if label.leader}
        <Fields
          of="Leader"
          part={label.leader}
          path="{of.path}/leader"
          cells={["dx", "dy", "frames", "width", "dot"]}
        />
      {/if}
    {/if}
  {/if}
  <Strip wraps>
    {#each [["widest", "Seen from", "wider spans"], ["closest", "down to", "closer spans"]] as const as [key, caption, others] (key)}
      <Tick
        label={caption}
        checked={label[key] !== null}
        onchange={(on) => {
          const span = camera.spanAt(of.start) ?? 1000;
          void put(key, on ? (key === "widest" ? span * 4 : span / 4) : null, "Seen between spans");
        }}
      />
      {#if label[key] === null}<span class="hint">{others} too</span>{/if}
    {/each}
  </Strip>
  {#if label.widest !== null || label.closest !== null}
    <Fields
      of="Label"
      part={label}
      path={of.path}
      columns={2}
      cells={[label.widest !== null && "widest", label.closest !== null && "closest"]}
    />
  {/if}
{:else if tab === "time"}
  <TimeFields {of} apart />
{:else}
  <StyleBar {of} />
  <LetteringFields {of} />
{/if}

<style>
  .hint {
    color: var(--ink-3);
  }
  textarea {
    display: block;
    width: calc(100% - 24px);
    margin: 6px 12px;
    padding: 5px 6px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    font: inherit;
    font-size: 14px;
    resize: vertical;
  }
  .hint {
    color: var(--ink-3);
    font-size: 10.5px;
    margin-right: 10px;
  }
</style>
