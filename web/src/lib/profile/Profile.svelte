<script lang="ts">
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
  import CourseLanes from "./CourseLanes.svelte";
  import MarkLanes from "./MarkLanes.svelte";
  import OtherCurve from "./OtherCurve.svelte";
  import PaceLane from "./PaceLane.svelte";
  import SlopeHandles from "./SlopeHandles.svelte";
  import { LANE, factorOf, snapped, spanMarks, spanScale, spread, yOf, type Axis } from "./scale";

  const LEFT = 84;
  const RIGHT = 148;
  const STRATA = ["#EBD9AE", "#F0E1BE", "#F4E9CF", "#F7F0DF", "#F9F5EA"];

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
  const speedDrawn = $derived(
    (film?.vantages.find((vantage) => vantage.id === session.selection?.id)?.passage.ease.speed.length ?? 0) > 0,
  );
  const marks = $derived(
    session.marks.filter(({ kind, mark }) => kind !== "route" || (mark as Route).draws.shown).length,
  );
  /** What changes over the film of the chosen mark, in as many lanes as there is room for. */
  const courses = $derived(
    session.step === "mark" ? (plan?.courses ?? []).filter(({ of }) => of === session.selection?.id).slice(0, 4) : [],
  );
  const coursed = $derived(courses.length * LANE);
  const lane = $derived(
    session.step === "fly" && frames > 1
      ? speedDrawn
        ? 74
        : 30
      : session.step === "mark"
        ? Math.min(Math.max(marks, 1) * 20 + 8 + coursed, Math.max((height - 20) * 0.6, 40))
        : 0,
  );
  const bottom = $derived(height - lane);
  let ripple = $state(true);
  let snap = $state(true);
  let other = $state<"none" | "tilt" | "heading" | "focal">("none");
  /** What is shown while something is dragged: where in time, how wide, and what it says. */
  let guide = $state.raw<{ frame: number | null; span: number | null; says: string } | null>(null);
  let marquee = $state.raw<{ from: number; to: number } | null>(null);
  const beats = $derived((film?.beats ?? []).map((beat) => Math.round(beat * rate)));
  const limits = $derived(
    [...(plan?.plates ?? [])]
      .map((laid, index) => ({
        span: laid.sharp_span,
        name: film!.plates[index]!.name,
        shown: film!.plates[index]!.shown,
      }))
      .filter((limit) => limit.shown)
      .sort((a, b) => b.span - a.span),
  );
  const scale = $derived(
    spanScale([...(plan?.curve_spans ?? []), ...limits.map((limit) => limit.span)], 26, bottom - 8),
  );
  const y = (span: number) => yOf(scale, span);
  const axis = $derived<Axis>({ x, y, left: LEFT, right: LEFT + graph, top: 20, bottom, perFrame, height });
  const labels = $derived(
    spread(
      limits.map((limit) => y(limit.span)),
      13,
      bottom - 12,
    ),
  );
  const curve = $derived(
    plan
      ? plan.curve_frames
          .map((frame, k) => `${k ? "L" : "M"}${x(frame).toFixed(1)} ${y(plan.curve_spans[k]!).toFixed(1)}`)
          .join("")
      : "",
  );
  const seconds = $derived.by(() => {
    const wanted = 70 / perFrame / rate;
    const step = [0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600].find((s) => s >= wanted) ?? 1200;
    const first = Math.ceil(from / rate / step) * step;
    const found: number[] = [];
    for (let t = first; t * rate <= from + graph / perFrame + 1e-6 && t * rate <= frames; t += step) found.push(t);
    return found;
  });
  const timedFindings = $derived(
    gathering.findings.filter((finding) => !["credit", "unused", "hole", "seam"].includes(finding.kind)),
  );
  /** Bobs that have room beside one another, the worst of each crowd. */
  const bobs = $derived.by(() => {
    const hung: typeof timedFindings = [];
    for (const finding of [...timedFindings].sort((a, b) => Number(b.grave) - Number(a.grave) || b.figure - a.figure))
      if (hung.every((other) => Math.abs(other.frame - finding.frame) * perFrame > 22)) hung.push(finding);
    return hung;
  });
  const soft = $derived(
    timedFindings
      .filter((finding) => finding.kind === "soft")
      .map((finding) => {
        const inside = (plan?.curve_frames ?? [])
          .map((frame, k) => [frame, plan!.curve_spans[k]!] as const)
          .filter(([frame]) => frame >= finding.first && frame <= finding.last);
        // From the span asked for up to the one that the imagery there carries.
        const down = inside.map(([frame, span]) => `${x(frame)},${y(span)}`);
        const up = inside.map(([frame, span]) => `${x(frame)},${Math.max(y(span * finding.figure), 25)}`).reverse();
        return { points: [...down, ...up].join(" "), id: finding.id };
      }),
  );

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      height = entry!.contentRect.height;
    });
    observer.observe(body);
    return () => observer.disconnect();
  });

  const MANNERS = {
    glide: "Glide",
    hop: "Hop",
    steps: "Steps",
    follow: "Follow",
    orbit: "Orbit",
    skim: "Skim",
    rail: "Rail",
    cut: "Cut",
  };
  /** Whether a stretch of frames is on screen. */
  const inSight = (first: number, last: number) => x(last) > LEFT - 60 && x(first) < LEFT + graph + 60;

  /** The vantages whose numbers have room beside one another; the chosen ones always do. */
  const shownPlaques = $derived.by(() => {
    const found = new Set<number>();
    let end = -Infinity;
    (plan?.vantages ?? []).forEach((laid, index) => {
      const chosen = session.chosen.includes(laid.id);
      const left = x(laid.start);
      if (!chosen && (left - end < 17 || !inSight(laid.start, laid.start + laid.hold))) return;
      found.add(index);
      end = left;
    });
    return found;
  });

  /** Whether a vantage's name fits before the next vantage's number. */
  function roomFor(index: number): boolean {
    const next = plan!.vantages[index + 1];
    const end = next ? x(next.start) : LEFT + graph;
    return end - x(plan!.vantages[index]!.start) > 34 + film!.vantages[index]!.name.length * 6.2;
  }

  function clockName(t: number): string {
    const whole = Math.floor(t + 1e-6);
    const part = t - whole > 0.01 ? (t - whole).toFixed(1).slice(1) : "";
    return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}${part}`;
  }

  const here = (event: MouseEvent) => event.clientX - body.getBoundingClientRect().left;

  function scrub(event: PointerEvent) {
    if (event.button !== 0 || !frames) return;
    if (event.shiftKey && session.step === "fly") return choosing(event);
    const seek = (next: PointerEvent) => player.seek(frameAt(here(next)));
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

  function drag(
    event: PointerEvent,
    id: string,
    moving: (to: { by: number; down: number; sideways: boolean }) => void,
    label: string,
  ) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.shiftKey || event.ctrlKey || event.metaKey) return session.choose(id, event.shiftKey);
    if (!session.chosen.includes(id)) session.select({ kind: "vantage", id });
    const each = perFrame;
    // The way it sets out decides: sideways is time, up and down is span.
    let sideways: boolean | null = null;
    follow(event, {
      moved: (_, dx, dy) => {
        sideways ??= Math.abs(dx) >= Math.abs(dy);
        moving({ by: Math.round(dx / each), down: dy, sideways });
      },
      done: (moved) => {
        guide = null;
        if (moved) void session.keepTrial(label);
        else {
          session.select({ kind: "vantage", id });
          player.seek(plan!.vantages.find((v) => v.id === id)!.start);
        }
      },
      dropped: () => {
        guide = null;
        session.dropTrial();
      },
      slack: 4,
    });
  }

  /** A frame drawn to a beat or to the playhead near it, where that is wished. */
  const drawn = (frame: number) =>
    snap ? snapped(frame, [...beats, player.frame], Math.max(Math.round(7 / perFrame), 1)) : frame;
  const timed = (frame: number) => `${(frame / rate).toFixed(2)} s`;

  function dragHold(event: PointerEvent, index: number) {
    const laid = session.sheet!.plan.vantages[index]!;
    drag(
      event,
      laid.id,
      ({ by }) => {
        const leaves = drawn(Math.max(laid.start, laid.start + laid.hold + by));
        const hold = leaves - laid.start;
        guide = { frame: leaves, span: null, says: `rests ${timed(hold)}` };
        session.tryAct({ act: "retime", vantage: laid.id, hold, ripple });
      },
      "Hold",
    );
  }

  function dragVantage(event: PointerEvent, index: number) {
    const kept = session.sheet!;
    const laid = kept.plan.vantages[index]!;
    const before = kept.plan.passages[index - 1];
    const span = kept.film.vantages[index]!.span;
    const group = session.chosen.length > 1 && session.chosen.includes(laid.id) ? session.chosen : [laid.id];
    // Of several, the first one's arrival moves, and the others along with it.
    const first = kept.plan.vantages.findIndex((v) => v.id === group[0]);
    const [lead, way] = group.length > 1 ? [kept.plan.vantages[first]!, kept.plan.passages[first - 1]] : [laid, before];
    drag(
      event,
      laid.id,
      ({ by, down, sideways }) => {
        if (sideways) {
          if (!way?.frames) return;
          const arrives = drawn(Math.max(way.start + 1, lead.start + by));
          guide = { frame: arrives, span: null, says: `arrives ${timed(arrives)}` };
          session.tryAct({ act: "retime", vantage: way.vantage, passage: arrives - way.start, ripple });
        } else {
          const factor = factorOf(scale, down);
          guide = { frame: null, span: span * factor, says: length(span * factor, ground).join(" ") };
          session.tryAct({ act: "move_vantages", vantages: group, by: [0, 0], factor, degrees: 0 });
        }
      },
      "Retime or span",
    );
  }

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

  async function vantageAtPlayhead() {
    const id = newId();
    await session.act({ act: "vantage_at_frame", frame: player.frame, id });
    session.select({ kind: "vantage", id });
  }
</script>

<section class="profile" aria-label="Profile">
  <header>
    <h2>Profile</h2>
    <Button disabled={!frames} onclick={vantageAtPlayhead} title="A vantage where the camera is now"
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
        <pattern id="soft" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill="#F1E4C6" opacity="0.75" /><line
            x1="0"
            x2="0"
            y1="0"
            y2="6"
            stroke="#966300"
            stroke-width="1.6"
          />
        </pattern>
      </defs>
      <rect x={LEFT} y="20" width={graph} height={bottom - 20} fill="#FDFEFB" />
      {#each limits as limit, k (k)}
        {@const upper = k ? y(limits[k - 1]!.span) : 20}
        <rect
          x={LEFT}
          y={upper}
          width={graph}
          height={Math.max(y(limit.span) - upper, 0)}
          fill={STRATA[Math.min(k, STRATA.length - 1)]}
        />
      {/each}
      {#each limits as limit, k (k)}<line
          class="limitline"
          x1={LEFT}
          x2={LEFT + graph}
          y1={y(limit.span)}
          y2={y(limit.span)}
        />{/each}
      {#each seconds as t (t)}<line class="second" x1={x(t * rate)} x2={x(t * rate)} y1="20" y2={height} />{/each}

      {#each spanMarks(scale) as span (span)}
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
        {#each soft as piece (piece.id)}<polygon points={piece.points} fill="url(#soft)" />{/each}
        {#each beats as beat, k (k)}<line class="beat" x1={x(beat)} x2={x(beat)} y1="14" y2={bottom} />{/each}
        {#if other !== "none"}<OtherCurve {axis} channel={other} />{/if}
        <path class="curve case" d={curve} /><path class="curve" d={curve} />
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
        {#each timedFindings as finding (finding.id)}
          <rect
            class="stretch"
            class:grave={finding.grave}
            x={x(finding.first)}
            y="20.5"
            width={Math.max(x(finding.last + 1) - x(finding.first), 2)}
            height="4"
          />
        {/each}
      </g>

      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <rect class="catch" x={LEFT} y="0" width={graph} height={bottom} onpointerdown={scrub} />

      <g clip-path="url(#graph)">
        {#each plan?.passages ?? [] as passage, k (passage.vantage)}
          {@const vantage = film!.vantages[k]!}
          {@const wide = passage.frames * perFrame}
          {#if wide > 44 && inSight(passage.start, passage.start + passage.frames)}
            <text
              class="manner"
              class:chosen={session.selection?.id === vantage.id}
              x={x(passage.start + passage.frames / 2)}
              y={Math.max(y(passage.widest) - 8, 34)}
              text-anchor="middle">{MANNERS[vantage.passage.manner.kind]}</text
            >
          {/if}
        {/each}
        {#each bobs as finding (finding.id)}
          {@const u = x(finding.frame)}
          {@const v = Math.max(y(session.spanAt(finding.frame) ?? scale.widest) - 3, 44)}
          <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
          <g
            class="bob"
            class:chosen={gathering.finding?.id === finding.id}
            onclick={() => {
              gathering.finding = finding;
              player.seek(finding.frame);
            }}
          >
            <rect class="reach" x={u - 6} y="20" width="12" height={v - 20} />
            <line x1={u} x2={u} y1="20" y2={v - 12} />
            <path d="M{u - 4.5} {v - 12}c0 -3 9 -3 9 0c0 4 -3 8 -4.5 12c-1.5 -4 -4.5 -8 -4.5 -12z" />
            <title>{finding.text}</title>
          </g>
        {/each}
        {#each plan?.vantages ?? [] as laid, index (laid.id)}
          {@const span = film!.vantages[index]!.span}
          {@const chosen = session.selection?.id === laid.id}
          {@const left = x(laid.start)}
          {@const right = x(laid.start + laid.hold)}
          {@const v = y(span)}
          {@const below = v < bottom - 40}
          {#if inSight(laid.start, laid.start + laid.hold)}
            <line
              class="hold"
              class:chosen
              class:also={session.also.includes(laid.id)}
              x1={left}
              x2={right}
              y1={v}
              y2={v}
            />
            {#if chosen || right - left > 5}
              <!-- svelte-ignore a11y_no_static_element_interactions -->
              <g class="post span" onpointerdown={(e) => dragVantage(e, index)}>
                <rect class="reach" x={left - 12} y={v - 14} width={Math.max(right - left - 12, 20)} height="28" />
                <rect class="stub" x={left - 2} y={v - 6} width="4" height="12" rx="1" />
                <title>Sideways: when the camera arrives. Up and down: its span.</title>
              </g>
              <!-- svelte-ignore a11y_no_static_element_interactions -->
              <g class="post" onpointerdown={(e) => dragHold(e, index)}>
                <rect class="reach" x={right - 8} y={v - 14} width="20" height="28" />
                <rect class="stub" x={right - 2} y={v - 6} width="4" height="12" rx="1" />
                <title>How long the camera rests</title>
              </g>
            {/if}
            {#if shownPlaques.has(index)}
              <!-- svelte-ignore a11y_no_static_element_interactions -->
              <g
                class="vantage"
                class:chosen
                class:also={session.also.includes(laid.id)}
                onpointerdown={(e) => dragVantage(e, index)}
                transform="translate({left + 6} {below ? v + 10 : v - 26})"
              >
                <rect class="reach" x="-4" y="-4" width="24" height="24" />
                <rect class="plaque" width="15" height="15" rx="2" /><text x="7.5" y="11.5" text-anchor="middle"
                  >{index + 1}</text
                >
                {#if chosen || roomFor(index)}<text class="vname" x="20" y="11.5">{film!.vantages[index]!.name}</text
                  >{/if}
              </g>
            {/if}
          {/if}
        {/each}
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
        {#if guide}
          {#if guide.frame !== null}
            <line class="guide" x1={x(guide.frame)} x2={x(guide.frame)} y1="0" y2={bottom} />
            <text class="guidesays" x={x(guide.frame) + 6} y="32">{guide.says}</text>
          {:else if guide.span !== null}
            <line class="guide" x1={LEFT} x2={LEFT + graph} y1={y(guide.span)} y2={y(guide.span)} />
            <text class="guidesays" x={LEFT + 8} y={y(guide.span) - 5}>{guide.says}</text>
          {/if}
        {/if}
      </g>

      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <g onpointerdown={scrub} class="ruler">
        <rect x={LEFT} y="0" width={graph} height="20" />
        <line x1={LEFT} x2={LEFT + graph} y1="20" y2="20" />
        {#each seconds as t (t)}
          <line x1={x(t * rate)} x2={x(t * rate)} y1="14" y2="20" />{#if x(t * rate) < LEFT + graph - 28}<text
              x={x(t * rate) + 4}
              y="13">{clockName(t)}</text
            >{/if}
        {/each}
      </g>
      {#if session.step === "mark"}<CourseLanes {axis} {courses} {drawn} /><MarkLanes
          axis={{ ...axis, bottom: axis.bottom + coursed }}
          height={lane - coursed}
          {drawn}
        />{:else if lane}<PaceLane {axis} height={lane} />{/if}
      {#if frames}
        <g clip-path="url(#graph)" class="playhead">
          <line x1={x(player.frame)} x2={x(player.frame)} y1="0" y2={height} />
          <circle cx={x(player.frame)} cy={y(session.spanAt(player.frame) ?? scale.widest)} r="4.5" />
        </g>
        <g class="flag" transform="translate({Math.min(Math.max(x(player.frame) - 34, LEFT), LEFT + graph - 68)} 1)">
          <rect width="68" height="16" rx="2" /><text x="34" y="12" text-anchor="middle"
            >{session.moment(player.frame)?.timecode.slice(3) ?? ""}</text
          >
        </g>
      {/if}

      <line class="edge" x1={LEFT + graph} x2={LEFT + graph} y1="0" y2={height} />
      <text class="axis head" x={LEFT + graph + 6} y="14">{limits.length ? "Sharp down to" : ""}</text>
      {#each limits as limit, k (k)}
        {#if labels[k]! > 24}
          <text class="limitname" x={LEFT + graph + 6} y={labels[k]! + 3}
            >{limit.name.length > 15 ? limit.name.slice(0, 14) + "…" : limit.name}</text
          >
          <text class="limitname figure" x={width - 6} y={labels[k]! + 3} text-anchor="end"
            >{length(limit.span, ground).join(" ")}</text
          >
          <title>{limit.name}</title>
        {/if}
      {/each}
      {#if !frames}
        <text class="none" x={LEFT + graph / 2} y={height / 2 + 8} text-anchor="middle">
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
  .limitline {
    stroke: var(--imagery);
    stroke-width: 0.7;
    opacity: 0.55;
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
  .guide {
    stroke: var(--ink);
    stroke-width: 1;
    stroke-dasharray: 4 3;
  }
  .guidesays {
    font-weight: 560;
    paint-order: stroke;
    stroke: #fff;
    stroke-width: 3px;
  }
  .hold.also {
    stroke-width: 5.5;
  }
  .also .plaque {
    fill: #f6cfd9;
  }
  .catch {
    fill: transparent;
  }
  .hold {
    stroke: var(--camera);
    stroke-width: 4;
    pointer-events: none;
  }
  .hold.chosen {
    stroke-width: 5.5;
  }
  .post {
    cursor: ew-resize;
  }
  .post.span {
    cursor: move;
  }
  .reach {
    fill: transparent;
  }
  .stub {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.4;
  }
  .vantage {
    cursor: move;
  }
  .plaque {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.3;
  }
  .vantage text {
    font-weight: 680;
    font-size: 10.5px;
    fill: var(--camera);
  }
  .vantage .vname {
    font-weight: 540;
    font-size: 11.5px;
    fill: var(--ink);
    stroke: rgba(253, 254, 251, 0.85);
    stroke-width: 3px;
    paint-order: stroke;
  }
  .chosen .plaque {
    fill: var(--camera);
  }
  .vantage.chosen text:not(.vname) {
    fill: #fff;
  }
  .manner {
    fill: var(--ink-2);
    pointer-events: none;
  }
  .manner.chosen {
    fill: var(--camera-deep);
    font-weight: 640;
  }
  .planned {
    stroke: var(--imagery);
    stroke-width: 2;
    stroke-dasharray: 6 4;
  }
  .stretch {
    fill: var(--imagery-line);
  }
  .stretch.grave {
    fill: var(--imagery);
  }
  .bob {
    cursor: pointer;
  }
  .bob .reach {
    fill: transparent;
  }
  .bob line {
    stroke: var(--ink);
    stroke-width: 1;
  }
  .bob path {
    fill: var(--ink);
    stroke: #fff;
    stroke-width: 1;
  }
  .bob.chosen path {
    fill: var(--imagery);
  }
  .ruler {
    cursor: ew-resize;
  }
  .ruler rect {
    fill: transparent;
  }
  .ruler line {
    stroke: var(--rule-strong);
  }
  .ruler text {
    font-size: 10px;
    fill: var(--ink-2);
  }
  .playhead {
    pointer-events: none;
  }
  .playhead line {
    stroke: var(--ink);
    stroke-width: 1.3;
  }
  .playhead circle {
    fill: var(--camera);
    stroke: #fff;
    stroke-width: 1.6;
  }
  .flag {
    pointer-events: none;
  }
  .flag rect {
    fill: var(--ink);
  }
  .flag text {
    font-family: var(--mono);
    font-size: 11px;
    fill: #fff;
  }
  .limitname {
    font-size: 10.5px;
    font-weight: 540;
    fill: var(--imagery-deep);
  }
  .figure {
    font-weight: 450;
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
