<script lang="ts">
  import { arrivals } from "./lib/film/arrivals.svelte";
  import { onMount } from "svelte";
  import Chart from "./lib/chart/Chart.svelte";
  import Gathered from "./lib/details/Gathered.svelte";
  import Stack from "./lib/details/Stack.svelte";
  import MarkDetails from "./lib/details/marks/MarkDetails.svelte";
  import VantageDetails from "./lib/details/vantage/VantageDetails.svelte";
  import { filesOf } from "./lib/film/dropped";
  import { player } from "./lib/film/player.svelte";
  import { newId, session, type Step, type Tool } from "./lib/film/session.svelte";
  import EffectStrip from "./lib/finish/EffectStrip.svelte";
  import FinishDetails from "./lib/finish/FinishDetails.svelte";
  import FocusSection from "./lib/finish/FocusSection.svelte";
  import { EFFECTS } from "./lib/finish/effects";
  import { nextSurface } from "./lib/finish/surfaces";
  import Profile from "./lib/profile/Profile.svelte";
  import Reels from "./lib/render/Reels.svelte";
  import { opened } from "./lib/film/opened.svelte";
  import Contents from "./lib/shell/Contents.svelte";
  import Keys from "./lib/shell/Keys.svelte";
  import Rail from "./lib/shell/Rail.svelte";
  import TopStrip from "./lib/shell/TopStrip.svelte";
  import { hearing } from "./lib/sound/hearing.svelte";
  import SoundDetails from "./lib/sound/SoundDetails.svelte";
  import SoundRack from "./lib/sound/SoundRack.svelte";
  import Section from "./lib/section/Section.svelte";
  import Shelf from "./lib/shelf/Shelf.svelte";
  import { isBundle, shelf } from "./lib/shelf/shelf.svelte";
  import Viewfinder from "./lib/viewfinder/Viewfinder.svelte";

  let keysShown = $state(false);
  let dropping = $state(0);
  let reel = $state<string | null>(null);
  let chart = $state<ReturnType<typeof Chart>>();

  session.whenOpened(() => (reel = null));

  onMount(() => {
    void session.start();
    return session.watch();
  });

  // Where the picture is finished, something of it is chosen.
  $effect(() => {
    if (session.step !== "finish" || !session.film) return;
    const kind = session.selection?.kind;
    if (kind !== "effect" && kind !== "lamp" && kind !== "deck") session.select({ kind: "effect", id: "finish.lens" });
  });

  const steps: Record<string, Step> = {
    "1": "gather",
    "2": "fit",
    "3": "fly",
    "4": "mark",
    "5": "finish",
    "6": "sound",
    "7": "render",
  };

  function keys(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    const typing = [HTMLInputElement, HTMLSelectElement, HTMLTextAreaElement].some((kind) => target instanceof kind);
    const control = event.ctrlKey || event.metaKey;
    if (control && event.key.toLowerCase() === "z") {
      event.preventDefault();
      return void (event.shiftKey ? session.redo() : session.undo());
    }
    if (control && event.key.toLowerCase() === "y") {
      event.preventDefault();
      return void session.redo();
    }
    if (typing && !(target instanceof HTMLInputElement && ["checkbox", "radio"].includes(target.type))) return;
    if (!session.film) {
      // While it opens, one may go to the step where one wants to be.
      if (!control && !event.altKey && steps[event.key]) session.step = steps[event.key]!;
      return;
    }
    const selection = session.selection;
    if (control && event.key.toLowerCase() === "d" && selection?.kind === "vantage") {
      event.preventDefault();
      return void session.act({
        act: "duplicate_vantage",
        vantage: selection.id,
        id: newId(),
      });
    }
    if (control && event.key.toLowerCase() === "d" && session.mark) {
      event.preventDefault();
      return void session.duplicateMark(session.mark);
    }
    if (control && event.key.toLowerCase() === "d" && selection?.kind === "sound") {
      event.preventDefault();
      return void session.act({ act: "duplicate_sound", sound: selection.id, frame: player.frame, id: newId() });
    }
    if (control && session.step === "fly" && ["a", "c", "v"].includes(event.key.toLowerCase())) {
      event.preventDefault();
      return void clipboard(event.key.toLowerCase());
    }
    if (event.altKey && !control && session.step === "fly" && selection?.kind === "vantage" && nudge(event)) return;
    if (control || event.altKey) return;
    const second = Math.round(player.frames / Math.max(session.plan?.seconds ?? 1, 0.001));
    const plate = selection?.kind === "plate" ? session.film!.plates.findIndex((p) => p.id === selection.id) : -1;
    const acts: Record<string, () => void> = {
      " ": () => player.toggle(),
      k: () => player.pause(),
      l: () => player.play(player.speed > 0 ? Math.min(player.speed * 2, 8) : 1),
      j: () => player.play(player.speed < 0 ? Math.max(player.speed * 2, -8) : -1),
      ArrowLeft: () => player.seek(player.frame - (event.shiftKey ? second : 1)),
      ArrowRight: () => player.seek(player.frame + (event.shiftKey ? second : 1)),
      ArrowUp: () => step(-1),
      ArrowDown: () => step(1),
      Home: () => player.seek(0),
      End: () => player.seek(player.frames - 1),
      n: () => session.step === "fly" && session.film?.plates.length && chart?.vantageHere(),
      t: () =>
        session.step === "finish"
          ? void nextSurface()
          : (session.judging = session.judging === "through" ? "laid" : "through"),
      d: () => (session.judging = session.judging === "difference" ? "laid" : "difference"),
      w: () => (session.judging = session.judging === "wipe" ? "laid" : "wipe"),
      x: () => session.step === "fit" && hold(session.tool === "tie" ? "select" : "tie"),
      b: () =>
        !event.repeat &&
        (session.step === "fit" ? before() : session.step === "fly" && player.frames && session.tapBeat(player.frame)),
      r: () => ["fly", "mark"].includes(session.step) && hold("route"),
      m: () => (session.step === "sound" ? hearing.turn(!hearing.on) : take("marker")),
      a: () => take("label"),
      g: () => take("region"),
      i: () => take("inset"),
      c: () => take("circle"),
      f: () => session.step === "finish" && hold(session.tool === "focus" ? "select" : "focus"),
      e: () => session.step === "finish" && session.leaveOut(session.without.length ? [] : EFFECTS.map(({ id }) => id)),
      s: () => session.step === "finish" && (session.split = session.split < 1 ? 1 : 0.62),
      "0": () => session.showAll(),
      v: () => (session.grown = !session.grown),
      z: () => zoomToPassage(),
      "?": () => (keysShown = !keysShown),
      Escape: () => (keysShown = false),
      PageUp: () => plate >= 0 && void restack(selection!.id, 1),
      PageDown: () => plate >= 0 && void restack(selection!.id, -1),
      Delete: () => {
        if (selection?.kind === "vantage" && session.step === "fly")
          void session.act({ act: "remove_vantages", vantages: session.chosen });
        if (
          session.mark &&
          (session.step === "mark" ||
            session.step === "finish" ||
            (session.step === "fly" && session.mark.kind === "route"))
        )
          void session.removeMark(session.mark);
        if (selection?.kind === "sound" && session.step === "sound") void session.removeSound(selection.id);
        if (selection?.kind === "plate" && session.step === "fit")
          void session.act({ act: "remove_plate", plate: selection.id });
      },
    };
    if (steps[event.key]) session.step = steps[event.key]!;
    else if (acts[event.key.length === 1 ? event.key.toLowerCase() : event.key])
      acts[event.key.length === 1 ? event.key.toLowerCase() : event.key]!();
    else return;
    // A focused button would take the space bar too.
    event.preventDefault();
  }

  /** Raise or lower a plate among the others. */
  function restack(plate: string, by: number) {
    return session.act(({ film }) => {
      const at = film.plates.findIndex(({ id }) => id === plate);
      return { act: "restack_plate", plate, to: Math.min(Math.max(at + by, 0), film.plates.length - 1) };
    });
  }

  /** Take up a tool of Mark. */
  function take(tool: "marker" | "label" | "inset" | "region" | "circle") {
    if (session.step === "mark") hold(tool);
  }

  /** Take up a tool by a key: keys aim with it on the chart. */
  function hold(tool: Tool) {
    session.tool = tool;
    if (tool !== "select") chart?.focus();
  }

  /** Alt and an arrow: when the chosen vantage is reached, and how wide it is. */
  function nudge(event: KeyboardEvent): boolean {
    const { film, plan } = session;
    const index = film!.vantages.findIndex((vantage) => vantage.id === session.selection!.id);
    const way = plan!.passages[index - 1];
    const far = event.shiftKey ? 10 : 1;
    if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      const factor = 1.02 ** (event.key === "ArrowUp" ? far : -far);
      void session.act({ act: "move_vantages", vantages: session.chosen, by: [0, 0], factor, degrees: 0 });
    } else if ((event.key === "ArrowLeft" || event.key === "ArrowRight") && way?.frames) {
      const by = event.key === "ArrowRight" ? far : -far;
      const { vantage } = way;
      void session.act(({ plan }) => {
        const frames = plan.passages.find((passage) => passage.vantage === vantage)?.frames ?? way.frames;
        return { act: "retime", vantage, passage: Math.max(frames + by, 1), ripple: true };
      });
    } else return false;
    event.preventDefault();
    return true;
  }

  let clip = "";

  /** Copy and paste of vantages, between films and windows where the browser lets us; Ctrl A chooses all. */
  async function clipboard(key: string) {
    if (key === "a") {
      const [first, ...rest] = session.film?.vantages ?? [];
      if (!first) return;
      session.select({ kind: "vantage", id: first.id });
      session.also = rest.map((vantage) => vantage.id);
    } else if (key === "c") {
      if (!session.chosen.length) return;
      clip = session.copyVantages();
      await navigator.clipboard?.writeText(clip).catch(() => {});
    } else {
      const text = await navigator.clipboard?.readText().catch(() => "");
      await session.pasteVantages(text?.includes('"vantages"') ? text : clip);
    }
  }

  /** While B is held, the chosen plate shows without its tone. */
  function before() {
    const index = session.film?.plates.findIndex((plate) => plate.id === session.selection?.id) ?? -1;
    if (index < 0 || session.trial) return;
    const tone = { match: null, strength: 0, exposure: 0, contrast: 0, saturation: 0, hue: 0, temperature: 0, tint: 0 };
    session.tryPatch([{ op: "replace", path: `/plates/${index}/tone`, value: tone }]);
    const after = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== "b") return;
      window.removeEventListener("keyup", after);
      session.dropTrial();
    };
    window.addEventListener("keyup", after);
  }

  /** The passage that is worked on fills the profile, or, if it does, the whole film. */
  function zoomToPassage() {
    const passage = session.plan?.passages[session.passage];
    if (session.step === "fly" && passage)
      session.showFrames = [passage.start, passage.start + Math.max(passage.frames, 1)];
  }

  function step(by: number) {
    const plan = session.plan;
    if (!plan?.vantages.length) return;
    const now = plan.vantages.findLastIndex((vantage) => vantage.start <= player.frame);
    const next = plan.vantages[Math.min(Math.max(now + by, 0), plan.vantages.length - 1)]!;
    if (session.step !== "finish") session.select({ kind: "vantage", id: next.id });
    player.seek(next.start);
  }

  function receive(files: File[]) {
    const bundles = files.filter(isBundle);
    if (bundles.length) void shelf.takeIn(bundles);
    if (bundles.length === files.length) return;
    shelf.open = false;
    void arrivals.receive(files.filter((file) => !isBundle(file)));
    if (!["fit", "mark", "sound"].includes(session.step)) session.step = "gather";
  }

  function carriesFiles(event: DragEvent): boolean {
    return event.dataTransfer?.types.includes("Files") ?? false;
  }
