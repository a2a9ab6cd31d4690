<script lang="ts">
  import { arrivals } from "../film/arrivals.svelte";
  import { session, type Step } from "../film/session.svelte";
  import Icon, { type IconName } from "../ui/Icon.svelte";

  let { onkeys }: { onkeys: () => void } = $props();

  const film = $derived(session.film);
  const count = (number: number, word: string) =>
    number ? `${number} ${word}${number > 1 ? "s" : ""}` : `no ${word}s`;
  const running = $derived(session.jobs.find((job) => job.kind === "reel" && job.state === "running"));
  const refused = $derived(arrivals.list.filter((arrival) => arrival.error).length);
  const reels = $derived(session.jobs.filter((job) => job.kind === "reel" && job.state === "done").length);
  const declined = $derived(film?.plates.filter((plate) => plate.fit.note).length ?? 0);
  const fitted = $derived(film?.plates.filter((plate) => plate.fit.by !== "hand").length ?? 0);
  const effects = $derived(film ? Object.values(film.finish).filter(({ on }) => on).length : 0);
  const steps = $derived<{ id: Step; name: string; state: string; icon: IconName }[]>([
    {
      id: "gather",
      name: "Gather",
      icon: "gather",
      state: arrivals.count
        ? `${arrivals.count} arriving`
        : refused
          ? `${refused} refused`
          : count(film?.plates.length ?? 0, "plate"),
    },
    {
      id: "fit",
      name: "Fit",
      icon: "fit",
      state: !film?.plates.length ? "nothing laid" : declined ? `${declined} declined` : `${fitted} fitted`,
    },
    { id: "fly", name: "Fly", icon: "fly", state: count(film?.vantages.length ?? 0, "vantage") },
    {
      id: "mark",
      name: "Mark",
      icon: "mark",
      state: count(session.marks.length, "mark"),
    },
    { id: "finish", name: "Finish", icon: "finish", state: effects ? `${count(effects, "effect")} on` : "plain" },
    { id: "sound", name: "Sound", icon: "sound", state: count(film?.sounds.length ?? 0, "sound") },
    {
      id: "render",
      name: "Render",
      icon: "render",
      state: running
        ? `${Math.floor((100 * running.done) / Math.max(running.total, 1))} % done`
        : reels
          ? count(reels, "reel")
          : "idle",
    },
  ]);
</script>

<nav class="rail" aria-label="Steps">
  {#each steps as step (step.id)}
    <button
      class:on={session.step === step.id}
      aria-current={session.step === step.id ? "step" : undefined}
      onclick={() => (session.step = step.id)}
    >
      <Icon name={step.icon} size={22} />
      <b>{step.name}</b><i>{step.state}</i>
    </button>
  {/each}
  <span class="space"></span>
  <button class="keys" onclick={onkeys} title="Keys (?)"><Icon name="keys" size={16} />Keys</button>
</nav>

<style>
  .rail {
    background: var(--desk);
    border-right: 1px solid var(--rule-strong);
    display: flex;
    flex-direction: column;
    min-height: 0;
    overflow: hidden;
  }
  button {
    width: 100%;
    flex: 0 1 74px;
    min-height: 50px;
    display: flex;
    flex-direction: column;
    align-items: center;
    justify-content: center;
    color: var(--ink-2);
    border-bottom: 1px solid var(--rule);
  }
  button:hover:not(.on):not(:disabled) {
    background: #e3e7e0;
  }
  b {
    font-size: 12px;
    font-weight: 560;
    line-height: 15px;
    color: var(--ink);
    margin-top: 3px;
  }
  i {
    font-style: normal;
    font-size: 10.5px;
    line-height: 13px;
    color: var(--ink-3);
    white-space: nowrap;
  }
  button:disabled,
  button:disabled b {
    color: #6c7874;
    font-weight: 480;
  }
  .on {
    background: var(--paper);
    color: var(--camera);
    box-shadow:
      inset 0 1px 0 var(--rule-strong),
      inset 0 -1px 0 var(--rule-strong),
      1px 0 0 var(--paper);
  }
  .on b {
    font-weight: 680;
    color: var(--camera-deep);
  }
  .space {
    flex: 1;
  }
  .keys {
    flex: 0 0 40px;
    min-height: 30px;
    flex-direction: row;
    gap: 6px;
    border: 0;
    font-size: 11px;
  }
</style>
