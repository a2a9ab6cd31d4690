<script lang="ts">
  import { camera } from "../film/camera.svelte";
  import type { XY } from "../api/client";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import { length } from "../format";
  import { follow } from "../ui/follow";
  import type { Standing } from "./standing";
  import { polyline, shifted, toScreen, type Drag, type View } from "./view";

  let {
    view,
    vantages,
    passages,
    drag,
  }: {
    view: View;
    vantages: Standing[];
    /** Whether the ways between vantages are shown. */
    passages: boolean;
    drag: Drag;
  } = $props();

  const film = $derived(session.film!);
  const plan = $derived(session.plan!);
  const ground = $derived(film.ground.kind);
  const editing = $derived(session.step === "fly");
  const s = (point: XY): XY => toScreen(view, point);
  const line = (points: (XY | [number, number, number])[]) =>
    polyline(
      view,
      points.map(([x, y]) => [x, y]),
    );

  const held = (id: string) => shifted(view, session.ahead(id), session.holds);
  const corners = (points: XY[]) => points.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
  /** All frames but the chosen ones, as one drawing: a film may have hundreds. */
  const otherFrames = $derived(
    vantages
      .filter((v) => v.shape !== "wide" && !v.selected && !v.also)
      .map((v) => `M${corners(v.points)}Z`)
      .join(""),
  );
  const ways = $derived(passages ? plan.passages.map((passage) => `M${line(passage.path)}`).join("") : "");
  /** Half-second marks across the ways. */
  const beats = $derived(
    passages
      ? plan.passages
          .flatMap((passage) => passage.ticks)
          .map((tick) => {
            const [u, v] = s(tick.at);
            const reach = tick.whole ? 5.5 : 3;
            const [x, y] = [tick.towards[1] * reach, tick.towards[0] * reach];
            return `M${corners([[u - x, v - y]])}L${corners([[u + x, v + y]])}`;
          })
          .join("")
      : "",
  );
  const now = $derived(camera.moment(player.frame));
  /** The vantage at which the camera rests now. */
  const rests = $derived(plan.vantages.find(({ start, last }) => start <= player.frame && player.frame <= last));
  /** The rail of the passage that is worked on. */
  const rail = $derived.by(() => {
    const index = session.passage;
    const manner = film.vantages[index]?.passage.manner;
    const laid = plan.passages[index];
    return editing && laid && manner?.kind === "rail" ? { index, manner, eye: laid.eye } : null;
  });

  /** A click on the way between two vantages chooses the passage; dragging there moves the chart, as anywhere. */
  function pressPassage(event: PointerEvent, id: string) {
    if (event.button !== 0 || session.tool !== "select") return;
    follow(event, {
      moved: () => {},
      done: (moved) => {
        if (moved) return;
        if (event.shiftKey || event.ctrlKey || event.metaKey) session.choose("passage", id, event.shiftKey);
        else session.select({ kind: "passage", id });
        session.sheetTab = "passage";
      },
    });
  }

  function pullVantage(event: PointerEvent, id: string, grip: "target" | "size" | "heading" | "standing") {
    if (event.shiftKey || event.ctrlKey || event.metaKey) {
      event.stopPropagation();
      return session.choose("vantage", id, event.shiftKey);
    }
    const group = session.chosen.length > 1 && session.chosen.includes(id) ? session.chosen : null;
    if (!group) session.select({ kind: "vantage", id });
    const laid = plan.vantages.find((vantage) => vantage.id === id)!;
    if (!player.playing) player.seek(laid.start);
    const label = { target: "Move vantage", size: "Span", heading: "Heading", standing: "Tilt and heading" }[grip];
    if (group && grip === "target")
      return drag(
        event,
        (to, from) =>
          session.tryAct({
            act: "move_vantages",
            vantages: group,
            by: [to[0] - from[0], to[1] - from[1]],
            factor: 1,
            degrees: 0,
          }),
        "Move vantages",
        { held: group },
      );
    const held = grip === "target" ? [id] : undefined;
    drag(event, (to, start) => session.tryAct({ act: "pull_vantage", vantage: id, grip, to, start }), label, { held });
  }

  /** Drag something whose place stands in the document as an x and a y. */
  function pullPlace(event: PointerEvent, label: string, place: XY, put: (x: number, y: number) => void) {
    drag(event, (to, from) => put(place[0] + to[0] - from[0], place[1] + to[1] - from[1]), label);
  }

  function pullRail(event: PointerEvent, k: number) {
    const { index, manner } = rail!;
    const point = manner.points[k]!;
    const path = `/vantages/${index}/passage/manner/points/${k}`;
    pullPlace(event, "Move a rail point", [point.x, point.y], (x, y) =>
      session.tryPatch([{ op: "replace", path, value: { ...point, x, y } }]),
    );
  }

  function pullHandle(event: PointerEvent, k: number, which: "before" | "after") {
    const [point, vantage] = [rail!.manner.points[k]!, film.vantages[rail!.index]!.id];
    pullPlace(event, "Rail handle", [point.x + point[which]![0], point.y + point[which]![1]], (x, y) =>
      session.tryAct({ act: "pull_rail_handle", vantage, point: k, which, to: [x, y] }),
    );
  }

  function pullLook(event: PointerEvent, k: number) {
    const { index, manner } = rail!;
    pullPlace(event, "What it looks at", manner.look[k] as XY, (x, y) =>
      session.tryPatch([{ op: "replace", path: `/vantages/${index}/passage/manner/look/${k}`, value: [x, y] }]),
    );
  }
