<script lang="ts">
  import { gathering } from "../film/gathering.svelte";
  import { session } from "../film/session.svelte";
  import type { Axis } from "./scale";

  /** When soundings found something, and how far the picture is softer than it should be. */
  let { axis }: { axis: Axis } = $props();

  const plan = $derived(session.plan);
  const soft = $derived(
    gathering.timed
      .filter((finding) => finding.kind === "soft")
      .map((finding) => {
        const inside = (plan?.curve_frames ?? [])
          .map((frame, k) => [frame, plan!.curve_spans[k]!] as const)
          .filter(([frame]) => frame >= finding.first && frame <= finding.last);
        // From the span asked for up to the one that the imagery there carries.
        const down = inside.map(([frame, span]) => `${axis.x(frame)},${axis.y(span)}`);
        const up = inside
          .map(([frame, span]) => `${axis.x(frame)},${Math.max(axis.y(span * finding.figure), 25)}`)
          .reverse();
        return { points: [...down, ...up].join(" "), id: finding.id };
      }),
  );
</script>

<defs>
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
{#each soft as piece (piece.id)}<polygon points={piece.points} fill="url(#soft)" />{/each}
{#each gathering.timed as finding (finding.id)}
  <rect
    class="stretch"
    class:grave={finding.grave}
    x={axis.x(finding.first)}
    y="20.5"
    width={Math.max(axis.x(finding.last + 1) - axis.x(finding.first), 2)}
    height="4"
  />
{/each}

<style>
  .stretch {
    fill: var(--imagery-line);
  }
  .stretch.grave {
    fill: var(--imagery);
  }
</style>
