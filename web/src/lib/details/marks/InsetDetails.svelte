<script lang="ts">
  import type { Found } from "../../film/marks";
  import { arrivals } from "../../film/arrivals.svelte";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";
  import Tick from "../../ui/Tick.svelte";
  import ClipFields from "../ClipFields.svelte";
  import Fields from "../Fields.svelte";
  import LookFields from "./LookFields.svelte";
  import LookSelect from "./LookSelect.svelte";
  import MarkHead from "./MarkHead.svelte";
  import StyleBar from "./StyleBar.svelte";
  import TimeFields from "./TimeFields.svelte";

  let { of }: { of: Found<"inset"> } = $props();

  const inset = $derived(of.mark);
  const clip = $derived(inset.shows.kind === "clip" ? inset.shows : null);
  const inFrame = $derived(inset.stands === "frame" || inset.stands === "full");
  let tab = $state<"place" | "time" | "look" | "clip">("place");
  const put = (key: string, value: unknown, says: string) =>
    session.patch([{ op: "replace", path: `${of.path}/${key}`, value }], says);

  const regions = $derived(session.marks.filter(({ kind }) => kind === "region"));
  const opened = $derived(regions.filter(({ look }) => look.opens !== 0));
  const closed = $derived(regions.filter(({ look }) => look.opens === 0));

  const open = (region: string, open: boolean) => session.act({ act: "open_map", regions: [region], open });

  function stand(value: string) {
    void session.patch(
      [
        { op: "replace", path: `${of.path}/stands`, value },
        ...(value === "facing" ? [{ op: "replace" as const, path: `${of.path}/under`, value: false }] : []),
        // What uncovers it lies on the ground.
        ...(value === "frame" || value === "full"
          ? [{ op: "replace" as const, path: `${of.path}/reveal`, value: null }]
          : []),
      ],
      "How it stands",
    );
  }
</script>

<MarkHead
  {of}
  title="Inset"
  sub="{clip ? 'clip' : 'picture'}, {inset.shows.width.toLocaleString('en')} × {inset.shows.height.toLocaleString(
    'en',
  )}{clip ? `, ${clip.seconds.toFixed(1)} s` : ''}"
/>
<Strip>
  <Segments
    label="What of the inset"
    options={[
      { value: "place", label: "Place" },
      { value: "time", label: "Time" },
      { value: "look", label: "Look" },
      ...(clip ? [{ value: "clip" as const, label: "Clip" }] : []),
    ]}
    value={tab === "clip" && !clip ? "place" : tab}
    onchange={(value) => (tab = value)}
  />
</Strip>
{#if tab === "time"}
  <TimeFields {of} apart />
{:else if tab === "look"}
  <Strip>
    <LookSelect {of} name="scales" caption="Its width" says={{ frame: "in the frame", ground: "on the ground" }} />
    <LookSelect
      {of}
      name="lies"
      caption="Lies"
      says={{ over: "over what is below", light: "as light, its black unseen" }}
    />
  </Strip>
  <LookFields
    {of}
    cells={[
      of.look.scales === "ground" && !inFrame ? "ground" : "size",
      "round",
      "edge",
      "edge_colour",
      of.look.lies === "over" && of.look.soft === 0 && "shadow",
      "soft",
      "opacity",
    ]}
  />
  <Fields of="Crop" part={inset.crop} path="{of.path}/crop" columns={4} cells={["left", "top", "right", "bottom"]} />
  <StyleBar {of} />
{:else if tab === "clip" && clip}
  <ClipFields {clip} path="{of.path}/shows" waits />
{:else}
  <Strip>
    <Select
      label="How it stands"
      caption="Stands"
      value={inset.stands}
      options={[
        { value: "facing", label: "upright, at its place" },
        { value: "board", label: "on the ground or tilted" },
        { value: "frame", label: "in the frame" },
        { value: "full", label: "over all of the frame" },
      ]}
      onchange={stand}
    />
    {#if inset.stands !== "facing"}
      <Tick
        label="Under the map"
        checked={inset.under}
        onchange={(on) => put("under", on, on ? "Under the map" : "Over the map")}
      />
    {/if}
    {#if inset.stands === "board"}
      <Tick label="Turns with the camera" checked={inset.turns} onchange={(on) => put("turns", on, "Turns")} />
    {/if}
  </Strip>
  {#if inset.under}
    <p>It is seen where no picture covers the ground, and through regions that open the map.</p>
    {#if regions.length}
      <Strip>
        {#if opened.length}<span>Seen through</span>{/if}
        {#each opened as { mark } (mark.id)}
          <Button title="Close the map there" onclick={() => open(mark.id, false)}>{mark.name} ×</Button>
        {/each}
        {#if closed.length}
          <Select
            label="Seen through"
            caption={opened.length ? "and" : "Seen through"}
            value=""
            options={[
              { value: "", label: "choose a region" },
              ...closed.map(({ mark }) => ({ value: mark.id, label: mark.name })),
            ]}
            onchange={(region) => region && open(region, true)}
          />
        {/if}
      </Strip>
    {/if}
  {/if}
  <Fields
    of="Inset"
    part={inset}
    path={of.path}
    cells={[
      !inFrame && "x",
      !inFrame && "y",
      !inFrame && "height",
      inset.stands === "board" && "tilt",
      inset.stands === "board" && "turn",
      inset.stands === "facing" && "gap",
      inset.stands === "frame" && "u",
      inset.stands === "frame" && "v",
    ]}
  />
  {#if clip}
    <Strip>
      <Button
        title="It becomes a plate that plays: fitted by ties, toned and stacked as any picture"
        onclick={() => arrivals.layInset(inset.id)}>Lay it as a plate</Button
      >
    </Strip>
  {/if}
{/if}

<style>
  span {
    color: var(--ink-3);
  }
  p {
    padding: 2px 12px 8px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
