<script lang="ts">
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { length } from "../format";
  import { follow } from "../ui/follow";
  import { sight } from "./sharpness.svelte";

  /** The picture is so many pixels wide and high. */
  let { width, height }: { width: number; height: number } = $props();

  const ground = $derived(session.film!.ground.kind);
  const lines = $derived(
    sight.now
      ? (["far", "focus", "near"] as const).flatMap((which) => {
          const line = sight.now![which];
          return line.frame ? [{ which, at: line.frame, says: length(line.distance!, ground).join(" ") }] : [];
        })
      : [],
  );
  /** The least from the foot of a name to that of the next, pixels. */
  const APART = 13;
  /** How far down the feet of the names are: those of the limits give way to that of the focus. */
  const feet = $derived.by(() => {
    const [ends, focus] = [
      lines.map(({ at }) => at[0]![1]! * height),
      lines.findIndex(({ which }) => which === "focus"),
    ];
    const beside = ends.map((end, k) => end + (lines[k]!.which === "near" ? 13 : -4));
    if (focus < 0) return beside;
    return beside.map((foot, k) => {
      if (k === focus) return foot;
      const [above, middle] = [ends[k]! < ends[focus]!, beside[focus]!];
      return above ? Math.min(foot, middle - APART) : Math.max(foot, middle + APART);
    });
  });
  /** How much of a line is drawn from either end: the middle of the picture stays free. */
  const SHARE = 0.14;
  const between = (a: number[], b: number[], share: number) =>
    [0, 1].map((k) => (a[k]! + (b[k]! - a[k]!) * share) * (k ? height : width));

  /** Pull the plane of focus over the ground: it lies where the pointer is. */
  function pull(event: PointerEvent, at: number[][]) {
    event.preventDefault();
    event.stopPropagation();
    const [u, v] = between(at[0]!, at[1]!, 0.5) as [number, number];
    const within = (value: number) => Math.min(Math.max(value, 0), 1);
    follow(event, {
      moved: (_, dx, dy) =>
        session.tryAct({
          act: "focus",
          frame: player.frame,
          on: "place",
          at: [within((u + dx) / width), within((v + dy) / height)],
          change: false,
        }),
      done: (moved) => {
        if (moved) void session.keepTrial("Focus");
      },
      dropped: () => session.dropTrial(),
    });
  }
</script>

<!-- Where the plane of focus and its limits meet the ground. -->
<svg {width} {height} aria-hidden="true">
  {#each lines as { which, at, says }, number (which)}
    {#each [[at[0], at[1]] as const, [at[1], at[0]] as const] as [from, to], k (k)}
      {@const [u0, v0] = between(from, to, 0)}
      {@const [u1, v1] = between(from, to, SHARE)}
      <line class="under" x1={u0} y1={v0} x2={u1} y2={v1} />
      <line class={which} x1={u0} y1={v0} x2={u1} y2={v1} />
    {/each}
    {@const [u, v] = between(at[0], at[1], 0)}
    {#if which === "focus" && !player.playing}
      {@const [u1, v1] = between(at[0], at[1], 1)}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <line class="grab" x1={u} y1={v} x2={u1} y2={v1} onpointerdown={(event) => pull(event, at as number[][])} />
    {/if}
    <text x={u! + 6} y={feet[number]}>{which} {says}</text>
  {/each}
</svg>

<style>
  svg {
    position: absolute;
    inset: 0;
    overflow: hidden;
    pointer-events: none;
  }
  line {
    stroke: #ff2f6d;
    stroke-width: 1.4;
  }
  .near,
  .far {
    stroke-dasharray: 6 4;
  }
  .focus {
    stroke-width: 2.4;
  }
  .grab {
    stroke: transparent;
    stroke-width: 14;
    pointer-events: stroke;
    cursor: ns-resize;
  }
  .under {
    stroke: rgba(20, 20, 20, 0.55);
    stroke-width: 4;
  }
  text {
    font-size: 11px;
    font-weight: 560;
    fill: #fff;
    paint-order: stroke;
    stroke: rgba(20, 36, 45, 0.85);
    stroke-width: 3px;
  }
</style>
