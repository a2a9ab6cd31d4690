<script lang="ts">
  import { untrack } from "svelte";
  import { player } from "../film/player.svelte";
  import type { Route } from "../api/client";
  import type { MarkKind, Timed } from "../film/marks";
  import { session } from "../film/session.svelte";
  import { follow } from "../ui/follow";
  import LaneFrame from "./LaneFrame.svelte";
  import { nameWithin, type Axis } from "./scale";
  import { LaneScroll } from "./scroll.svelte";

  let { axis, height, drawn }: { axis: Axis; height: number; drawn: (frame: number) => number } = $props();

  type Bar = {
    id: string;
    kind: MarkKind;
    name: string;
    start: number;
    end: number;
    open: boolean;
    on: string;
    stops: { frame: number; name: string }[];
  };
  const bars = $derived<Bar[]>(
    session.marks.flatMap(({ kind, mark, start, end }): Bar[] => {
      if (kind !== "route") {
        const timed = mark as Timed;
        return [{ id: mark.id, kind, name: mark.name, start, end, open: !timed.ends, on: timed.starts.on, stops: [] }];
      }
      const route = mark as Route;
      if (!route.draws.shown) return [];
      const laid = session.plan!.routes.find((one) => one.id === route.id)!;
      const stops = laid.stops.map(({ point, reached }) => ({
        frame: reached,
        name: route.points[point]?.stop ?? "",
      }));
      return [{ id: route.id, kind, name: route.name, start, end, open: false, on: route.draws.starts.on, stops }];
    }),
  );
  const row = $derived(Math.max(Math.min((height - 6) / Math.max(bars.length, 1), 22), 15));
  const scroll = new LaneScroll(
    () => bars.length * row + 8,
    () => height,
  );
  const y = (k: number) => axis.bottom + 4 + k * row - scroll.top;
  $effect(() => {
    const k = bars.findIndex((bar) => bar.id === session.selection?.id);
    if (k < 0) return;
    untrack(() => scroll.show(k * row, (k + 1) * row + 8));
  });

  function pull(event: PointerEvent, bar: Bar, edge: "starts" | "ends" | "both") {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.shiftKey || event.ctrlKey || event.metaKey) return session.choose(bar.kind, bar.id, event.shiftKey);
    session.select({ kind: bar.kind, id: bar.id });
    const from = edge === "ends" ? bar.end : bar.start;
    follow(event, {
      moved: (_, dx) => {
        const to = drawn(from + Math.round(dx / axis.perFrame));
        session.tryAct({ act: "move_mark", mark: bar.id, edge: bar.kind === "route" ? "starts" : edge, by: to - from });
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Move in time");
        else player.seek(Math.min(bar.start, Math.max(player.frames - 1, 0)));
      },
      dropped: () => session.dropTrial(),
      slack: 4,
    });
  }
</script>

<LaneFrame id="lanes" {axis} {height} {scroll}>
  {#each bars as bar, k (bar.id)}
    {@const on = session.selection?.id === bar.id}
    <g clip-path="url(#lanes-names)">
      <text class="name" x="12" y={y(k) + row / 2 + 3.5} class:on
        >{bar.name.length > 12 ? bar.name.slice(0, 11) + "…" : bar.name}</text
      >
    </g>
    <g clip-path="url(#lanes-time)">
      {#if on}<line
          class="thread {bar.on}"
          x1={axis.x(bar.start)}
          x2={axis.x(bar.start)}
          y1="20"
          y2={y(k) + row}
        />{/if}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <g class="bar {bar.kind}" class:on onpointerdown={(event) => pull(event, bar, "both")}>
        <rect
          x={axis.x(bar.start)}
          y={y(k) + 1.5}
          width={Math.max(axis.x(bar.end) - axis.x(bar.start), 4)}
          height={row - 3}
          rx="2"
        />
        {#each bar.stops as stop, j (j)}
          <circle cx={axis.x(stop.frame)} cy={y(k) + row / 2} r={Math.min(row / 3.2, 4.5)} />
          {@const next = bar.stops[j + 1]?.frame}
          {@const room = next === undefined ? Infinity : axis.x(next) - axis.x(stop.frame) - 14}
          {#if stop.name && row > 14}<text class="stop" x={axis.x(stop.frame) + 7} y={y(k) + row / 2 + 3.5}
              >{nameWithin(stop.name, room)}</text
            >{/if}
        {/each}
        <title>{bar.name}: drag to move it in time</title>
      </g>
      <circle class="ring {bar.on}" cx={axis.x(bar.start)} cy={y(k) + row / 2} r={Math.min(row / 2.6, 4.6)} />
      {#if bar.kind !== "route"}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <rect
          class="post"
          x={axis.x(bar.start) - 5}
          y={y(k)}
          width="10"
          height={row}
          onpointerdown={(event) => pull(event, bar, "starts")}
        />
        {#if !bar.open}
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <rect
            class="post"
            x={axis.x(bar.end) - 5}
            y={y(k)}
            width="10"
            height={row}
            onpointerdown={(event) => pull(event, bar, "ends")}
          />
        {/if}
      {/if}
    </g>
  {:else}
    <text class="none" x={axis.left + 10} y={axis.bottom + 20}>Marks that are set stand here in time.</text>
  {/each}
</LaneFrame>

<style>
  .bar {
    cursor: ew-resize;
  }
  .bar rect {
    fill: #d9dfdc;
    stroke: #a9b5b3;
  }
  .bar.route rect {
    fill: #d2e8e3;
    stroke: #0a746d;
  }
  .bar.label rect {
    fill: #ece7d6;
    stroke: #b9a86f;
  }
  .bar.region rect {
    fill: #f2dfcf;
    stroke: #bf9268;
  }
  .bar.on rect {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .bar circle {
    fill: #0a746d;
  }
  .ring {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 1.6;
    pointer-events: none;
  }
  .ring.route {
    stroke: #0a746d;
  }
  .ring.vantage {
    stroke: var(--camera);
  }
  .ring.film {
    display: none;
  }
  .thread {
    stroke: var(--ink);
    stroke-dasharray: 1 3;
    stroke-width: 1.4;
  }
  .thread.route {
    stroke: #0a746d;
  }
  .thread.vantage {
    stroke: var(--camera);
  }
  .post {
    fill: transparent;
    cursor: col-resize;
  }
  text {
    font-size: 10.5px;
    fill: var(--ink);
  }
  .name.on {
    font-weight: 640;
  }
  .stop {
    fill: #085650;
    pointer-events: none;
  }
  .none {
    fill: var(--ink-2);
    font-size: 11px;
  }
</style>
