<script lang="ts">
  import { api, told, type Loud } from "../api/client";
  import { hearing } from "./hearing.svelte";
  import { session } from "../film/session.svelte";
  import PanelHead from "../ui/PanelHead.svelte";
  import Segments from "../ui/Segments.svelte";
  import Strip from "../ui/Strip.svelte";

  const levels = $derived(session.film!.levels);
  let loud = $state.raw<Loud | null>(null);
  let stale = $state(false);

  $effect(() => {
    const [state, id] = [session.state, session.id];
    stale = true;
    if (session.trial || !state) return;
    const timer = setTimeout(() => {
      void told<Loud>(
        api.GET("/api/films/{film_id}/loudness", { params: { path: { film_id: id }, query: { state } } }),
      ).then(
        (found) => {
          if (state !== session.state) return;
          [loud, stale] = [found, false];
        },
        (error: Error) => {
          if (state === session.state) session.notice = error.message;
        },
      );
    }, 250);
    return () => clearTimeout(timer);
  });

  const NONE = "none";
  const targets = $derived([
    ...(session.choices?.loudness ?? []).map(({ loudness, name }) => ({
      value: `${loudness}`,
      label: `${loudness}`.replace("-", "−"),
      hint: name,
    })),
    { value: NONE, label: "As mixed", hint: "Not levelled; only peaks are held" },
  ]);
  const target = $derived(levels.loudness === null ? NONE : `${levels.loudness}`);
  const y = (value: number) => 34 - Math.min(Math.max((value + 50) / 44, 0), 1) * 32;
  const line = $derived(
    (loud?.short ?? [])
      .map((value, k) => `${((k + 0.5) / Math.max(loud!.short.length, 1)) * 100},${y(value).toFixed(1)}`)
      .join(" "),
  );
  const say = (value: number) => value.toFixed(1).replace("-", "−");

  function put(value: string) {
    const loudness = value === NONE ? null : Number(value);
    void session.patch([{ op: "replace", path: "/levels/loudness", value: loudness }], "Loudness");
  }
</script>

<PanelHead title="Loudness" sub={hearing.unlevelled ? "not levelled until it is measured" : "of the whole film, LUFS"}>
  {#if loud && !stale && loud.gain}<span class="gain">{loud.gain > 0 ? "+" : ""}{say(loud.gain)} dB</span>{/if}
</PanelHead>
<Strip>
  <Segments label="Loudness of the film" options={targets} value={target} onchange={put} />
</Strip>
<div class="loud" class:stale>
  <dl>
    <div>
      <dt>Integrated</dt>
      <dd>{loud?.integrated == null ? "silent" : say(loud.integrated)}</dd>
    </div>
    <div>
      <dt>True peak</dt>
      <dd>{loud?.integrated == null ? "–" : `${say(loud.true_peak)} dB`}</dd>
    </div>
    <div>
      <dt>Range</dt>
      <dd>{loud?.integrated == null ? "–" : `${say(loud.range)} LU`}</dd>
    </div>
  </dl>
  <svg viewBox="0 0 100 36" preserveAspectRatio="none" aria-label="Loudness over the film" role="img">
    {#if levels.loudness !== null}<line
        class="target"
        x1="0"
        x2="100"
        y1={y(levels.loudness)}
        y2={y(levels.loudness)}
      />{/if}
    <polyline points={line} />
  </svg>
</div>

<style>
  .loud {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 128px;
    border-bottom: 1px solid var(--rule);
  }
  .stale dd {
    font-style: italic;
    color: var(--ink-2);
  }
  .stale polyline {
    opacity: 0.5;
  }
  dl {
    display: grid;
    grid-template-columns: repeat(3, 1fr);
    margin: 0;
  }
  dl div {
    padding: 5px 6px 6px 12px;
    border-right: 1px solid var(--rule);
    min-width: 0;
  }
  dt {
    font-size: 10px;
    color: var(--ink-3);
  }
  dd {
    margin: 0;
    font-family: var(--mono);
    font-size: 13px;
    white-space: nowrap;
  }
  svg {
    width: 100%;
    height: 42px;
    background: #fdfefb;
  }
  polyline {
    fill: none;
    stroke: #6c4f86;
    stroke-width: 1.6;
    vector-effect: non-scaling-stroke;
  }
  .target {
    stroke: var(--ink-3);
    stroke-dasharray: 3 3;
    vector-effect: non-scaling-stroke;
  }
  .gain {
    font-family: var(--mono);
    font-size: 11px;
    color: var(--ink-2);
  }
</style>
