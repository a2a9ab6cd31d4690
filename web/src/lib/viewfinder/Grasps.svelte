<script lang="ts">
  import { api, told, type Grasp } from "../api/client";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { follow } from "../ui/follow";

  /** Texts and signs that can be taken hold of in the picture, which is so many pixels wide and high; with `onpick`
   * they are picked, not dragged. */
  let {
    width,
    height,
    onpick,
  }: { width: number; height: number; onpick?: (mark: string, event: PointerEvent) => void } = $props();

  let grasps = $state.raw<Grasp[]>([]);
  /** What is being dragged, and how far, shares of the frame. */
  let pulled = $state.raw<{ mark: string; by: [number, number] } | null>(null);

  $effect(() => {
    const [film, state, frame] = [session.id, session.state, player.frame];
    if (pulled || player.playing || !state) return;
    // Whatever comes next in the same moment is waited for.
    const timer = setTimeout(async () => {
      const path = { film_id: film, frame };
      const found = await told<Grasp[]>(
        api.GET("/api/films/{film_id}/grasps/{frame}", { params: { path, query: { state } } }),
      ).catch(() => []);
      if (state === session.state && frame === player.frame) grasps = found;
    }, 60);
    return () => clearTimeout(timer);
  });

  const found = (id: string) => session.marks.find(({ mark }) => mark.id === id);
  const points = ({ mark, corners }: Grasp) => {
    const [du, dv] = pulled?.mark === mark ? pulled.by : [0, 0];
    return corners.map(([u, v]) => `${(u + du) * width},${(v + dv) * height}`).join(" ");
  };

  function pull(event: PointerEvent, id: string) {
    const it = found(id);
    if (!it || event.button !== 0) return;
    event.preventDefault();
    if (onpick) return onpick(id, event);
    if (event.shiftKey || event.ctrlKey || event.metaKey) return session.choose(it.kind, id, event.shiftKey);
    session.select({ kind: it.kind, id });
    if (it.mark.locked) return;
    const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    const at = (e: PointerEvent): [number, number] => [(e.clientX - box.left) / width, (e.clientY - box.top) / height];
    const [start, frame] = [at(event), player.frame];
    follow(event, {
      moved: (next) => {
        const to = at(next);
        pulled = { mark: id, by: [to[0] - start[0], to[1] - start[1]] };
        session.tryAct({ act: "drag_mark", mark: id, frame, start, to });
      },
      done: async (moved) => {
        if (moved) await session.keepTrial(`Move ${it.kind}`);
        pulled = null;
      },
      dropped: () => {
        pulled = null;
        session.dropTrial();
      },
    });
  }
</script>

<svg {width} {height} aria-hidden="true">
  {#each grasps as grasp (grasp.mark)}
    {#if !pulled || pulled.mark === grasp.mark}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <polygon
        class:pick={onpick !== undefined}
        class:on={session.selection?.id === grasp.mark}
        class:also={session.also.includes(grasp.mark)}
        points={points(grasp)}
        data-mark={grasp.mark}
        onpointerdown={(event) => pull(event, grasp.mark)}
      >
        <title>{found(grasp.mark)?.mark.name}{onpick ? "" : ": drag it"}</title>
      </polygon>
    {/if}
  {/each}
</svg>

<style>
  svg {
    position: absolute;
    inset: 0;
    overflow: hidden;
    pointer-events: none;
  }
  polygon {
    fill: transparent;
    stroke: transparent;
    stroke-width: 1.5;
    pointer-events: all;
    cursor: grab;
  }
  polygon.pick {
    cursor: crosshair;
  }
  polygon:hover {
    stroke: #fff;
    stroke-dasharray: 4 3;
  }
  polygon.on,
  polygon.also {
    stroke: #19b3a2;
    stroke-dasharray: none;
  }
</style>
