<script lang="ts">
  import type { Vantage } from "../api/client";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { digits, length } from "../format";
  import Cell from "../ui/Cell.svelte";
  import Icon, { type IconName } from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";
  import EaseCurve from "./EaseCurve.svelte";
  import VantageList from "./VantageList.svelte";

  const film = $derived(session.film);
  const plan = $derived(session.plan);
  const index = $derived(film?.vantages.findIndex((vantage) => vantage.id === session.selection?.id) ?? -1);
  const vantage = $derived(index >= 0 ? film!.vantages[index]! : null);
  const laid = $derived(index >= 0 ? plan!.vantages[index]! : null);
  const passage = $derived(plan?.passages.find((entry) => entry.vantage === vantage?.id) ?? null);
  const next = $derived(index >= 0 ? film!.vantages[index + 1] : undefined);
  const ground = $derived(film?.ground.kind ?? "plain");
  const rate = $derived.by(() => {
    const [over, under] = (film?.rate ?? "25").split("/").map(Number);
    return over! / (under ?? 1);
  });
  const unitOf = (value: number) => length(value, ground)[1];
  const kilo = (value: number) => (unitOf(value) === "km" ? 1000 : 1);

  type Field = {
    key: keyof Vantage & ("span" | "tilt" | "heading" | "roll" | "focal" | "hold" | "x" | "y");
    label: string;
    icon?: IconName;
    unit: string;
    text: string;
    step: number;
    log?: boolean;
    min?: number;
    max?: number;
    factor?: number;
  };
  const fields = $derived.by<Field[]>(() => {
    if (!vantage) return [];
    const place = (value: number) => (ground === "plain" ? digits(value, 6) : digits(value / 1000, 7));
    const placeStep = vantage.span / 200;
    return [
      {
        key: "x",
        label: ground === "plain" ? "X" : "East",
        unit: ground === "plain" ? "px" : "km",
        text: place(vantage.x),
        step: placeStep,
        factor: ground === "plain" ? 1 : 1000,
      },
      {
        key: "y",
        label: ground === "plain" ? "Y" : "North",
        unit: ground === "plain" ? "px" : "km",
        text: place(vantage.y),
        step: placeStep,
        factor: ground === "plain" ? 1 : 1000,
      },
      {
        key: "span",
        label: "Ground span",
        icon: "span",
        unit: unitOf(vantage.span),
        text: length(vantage.span, ground)[0],
        step: 0.01,
        log: true,
        min: 1e-4,
        max: 1e9,
        factor: kilo(vantage.span),
      },
      {
        key: "tilt",
        label: "Tilt",
        icon: "tilt",
        unit: "°",
        text: digits(vantage.tilt),
        step: 1,
        min: 0,
        max: 85,
      },
      {
        key: "heading",
        label: "Heading",
        icon: "heading",
        unit: "°",
        text: digits(vantage.heading),
        step: 1,
        min: -360,
        max: 360,
      },
      {
        key: "roll",
        label: "Roll",
        icon: "roll",
        unit: "°",
        text: digits(vantage.roll),
        step: 1,
        min: -180,
        max: 180,
      },
      {
        key: "focal",
        label: "Lens",
        icon: "lens",
        unit: "mm",
        text: digits(vantage.focal),
        step: 1,
        min: 8,
        max: 400,
      },
      {
        key: "hold",
        label: "Hold",
        icon: "hold",
        unit: "s",
        text: digits(vantage.hold),
        step: 0.1,
        min: 0,
        max: 3600,
      },
    ];
  });

  const put = (key: string, value: unknown) =>
    session.tryPatch([{ op: "replace", path: `/vantages/${index}/${key}`, value }]);

  function durationText() {
    if (!vantage || !passage) return "";
    const { unit, value } = vantage.passage.duration;
    return unit === "natural" ? digits(value) : unit === "frames" ? `${Math.round(value)}` : digits(value);
  }

  function setUnit(unit: "seconds" | "frames" | "natural") {
    const frames = passage!.frames;
    const value =
      unit === "frames"
        ? frames
        : unit === "seconds"
          ? Number((frames / rate).toFixed(3))
          : Number(Math.max(passage!.length / (frames / rate), 0.01).toFixed(3));
    void session.patch(
      [{ op: "replace", path: `/vantages/${index}/passage/duration`, value: { unit, value } }],
      "Duration",
    );
  }

  function setEase(name: string) {
    const ease = session.choices?.eases.find((entry) => entry.name === name);
    if (!ease) return;
    const { x1, y1, x2, y2 } = ease;
    void session.patch(
      [{ op: "replace", path: `/vantages/${index}/passage/ease`, value: { x1, y1, x2, y2 } }],
      `Ease ${name}`,
    );
  }

  function go(to: number) {
    const target = film!.vantages[to];
    if (!target) return;
    session.select({ kind: "vantage", id: target.id });
    player.seek(plan!.vantages[to]!.start);
  }

  async function duplicate() {
    const id = Math.random().toString(16).slice(2, 10);
    await session.act({ act: "duplicate_vantage", vantage: vantage!.id, id });
    session.select({ kind: "vantage", id });
  }

  async function remove() {
    const at = index;
    await session.act({ act: "remove_vantage", vantage: vantage!.id });
    const left = session.film!.vantages[Math.min(at, session.film!.vantages.length - 1)];
    session.select(left ? { kind: "vantage", id: left.id } : null);
  }
