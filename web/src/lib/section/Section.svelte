<script lang="ts">
  import { session } from "../film/session.svelte";
  import { length, roundStep } from "../format";
  import { follow } from "../ui/follow";
  import Segments from "../ui/Segments.svelte";

  type Point3 = [number, number, number];
  type Part = "camera" | "target" | "both";

  let width = $state(700);
  let height = $state(170);
  let zoom = $state(1);
  let part = $state<Part>("camera");
  let axes = $state<"world" | "camera">("world");
  let body: HTMLDivElement;

  const film = $derived(session.film!);
  const plan = $derived(session.plan!);
  const ground = $derived(film.ground.kind);
  const index = $derived(film.vantages.findIndex((one) => one.id === session.selection?.id));
  const vantage = $derived(index >= 0 ? film.vantages[index]! : null);
  const laid = $derived(index >= 0 ? plan.vantages[index]! : null);

  /** The upright plane that is cut: through the target, along the heading. It stays while something is dragged. */
  const kept = $derived(index >= 0 ? session.sheet!.film.vantages[index] : undefined);
  const plane = $derived.by(() => {
    if (!vantage) return null;
    const from = kept ?? vantage;
    const turn = (from.heading * Math.PI) / 180;
    return { x: from.x, y: from.y, sin: Math.sin(turn), cos: Math.cos(turn) };
  });
  const along = (x: number, y: number) => (x - plane!.x) * plane!.sin + (y - plane!.y) * plane!.cos;
  const scale = $derived.by(() => {
    if (!vantage || !laid) return null;
    const eye = session.sheet!.plan.vantages[index]?.eye ?? laid.eye;
    const reach = Math.max(Math.abs(along(eye[0], eye[1])), (kept ?? vantage).span * 0.7);
    const per = Math.min((height - 44) / (eye[2] * 1.15), (width - 90) / (reach * 2.6)) * zoom;
    const middle = along(eye[0], eye[1]) / 2;
    return { per, middle };
  });
  const u = (way: number) => width / 2 + (way - scale!.middle) * scale!.per;
  const v = (up: number) => height - 24 - up * scale!.per;
  const at = ([x, y, z]: Point3): [number, number] => [u(along(x, y)), v(z)];

  const drawing = $derived.by(() => {
    if (!vantage || !laid || !scale) return null;
    const eye = at(laid.eye);
    const target: [number, number] = [u(along(vantage.x, vantage.y)), v(0)];
    // The edges of the picture, above and below the line of sight.
    const half = (laid.half_angle * Math.PI) / 180;
    const sight = (vantage.tilt * Math.PI) / 180;
    const edge = (angle: number): [number, number] => {
      const far = Math.abs(angle) < 1.5 ? laid.eye[2] * Math.tan(angle) : 1e6;
      return [u(along(laid.eye[0], laid.eye[1]) + far), v(0)];
    };
    const flat = sight + half > 1.5;
    return {
      eye,
      target,
      near: edge(sight - half),
      far: flat ? ([width + 50, eye[1] + (width + 50 - eye[0]) / Math.tan(sight + half)] as const) : edge(sight + half),
      ways: plan.passages.map((passage) =>
        passage.eye
          .map((place) =>
            at(place)
              .map((n) => n.toFixed(1))
              .join(","),
          )
          .join(" "),
      ),
      others: plan.vantages.map((one, k) => ({ at: at(one.eye), k })).filter((one) => one.k !== index),
    };
  });
  const marks = $derived.by(() => {
    if (!scale) return [];
    const step = roundStep(34 / scale.per);
    const most = (height - 30) / scale.per;
    return Array.from({ length: Math.min(Math.floor(most / step), 12) }, (_, k) => (k + 1) * step);
  });

  $effect(() => {
    const observer = new ResizeObserver(([entry]) => {
      width = entry!.contentRect.width;
      height = entry!.contentRect.height;
    });
    observer.observe(body);
    return () => observer.disconnect();
  });

  function pullEye(event: PointerEvent) {
    event.preventDefault();
    const [x, y, z] = session.sheet!.plan.vantages[index]!.eye;
    const id = vantage!.id;
    follow(event, {
      moved: (_, dx, dy) => {
        const way = dx / scale!.per;
        const eye: Point3 = [x + way * plane!.sin, y + way * plane!.cos, Math.max(z - dy / scale!.per, z / 500)];
        session.tryAct({ act: "place_camera", vantage: id, eye });
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Place camera");
      },
      dropped: () => session.dropTrial(),
    });
  }

  function pullTarget(event: PointerEvent) {
    event.preventDefault();
    const id = vantage!.id;
    follow(event, {
      moved: (_, dx) => {
        const way = dx / scale!.per;
        const by: Point3 = [way * plane!.sin, way * plane!.cos, 0];
        session.tryAct({ act: "move_camera", vantage: id, part: "target", axes: "world", by });
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Move target");
      },
      dropped: () => session.dropTrial(),
    });
  }

  /** Points of the rail that leads on from here: their height is dragged. */
  const rail = $derived.by(() => {
    const manner = vantage?.passage.manner;
    return manner?.kind === "rail" ? manner.points : [];
  });

  function pullRail(event: PointerEvent, k: number) {
    event.preventDefault();
    event.stopPropagation();
    const point = rail[k]!;
    const path = `/vantages/${index}/passage/manner/points/${k}`;
    follow(event, {
      moved: (_, dx, dy) => {
        const way = dx / scale!.per;
        const z = Math.max(point.z - dy / scale!.per, point.z / 500);
        const value = { ...point, x: point.x + way * plane!.sin, y: point.y + way * plane!.cos, z };
        session.tryPatch([{ op: "replace", path, value }]);
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Move a rail point");
      },
      dropped: () => session.dropTrial(),
    });
  }

  function pullHandle(event: PointerEvent, k: number, which: "before" | "after") {
    event.preventDefault();
    event.stopPropagation();
    const point = rail[k]!;
    const [hx, hy, hz] = point[which]!;
    const id = vantage!.id;
    follow(event, {
      moved: (_, dx, dy) => {
        const way = dx / scale!.per;
        const to: [number, number] = [point.x + hx + way * plane!.sin, point.y + hy + way * plane!.cos];
        const up = Math.max(point.z + hz - dy / scale!.per, point.z / 500);
        session.tryAct({ act: "pull_rail_handle", vantage: id, point: k, which, to, up });
      },
      done: (moved) => {
        if (moved) void session.keepTrial("Pull a handle");
      },
      dropped: () => session.dropTrial(),
    });
  }

  const names = $derived(
    axes === "world"
      ? [
          ["East", "West"],
          ["North", "South"],
          ["Up", "Down"],
        ]
      : [
          ["Right", "Left"],
          ["Frame up", "Frame down"],
          ["Forward", "Back"],
        ],
  );
  function nudge(axis: number, sign: number, event: MouseEvent) {
    const by: Point3 = [0, 0, 0];
    by[axis] = sign * vantage!.span * (event.shiftKey ? 0.2 : 0.04);
    void session.act({ act: "move_camera", vantage: vantage!.id, part, axes, by });
  }
