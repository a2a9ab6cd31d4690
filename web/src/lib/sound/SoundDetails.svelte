<script lang="ts">
  import CoursePanel from "../details/CoursePanel.svelte";
  import Fields, { type FieldCell } from "../details/Fields.svelte";
  import TieField from "../details/marks/TieField.svelte";
  import { player } from "../film/player.svelte";
  import { newId, session } from "../film/session.svelte";
  import { sent, type Act, type Sheet } from "../api/client";
  import Button from "../ui/Button.svelte";
  import PanelHead from "../ui/PanelHead.svelte";
  import Segments from "../ui/Segments.svelte";
  import Select from "../ui/Select.svelte";
  import Strip from "../ui/Strip.svelte";
  import Tick from "../ui/Tick.svelte";
  import { hearing } from "./hearing.svelte";
  import LoudnessPanel from "./LoudnessPanel.svelte";

  const film = $derived(session.film!);
  const index = $derived(film.sounds.findIndex(({ id }) => id === session.selection?.id));
  const sound = $derived(index < 0 ? null : film.sounds[index]!);
  const laid = $derived(session.plan?.sounds.find(({ id }) => id === sound?.id) ?? null);
  const laneIndex = $derived(film.lanes.findIndex(({ id }) => id === (session.selection?.id ?? "")));
  const lane = $derived(laneIndex < 0 ? null : film.lanes[laneIndex]!);
  const course = $derived(session.courseAt(session.course));
  /** The passage that is under way at the playhead, to be as long as. */
  const passage = $derived(
    session.plan?.passages.find(
      ({ start, frames }) => frames > 1 && player.frame >= start && player.frame < start + frames,
    ) ?? null,
  );

  const cells = $derived.by((): (string | FieldCell | false)[] => [
    "gain",
    { key: "pan", label: "To the side", signed: true },
    "fade_in",
    "fade_out",
  ]);

  function put(path: string, value: unknown, label: string) {
    void session.patch([{ op: "replace", path, value }], label);
  }

  function rename(event: Event, path: string) {
    const name = (event.currentTarget as HTMLInputElement).value.trim();
    if (name) put(path, name, "Rename");
  }

  function beats() {
    const [film, of] = [session.id, sound!.id];
    void session.keep((seen) => sent<Sheet>(`/api/films/${film}/sounds/${of}/beats`, {}, null, { "If-Match": seen }));
  }

  async function addLane() {
    const id = newId();
    const name = `Lane ${film.lanes.length + 1}`;
    const path = `/lanes/${film.lanes.length}`;
    if (await session.patch([{ op: "add", path, value: { id, name } }], "Add a lane"))
      session.select({ kind: "lane", id });
  }
</script>