</script>

<svelte:window
  onkeydown={keys}
  onhashchange={() => void session.follow()}
  ondragenter={(event) => {
    if (carriesFiles(event)) dropping++;
  }}
  ondragleave={(event) => {
    if (carriesFiles(event)) dropping = Math.max(0, dropping - 1);
  }}
  ondragover={(event) => {
    if (carriesFiles(event)) event.preventDefault();
  }}
  ondrop={(event) => {
    if (!carriesFiles(event)) return;
    event.preventDefault();
    dropping = 0;
    void session.guarded(async () => receive(await filesOf(event.dataTransfer!)), false);
  }}
/>

<div
  class="app"
  class:render={session.step === "render"}
  class:sounding={session.step === "sound"}
  data-film={session.id}
  data-revision={session.sheet?.revision}
>
  <div class="strip"><TopStrip /></div>
  <div class="rail" inert={shelf.open}><Rail onkeys={() => (keysShown = !keysShown)} /></div>
  {#if session.notice || session.silence || session.sheet?.fault}
    <div class="notices" role="alert">
      {#if session.sheet?.fault}
        <p>
          <span>{session.sheet.fault}</span><button
            title="Make it the film’s newest state"
            onclick={() => void session.patch([], "Keep an earlier state")}>Keep this state</button
          >
        </p>
      {/if}
      {#if session.silence}<p><span>{session.silence}</span></p>{/if}
      {#if session.notice}
        <p><span>{session.notice}</span><button onclick={() => (session.notice = "")}>Put away</button></p>
      {/if}
    </div>
  {/if}
  <!-- Another film is another sheet: what was begun on the last one does not lie on it. -->
  {#key session.id}
    {#if !session.film}
      <main inert={shelf.open} class="main opening" aria-busy="true"><p>Opening the film …</p></main>
      <div class="side" inert={shelf.open}></div>
    {:else if session.step === "render"}
      <main inert={shelf.open} class="main">
        {#if reel}
          <section class="reel" aria-label="Reel">
            <header>
              <h2>Reel</h2>
              <button onclick={() => (reel = null)}>Back to the viewfinder</button>
            </header>
            <div class="mat">
              <!-- svelte-ignore a11y_media_has_caption -->
              {#if reel.endsWith(".webp") || reel.endsWith(".gif")}<img src="/api/reels/{reel}" alt="The reel" />
              {:else}<video src="/api/reels/{reel}" controls autoplay></video>{/if}
            </div>
          </section>
        {:else}<Viewfinder large />{/if}
      </main>
      <div class="side" inert={shelf.open}>
        <div class="small"><Chart bind:this={chart} /></div>
        <Reels bind:playing={reel} />
      </div>
    {:else if session.step === "finish"}
      <main inert={shelf.open} class="main finishing">
        {#if session.grown}<Chart bind:this={chart} />{:else}<Viewfinder large />{/if}
        <EffectStrip />
      </main>
      <div class="side" inert={shelf.open}>
        <div class="low">
          {#if session.grown}<Viewfinder />{:else}<Chart bind:this={chart} />{/if}
        </div>
        <div class="section"><FocusSection /></div>
        <FinishDetails />
      </div>
    {:else if session.step === "sound"}
      <main inert={shelf.open} class="main finishing">
        <Viewfinder large />
        <SoundRack />
      </main>
      <div class="side" inert={shelf.open}><SoundDetails /></div>
    {:else}
      <main inert={shelf.open} class="main" class:split={session.step === "fly" && session.section && !session.grown}>
        {#if session.grown}<Viewfinder large />{:else}
          <Chart bind:this={chart} />
          {#if session.step === "fly" && session.section}<Section />{/if}
        {/if}
      </main>
      <div class="side" inert={shelf.open}>
        <div class="finder" class:low={session.step === "fit"}>
          {#if session.grown}<Chart bind:this={chart} />{:else}<Viewfinder />{/if}
        </div>
        {#if session.step === "gather"}<Gathered />{:else if session.step === "fit"}<Stack
          />{:else if session.step === "mark"}<MarkDetails />{:else}<VantageDetails />{/if}
      </div>
    {/if}
    <div class="bottom" inert={shelf.open}>
      {#if session.film}<Profile />{/if}
    </div>
  {/key}
  {#if shelf.open}<Shelf />{/if}
  {#if dropping}<div class="dropping">
      {shelf.open ? "Let go to take it in" : "Let go to lay it on the ground"}
    </div>{/if}
  {#if opened.shows}<Contents />{/if}
  {#if keysShown}<Keys onclose={() => (keysShown = false)} />{/if}
</div>

<style>
  .app {
    position: relative;
    height: 100%;
    display: grid;
    grid-template: 38px minmax(0, 1fr) clamp(190px, 30vh, 300px) / 84px minmax(0, 1fr) 408px;
    grid-template-areas: "strip strip strip" "rail main side" "rail bottom side";
  }
  .sounding {
    grid-template-rows: 38px minmax(0, 1fr) clamp(240px, 42vh, 420px);
  }
  .strip {
    grid-area: strip;
    position: relative;
    z-index: 10;
  }
  .rail {
    grid-area: rail;
    display: grid;
  }
  .main {
    grid-area: main;
    display: grid;
    min-width: 0;
    min-height: 0;
  }
  .opening {
    place-content: center;
    color: var(--ink-3);
  }
  .split {
    grid-template-rows: minmax(0, 1fr) clamp(150px, 38%, 260px);
  }
  .side {
    grid-area: side;
    display: flex;
    flex-direction: column;
    min-height: 0;
    overflow-y: auto;
    border-left: 0;
  }
  .bottom {
    grid-area: bottom;
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    min-width: 0;
    border-right: 1px solid var(--rule-strong);
  }
  .finishing {
    grid-template-rows: minmax(0, 1fr) auto;
  }
  .low {
    flex: 0 0 clamp(170px, 28vh, 260px);
    display: grid;
    min-height: 0;
  }
  .section {
    flex: 0 0 176px;
    display: grid;
    min-height: 0;
  }
  .render .small {
    flex-basis: clamp(190px, 27vh, 310px);
  }
  .render .main {
    border-right: 1px solid var(--rule-strong);
  }
  .finder {
    flex: 0 0 298px;
    display: grid;
    min-height: 0;
  }
  .finder.low {
    flex-basis: 250px;
  }
  .small {
    flex: 0 0 310px;
    display: grid;
    min-height: 0;
  }
  .notices {
    position: absolute;
    z-index: 15;
    left: 84px;
    right: 408px;
    top: 66px;
  }
  .notices p {
    margin: 0;
    display: flex;
    gap: 12px;
    align-items: center;
    padding: 8px 12px;
    background: var(--imagery-tint);
    border-bottom: 1px solid var(--imagery);
    color: var(--ink);
    font-size: 12.5px;
    line-height: 17px;
  }
  .notices span {
    flex: 1;
  }
  .notices button,
  .reel button {
    height: 24px;
    padding: 0 9px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    white-space: nowrap;
  }
  .dropping {
    position: absolute;
    inset: 38px 0 0 84px;
    z-index: 40;
    pointer-events: none;
    border: 3px dashed var(--imagery);
    background: rgba(241, 228, 198, 0.6);
    display: grid;
    place-items: center;
    font-size: 20px;
    font-weight: 620;
    color: var(--imagery-deep);
  }
  .reel {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  .reel header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
  }
  .mat {
    flex: 1;
    min-height: 0;
    background: var(--mat);
    display: grid;
    place-items: center;
    padding: 18px;
  }
  video,
  .reel img {
    max-width: 100%;
    max-height: 100%;
  }
  @media (max-width: 1100px) {
    .app {
      grid-template-columns: 72px minmax(0, 1fr) 356px;
    }
    .notices {
      right: 356px;
    }
  }
</style>
