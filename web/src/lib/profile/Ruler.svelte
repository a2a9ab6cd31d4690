<script lang="ts">
  import { camera } from "../film/camera.svelte";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { widestOf, type Axis, type SpanScale } from "./scale";

  /** Seconds along the top, and the playhead over all. */
  let {
    axis,
    scale,
    seconds,
    frames,
    scrub,
  }: {
    axis: Axis;
    scale: SpanScale;
    seconds: number[];
    frames: number;
    scrub: (event: PointerEvent) => void;
  } = $props();

  const rate = $derived(session.rate);
  const graph = $derived(axis.right - axis.left);

  function clockName(t: number): string {
    const whole = Math.floor(t + 1e-6);
    const part = t - whole > 0.01 ? (t - whole).toFixed(1).slice(1) : "";
    return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}${part}`;
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<g onpointerdown={scrub} class="ruler">
  <rect x={axis.left} y="0" width={graph} height="20" />
  <line x1={axis.left} x2={axis.right} y1="20" y2="20" />
  <g clip-path="url(#graph)">
    {#each player.ready.runs as [first, last] (first)}
      <rect class="ready" x={axis.x(first)} y="17" width={Math.max(axis.x(last + 1) - axis.x(first), 1)} height="3">
        <title>Drawn already: it plays as it is</title>
      </rect>
    {/each}
  </g>
  {#each seconds as t (t)}
    <line x1={axis.x(t * rate)} x2={axis.x(t * rate)} y1="14" y2="20" />{#if axis.x(t * rate) < axis.right - 28}<text
        x={axis.x(t * rate) + 4}
        y="13">{clockName(t)}</text
      >{/if}
  {/each}
</g>
{#if frames}
  <g clip-path="url(#graph)" class="playhead">
    <line x1={axis.x(player.frame)} x2={axis.x(player.frame)} y1="0" y2={axis.height} />
    <circle cx={axis.x(player.frame)} cy={axis.y(camera.spanAt(player.frame) ?? widestOf(scale))} r="4.5" />
  </g>
  <g class="flag" transform="translate({Math.min(Math.max(axis.x(player.frame) - 34, axis.left), axis.right - 68)} 1)">
    <rect width="68" height="16" rx="2" /><text x="34" y="12" text-anchor="middle"
      >{camera.moment(player.frame)?.timecode.slice(3) ?? ""}</text
    >
  </g>
{/if}

<style>
  text {
    font-size: 11px;
  }
  .ruler {
    cursor: ew-resize;
  }
  .ruler rect {
    fill: transparent;
  }
  .ruler rect.ready {
    fill: var(--ink-3);
    opacity: 0.55;
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
</style>
