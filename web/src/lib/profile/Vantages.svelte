<script lang="ts">
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { length } from "../format";
  import { follow } from "../ui/follow";
  import { clearOf, factorOf, nameWithin, type Axis, type SpanScale } from "./scale";

  /** The vantages on the curve, with posts to drag; `drawn` draws a frame to what is near. */
  let {
    axis,
    scale,
    ripple,
    drawn,
    hung,
  }: {
    axis: Axis;
    scale: SpanScale;
    ripple: boolean;
    drawn: (frame: number) => number;
    /** The frames at which something else hangs on the curve. */
    hung: number[];
  } = $props();

  const plan = $derived(session.plan);
  const film = $derived(session.film);
  const ground = $derived(film?.ground.kind ?? "plain");
  /** What is shown while something is dragged: where in time, how wide, and what it says. */
  let guide = $state.raw<{ frame: number | null; span: number | null; says: string } | null>(null);

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
  /** How far from what hangs on the curve the middle of a name stands, pixels. */
  const NAME = 19;
  /** A curve so low has no room for the names of manners, pixels. */
  const LOW = 60;
  /** Whether a stretch of frames is on screen. */
  const inSight = (first: number, last: number) => axis.x(last) > axis.left - 60 && axis.x(first) < axis.right + 60;

  /** The vantages whose numbers have room beside one another; the chosen ones always do. */
  const shownPlaques = $derived.by(() => {
    const found = new Set<number>();
    let end = -Infinity;
    (plan?.vantages ?? []).forEach((laid, index) => {
      const chosen = session.selection?.kind === "vantage" && session.chosen.includes(laid.id);
      const left = axis.x(laid.start);
      if (!chosen && (left - end < 17 || !inSight(laid.start, laid.start + laid.hold))) return;
      found.add(index);
      end = left;
    });
    return found;
  });

  /** What there is room for of a vantage's name before the next one's number: all of it, or of the chosen one's a part. */
  function nameOf(index: number, chosen: boolean): string {
    const [laid, name] = [plan!.vantages, film!.vantages[index]!.name];
    const end = laid[index + 1] ? axis.x(laid[index + 1]!.start) : axis.right;
    const says = nameWithin(name, end - axis.x(laid[index]!.start) - 24);
    return chosen || says === name ? says : "";
  }

  /** Where the name of a passage's manner stands: in its middle, or beside what hangs there. */
  function mannerAt(start: number, frames: number): number {
    const [first, last] = [axis.x(start) + 6, axis.x(start + frames) - 6];
    return clearOf((first + last) / 2, first, last, hung.map(axis.x), NAME);
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
    if (event.shiftKey || event.ctrlKey || event.metaKey) return session.choose("vantage", id, event.shiftKey);
    if (!session.chosen.includes(id)) session.select({ kind: "vantage", id });
    const each = axis.perFrame;
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

  const timed = (frame: number) => `${(frame / session.rate).toFixed(2)} s`;

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
</script>

{#each plan?.passages ?? [] as passage, k (passage.vantage)}
  {@const vantage = film!.vantages[k]!}
  {@const wide = passage.frames * axis.perFrame}
  {#if wide > 44 && axis.bottom - axis.top > LOW && inSight(passage.start, passage.start + passage.frames)}
    <text
      class="manner"
      class:chosen={session.passages.includes(vantage.id)}
      x={mannerAt(passage.start, passage.frames)}
      y={Math.max(axis.y(passage.widest) - 8, 34)}
      text-anchor="middle">{MANNERS[vantage.passage.manner.kind]}</text
    >
  {/if}
{/each}
{#each plan?.vantages ?? [] as laid, index (laid.id)}
  {@const span = film!.vantages[index]!.span}
  {@const chosen = session.selection?.kind === "vantage" && session.selection.id === laid.id}
  {@const left = axis.x(laid.start)}
  {@const right = axis.x(laid.start + laid.hold)}
  {@const v = axis.y(span)}
  {@const below = v < axis.bottom - 40}
  {#if inSight(laid.start, laid.start + laid.hold)}
    <line
      class="hold"
      class:chosen
      class:also={session.selection?.kind === "vantage" && session.also.includes(laid.id)}
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
        class:also={session.selection?.kind === "vantage" && session.also.includes(laid.id)}
        onpointerdown={(e) => dragVantage(e, index)}
        transform="translate({left + 6} {below ? v + 10 : v - 26})"
      >
        <rect class="reach" x="-4" y="-4" width="24" height="24" />
        <rect class="plaque" width="15" height="15" rx="2" /><text x="7.5" y="11.5" text-anchor="middle"
          >{index + 1}</text
        >
        <text class="vname" x="20" y="11.5">{nameOf(index, chosen)}</text>
      </g>
    {/if}
  {/if}
{/each}
{#if guide}
  {#if guide.frame !== null}
    <line class="guide" x1={axis.x(guide.frame)} x2={axis.x(guide.frame)} y1="0" y2={axis.bottom} />
    <text class="guidesays" x={axis.x(guide.frame) + 6} y="32">{guide.says}</text>
  {:else if guide.span !== null}
    <line class="guide" x1={axis.left} x2={axis.right} y1={axis.y(guide.span)} y2={axis.y(guide.span)} />
    <text class="guidesays" x={axis.left + 8} y={axis.y(guide.span) - 5}>{guide.says}</text>
  {/if}
{/if}

<style>
  text {
    font-size: 11px;
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
</style>