<section class="details" aria-label="Details">
  <LoudnessPanel />
  {#if sound && laid}
    <PanelHead title="Sound" sub={sound.source.kind === "made" ? "made here" : "from a file"} strong>
      <Button
        onclick={() => {
          const id = newId();
          void session
            .act({ act: "duplicate_sound", sound: sound!.id, frame: player.frame, id } as Act)
            .then((done) => done && session.select({ kind: "sound", id }));
        }}
        title="Once more, at the playhead (Ctrl D)">Once more here</Button
      >
      <Button onclick={() => session.removeSound(sound!.id)} title="Take it away (Del)">Remove</Button>
    </PanelHead>
    <div class="named">
      <input
        aria-label="Name of the sound"
        value={sound.name}
        onchange={(event) => rename(event, `/sounds/${index}/name`)}
      />
      <Select
        label="Lane"
        caption="in"
        value={sound.lane}
        options={film.lanes.map(({ id, name }) => ({ value: id, label: name }))}
        onchange={(value) => put(`/sounds/${index}/lane`, value, "Lane")}
      />
      <Tick
        label="Heard"
        checked={sound.heard}
        onchange={(on) => put(`/sounds/${index}/heard`, on, on ? "Heard" : "Not heard")}
      />
    </div>
    <TieField
      label="Starts when"
      path="/sounds/{index}/starts"
      moment={sound.starts}
      mark={null}
      frame={Math.max(Math.round(laid.start), 0)}
    />
    <TieField
      label="Ends when"
      path="/sounds/{index}/ends"
      moment={sound.ends}
      mark={null}
      frame={Math.max(Math.round(laid.end), 0)}
      open="it has been heard"
    />
    <Fields of="Sound" part={sound} path="/sounds/{index}" {cells} columns={4} />
    {#if sound.source.kind === "made"}
      <Fields
        of="MadeSound"
        part={sound.source}
        path="/sounds/{index}/source"
        cells={[{ key: "pitch", signed: true }]}
        columns={4}
      />
    {:else}
      <Fields of="FileSound" part={sound.source} path="/sounds/{index}/source" cells={["skip"]} columns={4} />
    {/if}
    <Strip wraps>
      <Tick
        label="Round and round"
        title="It begins anew until its end, or the film’s"
        checked={sound.loops}
        onchange={(on) => put(`/sounds/${index}/loops`, on, on ? "Round and round" : "Once")}
      />
      {#if passage}
        <Button
          onclick={() => session.act({ act: "fit_sound", sound: sound!.id, vantage: passage!.vantage } as Act)}
          title="From where the camera leaves to where it arrives: it goes along when the passage is retimed"
          >As long as this passage</Button
        >
      {/if}
      {#if sound.source.kind === "file"}
        <Button onclick={beats} title="Beats in it become the film’s, which vantages and marks snap to"
          >Find its beats</Button
        >
      {/if}
    </Strip>
  {:else if lane}
    <PanelHead title="Lane" sub="levelled together" strong>
      <Button onclick={() => session.removeLane(lane!.id)} title="Take the lane away, with its sounds">Remove</Button>
    </PanelHead>
    <div class="named">
      <input
        aria-label="Name of the lane"
        value={lane.name}
        onchange={(event) => rename(event, `/lanes/${laneIndex}/name`)}
      />
      <Tick
        label="Heard"
        checked={lane.heard}
        onchange={(on) => put(`/lanes/${laneIndex}/heard`, on, on ? "Heard" : "Not heard")}
      />
    </div>
    <Strip>
      <Select
        label="Gives way to"
        caption="Gives way to"
        value={lane.under ?? ""}
        options={[
          { value: "", label: "nothing" },
          ...film.lanes.filter(({ id }) => id !== lane!.id).map(({ id, name }) => ({ value: id, label: name })),
        ]}
        onchange={(value) => put(`/lanes/${laneIndex}/under`, value || null, "Gives way")}
      />
    </Strip>
    <Fields
      of="Lane"
      part={lane}
      path="/lanes/{laneIndex}"
      cells={["gain", lane.under !== null && "gives"]}
      columns={3}
    />
    <p>While something sounds in the lane it gives way to, it is quieter by so much, and comes back after it.</p>
  {:else}
    <p>
      Click an effect to hear it, and its plus to lay it at the playhead. Near an arrival, or where a name comes, it
      hangs on that and goes along with it.
    </p>
  {/if}
  {#if course}<CoursePanel {course} mark={null} />{/if}
  <Strip>
    <Button onclick={addLane}>Add a lane</Button>
    <span class="space"></span>
    <Segments
      label="Sound of the film here"
      options={[
        { value: "on", label: "Heard" },
        { value: "off", label: "Silent" },
      ]}
      value={hearing.on ? "on" : "off"}
      onchange={(value) => hearing.turn(value === "on")}
    />
  </Strip>
</section>

<style>
  .details {
    min-height: 0;
  }
  .named {
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .named input {
    flex: 1 1 90px;
    min-width: 0;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    padding: 0 6px;
    background: var(--sheet);
  }
  .space {
    flex: 1;
  }
  p {
    margin: 0;
    padding: 7px 12px;
    color: var(--ink-2);
    font-size: 11.5px;
    line-height: 16px;
    border-bottom: 1px solid var(--rule);
  }
</style>
