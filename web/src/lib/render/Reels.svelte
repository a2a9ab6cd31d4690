<script lang="ts">
  import { session } from "../film/session.svelte";
  import { bytes, clock } from "../format";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";

  let { playing = $bindable() }: { playing: string | null } = $props();

  let width = $state("film");
  let crf = $state(18);
  const film = $derived(session.film);
  const reels = $derived(session.jobs.filter((job) => job.kind === "reel"));
  const sizes = $derived.by(() => {
    if (!film) return [];
    const { width: w, height: h } = film.frame;
    return [
      { value: "film", label: `${w} × ${h}, the film’s own` },
      ...[0.5, 1 / 3].map((share) => {
        const wide = Math.round((w * share) / 2) * 2;
        return { value: `${wide}`, label: `${wide} × ${Math.round((wide * h) / w / 2) * 2}, for a look` };
      }),
    ];
  });
  const qualities = [
    { crf: 14, label: "Best, large file" },
    { crf: 18, label: "High" },
    { crf: 23, label: "Good, small file" },
    { crf: 28, label: "For a look" },
  ];
</script>

<section class="reels" aria-label="Reels">
  <header>
    <h2>New reel</h2>
    <span class="sub">MP4, H.264, BT.709</span>
  </header>
  <div class="form">
    <label
      >Size <select bind:value={width}
        >{#each sizes as size (size.value)}<option value={size.value}>{size.label}</option>{/each}</select
      ></label
    >
    <label
      >Quality <select bind:value={crf}
        >{#each qualities as quality (quality.crf)}<option value={quality.crf}
            >{quality.label} (CRF {quality.crf})</option
          >{/each}</select
      ></label
    >
    <div class="go">
      <span class="sub">{session.plan?.frames ?? 0} frames, {(session.plan?.seconds ?? 0).toFixed(1)} s</span>
      <button
        class="main"
        disabled={!session.plan?.frames}
        onclick={() => session.render(width === "film" ? null : Number(width), crf)}
        ><Icon name="render" size={16} />Render film</button
      >
    </div>
    {#if !session.plan?.frames}<p>The film has no vantage yet. Set one in Fly.</p>{/if}
  </div>
  <header>
    <h2>Reels</h2>
    <span class="sub">{reels.length ? `${reels.length}` : "none yet"}</span>
  </header>
  <div class="rows">
    {#each reels as reel (reel.id)}
      <div class="row {reel.state}" class:on={playing === reel.id} data-reel={reel.id} data-state={reel.state}>
        <div class="what">
          <b>{reel.size ? `${reel.size[0]} × ${reel.size[1]}` : reel.name} <u>CRF {reel.crf}</u></b>
          <span>
            {#if reel.state === "running"}
              {reel.done} of {reel.total} frames{reel.rate ? `, ${reel.rate.toFixed(1)} a second` : ""}{reel.left !==
              null
                ? `, ${clock(reel.left)} left`
                : ""}
            {:else if reel.state === "waiting"}waiting its turn
            {:else if reel.state === "done"}{reel.total} frames in {clock(reel.seconds)}{reel.bytes
                ? `, ${bytes(reel.bytes)}`
                : ""}
            {:else}<em>{reel.state}.</em> {reel.message}{/if}
          </span>
          {#if reel.state === "running"}<progress max={reel.total} value={reel.done} aria-label="Rendering"
            ></progress>{/if}
        </div>
        {#if reel.state === "done"}
          <Button onclick={() => (playing = playing === reel.id ? null : reel.id)}
            >{playing === reel.id ? "Viewfinder" : "Play"}</Button
          >
          <Button href="/api/reels/{reel.id}.mp4?download=true">Download</Button>
        {:else if reel.state === "running" || reel.state === "waiting"}
          <Button onclick={() => session.cancel(reel.id)}>Cancel</Button>
        {/if}
      </div>
    {/each}
  </div>
</section>

<style>
  .reels {
    display: flex;
    flex-direction: column;
    min-height: 0;
    overflow-y: auto;
  }
  header {
    height: 28px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 10px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    border-top: 1px solid var(--rule-strong);
    margin-top: -1px;
  }
  .sub {
    color: var(--ink-2);
  }
  .form {
    padding: 8px 12px 10px;
    display: flex;
    flex-direction: column;
    gap: 6px;
  }
  label {
    display: grid;
    grid-template-columns: 56px 1fr;
    align-items: center;
    color: var(--ink-3);
  }
  select {
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    color: var(--ink);
    font-weight: 520;
    padding: 0 4px;
  }
  .go {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding-left: 56px;
    padding-top: 2px;
  }
  .main {
    height: 28px;
    padding: 0 12px;
    border-radius: 3px;
    border: 1px solid var(--ink);
    background: var(--sheet);
    font-weight: 620;
    display: flex;
    align-items: center;
    gap: 7px;
  }
  .main:hover:not(:disabled) {
    background: var(--desk);
  }
  .main:disabled {
    border-color: var(--rule-strong);
  }
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 6px 12px;
    min-height: 42px;
    border-bottom: 1px solid var(--rule);
  }
  .row.on {
    background: var(--sheet);
    box-shadow: inset 3px 0 0 var(--ink);
  }
  .failed,
  .interrupted {
    background: var(--imagery-tint);
  }
  .what {
    flex: 1;
    min-width: 0;
    display: flex;
    flex-direction: column;
  }
  b {
    font-weight: 600;
  }
  u {
    text-decoration: none;
    font-weight: 420;
    color: var(--ink-2);
    margin-left: 4px;
  }
  .what span {
    color: var(--ink-2);
  }
  em {
    font-style: normal;
    font-weight: 560;
    text-transform: capitalize;
  }
  progress {
    width: 100%;
    height: 5px;
    margin-top: 4px;
    appearance: none;
    border: 0;
  }
  progress::-webkit-progress-bar {
    background: var(--desk);
  }
  progress::-webkit-progress-value {
    background: var(--ink);
  }
  p {
    color: var(--ink-2);
  }
</style>
