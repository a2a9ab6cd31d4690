<script lang="ts">
  import Scopes from "./Scopes.svelte";
  import Select from "../ui/Select.svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { length, roundStep } from "../format";
  import { follow } from "../ui/follow";
  import PanelHead from "../ui/PanelHead.svelte";
  import Segments from "../ui/Segments.svelte";
  import { sight } from "./sharpness.svelte";

  let width = $state(400);
  let height = $state(150);
  let body: HTMLDivElement;

  const FOOT = 46;
  const film = $derived(session.film!);
  const ground = $derived(film.ground.kind);
  const now = $derived(sight.now);
  const reachOf = (tilt: number, up: number) => up * Math.tan((Math.min(tilt, 84) * Math.PI) / 180);
  const distance = $derived(now ? Math.hypot(now.eye[2], reachOf(now.tilt, now.eye[2])) : 1);
  /** Where along the ground the line of sight meets it, from the foot of the camera. */
  const target = $derived(now ? reachOf(now.tilt, now.eye[2]) : 0);
  const scale = $derived.by(() => {
    if (!now) return null;
    const far = Math.max(target * 1.7, now.eye[2] * 0.9);
    return Math.min((width - 60) / (far * 1.15), (height - FOOT - 16) / (now.eye[2] * 1.1));
  });
  const left = 34;
  const u = (way: number) => left + way * scale!;
  const v = (up: number) => height - FOOT - up * scale!;
  const clip = (value: number) => Math.min(Math.max(value, -4000), 4000);
  /** The plane of focus stands at right angles to the line of sight: where it meets the ground, and how it rises. */
  function plane(far: number): { foot: [number, number]; top: [number, number] } {
    const tilt = (now!.tilt * Math.PI) / 180;
    const [sin, cos] = [Math.sin(tilt), Math.cos(tilt)];
    // Places (way, up) with (way sin - (up - eye) cos) = far.
    const up = now!.eye[2];
    const way = (far - up * cos) / Math.max(sin, 1e-3);
    const rise = up * 0.9;
    return sin < 0.02
      ? { foot: [-1e6, up - far], top: [1e6, up - far] }
      : { foot: [way, 0], top: [way + (rise * cos) / sin, rise] };
  }
  const planes = $derived(
    now && scale
      ? (["near", "focus", "far"] as const).flatMap((which) => {
          const far = now[which].distance;
          return far === null ? [] : [{ which, ...plane(far) }];
        })
      : [],
  );
  const edges = $derived.by(() => {
    if (!now) return [];
    return [now.tilt - now.half, now.tilt + now.half].map((angle) =>
      reachOf(Math.max(Math.min(angle, 84), -84), now.eye[2]),
    );
  });
  const blur = $derived.by(() => {
    if (!now || !scale) return "";
    const most = Math.max(...now.blur.map(([, size]) => Math.abs(size)), 0.5);
    const rows = now.blur.filter(([way]) => u(way) < width + 100);
    const upper = rows.map(
      ([way, size]) => `${u(way).toFixed(1)},${(height - 20 - (Math.abs(size) / most) * 9).toFixed(1)}`,
    );
    const lower = rows.map(
      ([way, size]) => `${u(way).toFixed(1)},${(height - 20 + (Math.abs(size) / most) * 9).toFixed(1)}`,
    );
    return [...upper, ...lower.reverse()].join(" ");
  });
  const marks = $derived.by(() => {
    if (!scale) return [];
    const step = roundStep(70 / scale);
    return Array.from({ length: Math.min(Math.floor((width - left) / scale / step), 12) }, (_, k) => (k + 1) * step);
  });

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      height = entry!.contentRect.height;
    });
    observer.observe(body);
    return () => observer.disconnect();
  });

  function on(kind: "target" | "mark" | "place" | "free") {
    const frame = player.frame;
    if (kind === "place") return void (session.tool = "focus");
    const mark = kind === "mark" ? (session.mark?.mark.id ?? film.markers[0]?.id ?? film.labels[0]?.id ?? null) : null;
    if (kind === "mark" && !mark) return void (session.notice = "There is no mark yet to focus on. Set one in Mark.");
    void session.focus({ frame, on: kind, mark });
  }

  let shows = $state<"section" | "waveform" | "vectors" | "histogram">("section");

  /** Drag the plane of focus along the line of sight. */
  function pull(event: PointerEvent) {
    event.preventDefault();
    const start = now!.focus.distance!;
    const tilt = (now!.tilt * Math.PI) / 180;
    const frame = player.frame;
    follow(event, {
      moved: (_, dx, dy) => {
        const far = start + (dx * Math.sin(tilt) + dy * Math.cos(tilt)) / scale!;
        session.tryAct({ act: "focus", frame, on: "free", distance: Math.max(far, distance / 200), change: false });
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Focus");
      },
      dropped: () => session.dropTrial(),
    });
  }
</script>

