<script lang="ts">
  import { EFFECTS, addressed } from "../finish/effects";
  import type { CoursePlan } from "../api/client";
  import { lineOf, stopSays } from "../film/courses";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { follow } from "../ui/follow";
  import { LANE, type Axis } from "./scale";

  let { axis, courses, drawn }: { axis: Axis; courses: CoursePlan[]; drawn: (frame: number) => number } = $props();

  const top = (k: number) => axis.bottom + k * LANE;
  type Stop = CoursePlan["stops"][number];

  const says = (course: CoursePlan, stop: Stop) => stopSays(course, stop, session.film!.ground.kind);
  /** How high a stop stands in its lane, 0 to 1. */
  const share = (course: CoursePlan, stop: Stop) =>
    course.line.find(([frame]) => frame >= stop.frame)?.[1] ?? course.line[course.line.length - 1]![1];
  const y = (k: number, part: number) => top(k) + LANE - 6 - part * (LANE - 13);

  function pull(event: PointerEvent, course: CoursePlan, stop: Stop) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    session.course = { of: course.of, field: course.field, stop: stop.id };
    const of = course.via ?? course.of;
    follow(event, {
      moved: (_, dx) => {
        const by = drawn(stop.frame + Math.round(dx / axis.perFrame)) - stop.frame;
        session.tryAct({ act: "move_stop", of, field: course.field, stop: stop.id, by, value: null });
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Move stop in time");
        else player.seek(stop.frame);
      },
      dropped: () => session.dropTrial(),
      slack: 4,
    });
  }

  /** What a lane is called: of several effects that have a strength, by the effect. */
  function short({ of, field, label }: CoursePlan): string {
    const name = field === "strength" ? (EFFECTS.find(({ id }) => addressed(id) === of)?.name ?? label) : label;
    return name.length > 12 ? name.slice(0, 11) + "…" : name;
  }

  /** Arrows move a stop in time, Delete takes it out. */
  function keys(event: KeyboardEvent, course: CoursePlan, stop: Stop) {
    const of = course.via ?? course.of;
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (by)
      void session.act({ act: "move_stop", of, field: course.field, stop: stop.id, by: by * (event.shiftKey ? 10 : 1), value: null }); // prettier-ignore
    else if (event.key === "Delete" || event.key === "Backspace")
      void session.act({ act: "remove_stop", of, field: course.field, stop: stop.id });
    else if (event.key === "Enter" || event.key === " ") {
      session.course = { of: course.of, field: course.field, stop: stop.id };
      player.seek(stop.frame);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<!-- Values that change over the film: a lane each, its line, and a white post for each stop. -->
<clipPath id="courses"
  ><rect x={axis.left} y={axis.bottom} width={axis.right - axis.left} height={courses.length * LANE} /></clipPath
>
{#each courses as course, k (course.of + course.field)}
  {@const on = session.course?.field === course.field && session.course.of === course.of}
  {@const first = course.line[0]!}
  {@const last = course.line[course.line.length - 1]!}
  <g class="course" class:on>
    <rect class="ground" x="0" y={top(k)} width={axis.right} height={LANE} />
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <text
      class="name"
      x="12"
      y={top(k) + LANE / 2 + 3.5}
      onclick={() => (session.course = { of: course.of, field: course.field, stop: null })}>{short(course)}</text
    >
    <g clip-path="url(#courses)">
      {#if course.tints.length}
        {#each course.line as [frame], j (j)}
          <rect
            x={axis.x(frame)}
            y={top(k) + LANE / 2 - 3}
            width={Math.max(axis.x(course.line[j + 1]?.[0] ?? frame) - axis.x(frame), 1) + 0.5}
            height="6"
            fill={course.tints[j]}
          />
        {/each}
      {:else}
        <polyline
          points="{axis.left},{y(k, first[1])} {lineOf(course, axis.x, y(k, 1), y(k, 0))} {axis.right},{y(k, last[1])}"
        />
      {/if}
      {#each course.stops as stop, j (stop.id)}
        {@const at = course.tints.length ? 0.5 : share(course, stop)}
        <g
          class="stop {stop.on}"
          class:chosen={session.course?.stop === stop.id}
          role="button"
          tabindex="0"
          aria-label="Stop {j + 1} of {course.label}, {says(course, stop)} at {(stop.frame / session.rate).toFixed(
            2,
          )} s"
          onpointerdown={(event) => pull(event, course, stop)}
          onkeydown={(event) => keys(event, course, stop)}
        >
          <rect class="reach" x={axis.x(stop.frame) - 12} y={top(k) + 1} width="24" height={LANE - 2} />
          <rect class="post" x={axis.x(stop.frame) - 3} y={y(k, at) - 5} width="6" height="10" rx="2" />
          {#if stop.on !== "film"}<line
              x1={axis.x(stop.frame)}
              x2={axis.x(stop.frame)}
              y1={top(k)}
              y2={y(k, at) - 6}
            />{/if}
          <title>{says(course, stop)}: drag it in time</title>
        </g>
      {/each}
    </g>
    <line class="edge" x1="0" x2={axis.right} y1={top(k) + LANE} y2={top(k) + LANE} />
  </g>
{/each}

<style>
  .ground {
    fill: #eef0eb;
  }
  .on .ground {
    fill: var(--sheet);
  }
  .edge {
    stroke: var(--rule);
  }
  .name {
    font-size: 10.5px;
    fill: var(--ink-2);
    cursor: pointer;
  }
  .on .name {
    fill: var(--ink);
    font-weight: 640;
  }
  polyline {
    fill: none;
    stroke: var(--ink-2);
    stroke-width: 1.4;
  }
  .stop {
    cursor: ew-resize;
    outline: none;
  }
  .reach {
    fill: transparent;
  }
  .stop:focus-visible .reach {
    stroke: var(--ink);
    stroke-width: 1.5;
  }
  .post {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .chosen .post {
    fill: var(--ink);
  }
  .stop line {
    stroke: var(--ink);
    stroke-dasharray: 1 3;
    stroke-width: 1.4;
  }
  .stop.route line {
    stroke: #0a746d;
  }
  .stop.vantage line {
    stroke: var(--camera);
  }
</style>
