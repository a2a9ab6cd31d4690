<script lang="ts">
  import { api, told, type Act, type Ease, type Manner, type PassagePlan, type Vantage } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import { digits, length } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Segments from "../../ui/Segments.svelte";
  import Select from "../../ui/Select.svelte";
  import EaseCurve from "./EaseCurve.svelte";
  import MannerSettings from "./MannerSettings.svelte";

  let { vantage, index, passage }: { vantage: Vantage; index: number; passage: PassagePlan } = $props();

  type Kind = Manner["kind"];
  const film = $derived(session.film!);
  const next = $derived(film.vantages[index + 1]!);
  const ground = $derived(film.ground.kind);
  const path = $derived(`/vantages/${index}/passage`);
  const kind = $derived(vantage.passage.manner.kind);
  const ease = $derived(vantage.passage.ease);
  const duration = $derived(vantage.passage.duration);
  const rate = $derived(session.rate);
  /** How much higher or lower than its manner has it the passage flies at most. */
  const most = $derived(Math.max(...vantage.passage.rises.map(({ by }) => Math.abs(by))));
  const starts = $derived(session.choices?.starts ?? []);
  const startNames = $derived(starts.map((one) => one.name));
  /** Names to choose from, with the one that stands even if it is none of them. */
  const named = (names: string[], now: string) =>
    (names.includes(now) ? names : [...names, now]).map((name) => ({ value: name, label: name }));
  const near = (a: number, b: number) => Math.abs(a - b) < 1e-6;
  const setsOff = $derived(starts.find((one) => near(one.x, ease.x1) && near(one.y, ease.y1))?.name ?? "Free");
  const comesIn = $derived(starts.find((one) => near(1 - one.x, ease.x2) && near(1 - one.y, ease.y2))?.name ?? "Free");
  /** How many passages an edit is for, and whether they differ in what is shown of this one. */
  const many = $derived(session.passages.length);
  const differ = $derived({
    manner: session.differs(`${path}/manner`),
    ease: session.differs(`${path}/ease`),
    duration: session.differs(`${path}/duration`),
  });

  const manners: { value: Kind; label: string; hint: string }[] = [
    { value: "glide", label: "Glide", hint: "Straight to its goal, at an even rate" },
    { value: "hop", label: "Hop", hint: "Rises, crosses and comes down" },
    { value: "steps", label: "Steps", hint: "Several quick zooms with rests between" },
    { value: "follow", label: "Follow", hint: "Along a route" },
    { value: "orbit", label: "Orbit", hint: "Round its target" },
    { value: "skim", label: "Skim", hint: "Parallel to the ground" },
    { value: "rail", label: "Rail", hint: "Along a free curve in space" },
    { value: "cut", label: "Cut", hint: "At once" },
  ];

  async function setManner(value: Kind) {
    if (value === "follow") {
      const route = film.routes[0];
      if (!route) {
        session.tool = "route";
        session.followNext = vantage.id;
        session.notice = "There is no route to follow yet. Click its points on the chart; Enter ends it.";
        return;
      }
      for (const id of session.passages) await session.act({ act: "follow_route", vantage: id, route: route.id });
      return;
    }
    await session.patch([{ op: "replace", path: `${path}/manner`, value: { kind: value } }], `Manner ${value}`);
  }

  const putEase = (value: Ease, label: string) =>
    session.patch([{ op: "replace", path: `${path}/ease`, value }], label);

  function setPreset(name: string) {
    const preset = session.choices?.eases.find((entry) => entry.name === name);
    if (preset) {
      const { x1, y1, x2, y2 } = preset;
      void putEase({ x1, y1, x2, y2, speed: [] }, `Ease ${name}`);
    }
  }

  function setStart(name: string) {
    const start = starts.find((one) => one.name === name);
    if (start) void putEase({ ...ease, x1: start.x, y1: start.y, speed: [] }, "Sets off");
  }

  function setEnd(name: string) {
    const start = starts.find((one) => one.name === name);
    if (start) void putEase({ ...ease, x2: 1 - start.x, y2: 1 - start.y, speed: [] }, "Comes in");
  }

  /** This ease for the passages of all vantages. */
  function easeAll() {
    void session.patch(
      film.vantages.map((_, k) => ({ op: "replace" as const, path: `/vantages/${k}/passage/ease`, value: ease })),
      "Ease of all",
    );
  }

  /** Each passage keeps its time, and is given it otherwise. */
  function setUnit(unit: "seconds" | "frames" | "natural" | "before") {
    const steps = session.plan!.passages.flatMap((one, k) => {
      if (!session.passages.includes(one.vantage)) return [];
      const value = {
        frames: one.frames,
        seconds: Number((one.frames / rate).toFixed(3)),
        natural: Number(Math.max(one.pace, 0.01).toFixed(3)),
        before: 1,
      }[unit];
      return [{ op: "replace" as const, path: `/vantages/${k}/passage/duration`, value: { unit, value } }];
    });
    void session.patch(steps, "Duration");
  }

  /** As high over the ground all the way as at both ends. */
  async function follow() {
    const params = { path: { film_id: session.id, vantage: vantage.id }, query: { state: session.state } };
    await session.guarded(async () => {
      const act = await told<Act>(api.GET("/api/films/{film_id}/passages/{vantage}/along-ground", { params }));
      await session.act(act, "Follow the ground");
    });
  }

  /** The speed itself, drawn in the profile, where the passage then has room. */
  async function drawSpeed() {
    await session.act({ act: "draw_speed", vantage: vantage.id, points: 7 });
    session.showFrames = [passage.start, passage.start + passage.frames];
  }
  const unitLabel = { natural: "doublings/s", seconds: "s", frames: "frames", before: "times" };