</script>

<section class="details" aria-label="Details">
  {#if vantage && laid && film}
    <header>
      <span class="number">{index + 1}</span>
      <input
        class="name"
        aria-label="Name of the vantage"
        value={vantage.name}
        onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        onchange={(event) =>
          session.patch(
            [{ op: "replace", path: `/vantages/${index}/name`, value: event.currentTarget.value }],
            "Rename vantage",
          )}
      />
      <button title="Duplicate (Ctrl D)" onclick={duplicate}><Icon name="copy" size={15} /></button>
      <button
        title="Earlier in the film"
        disabled={index === 0}
        onclick={() => session.act({ act: "reorder_vantage", vantage: vantage.id, to: index - 1 })}
        ><Icon name="left" size={15} /></button
      >
      <button
        title="Later in the film"
        disabled={!next}
        onclick={() => session.act({ act: "reorder_vantage", vantage: vantage.id, to: index + 1 })}
        ><Icon name="right" size={15} /></button
      >
      <button title="Delete (Del)" onclick={remove}><Icon name="bin" size={15} /></button>
      <i></i>
      <button title="Previous vantage (↑)" disabled={index === 0} onclick={() => go(index - 1)}
        ><Icon name="up" size={15} /></button
      >
      <button title="Next vantage (↓)" disabled={!next} onclick={() => go(index + 1)}
        ><Icon name="down" size={15} /></button
      >
    </header>
    <div class="cells">
      {#each fields as field (field.key)}
        <Cell
          label={field.label}
          value={vantage[field.key] as number}
          text={field.text}
          unit={field.unit}
          icon={field.icon}
          step={field.step}
          log={field.log}
          min={field.min}
          max={field.max}
          factor={field.factor}
          ontry={(value) => {
            if (!player.playing && player.frame !== laid.start) player.seek(laid.start);
            put(field.key, value);
          }}
          onkeep={() => session.keepTrial(field.label)}
          ondrop={() => session.dropTrial()}
        />
      {/each}
      <button
        class="cell action"
        onclick={() => session.showOutline([...laid.outline, [laid.eye[0], laid.eye[1]]], 1.3)}
        title="Show this frame on the chart"><Icon name="frame" size={15} />Show it</button
      >
    </div>
    {#if next && passage}
      <div class="to">
        <b>Passage to {index + 2}</b>
        <span>{next.name}, {length(passage.distance, ground).join(" ")} away</span>
      </div>
      <div class="manner">
        <Segments
          label="Manner"
          camera
          options={[
            { value: "glide", label: "Glide", hint: "Straight to its goal, at an even rate" },
            { value: "hop", label: "Hop", hint: "Rises, crosses and comes down" },
          ]}
          value={vantage.passage.manner}
          onchange={(manner) =>
            session.patch([{ op: "replace", path: `/vantages/${index}/passage/manner`, value: manner }], "Manner")}
        />
      </div>
      <div class="passage">
        <div class="ease">
          <label
            >Ease
            <select
              aria-label="Ease"
              value={passage.ease_name}
              onchange={(event) => setEase(event.currentTarget.value)}
            >
              {#each session.choices?.eases ?? [] as ease (ease.name)}<option>{ease.name}</option>{/each}
              {#if passage.ease_name === "Free"}<option>Free</option>{/if}
            </select></label
          >
          <EaseCurve
            ease={vantage.passage.ease}
            curve={passage.ease}
            seconds={passage.frames / rate}
            ontry={(ease) => put("passage/ease", ease)}
            onkeep={() => session.keepTrial("Ease")}
            ondrop={() => session.dropTrial()}
          />
        </div>
        <div class="figures">
          <div class="units">
            <Segments
              label="Duration in"
              options={[
                { value: "natural", label: "Natural", hint: "From the length of the path and a pace" },
                { value: "seconds", label: "Seconds" },
                { value: "frames", label: "Frames" },
              ]}
              value={vantage.passage.duration.unit}
              onchange={setUnit}
            />
          </div>
          <div class="cells two">
            <Cell
              label={vantage.passage.duration.unit === "natural" ? "Pace" : "Duration"}
              value={vantage.passage.duration.value}
              text={durationText()}
              unit={vantage.passage.duration.unit === "natural"
                ? "doublings/s"
                : vantage.passage.duration.unit === "frames"
                  ? "frames"
                  : "s"}
              step={vantage.passage.duration.unit === "frames" ? 1 : 0.1}
              min={vantage.passage.duration.unit === "frames" ? 1 : 0.05}
              max={86400}
              ontry={(value) =>
                put("passage/duration", {
                  unit: vantage.passage.duration.unit,
                  value: vantage.passage.duration.unit === "frames" ? Math.round(value) : Number(value.toFixed(4)),
                })}
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
              {#if vantage.passage.manner === "hop"}<div>
                  <dt>Clears at</dt>
                  <dd>{length(passage.widest, ground).join(" ")}</dd>
                </div>{/if}
            </dl>
          </div>
        </div>
      </div>
    {:else}
      <p>The film ends here. A further vantage makes a passage from this one.</p>
    {/if}
  {:else}
    <header><h2>Vantages</h2></header>
    <p>
      {film?.vantages.length
        ? "Pick a vantage on the chart or in the profile."
        : film?.plates.length
          ? "Where should the camera rest? Show the place on the chart and press “Vantage here”, or draw a frame with the Vantage tool. Two vantages make a move."
          : "Bring map pictures in Gather first. Then set vantages here."}
    </p>
  {/if}
  <VantageList />
</section>

<style>
  .details {
    overflow-y: auto;
    min-height: 0;
  }
  header {
    height: 28px;
    display: flex;
    align-items: center;
    padding: 0 7px 0 12px;
    border-bottom: 1px solid var(--rule);
    gap: 1px;
  }
  .number {
    min-width: 17px;
    height: 16px;
    border-radius: 2px;
    background: var(--camera);
    color: #fff;
    font-size: 11px;
    font-weight: 680;
    display: grid;
    place-items: center;
    margin-right: 6px;
  }
  .name {
    flex: 1;
    min-width: 40px;
    border: 0;
    background: none;
    font-size: 12px;
    font-weight: 660;
    height: 22px;
    border-radius: 2px;
    padding: 0 3px;
  }
  .name:hover {
    background: var(--desk);
  }
  header button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    border-radius: 3px;
    color: var(--ink-2);
  }
  header button:hover:not(:disabled) {
    background: var(--desk);
  }
  header button:disabled {
    color: #a7b0ac;
  }
  i {
    width: 1px;
    height: 14px;
    background: var(--rule);
    margin: 0 3px;
  }
  .cells {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    border-bottom: 1px solid var(--rule);
    margin-top: -1px;
  }
  .cells :global(.cell:nth-child(3n + 1)) {
    border-left: 0;
  }
  .action {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px;
    border: 0 solid var(--rule);
    border-width: 1px 0 0 1px;
    color: var(--ink-2);
    font-weight: 500;
  }
  .action:hover {
    background: var(--sheet);
    color: var(--ink);
  }
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
  .ease label {
    color: var(--ink-3);
    font-size: 10.5px;
    display: flex;
    align-items: center;
    gap: 6px;
  }
  select {
    height: 24px;
    flex: 1;
    min-width: 0;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    font-size: 11.5px;
    font-weight: 540;
    padding: 0 4px;
  }
  .units {
    padding: 6px 12px 6px 8px;
  }
  .two {
    grid-template-columns: 106px minmax(0, 1fr);
    border-top: 1px solid var(--rule);
    border-bottom: 0;
    margin-top: 0;
  }
  .two :global(.cell) {
    border-top: 0;
    height: 58px;
    padding-top: 8px;
  }
  dl {
    padding: 4px 8px;
    border-left: 1px solid var(--rule);
  }
  dl div {
    display: flex;
    gap: 6px;
    white-space: nowrap;
    line-height: 17px;
  }
  dt {
    color: var(--ink-3);
    font-size: 10.5px;
    flex: 0 0 46px;
    overflow: hidden;
  }
  dd {
    font-weight: 540;
  }
  @media (max-width: 1100px) {
    dd u {
      display: none;
    }
  }
  u {
    text-decoration: none;
    font-weight: 420;
    color: var(--ink-2);
  }
  p {
    padding: 10px 12px;
    color: var(--ink-2);
    font-size: 12px;
    line-height: 18px;
  }
</style>
