<script lang="ts">
  import type { Job } from "../api/client";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import JobState from "../ui/JobState.svelte";
  import Segments from "../ui/Segments.svelte";
  import { isOpen } from "../film/watch";
  import { shelf } from "./shelf.svelte";

  const line = $derived(shelf.underWay?.line ?? []);
  const WHAT = { reel: "Reel", import: "Comes in", capture: "Capture", fit: "Fit" };

  async function open(job: Job) {
    await session.open(job.film);
    session.step = job.kind === "reel" ? "render" : "gather";
    shelf.open = false;
  }
</script>

<section aria-label="Under way">
  <header>
    <h2>Under way</h2>
    <span title="Reels that are drawn at the same time, until Yaila is started again">reels side by side</span>
    <Segments
      label="Reels side by side"
      tight
      options={["1", "2", "3", "4"].map((value) => ({
        value,
        label: value,
        hint: value === "1" ? "One reel after the other" : `${value} reels side by side`,
      }))}
      value={`${shelf.underWay?.side_by_side ?? 1}`}
      onchange={(value) => shelf.sideBySide(Number(value))}
    />
  </header>
  {#each shelf.underWay?.jobs ?? [] as job (job.id)}
    <div class="row {job.state}" data-job={job.id} data-state={job.state}>
      <div class="what">
        <button class="name" title="Open the film" disabled={!shelf.underWay?.films[job.film]} onclick={() => open(job)}
          ><b>{WHAT[job.kind]}</b>
          {job.kind === "reel" ? (shelf.underWay?.films[job.film] ?? job.name) : job.name}
          {job.size ? `${job.size[0]} × ${job.size[1]}` : ""}</button
        >
        <JobState {job} />
      </div>
      {#if job.state === "waiting" && line.indexOf(job.id) > 0}
        <Button onclick={() => shelf.place(job.id, 0)} title="Before all others that wait"
          ><Icon name="up" size={12} />First</Button
        >
      {/if}
      {#if isOpen(job)}
        {#if job.kind === "reel" && job.state === "running"}<Button
            onclick={() => shelf.do(job.id, "pause")}
            title="What is written stays">Pause</Button
          >{/if}
        <Button onclick={() => shelf.do(job.id, "cancel")}>Cancel</Button>
      {:else if job.state === "interrupted" && job.kind === "reel"}
        <Button onclick={() => shelf.do(job.id, "resume")} title="What is written already is used">Go on</Button>
        <Button onclick={() => shelf.do(job.id, "cancel")} title="Throw away what it has written">Give up</Button>
      {/if}
    </div>
  {:else}
    <p>Nothing. Reels, captures and files on their way show here.</p>
  {/each}
</section>

<style>
  header {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding: 10px 14px 6px;
  }
  header span {
    flex: 1;
    text-align: right;
    padding-right: 8px;
    color: var(--ink-2);
  }
  header :global(.segments) {
    width: 108px;
  }
  .row {
    display: flex;
    align-items: center;
    gap: 5px;
    padding: 6px 14px;
    border-top: 1px solid var(--rule);
  }
  .what {
    flex: 1;
    min-width: 0;
  }
  .name {
    display: block;
    max-width: 100%;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    text-align: left;
  }
  .name:hover:not(:disabled) {
    text-decoration: underline;
  }
  .name:disabled {
    color: var(--ink-2);
  }
  b {
    font-weight: 600;
  }
  p {
    color: var(--ink-2);
    padding: 0 14px 12px;
  }
</style>
