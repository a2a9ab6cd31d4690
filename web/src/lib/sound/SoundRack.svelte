<script lang="ts">
  import { onMount } from "svelte";
  import { api, told, type Act, type OfferedEffect } from "../api/client";
  import { arrivals } from "../film/arrivals.svelte";
  import { player } from "../film/player.svelte";
  import { newId, session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import Select from "../ui/Select.svelte";
  import { hearing } from "./hearing.svelte";

  let effects = $state.raw<OfferedEffect[]>([]);
  let all = $state<"passage" | "arrival" | "pin" | "name" | "stop">("passage");
  let chosen = $state("whoosh");
  let file: HTMLInputElement;

  onMount(() => {
    void session.guarded(async () => {
      effects = await told<OfferedEffect[]>(api.GET("/api/effects"));
    }, false);
  });

  async function lay(kind: string) {
    const id = newId();
    const act = { act: "add_sound", frame: player.frame, effect: kind, id } as Act;
    if (await session.act(act, `Sound: ${effects.find((one) => one.kind === kind)?.name ?? kind}`))
      session.select({ kind: "sound", id });
  }

  function press(kind: string) {
    chosen = kind;
    void hearing.try(kind);
  }
</script>

<!-- Sounds that are made here: heard with a click, laid at the playhead with the plus; or one for all of a kind. -->
<section class="rack" aria-label="Sounds to lay">
  <div class="effects">
    {#each effects as effect (effect.kind)}
      <div class="effect" class:chosen={chosen === effect.kind}>
        <button class="face" title="Hear it" aria-pressed={chosen === effect.kind} onclick={() => press(effect.kind)}>
          <b>{effect.name}</b><u>{effect.fits ? "any length" : `${effect.seconds.toFixed(1)} s`}</u>
        </button>
        <button
          class="plus"
          aria-label="Lay {effect.name} at the playhead"
          title="Lay it at the playhead; near an arrival it hangs on that"
          onclick={() => lay(effect.kind)}><Icon name="plus" size={12} /></button
        >
      </div>
    {/each}
  </div>
  <div class="more">
    <Select
      label="For every"
      caption="For every"
      value={all}
      options={[
        { value: "passage", label: "passage" },
        { value: "arrival", label: "arrival" },
        { value: "pin", label: "marker" },
        { value: "name", label: "name" },
        { value: "stop", label: "stop of a line" },
      ]}
      onchange={(value) => {
        all = value;
        chosen = session.choices?.suits[value] ?? chosen;
      }}
    />
    <Button
      title="Each hangs on its own, and goes along when that is moved"
      onclick={() => session.act({ act: "sound_everything", what: all, effect: chosen } as Act, "Sounds for all")}
      >a {effects.find((one) => one.kind === chosen)?.name.toLowerCase() ?? chosen}</Button
    >
    <Button onclick={() => file.click()}>Sound file</Button>
    <input
      bind:this={file}
      type="file"
      accept="audio/*,video/*,.wav,.flac,.mp3,.m4a,.aac,.ogg,.opus,.aif,.aiff"
      multiple
      aria-label="Choose sound files"
      onchange={(event) => {
        const input = event.currentTarget;
        void arrivals.receive(input.files!).then(() => (input.value = ""));
      }}
    />
  </div>
</section>

<style>
  .rack {
    border-bottom: 1px solid var(--rule-strong);
    border-right: 1px solid var(--rule-strong);
    background: var(--paper);
  }
  .effects {
    display: grid;
    grid-template-columns: repeat(7, minmax(0, 1fr));
  }
  .effect {
    position: relative;
    height: 38px;
    border-right: 1px solid var(--rule);
    border-bottom: 1px solid var(--rule);
  }
  .effect.chosen {
    background: var(--sheet);
    box-shadow: inset 0 -2px #6c4f86;
  }
  .face {
    position: absolute;
    inset: 0;
    display: flex;
    flex-direction: column;
    align-items: flex-start;
    justify-content: center;
    padding: 0 26px 0 9px;
    text-align: left;
  }
  .face:hover {
    background: var(--sheet);
  }
  b {
    font-size: 11.5px;
    font-weight: 600;
    white-space: nowrap;
  }
  u {
    text-decoration: none;
    font-size: 10.5px;
    color: var(--ink-2);
  }
  .plus {
    position: absolute;
    right: 2px;
    top: 7px;
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
    border-radius: 3px;
  }
  .plus:hover {
    background: var(--desk);
  }
  .more {
    display: flex;
    align-items: center;
    gap: 8px;
    padding: 5px 9px;
  }
  .more :global(label) {
    flex: 0 0 190px;
  }
  input[type="file"] {
    display: none;
  }
</style>
