<script lang="ts">
  import { untrack } from "svelte";
  import type { Route } from "../api/client";
  import { gathering } from "../film/gathering.svelte";
  import { player } from "../film/player.svelte";
  import { newId, session } from "../film/session.svelte";
  import { length } from "../format";
  import Button from "../ui/Button.svelte";
  import { follow } from "../ui/follow";
  import Icon from "../ui/Icon.svelte";
  import Select from "../ui/Select.svelte";
  import Tick from "../ui/Tick.svelte";
  import { traced } from "../ui/traced";
  import CourseLanes from "./CourseLanes.svelte";
  import FindingBobs from "./FindingBobs.svelte";
  import FindingStretches from "./FindingStretches.svelte";
  import LimitNames from "./LimitNames.svelte";
  import MarkLanes from "./MarkLanes.svelte";
  import OtherCurve from "./OtherCurve.svelte";
  import PaceLane from "./PaceLane.svelte";
  import Ruler from "./Ruler.svelte";
  import SoundLanes from "../sound/SoundLanes.svelte";
  import SlopeHandles from "./SlopeHandles.svelte";
  import Strata from "./Strata.svelte";
  import Vantages from "./Vantages.svelte";
  import { apart, LANE, snapped, spanMarks, spanScale, type Axis } from "./scale";

  const LEFT = 84;
  const RIGHT = 148;

  let width = $state(1280);
  let height = $state(236);
  let zoom = $state(1);
  let offset = $state(0);
  let body: HTMLDivElement;

  const plan = $derived(session.plan);
  const film = $derived(session.film);
  const ground = $derived(film?.ground.kind ?? "plain");
  const frames = $derived(plan?.frames ?? 0);
  const graph = $derived(Math.max(width - LEFT - RIGHT, 50));
  const perFrame = $derived((graph / Math.max(frames, 1)) * zoom);
  const maxOffset = $derived(Math.max(frames - graph / perFrame, 0));
  const from = $derived(Math.min(Math.max(offset, 0), maxOffset));
  const x = (frame: number) => LEFT + (frame - from) * perFrame;
  const frameAt = (u: number) => (u - LEFT) / perFrame + from;
  const rate = $derived(session.rate);
  /** The pace strip stands below the graph, where the camera is worked on. */
  const speedDrawn = $derived((film?.vantages[session.passage]?.passage.ease.speed.length ?? 0) > 0);
  const marks = $derived(
    session.marks.filter(({ kind, mark }) => kind !== "route" || (mark as Route).draws.shown).length,
  );
  /** What changes over the film of the chosen mark, in as many lanes as there is room for. */
  const courses = $derived(
    session.step === "mark"
      ? (plan?.courses ?? []).filter(({ of }) => of === session.selection?.id).slice(0, 4)
      : session.step === "finish"
        ? (plan?.courses ?? []).filter(({ of }) => of === session.selection?.id || of.startsWith("finish.")).slice(0, 5)
        : session.step === "sound"
          ? (plan?.courses ?? []).filter(({ of }) => of === session.selection?.id).slice(0, 3)
          : [],
  );
  const coursed = $derived(courses.length * LANE);
  const lane = $derived(
    session.step === "fly" && frames > 1
      ? speedDrawn
        ? Math.min(120, height * 0.5)
        : 30
      : session.step === "finish"
        ? coursed
        : session.step === "sound"
          ? Math.max(height - 78, 60)
          : session.step === "mark"
            ? Math.min(Math.max(marks, 1) * 20 + 8 + coursed, Math.max((height - 20) * 0.6, 40))
            : 0,
  );
  const bottom = $derived(height - lane);
  let ripple = $state(true);
  let snap = $state(true);
  let other = $state<"none" | "tilt" | "heading" | "focal">("none");
  let marquee = $state.raw<{ from: number; to: number } | null>(null);
  const beats = $derived((film?.beats ?? []).map((beat) => Math.round(beat * rate)));
  const limits = $derived(
    [...(plan?.plates ?? [])]
      .map((laid, index) => ({
        span: laid.sharp_span,
        name: film!.plates[index]!.name,
        shown: film!.plates[index]!.shown && film!.plates[index]!.role === "film",
      }))
      .filter((limit) => limit.shown)
      .sort((a, b) => b.span - a.span),
  );
  const scale = $derived(
    spanScale([...(plan?.curve_spans ?? []), ...limits.map((limit) => limit.span)], 26, bottom - 8),
  );
  const y = (span: number) => scale(span);
  /** Findings that have room beside one another, the worst of each crowd. */
  const bobs = $derived.by(() => {
    const worst = [...gathering.timed].sort((a, b) => Number(b.grave) - Number(a.grave) || b.figure - a.figure);
    return apart(worst, perFrame, 22);
  });
  const axis = $derived<Axis>({ x, y, left: LEFT, right: LEFT + graph, top: 20, bottom, perFrame, height });
  /** Where lines and numbers of the ruler stand, s. */
  const seconds = $derived.by(() => {
    const wanted = 70 / perFrame / rate;
    const step = [0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600].find((s) => s >= wanted) ?? 1200;
    const first = Math.ceil(from / rate / step) * step;
    const found: number[] = [];
    for (let t = first; t * rate <= from + graph / perFrame + 1e-6 && t * rate <= frames; t += step) found.push(t);
    return found;
  });
  const curve = $derived(traced(plan?.curve_frames.map((frame, k) => [x(frame), y(plan.curve_spans[k]!)]) ?? []));
  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      height = entry!.contentRect.height;
    });
    observer.observe(body);
    return () => observer.disconnect();
  });

  const here = (event: MouseEvent) => event.clientX - body.getBoundingClientRect().left;

  /** Takes the playhead along with a hand that drags. The profile stays where it is meanwhile: were it asked each time,
   * the page would be laid out anew before the frame is asked for. */
  function seeking(): (event: PointerEvent) => void {
    const { left } = body.getBoundingClientRect();
    return (event) => player.seek(frameAt(event.clientX - left));
  }

  function scrub(event: PointerEvent) {
    if (event.button !== 0 || !frames) return;
    if (event.shiftKey && session.step === "fly") return choosing(event);
    const seek = seeking();
    seek(event);
    follow(event, { moved: seek, slack: 0 });
  }

  /** Dragging with Shift chooses all vantages in a stretch of time. */
  function choosing(event: PointerEvent) {
    const from = frameAt(here(event));
    follow(event, {
      moved: (next) => (marquee = { from, to: frameAt(here(next)) }),
      done: () => {
        const [a, b] = [Math.min(from, marquee?.to ?? from), Math.max(from, marquee?.to ?? from)];
        marquee = null;
        const inside = plan!.vantages.filter((v) => v.start <= b && v.start + v.hold >= a).map((v) => v.id);
        if (!inside.length) return;
        session.select({ kind: "vantage", id: inside[0]! });
        session.also = inside.slice(1);
      },
      dropped: () => (marquee = null),
    });
  }

  /** A frame drawn to a beat or to the playhead near it, where that is wished. */
  const drawn = (frame: number) =>
    snap ? snapped(frame, [...beats, player.frame], Math.max(Math.round(7 / perFrame), 1)) : frame;
  function wheel(event: WheelEvent) {
    if (!frames) return;
    event.preventDefault();
    if (Math.abs(event.deltaX) > Math.abs(event.deltaY) || event.shiftKey) {
      offset = Math.min(Math.max(from + (event.deltaX || event.deltaY) / perFrame, 0), maxOffset);
    } else {
      const about = frameAt(here(event));
      zoom = Math.min(Math.max(zoom * Math.exp(-event.deltaY * 0.0016), 1), 60);
      offset = about - (here(event) - LEFT) / ((graph / frames) * zoom);
    }
  }

  // A vantage or passage that is chosen elsewhere comes into sight.
  $effect(() => {
    const id = session.selection?.id;
    untrack(() => {
      const laid = plan?.vantages.find((vantage) => vantage.id === id);
      if (laid && zoom > 1 && (x(laid.start) < LEFT || x(laid.start + laid.hold) > LEFT + graph))
        offset = laid.start - graph / perFrame / 3;
    });
  });

  // A stretch that is asked for fills the graph, with a little room on either side.
  $effect(() => {
    const asked = session.showFrames;
    if (!asked) return;
    untrack(() => {
      const room = Math.max((asked[1] - asked[0]) * 0.08, 2);
      const wide = asked[1] - asked[0] + 2 * room;
      zoom = Math.min(Math.max(frames / wide, 1), 60);
      offset = asked[0] - room;
      session.showFrames = null;
    });
  });

  const passageAt = (frame: number) =>
    plan?.passages.find(
      (passage) => passage.frames && frame >= passage.start && frame < passage.start + passage.frames,
    );

  /** A click on the curve between two vantages chooses the passage; dragging moves the playhead, as anywhere. */
  function pressCurve(event: PointerEvent) {
    const passage = passageAt(frameAt(here(event)));
    if (!passage || event.button !== 0 || session.step !== "fly") return scrub(event);
    const id = passage.vantage;
    const seek = seeking();
    follow(event, {
      moved: seek,
      done: (moved) => {
        if (moved) return;
        seek(event);
        if (event.shiftKey || event.ctrlKey || event.metaKey) session.choose("passage", id, event.shiftKey);
        else session.select({ kind: "passage", id });
        session.sheetTab = "passage";
      },
    });
  }

  /** The parts of the curve that are chosen as passages. */
  const chosenCurve = $derived(
    session.selection?.kind === "passage"
      ? (plan?.passages ?? [])
          .filter((passage) => session.chosen.includes(passage.vantage))
          .map(({ start, frames }) => [x(start), x(start + frames)] as const)
      : [],
  );

  async function vantageAtPlayhead() {
    const id = newId();
    if (!(await session.act({ act: "vantage_at_frame", frame: player.frame, id }))) return;
    session.select({ kind: "vantage", id });
  }
