<script lang="ts">
  import type { Route } from "../../api/client";
  import type { Found } from "../../film/marks";
  import { newId, session } from "../../film/session.svelte";
  import { length } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";
  import Tick from "../../ui/Tick.svelte";
  import MarkHead from "./MarkHead.svelte";
  import RouteLook from "./RouteLook.svelte";

  type RoutePoint = Route["points"][number];
  let { of }: { of: Found<"route"> } = $props();

  const route = $derived(of.mark);

  const film = $derived(session.film!);
  const index = $derived(film.routes.findIndex((one) => one.id === route.id));
  const laid = $derived(session.plan!.routes[index]);
  const followed = $derived(
    film.vantages.filter(({ passage }) => passage.manner.kind === "follow" && passage.manner.route === route.id).length,
  );
  const plain = $derived(film.ground.kind === "plain");
  const others = $derived(film.routes.filter(({ id, closed }) => id !== route.id && !closed && !route.closed));
  /** From so many points on only those are listed that say something. */
  const MANY = 24;
  let all = $state(false);
  const listed = $derived(
    [...route.points.keys()].filter(
      (k) => all || route.points.length <= MANY || route.points[k]!.stop || k === 0 || k === route.points.length - 1,
    ),
  );
  /** How far a route is to be moved sideways. */
  let by = $state(0);
  async function shift() {
    await session.act({ act: "offset_route", route: route.id, by });
    by = 0;
  }
  const shapeOf = ({ corner, before }: RoutePoint) =>
    before ? (corner ? "free" : "handles") : corner ? "corner" : "smooth";
  /** Handles of its own, one on each side; at a free point they do not turn together. */
  async function reshape(k: number, shape: string) {
    const on = shape === "handles" || shape === "free";
    if ((route.points[k]!.before !== null) !== on)
      await session.act({ act: "route_handles", route: route.id, point: k, on });
    const corner = shape === "corner" || shape === "free";
    if (route.points[k]!.corner !== corner) await put(k, "corner", corner, "Shape of a point");
  }
  const put = (k: number, key: string, value: unknown, label: string) =>
    session.patch([{ op: "replace", path: `/routes/${index}/points/${k}/${key}`, value }], label);
</script>