<section class="section" aria-label="Section">
  <PanelHead title={shows === "section" ? "Section" : "Scope"}>
    <Select
      label="What is shown here"
      value={shows}
      options={[
        { value: "section", label: "side" },
        { value: "waveform", label: "brightness" },
        { value: "vectors", label: "hues" },
        { value: "histogram", label: "counts" },
      ]}
      onchange={(next) => (shows = next)}
    />
    {#if shows === "section"}<Segments
        label="Focus on"
        tight
        options={[
          { value: "target", label: "Target", hint: "What the camera looks at, wherever it goes" },
          { value: "mark", label: "Mark", hint: "The chosen mark, and what travels along a route" },
          { value: "place", label: "Picked", hint: "A place: click it in the viewfinder or on the chart (F)" },
          { value: "free", label: "Free", hint: "A distance: drag the plane of focus" },
        ]}
        value={now && ["target", "mark", "place", "free"].includes(now.stands) ? (now.stands as "target") : null}
        onchange={on}
      />{/if}
  </PanelHead>
  {#if shows !== "section"}<Scopes kind={shows} />{/if}
  <div class="body" class:away={shows !== "section"} bind:this={body}>
    {#if now && scale}
      <svg {width} {height}>
        <polygon class="seen" points="{u(0)},{v(now.eye[2])} {clip(u(edges[0]!))},{v(0)} {clip(u(edges[1]!))},{v(0)}" />
        {#each marks as mark (mark)}
          <line class="tick" x1={u(mark)} x2={u(mark)} y1={v(0)} y2={v(0) + 4} />
          <text class="small" x={u(mark)} y={v(0) + 13} text-anchor="middle">{length(mark, ground).join(" ")}</text>
        {/each}
        {#each film.decks as deck (deck.id)}
          {@const high = typeof deck.height === "number" ? deck.height : deck.height.stops[0]!.value}
          {#if v(high) > 2}
            <line class="deck" x1="0" x2={width} y1={v(high)} y2={v(high)} />
            <text class="small" x={width - 6} y={v(high) - 3} text-anchor="end">{deck.name}</text>
          {/if}
        {/each}
        <line class="ground" x1="0" x2={width} y1={v(0)} y2={v(0)} />
        {#if now.on}<polygon class="blur" points={blur} />{/if}
        <text class="small" x="4" y={height - 17}>Blur</text>
        <line class="sight" x1={u(0)} y1={v(now.eye[2])} x2={u(target)} y2={v(0)} />
        {#each planes as { which, foot, top } (which)}
          <line
            class="plane {which}"
            x1={clip(u(foot[0]))}
            y1={clip(v(foot[1]))}
            x2={clip(u(top[0]))}
            y2={clip(v(top[1]))}
          />
          {#if which === "focus"}
            <!-- svelte-ignore a11y_no_static_element_interactions -->
            <line
              class="grip"
              x1={clip(u(foot[0]))}
              y1={clip(v(foot[1]))}
              x2={clip(u(top[0]))}
              y2={clip(v(top[1]))}
              onpointerdown={pull}><title>The plane of focus: drag it</title></line
            >
          {/if}
        {/each}
        <rect class="eye" x={u(0) - 6} y={v(now.eye[2]) - 4} width="12" height="8" rx="1.5" />
        <text class="says" x={u(0) + 11} y={Math.max(v(now.eye[2]) + 4, 12)}
          >{length(now.eye[2], ground).join(" ")} up</text
        >
        <text class="says hot" x={width - 8} y="13" text-anchor="end"
          >{now.behind
            ? "Focus is behind the camera"
            : `Focus ${length(now.focus.distance!, ground).join(" ")} away`}</text
        >
      </svg>
    {:else}<p>Set a vantage in Fly: its camera is shown here from the side.</p>{/if}
  </div>
</section>

<style>
  .section {
    display: flex;
    flex-direction: column;
    min-height: 0;
    border-bottom: 1px solid var(--rule);
    background: var(--paper);
  }
  .away {
    display: none;
  }
  .body {
    flex: 1;
    min-height: 0;
    position: relative;
    overflow: hidden;
  }
  svg {
    position: absolute;
    user-select: none;
    touch-action: none;
  }
  .seen {
    fill: rgba(208, 16, 76, 0.08);
  }
  .ground {
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .tick {
    stroke: var(--ink-3);
  }
  .deck {
    stroke: #7d93a3;
    stroke-dasharray: 1 4;
    stroke-width: 3;
    stroke-linecap: round;
  }
  .sight {
    stroke: var(--camera);
    stroke-dasharray: 4 3;
  }
  .plane {
    stroke: var(--camera);
    stroke-width: 1.2;
  }
  .near,
  .far {
    stroke-dasharray: 3 3;
  }
  .focus {
    stroke-width: 3;
  }
  .grip {
    stroke: transparent;
    stroke-width: 16;
    cursor: grab;
  }
  .blur {
    fill: #8fa39e;
  }
  .eye {
    fill: var(--camera);
    stroke: #fff;
  }
  .small {
    font-size: 10px;
    fill: var(--ink-2);
  }
  .says {
    font-size: 11px;
    font-weight: 560;
    paint-order: stroke;
    stroke: #fff;
    stroke-width: 3px;
  }
  .hot {
    fill: #a50b3b;
  }
  p {
    padding: 20px;
    color: var(--ink-2);
    text-align: center;
  }
</style>
