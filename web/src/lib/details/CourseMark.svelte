<script lang="ts">
  import type { CoursePlan } from "../api/client";
  import { lineOf, type Address } from "../film/courses";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";

  let {
    address,
    course,
    label,
    disabled = false,
  }: { address: Address; course: CoursePlan | null; label: string; disabled?: boolean } = $props();

  const chosen = $derived(session.course?.of === address.of && session.course?.field === address.field);
  const there = $derived(course?.stops.find((stop) => stop.frame === player.frame) ?? null);
  const x = (frame: number) => (frame / Math.max(player.frames - 1, 1)) * 100;

  /** Choose the course; while it is chosen, or there is none yet, set a stop at the playhead. */
  function press() {
    if (course && !chosen) session.course = { ...address, stop: there?.id ?? null };
    else if (there) session.course = { ...address, stop: there.id };
    else void session.grow(course?.via ? { of: course.via, field: address.field } : address, player.frame);
  }
</script>

<!-- A field that may change over the film: a post to set a stop with, and, where it does change, its line in small. -->
{#if course}
  <svg viewBox="0 0 100 10" preserveAspectRatio="none" aria-hidden="true">
    {#if course.tints.length}
      {#each course.line as [frame], k (k)}
        <rect
          x={x(frame)}
          y="6"
          width={x(course.line[k + 1]?.[0] ?? player.frames) - x(frame)}
          height="4"
          fill={course.tints[k]}
        />
      {/each}
    {:else}
      <polyline
        points={`0,${10 - course.line[0]![1] * 9} ${lineOf(course, x, 1, 10)} 100,${10 - course.line[course.line.length - 1]![1] * 9}`}
      />
    {/if}
    <line x1={x(player.frame)} x2={x(player.frame)} y1="0" y2="10" />
  </svg>
{/if}
<button
  class:on={chosen}
  class:changes={course !== null}
  class:there={there !== null}
  {disabled}
  aria-label={course
    ? there
      ? `${label}: the stop at the playhead`
      : chosen
        ? `${label}: set a stop at the playhead`
        : `${label} changes over the film: its stops`
    : `Let ${label} change over the film`}
  title={course
    ? chosen
      ? "Set a stop at the playhead"
      : "Changes over the film: its stops"
    : "Let it change over the film"}
  onclick={press}
>
  <span></span>
</button>

<style>
  svg {
    position: absolute;
    left: 1px;
    right: 0;
    bottom: 0;
    width: calc(100% - 1px);
    height: 8px;
    pointer-events: none;
  }
  polyline {
    fill: none;
    stroke: var(--ink-2);
    stroke-width: 1.2;
    vector-effect: non-scaling-stroke;
  }
  line {
    stroke: var(--ink);
    stroke-width: 1;
    vector-effect: non-scaling-stroke;
  }
  button {
    position: absolute;
    right: 0;
    top: 0;
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    opacity: 0;
  }
  :global(.slot:hover) > button,
  :global(.slot:focus-within) > button,
  button:focus-visible,
  button.changes {
    opacity: 1;
  }
  button:disabled {
    display: none;
  }
  /* A post on a short line of ground. */
  span {
    width: 5px;
    height: 9px;
    border: 1.3px solid var(--ink-3);
    border-radius: 2px;
    background: var(--sheet);
    box-shadow: 0 4px 0 -3px var(--ink-3);
  }
  button:hover span,
  .changes span {
    border-color: var(--ink);
  }
  .there span {
    background: var(--ink);
  }
  .on {
    background: var(--desk);
    border-radius: 3px;
  }
</style>