</script>

<div class="to">
  <b>{many > 1 ? `${many} passages` : `Passage from ${index + 1} to ${index + 2}`}</b>
  <span
    >{many > 1
      ? "what is set here is set for all of them"
      : `${next.name}, ${length(passage.distance, ground).join(" ")} away`}</span
  >
</div>
<div class="manner">
  <Segments label="Manner" camera tight options={manners} value={differ.manner ? null : kind} onchange={setManner} />
</div>
<MannerSettings {vantage} {index} {passage} />
{#if kind !== "cut"}
  <div class="passage">
    <div class="ease">
      <Select
        label="Ease"
        caption={differ.ease ? "Ease (differ)" : "Ease"}
        value={passage.ease_name}
        options={named(
          (session.choices?.eases ?? []).map((one) => one.name),
          passage.ease_name,
        )}
        onchange={setPreset}
      />
      <EaseCurve
        {ease}
        curve={passage.ease}
        seconds={passage.frames / rate}
        ontry={(value) => session.tryPatch([{ op: "replace", path: `${path}/ease`, value }])}
        onkeep={() => session.keepTrial("Ease")}
        ondrop={() => session.dropTrial()}
      />
    </div>
    <div class="figures">
      <div class="units">
        <Segments
          label="Duration in"
          tight
          options={[
            { value: "natural", label: "Natural", hint: "From the length of the path and a pace" },
            { value: "seconds", label: "Seconds" },
            { value: "frames", label: "Frames" },
            { value: "before", label: "Before", hint: "At the pace of the passage before" },
          ]}
          value={duration.unit}
          onchange={setUnit}
        />
      </div>
      <div class="two">
        <Cell
          label={(duration.unit === "natural" ? "Pace" : duration.unit === "before" ? "Pace of the last" : "Duration") +
            (differ.duration ? " (differ)" : "")}
          value={duration.value}
          text={duration.unit === "frames" ? `${Math.round(duration.value)}` : digits(duration.value)}
          unit={unitLabel[duration.unit]}
          step={duration.unit === "frames" ? 1 : 0.1}
          min={duration.unit === "frames" ? 1 : 0.05}
          max={86400}
          ontry={(value) =>
            session.tryPatch([
              {
                op: "replace",
                path: `${path}/duration`,
                value: {
                  unit: duration.unit,
                  value: duration.unit === "frames" ? Math.round(value) : Number(value.toFixed(4)),
                },
              },
            ])}
          onkeep={() => session.keepTrial("Duration")}
          ondrop={() => session.dropTrial()}
        />
        <dl>
          <div>
            <dt>Takes</dt>
            <dd>{(passage.frames / rate).toFixed(2)} s <u>{passage.frames} fr</u></dd>
          </div>
          <div>
            <dt title="Doublings a second, at the fastest">Top pace</dt>
            <dd>{digits(passage.top_pace, 2)} <u>/s</u></dd>
          </div>
          <div>
            <dt>Clears at</dt>
            <dd>{length(passage.widest, ground).join(" ")}</dd>
          </div>
        </dl>
      </div>
      <div class="ends">
        <Select
          label="Sets off"
          caption="Off"
          disabled={ease.speed.length > 0}
          value={setsOff}
          options={named(startNames, setsOff)}
          onchange={setStart}
        />
        <Select
          label="Comes in"
          caption="In"
          disabled={ease.speed.length > 0}
          value={comesIn}
          options={named(startNames, comesIn)}
          onchange={setEnd}
        />
      </div>
    </div>
  </div>
  <div class="acts">
    <Button
      onclick={() => (ease.speed.length ? putEase({ ...ease, speed: [] }, "Ease by handles") : drawSpeed())}
      title="The speed itself as a curve, drawn in the pace strip of the profile"
      >{ease.speed.length ? "Back to handles" : "Draw its speed"}</Button
    >
    {#if vantage.passage.rises.length}
      <Button
        onclick={() => session.act({ act: "keep_clear", vantage: vantage.id, rises: [] })}
        title="It flies up to {length(most, ground).join(' ')} higher or lower on its way, by the ground below it"
        >As its manner has it</Button
      >
    {/if}
    {#if film.finish.relief.on}
      <Button
        onclick={follow}
        title="Over ridges and into valleys, as high over what is below as at its ends. Do it again when the way has changed"
        >Follow the ground</Button
      >
    {/if}
    {#if many < 2}
      <Button disabled={film.vantages.length < 3} onclick={easeAll} title="Gives this ease to all passages"
        >Ease of all {film.vantages.length - 1}</Button
      >
    {/if}
  </div>
{/if}

<style>
  .to {
    height: 26px;
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px;
    white-space: nowrap;
  }
  .to b {
    font-weight: 660;
    font-size: 12px;
  }
  .to span {
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .manner {
    padding: 0 12px 7px;
  }
  .passage {
    display: grid;
    grid-template-columns: 148px minmax(0, 1fr);
    border-top: 1px solid var(--rule);
  }
  .ease {
    padding: 5px 8px 6px 12px;
    border-right: 1px solid var(--rule);
  }
  .units {
    padding: 5px 12px 5px 8px;
  }
  .two {
    display: grid;
    grid-template-columns: 112px minmax(0, 1fr);
    border-top: 1px solid var(--rule);
    border-bottom: 1px solid var(--rule);
  }
  .two :global(.cell) {
    border-top: 0;
    border-left: 0;
    height: 46px;
    padding: 5px 4px 0 8px;
  }
  .figures {
    min-width: 0;
    container-type: inline-size;
  }
  @container (max-width: 225px) {
    .units {
      padding: 5px 6px;
    }
    .two {
      grid-template-columns: 76px minmax(0, 1fr);
    }
    .two dd u {
      display: none;
    }
  }
  .ends {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 8px;
    padding: 4px 12px 4px 8px;
  }
  dl {
    padding: 0 8px;
    border-left: 1px solid var(--rule);
    align-self: center;
  }
  dl div {
    display: flex;
    gap: 6px;
    white-space: nowrap;
    line-height: 15px;
  }
  dt {
    color: var(--ink-3);
    font-size: 10.5px;
    flex: 0 0 46px;
  }
  dd {
    font-weight: 540;
  }
  dd u {
    text-decoration: none;
    color: var(--ink-3);
    font-weight: 420;
  }
  .acts {
    display: flex;
    gap: 6px;
    padding: 5px 12px;
    border-top: 1px solid var(--rule);
  }
</style>
