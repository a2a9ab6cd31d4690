<script lang="ts">
  import type { Sound } from "../api/client";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import LaneFrame from "../profile/LaneFrame.svelte";
  import { nameWithin, type Axis } from "../profile/scale";
  import { LaneScroll } from "../profile/scroll.svelte";
  import { follow } from "../ui/follow";
  import { outlineOf, waves } from "./waves.svelte";

  let { axis, height, drawn }: { axis: Axis; height: number; drawn: (frame: number) => number } = $props();

  const film = $derived(session.film!);
  const plans = $derived(new Map((session.plan?.sounds ?? []).map((plan) => [plan.id, plan])));
  /** Lanes with their sounds: those that overlap stand below one another. */
  const lanes = $derived.by(() => {
    let above = 0;
    return film.lanes.map((lane) => {
      const ends: number[] = [];
      const sounds = film.sounds
        .flatMap((sound) => {
          const laid = plans.get(sound.id);
          return sound.lane === lane.id && laid ? [{ sound, laid, tier: 0 }] : [];
        })
        .sort((a, b) => a.laid.start - b.laid.start);
      for (const one of sounds) {
        const free = ends.findIndex((end) => end <= one.laid.start + 1e-6);
        one.tier = free < 0 ? ends.length : free;
        ends[one.tier] = one.laid.end;
      }
      const first = above;
      above += Math.max(ends.length, 1);
      return { lane, sounds, first, tiers: Math.max(ends.length, 1) };
    });
  });
  const tiers = $derived(lanes.reduce((sum, one) => sum + one.tiers, 0));
  const row = $derived(Math.max(Math.min((height - 6) / Math.max(tiers, 1), 52), 28));
  const scroll = new LaneScroll(
    () => tiers * row + 6,
    () => height,
  );
  const y = (tier: number) => axis.bottom + 3 + tier * row - scroll.top;

  function pull(event: PointerEvent, sound: Sound, edge: "starts" | "ends" | "both") {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.shiftKey || event.ctrlKey || event.metaKey) return session.choose("sound", sound.id, event.shiftKey);
    session.select({ kind: "sound", id: sound.id });
    const laid = plans.get(sound.id)!;
    const from = Math.round(edge === "ends" ? laid.end : laid.start);
    follow(event, {
      moved: (next, dx) => {
        const to = drawn(from + Math.round(dx / axis.perFrame));
        const over = edge === "both" ? laneAt(next) : null;
        session.tryAct({ act: "move_sound", sound: sound.id, edge, by: to - from, lane: over });
      },
      done: (moved) => {
        if (moved) void session.keepTrial(edge === "both" ? "Move sound" : "Trim sound");
        else player.seek(Math.min(Math.max(Math.round(laid.start), 0), Math.max(player.frames - 1, 0)));
      },
      dropped: () => session.dropTrial(),
      slack: 4,
    });
  }

  let ground = $state<SVGGElement>();
  function laneAt(event: MouseEvent): string | null {
    const up = event.clientY - (ground?.ownerSVGElement?.getBoundingClientRect().top ?? 0);
    const tier = Math.min(Math.max(Math.floor((up - y(0)) / row), 0), tiers - 1);
    return lanes.findLast(({ first }) => first <= tier)?.lane.id ?? null;
  }

  /** A fade is pulled by its knot, from the edge inwards. */
  function fade(event: PointerEvent, sound: Sound, edge: "fade_in" | "fade_out") {
    if (event.button !== 0) return;
    event.preventDefault();
    event.stopPropagation();
    session.select({ kind: "sound", id: sound.id });
    const index = film.sounds.findIndex(({ id }) => id === sound.id);
    const laid = plans.get(sound.id)!;
    const longest = (laid.end - laid.start) / session.rate;
    const was = sound[edge];
    follow(event, {
      moved: (_, dx) => {
        const by = (dx / axis.perFrame / session.rate) * (edge === "fade_in" ? 1 : -1);
        const value = Number(Math.min(Math.max(was + by, 0), longest, 600).toFixed(2));
        session.tryPatch([{ op: "replace", path: `/sounds/${index}/${edge}`, value }]);
      },
      done: (moved) => void (moved && session.keepTrial(edge === "fade_in" ? "Fade in" : "Fade out")),
      dropped: () => session.dropTrial(),
      slack: 2,
    });
  }

  const knot = (sound: Sound, edge: "fade_in" | "fade_out") => {
    const laid = plans.get(sound.id)!;
    const frames = Math.min(sound[edge] * session.rate, laid.end - laid.start);
    return axis.x(edge === "fade_in" ? laid.start + frames : laid.end - frames);
  };
  const on = (sound: Sound) => session.selection?.kind === "sound" && session.chosen.includes(sound.id);
  const cut = (name: string) => (name.length > 12 ? name.slice(0, 11) + "…" : name);
</script>