</script>

<section class="section" aria-label="Section">
  <header>
    <h2>Section</h2>
    <Segments
      label="What is moved"
      tight
      options={[
        { value: "camera", label: "Camera", hint: "It keeps looking at its target" },
        { value: "target", label: "Target", hint: "The camera stays where it stands" },
        { value: "both", label: "Both", hint: "The direction it looks in is kept" },
      ]}
      value={part}
      onchange={(value) => (part = value)}
    />
    <Segments
      label="Along the axes of"
      tight
      options={[
        { value: "world", label: "World axes" },
        { value: "camera", label: "Camera axes" },
      ]}
      value={axes}
      onchange={(value) => (axes = value)}
    />
    {#each names as [more, less], axis (more)}
      <span class="pair">
        <button disabled={!vantage} onclick={(event) => nudge(axis, -1, event)}>{less}</button>
        <button disabled={!vantage} onclick={(event) => nudge(axis, 1, event)}>{more}</button>
      </span>
    {/each}
  </header>
  <div
    class="body"
    bind:this={body}
    onwheel={(event) => {
      event.preventDefault();
      zoom = Math.min(Math.max(zoom * Math.exp(-event.deltaY * 0.0016), 0.05), 40);
    }}
  >
    {#if drawing && laid && vantage}
      <svg {width} {height}>
        {#each marks as mark (mark)}
          <line class="rule" x1="0" x2={width} y1={v(mark)} y2={v(mark)} />
          <text class="mark" x="8" y={v(mark) - 3}>{length(mark, ground).join(" ")}</text>
        {/each}
        <polygon class="seen" points="{drawing.eye.join(',')} {drawing.near.join(',')} {drawing.far.join(',')}" />
        <line class="ground" x1="0" x2={width} y1={v(0)} y2={v(0)} />
        <rect class="earth" x="0" y={v(0)} {width} height={Math.max(height - v(0), 0)} />
        {#each drawing.ways as way, k (k)}<polyline class="way" points={way} />{/each}
        {#each drawing.others as other (other.k)}
          <circle class="other" cx={other.at[0]} cy={other.at[1]} r="4" />
          {#if Math.hypot(other.at[0] - drawing.eye[0], other.at[1] - drawing.eye[1]) > 22}<text
              class="mark"
              x={other.at[0] + 7}
              y={other.at[1] + 4}>{other.k + 1}</text
            >{/if}
        {/each}
        <line class="sight" x1={drawing.eye[0]} y1={drawing.eye[1]} x2={drawing.target[0]} y2={drawing.target[1]} />
        <line class="plumb" x1={drawing.eye[0]} x2={drawing.eye[0]} y1={drawing.eye[1]} y2={v(0)} />
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="grip" onpointerdown={pullTarget}>
          <circle class="reach" cx={drawing.target[0]} cy={drawing.target[1]} r="12" />
          <path d="M{drawing.target[0] - 7} {drawing.target[1]}h14M{drawing.target[0]} {drawing.target[1] - 7}v14" />
          <title>The target: drag along the ground</title>
        </g>
        <!-- svelte-ignore a11y_no_static_element_interactions -->
        <g class="grip" onpointerdown={pullEye}>
          <circle class="reach" cx={drawing.eye[0]} cy={drawing.eye[1]} r="13" />
          <rect x={drawing.eye[0] - 7} y={drawing.eye[1] - 5} width="14" height="10" rx="1.5" />
          <title>The camera: drag to raise and tilt it; it keeps looking at its target</title>
        </g>
        {#each rail as point, k (k)}
          {@const [pu, pv] = at([point.x, point.y, point.z])}
          <!-- svelte-ignore a11y_no_static_element_interactions -->
          <g class="grip" onpointerdown={(event) => pullRail(event, k)}>
            <circle class="reach" cx={pu} cy={pv} r="12" /><circle class="railpoint" cx={pu} cy={pv} r="5" />
            <title>A point of the rail: drag it up and down</title>
          </g>
          <text class="mark" x={pu + 9} y={pv + 4}>{length(point.z, ground).join(" ")} up</text>
          {#each ["before", "after"] as const as which (which)}
            {#if point[which]}
              {@const [dx, dy, dz] = point[which]}
              {@const [hu, hv] = at([point.x + dx, point.y + dy, point.z + dz])}
              <line class="arm" x1={pu} y1={pv} x2={hu} y2={hv} />
              <!-- svelte-ignore a11y_no_static_element_interactions -->
              <g class="grip" onpointerdown={(event) => pullHandle(event, k, which)}>
                <circle class="reach" cx={hu} cy={hv} r="10" />
                <rect class="handle" x={hu - 3.5} y={hv - 3.5} width="7" height="7" />
                <title>A handle of the rail: along, and up and down</title>
              </g>
            {/if}
          {/each}
        {/each}
        <text class="says" x={drawing.eye[0] + 14} y={Math.max(drawing.eye[1] + 4, 12)}
          >{length(laid.eye[2], ground).join(" ")} up, tilt {Math.round(vantage.tilt)}°</text
        >
        <text class="mark" x={width - 8} y={height - 8} text-anchor="end"
          >along {Math.round(vantage.heading)}°, dragging the camera keeps it in this plane</text
        >
      </svg>
    {:else}<p>Pick a vantage: its camera is shown here from the side.</p>{/if}
  </div>
</section>

<style>
  .section {
    display: flex;
    flex-direction: column;
    min-height: 0;
    min-width: 0;
    border-top: 1px solid var(--rule-strong);
    border-right: 1px solid var(--rule-strong);
    background: var(--paper);
  }
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
    overflow: hidden;
  }
  h2 {
    margin-right: 8px;
  }
  .pair {
    display: flex;
    border: 1px solid var(--edge);
    border-radius: 3px;
    overflow: hidden;
    background: var(--sheet);
  }
  .pair button {
    height: 22px;
    padding: 0 5px;
    color: var(--ink-2);
  }
  .pair button + button {
    border-left: 1px solid var(--rule);
  }
  .pair button:hover:not(:disabled) {
    background: var(--desk);
    color: var(--ink);
  }
  .body {
    flex: 1;
    min-height: 0;
    overflow: hidden;
    position: relative;
  }
  svg {
    position: absolute;
    user-select: none;
    touch-action: none;
  }
  .rule {
    stroke: var(--rule);
  }
  .ground {
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .earth {
    fill: #e7e3d4;
  }
  .seen {
    fill: rgba(208, 16, 76, 0.08);
  }
  .sight {
    stroke: var(--camera);
    stroke-width: 1.6;
  }
  .plumb {
    stroke: var(--ink-3);
    stroke-dasharray: 2 3;
  }
  .way {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.2;
    opacity: 0.55;
  }
  .other {
    fill: #fff;
    stroke: var(--camera);
  }
  .grip {
    cursor: grab;
  }
  .grip rect {
    fill: var(--camera);
    stroke: #fff;
  }
  .grip path {
    stroke: var(--camera);
    stroke-width: 2;
  }
  .arm {
    stroke: var(--camera);
  }
  .grip rect.handle {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.6;
  }
  .railpoint {
    fill: #fff;
    stroke: var(--camera);
    stroke-width: 1.8;
  }
  .reach {
    fill: transparent;
  }
  text {
    font-size: 11px;
  }
  .mark {
    font-size: 10px;
    fill: var(--ink-2);
  }
  .says {
    font-weight: 560;
    paint-order: stroke;
    stroke: #fff;
    stroke-width: 3px;
  }
  p {
    padding: 20px;
    color: var(--ink-2);
    text-align: center;
  }
</style>