</script>

{#if passages}
  <path class="path case" d={ways} />
  <path class="path" d={ways} />
  <path class="beat case" d={beats} />
  <path class="beat" d={beats} />
{/if}

{#if now}<polygon class="now" points={line(now.outline)} style={rests && held(rests.id)} />{/if}

<path class="frame case" d={otherFrames} />
<path class="frame" d={otherFrames} />
{#each vantages as v (v.laid.id)}
  {#if v.shape !== "wide"}
    {#if v.selected || v.also}
      <g style={held(v.laid.id)}>
        <polygon class="frame case" class:selected={v.selected} points={corners(v.points)} />
        <polygon class="frame" class:selected={v.selected} class:also={v.also} points={corners(v.points)} />
      </g>
    {/if}
    {#if session.step === "fly"}
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <polygon class="hit" points={corners(v.points)} onpointerdown={(e) => pullVantage(e, v.laid.id, "size")} />
    {/if}
  {/if}
{/each}
{#if passages && editing}
  {#each plan.passages as passage, k (passage.vantage)}
    {#if session.selection?.kind === "passage" && session.chosen.includes(passage.vantage)}
      <polyline class="path chosen" points={line(passage.path)} />
    {/if}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <polyline
      class="pathhit"
      points={line(passage.path)}
      onpointerdown={(event) => pressPassage(event, passage.vantage)}
      ><title>The passage from {k + 1} to {k + 2}</title></polyline
    >
  {/each}
{/if}
{#each vantages.filter((v) => v.selected && session.step === "fly") as v (v.laid.id)}
  {#if v.shape === "frame"}
    {@const ahead = toScreen(view, v.laid.ahead)}
    <g style={held(v.laid.id)}>
      {#each v.points as [x, y], k (k)}
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="grip" onpointerdown={(e) => pullVantage(e, v.laid.id, "size")}>
          <circle class="reach" cx={x} cy={y} r="12" /><rect x={x - 4} y={y - 4} width="8" height="8" />
        </g>
      {/each}
      <line class="sight case" x1={v.eye[0]} y1={v.eye[1]} x2={ahead[0]} y2={ahead[1]} />
      <line class="sight" x1={v.eye[0]} y1={v.eye[1]} x2={ahead[0]} y2={ahead[1]} />
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <g class="grip round" onpointerdown={(e) => pullVantage(e, v.laid.id, "heading")}>
        <circle class="reach" cx={ahead[0]} cy={ahead[1]} r="12" /><circle cx={ahead[0]} cy={ahead[1]} r="4.5" />
        <title>Heading: drag round</title>
      </g>
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <g class="grip round eye" onpointerdown={(e) => pullVantage(e, v.laid.id, "standing")}>
        <circle class="reach" cx={v.eye[0]} cy={v.eye[1]} r="12" /><circle cx={v.eye[0]} cy={v.eye[1]} r="5.5" />
        <circle class="dot" cx={v.eye[0]} cy={v.eye[1]} r="1.8" />
        <title>Where the camera stands: drag away from the target to tilt</title>
      </g>
      <text class="halo" x={v.eye[0] + 10} y={v.eye[1] + 14}>{length(v.laid.eye[2], ground).join(" ")} up</text>
    </g>
  {/if}
{/each}
{#each vantages as v (v.laid.id)}
  {@const [x, y] = v.badge}
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <g
    class="badge"
    style={held(v.laid.id)}
    class:selected={v.selected}
    class:also={v.also}
    onpointerdown={(e) => (session.step === "fly" ? pullVantage(e, v.laid.id, "target") : e.stopPropagation())}
  >
    <rect class="reach" x={x - 12} y={y - 12} width="24" height="24" />
    {#if v.shape === "wide"}<circle cx={x} cy={y} r="9" />{:else}<rect
        class="plaque"
        x={x - 9}
        y={y - 8.5}
        width="18"
        height="17"
        rx="2"
      />{/if}
    <text {x} y={y + 4}>{v.index + 1}</text>
  </g>
  {#if v.selected && editing}<text
      class="halo name"
      style={held(v.laid.id)}
      text-anchor={x > view.width - 110 ? "end" : "start"}
      x={x + (x > view.width - 110 ? -14 : 14)}
      y={y + 4}>{v.document.name}</text
    >{/if}
{/each}
{#if rail}
  <polyline class="railway case" points={line(rail.eye)} />
  <polyline class="railway" points={line(rail.eye)} />
  {#each rail.manner.points as point, k (k)}
    {@const [x, y] = toScreen(view, [point.x, point.y])}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <g class="grip round" onpointerdown={(event) => pullRail(event, k)}>
      <circle class="reach" cx={x} cy={y} r="12" /><circle cx={x} cy={y} r="5.5" />
      <text class="halo" x={x + 10} y={y + 4}>{length(point.z, ground).join(" ")} up</text>
      <title>A point of the rail</title>
    </g>
  {/each}
  {#each rail.manner.points as point, k (k)}
    {#each ["before", "after"] as const as which (which)}
      {#if point[which]}
        {@const [x, y] = toScreen(view, [point.x + point[which][0], point.y + point[which][1]])}
        {@const [px, py] = toScreen(view, [point.x, point.y])}
        <line class="arm" x1={px} y1={py} x2={x} y2={y} />
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="grip" onpointerdown={(event) => pullHandle(event, k, which)}>
          <circle class="reach" cx={x} cy={y} r="10" /><rect x={x - 3.5} y={y - 3.5} width="7" height="7" />
          <title>A handle of the rail</title>
        </g>
      {/if}
    {/each}
  {/each}
  {#each rail.manner.look as place, k (k)}
    {@const [x, y] = toScreen(view, place as XY)}
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <g class="grip look" onpointerdown={(event) => pullLook(event, k)}>
      <circle class="reach" cx={x} cy={y} r="12" />
      <path d="M{x - 8} {y}H{x + 8}M{x} {y - 8}V{y + 8}" /><circle cx={x} cy={y} r="4" />
      <title>What the camera looks at on the rail</title>
    </g>
  {/each}
{/if}

<style>
  .reach {
    fill: transparent;
    pointer-events: all;
    cursor: grab;
  }
  .railway {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.5;
    stroke-dasharray: 2 4;
  }
  .railway.case {
    stroke: #fff;
    stroke-width: 3.5;
    stroke-dasharray: none;
    opacity: 0.6;
  }
  .arm {
    stroke: var(--camera);
    stroke-width: 1;
  }
  .look path {
    stroke: var(--camera);
    stroke-width: 1.6;
  }
  .also.frame:not(.case) {
    stroke-width: 2.4;
  }
  .badge.also .plaque,
  .badge.also circle {
    fill: #f6cfd9;
  }
  .case {
    stroke: #fff !important;
  }
  .path {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.8;
    pointer-events: none;
  }
  .path.chosen {
    stroke-width: 4.5;
  }
  .pathhit {
    fill: none;
    stroke: transparent;
    stroke-width: 14;
    pointer-events: stroke;
    cursor: pointer;
  }
  .path.case {
    stroke-width: 3.8;
    opacity: 0.85;
  }
  .beat {
    stroke: var(--camera);
    stroke-width: 1.3;
  }
  .beat.case {
    stroke-width: 3;
    opacity: 0.85;
  }
  .frame {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.4;
    pointer-events: none;
  }
  .frame.case {
    stroke-width: 3.4;
    opacity: 0.9;
  }
  .frame.selected {
    stroke-width: 2;
    fill: rgba(208, 16, 80, 0.06);
  }
  .frame.case.selected {
    stroke-width: 4.4;
    fill: none;
  }
  .hit {
    fill: none;
    stroke: transparent;
    stroke-width: 14;
    pointer-events: stroke;
    cursor: nwse-resize;
  }
  .now {
    fill: none;
    stroke: #fff;
    stroke-width: 1.4;
    stroke-dasharray: none;
    opacity: 0.95;
    pointer-events: none;
    paint-order: stroke;
    outline: none;
  }
  .grip .reach,
  .badge .reach {
    fill: transparent;
    stroke: none;
  }
  .grip {
    cursor: nwse-resize;
  }
  .grip rect,
  .grip circle {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.8;
  }
  .grip.round {
    cursor: grab;
  }
  .grip .dot {
    fill: var(--camera);
    stroke: none;
  }
  .sight {
    stroke: var(--camera);
    stroke-width: 1.2;
    stroke-dasharray: 4 3;
    pointer-events: none;
  }
  .sight.case {
    stroke-width: 2.6;
    stroke-dasharray: none;
    opacity: 0.6;
  }
  .badge {
    cursor: move;
  }
  .badge .plaque,
  .badge circle {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.6;
  }
  .badge text {
    font-size: 11px;
    font-weight: 680;
    fill: var(--camera);
    text-anchor: middle;
  }
  .badge.selected .plaque,
  .badge.selected circle {
    fill: var(--camera);
    stroke: #fff;
  }
  .badge.selected text {
    fill: #fff;
  }
  .halo.name {
    font-size: 13px;
  }
</style>
