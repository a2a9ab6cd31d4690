<script lang="ts">
  import { camera } from "../film/camera.svelte";
  import { traced } from "../ui/traced";
  import type { Axis } from "./scale";

  let { axis, channel }: { axis: Axis; channel: "tilt" | "heading" | "focal" } = $props();

  const curves = $derived(camera.curves);
  const values = $derived(curves?.[channel] ?? []);
  const low = $derived(channel === "tilt" ? 0 : Math.min(...values));
  const high = $derived(Math.max(...values, low + (channel === "focal" ? 5 : 20)));
  const unit = $derived(channel === "focal" ? "mm" : "°");
  const y = (value: number) => axis.bottom - 12 - ((value - low) / (high - low)) * (axis.bottom - axis.top - 30);
  const path = $derived(traced(values.map((value, k) => [axis.x(curves!.frames[k]!), y(value)])));
</script>

{#if values.length}
  <path class="case" d={path} /><path d={path} />
  <text x={axis.right - 6} y={y(high) + 10} text-anchor="end">{Math.round(high)} {unit}</text>
  <text x={axis.right - 6} y={y(low) - 3} text-anchor="end">{Math.round(low)} {unit}</text>
{/if}

<style>
  path {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.4;
    stroke-dasharray: 7 3;
    pointer-events: none;
  }
  .case {
    stroke: #fff;
    stroke-width: 3.4;
    stroke-dasharray: none;
    opacity: 0.7;
  }
  text {
    font-size: 10px;
    fill: var(--ink);
    paint-order: stroke;
    stroke: #fff;
    stroke-width: 3px;
  }
</style>
