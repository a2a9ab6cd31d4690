<script lang="ts">
  import type { XY } from "../api/client";
  import { toScreen, type View } from "../chart/view";
  import { sight } from "./sharpness.svelte";

  let { view }: { view: View } = $props();

  const lines = $derived(
    sight.now?.on
      ? (["near", "focus", "far"] as const).flatMap((which) => {
          const ground = sight.now![which].ground;
          return ground ? [{ which, from: toScreen(view, ground[0] as XY), to: toScreen(view, ground[1] as XY) }] : [];
        })
      : [],
  );
</script>

<!-- Where the plane of focus and its limits meet the ground. -->
{#each lines as { which, from, to } (which)}
  <line class="case" x1={from[0]} y1={from[1]} x2={to[0]} y2={to[1]} />
  <line class={which} x1={from[0]} y1={from[1]} x2={to[0]} y2={to[1]} />
{/each}

<style>
  line {
    stroke: var(--camera);
    stroke-width: 1.4;
    pointer-events: none;
  }
  .case {
    stroke: #fff;
    stroke-width: 4;
    opacity: 0.7;
  }
  .near,
  .far {
    stroke-dasharray: 4 3;
  }
  .focus {
    stroke-width: 2.4;
  }
</style>