</script>

<section class="profile" aria-label="Profile">
  <header>
    <h2>Profile</h2>
    <Button
      disabled={!frames}
      onclick={vantageAtPlayhead}
      title="A vantage where the camera is now, between those before and after it"
      ><Icon name="frame" size={14} />Vantage at playhead</Button
    >
    {#if session.step === "fly"}
      <Tick label="Ripple" bind:checked={ripple} />
      <Tick label="Snap" bind:checked={snap} />
      <span class="alsocurve">
        <Select
          label="Another curve in the same place"
          caption="Also"
          value={other}
          options={[
            { value: "none", label: "none" },
            { value: "tilt", label: "tilt" },
            { value: "heading", label: "heading" },
            { value: "focal", label: "lens" },
          ]}
          onchange={(value) => (other = value)}
        />
      </span>
    {/if}
    <span class="space"></span>
    {#if session.step !== "fly"}<span class="key"><i class="camera"></i>Camera</span>{/if}
    <span class="key"><i class="limit"></i>Sharpest plate below</span>
    <span class="key"><i class="hatch"></i>Soft</span>
    <label class="zoom">
      <span aria-hidden="true">−</span>
      <input
        type="range"
        min="0"
        max="4"
        step="0.05"
        value={Math.log(zoom)}
        oninput={(e) => (zoom = Math.exp(Number(e.currentTarget.value)))}
        aria-label="Zoom of the profile"
      />
      <span aria-hidden="true">+</span>
    </label>
  </header>
  <div class="body" bind:this={body} onwheel={wheel}>
    <svg {width} {height}>
      <defs>
        <clipPath id="graph"><rect x={LEFT} y="0" width={graph} height={bottom} /></clipPath>
      </defs>
      <rect x={LEFT} y="20" width={graph} height={bottom - 20} fill="#FDFEFB" />
      <Strata {axis} {limits} />
      {#each seconds as t (t)}<line class="second" x1={x(t * rate)} x2={x(t * rate)} y1="20" y2={height} />{/each}

      {#each spanMarks(scale, Math.floor((bottom - 20) / 16)) as span (span)}
        <line class="tickline" x1={LEFT - 5} x2={LEFT} y1={y(span)} y2={y(span)} />
        <text class="axis" x={LEFT - 9} y={y(span) + 3.5} text-anchor="end">{length(span, ground).join(" ")}</text>
      {/each}
      <text class="axis head" x="12" y="14">Span in frame</text>

      <g clip-path="url(#graph)">
        {#each plan?.sharpest ?? [] as stretch (stretch.start)}
          {#if stretch.sharp_span}<line
              class="sharpest"
              x1={x(stretch.start)}
              x2={x(stretch.end)}
              y1={y(stretch.sharp_span)}
              y2={y(stretch.sharp_span)}
            />{/if}
        {/each}
        <FindingStretches {axis} />
        {#each beats as beat, k (k)}<line class="beat" x1={x(beat)} x2={x(beat)} y1="14" y2={bottom} />{/each}
        {#if other !== "none"}<OtherCurve {axis} channel={other} />{/if}
        <path class="curve case" d={curve} /><path class="curve" d={curve} />
        {#each chosenCurve as [left, right] (left)}
          <clipPath id="chosen{Math.round(left)}"><rect x={left} y="0" width={right - left} height={bottom} /></clipPath
          >
          <path class="curve chosen" d={curve} clip-path="url(#chosen{Math.round(left)})" />
        {/each}
        {#if session.step === "gather" && gathering.of === "film"}
          {#each gathering.plan?.plates ?? [] as planned, k (k)}
            <line
              class="planned"
              x1={x(planned.first)}
              x2={x(planned.last + 1)}
              y1={y(planned.sharp_span)}
              y2={y(planned.sharp_span)}
            />
          {/each}
        {/if}
      </g>

      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <rect class="catch" x={LEFT} y="0" width={graph} height={bottom} onpointerdown={scrub} />

      <g clip-path="url(#graph)">
        {#if session.step === "fly"}
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <path class="curvehit" d={curve} onpointerdown={pressCurve} />
        {/if}
        <FindingBobs {axis} {scale} {bobs} />
        <Vantages {axis} {scale} {ripple} {drawn} hung={bobs.map(({ frame }) => frame)} />
        {#if session.step === "fly"}<SlopeHandles {axis} />{/if}
        {#if marquee}
          <rect
            class="marquee"
            x={x(Math.min(marquee.from, marquee.to))}
            y="20"
            width={Math.abs(marquee.to - marquee.from) * perFrame}
            height={bottom - 20}
          />
        {/if}
      </g>

      {#if session.step === "finish"}<CourseLanes
          {axis}
          {courses}
          {drawn}
        />{:else if session.step === "sound"}<CourseLanes {axis} {courses} {drawn} /><SoundLanes
          axis={{ ...axis, bottom: axis.bottom + coursed }}
          height={lane - coursed}
          {drawn}
        />{:else if session.step === "mark"}<CourseLanes {axis} {courses} {drawn} /><MarkLanes
          axis={{ ...axis, bottom: axis.bottom + coursed }}
          height={lane - coursed}
          {drawn}
        />{:else if lane}<PaceLane {axis} height={lane} />{/if}
      <Ruler {axis} {scale} {seconds} {frames} {scrub} />

      <line class="edge" x1={LEFT + graph} x2={LEFT + graph} y1="0" y2={height} />
      <LimitNames {axis} {limits} {width} />
      {#if !frames}
        <text class="none" x={LEFT + graph / 2} y={(20 + bottom) / 2 + 4} text-anchor="middle">
          {film?.plates.length
            ? "No vantage yet. In Fly, show a place on the chart and press “Vantage here”."
            : "The camera’s curve is drawn here: span over time."}
        </text>
      {/if}
    </svg>
  </div>
</section>

<style>
  .profile {
    min-width: 0;
    overflow: hidden;
    display: flex;
    flex-direction: column;
    border-top: 1px solid var(--rule-strong);
    background: var(--paper);
    min-height: 0;
  }
  header {
    height: 26px;
    flex: none;
    display: flex;
    align-items: center;
    padding: 0 12px;
    gap: 6px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
    overflow: hidden;
  }
  h2 {
    width: 76px;
  }
  .space {
    flex: 1;
  }
  .alsocurve {
    flex: 0 0 104px;
    display: flex;
  }
  .key {
    display: flex;
    align-items: center;
    gap: 6px;
    color: var(--ink-2);
    font-size: 11px;
    margin-left: 10px;
  }
  .key i {
    width: 18px;
    height: 0;
    border-top: 2px solid var(--camera);
  }
  .key .limit {
    border-top: 3px solid var(--imagery);
  }
  .key .hatch {
    height: 10px;
    border: 0;
    background: repeating-linear-gradient(-45deg, var(--imagery) 0 1.5px, var(--imagery-tint) 1.5px 5px);
  }
  .zoom {
    display: flex;
    align-items: center;
    gap: 5px;
    margin-left: 14px;
    color: var(--ink-2);
  }
  input[type="range"] {
    width: 84px;
    height: 22px;
    accent-color: var(--ink);
  }
  .body {
    flex: 1;
    min-height: 0;
    overflow: hidden;
    position: relative;
  }
  svg {
    position: absolute;
    user-select: none;
    touch-action: none;
  }
  text {
    font-size: 11px;
  }
  .axis {
    font-size: 10px;
    fill: var(--ink-2);
  }
  .head {
    fill: var(--ink-3);
    font-size: 10.5px;
  }
  .tickline,
  .edge {
    stroke: var(--rule-strong);
  }
  .second {
    stroke: rgba(67, 83, 90, 0.12);
  }
  .sharpest {
    stroke: var(--imagery);
    stroke-width: 2.6;
  }
  .curve {
    fill: none;
    stroke: var(--camera);
    stroke-width: 2;
    stroke-linejoin: round;
  }
  .curve.chosen {
    stroke-width: 5;
  }
  .curvehit {
    fill: none;
    stroke: transparent;
    stroke-width: 13;
    pointer-events: stroke;
    cursor: pointer;
  }
  .curve.case {
    stroke: #fff;
    stroke-width: 4.5;
    opacity: 0.8;
  }
  .beat {
    stroke: #0b7d74;
    stroke-width: 1;
    stroke-dasharray: 2 3;
  }
  .marquee {
    fill: rgba(20, 36, 45, 0.08);
    stroke: var(--ink);
  }
  .catch {
    fill: transparent;
  }
  .planned {
    stroke: var(--imagery);
    stroke-width: 2;
    stroke-dasharray: 6 4;
  }
  .none {
    font-size: 13px;
    fill: var(--ink-2);
  }
  @media (max-width: 1100px) {
    .key {
      display: none;
    }
  }
</style>
