<script lang="ts">
  import type { Job } from "../api/client";
  import { bytes, clock } from "../format";

  /** How far a job is, how long it still takes, or how it ended. */
  let { job }: { job: Job } = $props();
</script>

<span>
  {#if job.state === "running"}
    {#if job.kind === "reel" && !job.still}{job.done} of {job.total} frames{job.rate
        ? `, ${job.rate.toFixed(1)} a second`
        : ""}
    {:else}{Math.round((100 * job.done) / Math.max(job.total, 1))} %{/if}{job.left !== null
      ? `, ${clock(job.left)} left`
      : ""}
  {:else if job.state === "waiting"}waiting its turn
  {:else if job.state === "done"}{job.kind === "reel" && !job.still ? `${job.total} frames in ` : "done in "}{clock(
      job.seconds,
    )}{job.bytes ? `, ${bytes(job.bytes)}` : ""}{job.kind === "reel" || !job.message ? "" : `. ${job.message}`}
  {:else}<em>{job.state}.</em> {job.message}{/if}
</span>
{#if job.state === "running"}<progress
    max={Math.max(job.total, 1)}
    value={job.done}
    aria-label={job.kind === "reel" ? "Rendering" : "Progress"}
  ></progress>{/if}

<style>
  span {
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
</style>