<!-- What is heard: a lane below the other, each sound with its wave. -->
<LaneFrame id="soundlanes" bind:element={ground} {axis} {height} {scroll}>
  {#each lanes as { lane, sounds, first, tiers: deep } (lane.id)}
    {@const chosen = session.selection?.id === lane.id}
    {@const tall = deep * row}
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <g
      clip-path="url(#soundlanes-names)"
      class="lanename"
      class:off={!lane.heard}
      onclick={() => session.select({ kind: "lane", id: lane.id })}
    >
      <rect class="hit" class:chosen x="0" y={y(first)} width={axis.left} height={tall} />
      <text class="name" class:chosen x="12" y={y(first) + tall / 2 - (tall > 38 ? 2 : -3.5)}>{cut(lane.name)}</text>
      {#if tall > 38}<text class="say" x="12" y={y(first) + tall / 2 + 11}
          >{lane.heard ? (lane.under ? "gives way" : "") : "not heard"}</text
        >{/if}
    </g>
    <line class="between" x1="0" x2={axis.right} y1={y(first) + tall} y2={y(first) + tall} />
    <g clip-path="url(#soundlanes-time)">
      {#each sounds as { sound, laid, tier } (sound.id)}
        {@const k = first + tier}
        {@const left = axis.x(laid.start)}
        {@const wide = Math.max(axis.x(laid.end) - left, 4)}
        <g class="sound" class:file={sound.source.kind === "file"} class:on={on(sound)} class:off={!laid.heard}>
          <rect
            class="body"
            x={left}
            y={y(k) + 2}
            width={wide}
            height={row - 4}
            rx="2"
            role="button"
            tabindex="-1"
            aria-label={sound.name}
            onpointerdown={(event) => pull(event, sound, "both")}><title>{sound.name}: drag to move it</title></rect
          >
          <path class="wave" d={outlineOf(waves.of(sound, laid), left, wide, y(k) + 13, row - 17)} />
          {#if sound.fade_in > 0}<path
              class="fade"
              d="M{left} {y(k) + row - 2}L{knot(sound, 'fade_in')} {y(k) + 2}H{left}Z"
            />{/if}
          {#if sound.fade_out > 0}<path
              class="fade"
              d="M{left + wide} {y(k) + row - 2}L{knot(sound, 'fade_out')} {y(k) + 2}H{left + wide}Z"
            />{/if}
          <text class="title" x={left + 5} y={y(k) + 12}>{nameWithin(sound.name, wide - 8)}</text>
          {#if sound.starts.on !== "film"}<circle
              class="ring {sound.starts.on}"
              cx={left}
              cy={y(k) + row / 2}
              r="4"
            />{/if}
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <rect
            class="post"
            x={left - 4}
            y={y(k) + 2}
            width="8"
            height={row - 4}
            onpointerdown={(event) => pull(event, sound, "starts")}
          />
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <rect
            class="post"
            x={left + wide - 4}
            y={y(k) + 2}
            width="8"
            height={row - 4}
            onpointerdown={(event) => pull(event, sound, "ends")}
          />
          {#if on(sound) && wide > 30}
            {#each ["fade_in", "fade_out"] as const as edge (edge)}
              <!-- svelte-ignore a11y_no_static_element_interactions -->
              <path
                class="knot"
                d="M{knot(sound, edge) - 4} {y(k) + 1}h8v5l-4 6l-4 -6z"
                onpointerdown={(event) => fade(event, sound, edge)}
                ><title>{edge === "fade_in" ? "Comes within" : "Goes within"}: drag</title></path
              >
            {/each}
          {/if}
        </g>
      {/each}
    </g>
  {:else}
    <text class="none" x={axis.left + 10} y={axis.bottom + 22}
      >No sound yet. Choose an effect below the picture, or drop a sound file anywhere.</text
    >
  {/each}
</LaneFrame>

<style>
  .between {
    stroke: var(--rule);
  }
  .lanename {
    cursor: pointer;
  }
  .hit {
    fill: transparent;
  }
  .hit.chosen {
    fill: #fff;
  }
  .name.chosen {
    font-weight: 640;
  }
  .lanename.off .name {
    text-decoration: line-through;
    fill: var(--ink-3);
  }
  .say {
    font-size: 9.5px;
    fill: var(--ink-3);
  }
  .body {
    fill: #dfe3ee;
    stroke: #8d97b8;
    cursor: grab;
  }
  .file .body {
    fill: #e3dcea;
    stroke: #957fa8;
  }
  .wave {
    fill: #55638f;
    pointer-events: none;
  }
  .file .wave {
    fill: #6c4f86;
  }
  .on .body {
    stroke: var(--ink);
    stroke-width: 1.8;
  }
  .off {
    opacity: 0.4;
  }
  .fade {
    fill: #f1f3ee;
    opacity: 0.75;
    pointer-events: none;
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
  .ring.vantage,
  .ring.passage {
    stroke: var(--camera);
  }
  .post {
    fill: transparent;
    cursor: col-resize;
  }
  .knot {
    fill: #fff;
    stroke: var(--ink);
    stroke-width: 1.4;
    cursor: ew-resize;
  }
  text {
    font-size: 10.5px;
    fill: var(--ink);
    pointer-events: none;
  }
  .none {
    fill: var(--ink-2);
    font-size: 11px;
  }
</style>