<MarkHead {of} title="Route" sub={laid ? length(laid.metres ?? laid.length, film.ground.kind).join(" ") : ""}>
  <Button onclick={() => session.act({ act: "reverse_route", route: route.id })}>Reverse</Button>
  {#snippet beside()}
    <Tick
      label="Closed"
      checked={route.closed}
      onchange={(on) => session.patch([{ op: "replace", path: `/routes/${index}/closed`, value: on }], "Closed route")}
    />
  {/snippet}
</MarkHead>
<p>
  {followed
    ? `${followed} ${followed === 1 ? "passage follows" : "passages follow"} it.`
    : "No passage follows it yet."}
  Drag its points on the chart. Points with a name are stops; a recipe makes vantages of them.
</p>
{#if session.step === "mark"}<RouteLook {of} {index} />{/if}
<Strip>
  {#if !plain}
    <Button
      title="The shortest way over the Earth from stop to stop"
      onclick={() => session.act({ act: "shortest_way", route: route.id })}>Great circle</Button
    >
  {/if}
  <label
    >Sideways by <input
      class="by"
      type="number"
      step="any"
      aria-label="Move sideways by, {plain ? 'px' : 'm'}"
      bind:value={by}
    />{plain ? "px" : "m"}</label
  >
  <Button disabled={!by} title="To the right of its way; to the left if negative" onclick={shift}>Move</Button>
</Strip>
{#if session.step === "mark" && route.points.some(({ stop }) => stop)}
  <Strip>
    <span>All its stops get</span>
    {#each [["named", "pins and names"], ["markers", "pins"], ["labels", "names"]] as const as [places, says] (places)}
      <Button
        title="They come when the line reaches the stop, and are called as it is"
        onclick={() => session.act({ act: "mark_stops", route: route.id, places })}>{says}</Button
      >
    {/each}
  </Strip>
{/if}
<Strip>
  {#if others.length}
    <Select
      label="Join with another route"
      caption="Join with"
      value=""
      options={[{ value: "", label: "…" }, ...others.map(({ id, name }) => ({ value: id, label: name }))]}
      onchange={(other) => other && session.act({ act: "join_routes", route: route.id, other })}
    />
  {/if}
  {#if !plain}
    <span>Save as</span>
    {#each ["gpx", "kml", "geojson"] as kind (kind)}
      <a href="/api/films/{session.id}/routes/{route.id}.{kind}" download
        >{kind === "geojson" ? "GeoJSON" : kind.toUpperCase()}</a
      >
    {/each}
  {/if}
</Strip>
<div>
  {#each listed as k (k)}
    {@const point = route.points[k]!}
    <div class="row">
      <span>{k + 1}</span>
      <input
        aria-label="Name of stop {k + 1}"
        placeholder={k === 0 ? "sets out here" : k === route.points.length - 1 ? "ends here" : "a name makes it a stop"}
        value={point.stop ?? ""}
        onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        onchange={(event) => put(k, "stop", event.currentTarget.value.trim() || null, "Stop")}
      />
      {#if point.stop && session.step === "mark"}
        <input
          class="wait"
          type="number"
          min="0"
          max="3600"
          step="0.1"
          title="Seconds that the line waits here"
          aria-label="Wait at stop {k + 1}, s"
          value={point.wait}
          onchange={(event) => put(k, "wait", Math.max(Number(event.currentTarget.value) || 0, 0), "Wait")}
        />
      {/if}
      <select
        aria-label="How the line runs through point {k + 1}"
        value={shapeOf(point)}
        onchange={(event) => reshape(k, event.currentTarget.value)}
      >
        <option value="smooth">smooth</option>
        <option value="corner">corner</option>
        <option value="handles">handles</option>
        <option value="free">free handles</option>
      </select>
      <b>{laid?.knots[k] === undefined ? "" : length(laid.knots[k], film.ground.kind).join(" ")}</b>
      {#if k > 0 && k < route.points.length - 1 && !route.closed}
        <button
          title="Cut the route in two here"
          onclick={() => session.act({ act: "split_route", route: route.id, point: k, id: newId() })}>✂</button
        >
      {/if}
      <button
        title="Take this point away"
        disabled={route.points.length < 3}
        onclick={() => session.patch([{ op: "remove", path: `/routes/${index}/points/${k}` }], "Take a point away")}
        >×</button
      >
    </div>
  {/each}
</div>
{#if route.points.length > MANY}
  <Strip>
    <span>{all ? `All ${route.points.length} points` : `Its stops and ends, of ${route.points.length} points`}</span>
    <Button onclick={() => (all = !all)}>{all ? "Stops and ends only" : "All points"}</Button>
  </Strip>
{/if}

<style>
  input {
    flex: 1;
    min-width: 0;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
  }
  .by {
    flex: none;
    width: 74px;
  }
  label,
  a {
    color: var(--ink-2);
  }
  p {
    padding: 2px 12px 8px;
    color: var(--ink-2);
    line-height: 16px;
    border-bottom: 1px solid var(--rule);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 2px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .row span {
    width: 20px;
    color: var(--ink-3);
  }
  .row input {
    border-color: transparent;
    background: none;
  }
  .row input:hover,
  .row input:focus {
    border-color: var(--edge);
    background: var(--sheet);
  }
  .row select {
    height: 22px;
    width: 74px;
    border: 1px solid transparent;
    background: none;
    color: var(--ink-2);
  }
  .row select:hover,
  .row select:focus {
    border-color: var(--edge);
    background: var(--sheet);
  }
  .row .wait {
    flex: 0 0 52px;
  }
  .row b {
    font-weight: 480;
    color: var(--ink-2);
    width: 62px;
    text-align: right;
    white-space: nowrap;
  }
  .row button {
    width: 22px;
    height: 22px;
    color: var(--ink-2);
    font-size: 14px;
  }
  .row button:disabled {
    color: #a7b0ac;
  }
  @media (max-width: 1100px) {
    /* The names of stops come before how far they are. */
    .row b {
      display: none;
    }
  }
</style>
