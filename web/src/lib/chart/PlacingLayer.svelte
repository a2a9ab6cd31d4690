<script lang="ts">
  import type { XY } from "../api/client";
  import { session } from "../film/session.svelte";
  import type { Placing } from "./placing.svelte";
  import { polyline, toScreen, type View } from "./view";

  let {
    view,
    placing,
    at,
  }: {
    view: View;
    placing: Placing;
    /** The ground under the pointer. */
    at: XY | null;
  } = $props();

  const drawn = $derived(["route", "region"].includes(session.tool) ? placing.corners : []);
</script>

{#if placing.circle}
  {@const [x, y] = toScreen(view, placing.circle.middle)}
  {#each ["drawing under", "drawing"] as look (look)}
    <circle class={look} cx={x} cy={y} r={placing.circle.reach * view.scale} />
  {/each}
{/if}
{#if drawn.length}
  {#each ["drawing under", "drawing"] as look (look)}
    <polyline class={look} points={polyline(view, at ? [...drawn, at] : drawn)} />
  {/each}
  {#each drawn as corner, k (k)}
    {@const [x, y] = toScreen(view, corner)}
    <circle class="drawn" cx={x} cy={y} r="4" />
  {/each}
{/if}
{#if session.step === "fit"}
  {#each session.known as place, k (k)}
    {@const [x, y] = toScreen(view, [place.x, place.y])}
    <path class="known" d="M{x - 8} {y}h16M{x} {y - 8}v16" />
    <text class="halo" x={x + 8} y={y - 6}>{k + 1}</text>
  {/each}
{/if}
{#if placing.frame}
  {@const a = toScreen(view, placing.frame.from)}
  {@const b = toScreen(view, placing.frame.to)}
  <rect
    class="frame"
    x={Math.min(a[0], b[0])}
    y={Math.min(a[1], b[1])}
    width={Math.abs(a[0] - b[0])}
    height={Math.abs(a[1] - b[1])}
  />
{/if}

<style>
  .drawing {
    fill: none;
    stroke: var(--route, #0b7d74);
    stroke-width: 2;
    stroke-dasharray: 5 4;
  }
  .drawing.under {
    stroke: #fff;
    stroke-width: 4;
    stroke-dasharray: none;
    opacity: 0.85;
  }
  .drawn {
    fill: #fff;
    stroke: var(--route, #0b7d74);
    stroke-width: 1.8;
  }
  .known {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .frame {
    fill: rgba(208, 16, 80, 0.1);
    stroke: var(--camera);
    stroke-width: 1.5;
  }
</style>
