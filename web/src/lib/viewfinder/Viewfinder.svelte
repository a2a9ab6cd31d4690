<script lang="ts">
  import { api, told, type PlaceFound } from "../api/client";
  import { asks } from "../chart/tools";
  import FocusLines from "../finish/FocusLines.svelte";
  import { sight } from "../finish/sharpness.svelte";
  import Grasps from "./Grasps.svelte";
  import { RUN, camera } from "../film/camera.svelte";
  import { untrack } from "svelte";
  import { flight } from "../film/flight.svelte";
  import { hearing } from "../sound/hearing.svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { SET, meant, setAt } from "../film/set";
  import { length } from "../format";
  import Button from "../ui/Button.svelte";
  import { follow } from "../ui/follow";
  import Icon from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";
  import Tick from "../ui/Tick.svelte";

  let { large = false }: { large?: boolean } = $props();

  let width = $state(400);
  let height = $state(230);
  let safe = $state(false);
  let limits = $state(true);
  let mat: HTMLDivElement;
  let canvas: HTMLCanvasElement;

  const size = $derived(session.film?.frame ?? { width: 16, height: 9 });
  const picture = $derived.by(() => {
    const room = Math.min((width - 36) / size.width, (height - 24) / size.height);
    return { width: Math.round(size.width * room), height: Math.round(size.height * room) };
  });
  const chosen = $derived(session.film?.vantages.findIndex((one) => one.id === session.selection?.id) ?? -1);
  /** Whether the picture can be taken hold of: the camera is flown where it is worked on. */
  const free = $derived(session.step === "fly" && (session.film?.plates.length ?? 0) > 0);
  const where = $derived.by(() => {
    if (flight.pose) return `flying, ${length(flight.pose.span, session.film!.ground.kind).join(" ")} wide`;
    const plan = session.plan;
    if (!plan?.frames) return "no vantage yet";
    const index = plan.vantages.findLastIndex((vantage) => vantage.start <= player.frame);
    const laid = plan.vantages[index]!;
    if (player.frame < laid.start + laid.hold || index === plan.vantages.length - 1) return `on vantage ${index + 1}`;
    return `on the ${session.film!.vantages[index]!.passage.manner.kind} to ${index + 2}`;
  });

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      height = entry!.contentRect.height;
    });
    observer.observe(mat);
    return () => observer.disconnect();
  });

  // Ask for no more pixels than the screen shows; live frames at most 960 wide.
  $effect(() => {
    const wanted = Math.ceil((picture.width * Math.min(devicePixelRatio || 1, 2)) / 16) * 16;
    player.width = Math.min(Math.max(wanted, 128), large ? 960 : 640);
  });

  $effect(() => {
    void [session.pictured, player.frames, player.width, session.without, session.split];
    untrack(() => player.renew());
  });

  // The picture goes first; the rest follows when the hand rests.
  function atRest(work: () => void, after: number): () => void {
    let timer: ReturnType<typeof setTimeout>;
    const begin = () => (timer = setTimeout(() => (session.trying ? begin() : work()), after));
    begin();
    return () => clearTimeout(timer);
  }
  const run = $derived(Math.floor(player.frame / RUN));
  $effect(() => {
    const [state, wanted] = [session.state, run];
    return atRest(() => void camera.fetchMoments(state, wanted), untrack(() => session.trial) ? 180 : 0);
  });
  $effect(() => {
    const state = session.state;
    return atRest(() => void camera.fetchCurves(state), 220);
  });

  // Seeking or playing the film, or leaving the step, ends a flight.
  $effect(() => {
    void [player.frame, player.playing, session.step];
    untrack(() => flight.flying && flight.land());
  });

  function grab(event: PointerEvent) {
    if (!free || (event.button !== 0 && event.button !== 2)) return;
    event.preventDefault();
    canvas.focus({ preventScroll: true });
    const box = canvas.getBoundingClientRect();
    const at = (next: PointerEvent): [number, number] => [
      (next.clientX - box.left) / box.width,
      (next.clientY - box.top) / box.height,
    ];
    const start = at(event);
    const turning = event.button === 2 || event.shiftKey;
    flight.begin();
    follow(event, {
      moved: (next, dx, dy) =>
        turning
          ? flight.drag({ kind: "turn", by: [(dx / box.width) * 120, (-dy / box.height) * 90] })
          : flight.drag({ kind: "pan", start, to: at(next) }),
      dropped: () => flight.land(),
    });
  }

  const finishing = $derived(session.step === "finish" && player.frames > 0);
  const split = $derived(finishing ? session.split : 1);
  /** Where the line of the split is while it is dragged. */
  let pulled = $state<number | null>(null);
  const between = (share: number) => Math.min(Math.max(share, 0.02), 0.98);

  function pullSplit(event: PointerEvent) {
    event.preventDefault();
    const box = canvas.getBoundingClientRect();
    follow(event, {
      moved: (next) => {
        pulled = between((next.clientX - box.left) / box.width);
        session.split = Math.round(pulled * 200) / 200;
      },
      done: () => (pulled = null),
      dropped: () => (pulled = null),
    });
  }

  function nudgeSplit(event: KeyboardEvent) {
    const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    session.split = between(session.split + by);
  }

  // The split is for judging a finish: elsewhere the whole film is seen.
  $effect(() => {
    if (session.step !== "finish") session.split = 1;
  });

  /** What the tool in hand asks for, if the next click in the picture says where a thing is. */
  const picking = $derived(
    player.frames > 0 && SET.includes(session.tool) ? asks(session.step, session.tool) : undefined,
  );
  $effect(() => {
    const [state, frame] = [session.state, player.frame];
    if (!finishing || player.playing) return;
    const timer = setTimeout(() => void sight.fetch(state, frame), 40);
    return () => clearTimeout(timer);
  });

  /** Set what is in hand where it was clicked, or at the mark that shows there: on the mountain, not on the flat ground
   * behind it. */
  async function pick(event: PointerEvent, mark: string | null = null) {
    if (event.button !== 0) return;
    event.preventDefault();
    const { left, top, width, height } = canvas.getBoundingClientRect();
    const [u, v] = [(event.clientX - left) / width, (event.clientY - top) / height];
    const path = { film_id: session.id, frame: player.frame };
    const found = await told<PlaceFound | null>(
      api.GET("/api/films/{film_id}/ground/{frame}", { params: { path, query: { state: session.state, u, v } } }),
    ).catch((error: Error) => void (session.notice = error.message));
    const pixel = ((found?.unit ?? 0) * session.film!.frame.width) / width;
    const place = meant(mark, found ? [found.x, found.y] : null);
    if (place) await setAt(place.at, pixel, place.under);
    else if (found === null) session.notice = "There is no ground there: it is above the horizon. Click below it.";
  }

  function wheel(event: WheelEvent) {
    if (!free) return;
    event.preventDefault();
    const box = canvas.getBoundingClientRect();
    flight.nudge({
      kind: "zoom",
      factor: Math.exp(Math.min(Math.max(event.deltaY * 0.0016, -0.5), 0.5)),
      to: [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height],
    });
  }

  function keys(event: KeyboardEvent) {
    if (!free || event.ctrlKey || event.metaKey || event.altKey) return;
    const far = event.shiftKey ? 0.2 : 0.05;
    const turn = event.shiftKey ? 15 : 3;
    const moves: Record<string, () => void> = {
      w: () => flight.nudge({ kind: "fly", by: [0, far] }),
      s: () => flight.nudge({ kind: "fly", by: [0, -far] }),
      a: () => flight.nudge({ kind: "fly", by: [-far, 0] }),
      d: () => flight.nudge({ kind: "fly", by: [far, 0] }),
      q: () => flight.nudge({ kind: "turn", by: [-turn, 0] }),
      e: () => flight.nudge({ kind: "turn", by: [turn, 0] }),
      r: () => flight.nudge({ kind: "turn", by: [0, turn] }),
      f: () => flight.nudge({ kind: "turn", by: [0, -turn] }),
      "+": () => flight.nudge({ kind: "zoom", factor: 1 / (1 + far) }),
      "=": () => flight.nudge({ kind: "zoom", factor: 1 / (1 + far) }),
      "-": () => flight.nudge({ kind: "zoom", factor: 1 + far }),
      Enter: () => void flight.keep(),
      Escape: () => flight.land(),
    };
    const move = moves[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (!move || (["Enter", "Escape"].includes(event.key) && !flight.flying)) return;
    event.preventDefault();
    event.stopPropagation();
    move();
  }

  $effect(() => {
    const bitmap = flight.picture ?? player.picture;
    if (!bitmap) return;
    if (canvas.width !== bitmap.width || canvas.height !== bitmap.height) {
      canvas.width = bitmap.width;
      canvas.height = bitmap.height;
    }
    canvas.getContext("2d")!.drawImage(bitmap, 0, 0);
  });
</script>

<section class="viewfinder" aria-label="Viewfinder">
  <header>
    <h2>Viewfinder</h2>
    <span class="sub">{where}</span>
    <span class="space"></span>
    {#if session.step !== "render"}<button
        class="grow"
        aria-pressed={session.grown}
        title={session.grown ? "Back to its corner (V)" : "As large as the sheet (V)"}
        onclick={() => (session.grown = !session.grown)}><Icon name="grow" size={14} /></button
      >{/if}
    {#if session.step === "finish"}
      <Button
        on={session.tool === "focus"}
        onclick={() => (session.tool = session.tool === "focus" ? "select" : "focus")}
        title="Click what is to be sharp (F)"
        >{session.tool === "focus" ? "Click what is to be sharp" : "Pick focus"}</Button
      >
      <Tick
        label="Split"
        checked={split < 1}
        title="The finish on the left, the picture without it on the right; drag the line (S)"
        onchange={(on) => (session.split = on ? 0.62 : 1)}
      />
      <Tick label="Limits" bind:checked={limits} />
    {/if}
    <Tick label="Safe areas" bind:checked={safe} />
    <Segments
      label="Quality at rest"
      options={[
        { value: "draft", label: "Draft", hint: "Draft while moving, full quality a moment after" },
        { value: "final", label: "Full", hint: "Full quality at once when at rest" },
      ]}
      value={player.quality}
      onchange={(quality) => {
        player.quality = quality;
        player.showStill();
      }}
    />
  </header>
  <div class="mat" bind:this={mat}>
    <div class="picture" style:width="{picture.width}px" style:height="{picture.height}px">
      <canvas
        bind:this={canvas}
        class:blank={!player.picture}
        class:free
        data-frame={player.shownFrame}
        tabindex={free ? 0 : -1}
        aria-label="The camera’s picture. In Fly it can be dragged: W A S D move, Q E turn, R F tilt, plus and minus go closer and wider, Enter keeps."
        title={free ? "Drag to fly, with Shift to turn and tilt, wheel to go closer" : undefined}
        class:picking
        onpointerdown={(event) => (picking ? void pick(event) : grab(event))}
        oncontextmenu={(event) => free && event.preventDefault()}
        onwheel={wheel}
        onkeydown={keys}
      ></canvas>
      {#if flight.flying}
        <div class="flight">
          <Button onclick={() => flight.keep()} title="A new vantage from here (Enter)">Keep as a vantage</Button>
          {#if chosen >= 0}<Button onclick={() => flight.moveVantage(chosen)} title="The selected vantage comes here"
              >Move {chosen + 1} here</Button
            >{/if}
          <Button onclick={() => flight.land()} title="Back to the film (Esc)">Back</Button>
        </div>
      {/if}
      {#if safe}
        {#each Object.entries(session.choices?.safe ?? {}) as [name, edge] (name)}
          <div
            class="safe {name}"
            style:inset="{100 * edge}%"
            title="Safe for {name}: {Math.round(100 - 200 * edge)} %"
          ></div>
        {/each}
      {/if}
      {#if split < 1}
        <div
          class="split"
          style:left="{100 * (pulled ?? split)}%"
          role="slider"
          tabindex="0"
          aria-label="Where the finish ends"
          aria-valuemin="2"
          aria-valuemax="98"
          aria-valuenow={Math.round(100 * split)}
          onpointerdown={pullSplit}
          onkeydown={nudgeSplit}
        >
          <span>after</span><i></i><span>before</span>
        </div>
      {/if}
      {#if finishing && session.film?.finish.lens.on && limits}<FocusLines {...picture} />{/if}
      {#if !player.playing}
        {#if picking}<Grasps {...picture} onpick={(mark, event) => void pick(event, mark)} />
        {:else if session.step === "mark" && player.frames}<Grasps {...picture} />{/if}
      {/if}
      {#each ["nw", "ne", "se", "sw"] as corner}<span class="crop {corner}"></span>{/each}
    </div>
    {#if !session.plan?.frames && !flight.flying}
      <p>
        {session.film?.plates.length
          ? free
            ? "Drag here to fly over what the chart shows, and keep a vantage where it looks right."
            : "Set a vantage in Fly, and the camera’s picture appears here."
          : "The camera’s picture appears here."}
      </p>
    {:else if player.problem && !player.playing}
      <p class="told" role="status">{player.problem}</p>
    {:else if picking && session.grown}
      <p class="told" role="status">{picking}</p>
    {:else if player.unfinished && !player.playing}
      <p class="told" role="status">This frame takes too long to draw; some marks are left out here.</p>
    {/if}
  </div>
  <div class="transport">
    <span class="timecode" aria-label="Timecode">{camera.moment(player.frame)?.timecode ?? "00:00:00:00"}</span>
    <button title="First frame (Home)" onclick={() => player.seek(0)}><Icon name="first" size={15} fill /></button>
    <button title="One frame back (←)" onclick={() => player.seek(player.frame - 1)}
      ><Icon name="back" size={15} /></button
    >
    <button
      class="play"
      title="Play (Space)"
      aria-label={player.playing ? "Pause" : "Play"}
      disabled={!session.plan?.frames}
      onclick={() => player.toggle()}
    >
      <Icon name={player.playing ? "pause" : "play"} size={17} fill />
    </button>
    <button title="One frame on (→)" onclick={() => player.seek(player.frame + 1)}
      ><Icon name="ahead" size={15} /></button
    >
    <button title="Last frame (End)" onclick={() => player.seek(player.frames - 1)}
      ><Icon name="last" size={15} fill /></button
    >
    <button
      class="loop"
      class:on={player.loop}
      aria-pressed={player.loop}
      title="Play round and round"
      onclick={() => (player.loop = !player.loop)}><Icon name="loop" size={15} /></button
    >
    {#if hearing.sounds}
      <button
        class="loop"
        class:on={hearing.on}
        aria-pressed={hearing.on}
        aria-label="Hear the film"
        title={hearing.on ? "The film is heard here" : "The film is silent here"}
        onclick={() => hearing.turn(!hearing.on)}><Icon name={hearing.on ? "sound" : "mute"} size={15} /></button
      >
    {/if}
    <span class="space"></span>
    {#if player.playing}<span class="count rate" title="Frames a second that reach the screen">{player.drawn} fps</span
      >{/if}
    <span class="count">{player.frames ? player.frame : 0} / {player.frames}</span>
  </div>
</section>

<style>
  .viewfinder {
    display: flex;
    flex-direction: column;
    min-height: 0;
    min-width: 0;
  }
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
  }
  h2 {
    margin-right: 4px;
  }
  .grow {
    width: 24px;
    height: 22px;
    display: grid;
    place-items: center;
    border-radius: 3px;
    color: var(--ink-2);
  }
  .grow:hover,
  .grow[aria-pressed="true"] {
    background: var(--desk);
    color: var(--ink);
  }
  .sub {
    flex: 0 1000 auto;
    min-width: 0;
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .rate {
    margin-right: 12px;
  }
  .space {
    flex: 1;
  }
  .mat {
    flex: 1;
    min-height: 0;
    background: var(--mat);
    position: relative;
    display: grid;
    place-items: center;
    overflow: hidden;
  }
  .picture {
    position: relative;
  }
  canvas {
    width: 100%;
    height: 100%;
    display: block;
  }
  canvas.free {
    cursor: grab;
    touch-action: none;
  }
  canvas:focus-visible {
    outline: 2px solid #fff;
    outline-offset: 2px;
  }
  .flight {
    position: absolute;
    left: 8px;
    bottom: 8px;
    display: flex;
    gap: 6px;
  }
  .split {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 24px;
    margin-left: -12px;
    cursor: ew-resize;
    touch-action: none;
    color: #fff;
    font-size: 11px;
  }
  .split::before {
    content: "";
    position: absolute;
    left: 11px;
    top: 0;
    bottom: 0;
    width: 2px;
    background: #fff;
    box-shadow: 0 0 0 1px rgba(0, 0, 0, 0.35);
  }
  .split span {
    position: absolute;
    top: 5px;
    right: 22px;
    line-height: 14px;
    text-shadow: 0 0 3px #000;
  }
  .split span:last-child {
    right: auto;
    left: 22px;
  }
  .split i {
    position: absolute;
    left: 6px;
    top: 0;
    border: 6px solid transparent;
    border-top: 8px solid #fff;
  }
  canvas.picking {
    cursor: crosshair;
  }
  canvas.blank {
    background: #4a4a4a;
  }
  p {
    position: absolute;
    pointer-events: none;
    color: #f2f2f2;
    font-size: 12.5px;
    padding: 0 30px;
    text-align: center;
  }
  .told {
    bottom: 10px;
    padding: 5px 12px;
    border-radius: 3px;
    background: rgba(20, 36, 45, 0.82);
    max-width: 86%;
    margin: 0;
  }
  .safe {
    position: absolute;
    border: 1px solid rgba(255, 255, 255, 0.85);
    outline: 1px solid rgba(0, 0, 0, 0.3);
    pointer-events: none;
  }
  .graphics {
    border-style: dashed;
  }
  .crop {
    position: absolute;
    width: 7px;
    height: 7px;
    border: 0 solid var(--crop);
  }
  .nw {
    left: -10px;
    top: -10px;
    border-right-width: 1px;
    border-bottom-width: 1px;
  }
  .ne {
    right: -10px;
    top: -10px;
    border-left-width: 1px;
    border-bottom-width: 1px;
  }
  .se {
    right: -10px;
    bottom: -10px;
    border-left-width: 1px;
    border-top-width: 1px;
  }
  .sw {
    left: -10px;
    bottom: -10px;
    border-right-width: 1px;
    border-top-width: 1px;
  }
  .transport {
    height: 34px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 2px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule-strong);
  }
  .timecode {
    font-family: var(--mono);
    font-size: 16px;
    font-weight: 500;
    letter-spacing: -0.02em;
    width: 118px;
  }
  .transport button {
    width: 26px;
    height: 26px;
    border-radius: 3px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
  }
  .transport button:hover {
    background: var(--desk);
  }
  .transport .play {
    width: 36px;
    background: var(--ink);
    color: #fff;
    margin: 0 3px;
  }
  .transport .play:hover {
    background: #24363f;
  }
  .transport .play:disabled {
    background: #8a9692;
  }
  .loop.on {
    background: var(--desk);
    color: var(--ink);
    box-shadow: inset 0 0 0 1px var(--rule-strong);
  }
  .count {
    white-space: nowrap;
    font-family: var(--mono);
    font-size: 11.5px;
    color: var(--ink-2);
  }
</style>
