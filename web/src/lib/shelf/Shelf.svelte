<script lang="ts">
  import { onMount } from "svelte";
  import { bytes } from "../format";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import Segments from "../ui/Segments.svelte";
  import NewFilm from "./NewFilm.svelte";
  import ShelvedFilm from "./ShelvedFilm.svelte";
  import UnderWay from "./UnderWay.svelte";
  import { shelf } from "./shelf.svelte";

  let which = $state<"here" | "away">("here");
  let wanted = $state("");
  let chooser: HTMLInputElement;
  let top: HTMLElement;

  const films = $derived(shelf.all?.films ?? []);
  const shown = $derived(
    films.filter(
      (film) => film.away === (which === "away") && film.name.toLowerCase().includes(wanted.trim().toLowerCase()),
    ),
  );
  const count = (away: boolean) => films.filter((film) => film.away === away).length;

  onMount(() => {
    top.focus();
    void shelf.load();
    return shelf.watch();
  });
</script>

<section class="shelf" aria-label="Shelf" tabindex="-1" bind:this={top}>
  <aside>
    <NewFilm />
    <div class="bundle">
      <h2>From a bundle</h2>
      <Button onclick={() => chooser.click()} title="A .yaila file, with or without its pictures"
        ><Icon name="drop" size={13} />Take a bundle in</Button
      >
      <input
        bind:this={chooser}
        hidden
        multiple
        type="file"
        accept=".yaila"
        aria-label="A bundle’s file"
        onchange={(event) => {
          void shelf.takeIn([...(event.currentTarget.files ?? [])]);
          event.currentTarget.value = "";
        }}
      />
      <p>or drop its file here</p>
      {#each shelf.arriving as one (one)}
        <p class="arriving" class:refused={one.error}>
          {one.error || `“${one.name}” is on its way …`}
          {#if one.error}<button
              aria-label="Put this message away"
              onclick={() => (shelf.arriving = shelf.arriving.filter((other) => other !== one))}
              ><Icon name="close" size={12} /></button
            >{/if}
        </p>
      {/each}
    </div>
    <UnderWay />
  </aside>
  <div class="films">
    <header>
      <h2>Shelf</h2>
      <Segments
        label="Which films"
        options={[
          { value: "here", label: `Here ${count(false)}` },
          { value: "away", label: `Put away ${count(true)}` },
        ]}
        value={which}
        onchange={(value) => (which = value)}
      />
      <input class="find" bind:value={wanted} placeholder="Find by name" aria-label="Find a film by its name" />
      <span class="room"
        >{#if shelf.all}{bytes(shelf.all.bytes)} in all, {bytes(shelf.all.left)} left on the disk{/if}</span
      >
      <Button onclick={() => (shelf.open = false)} title="Back to the film (Escape)"
        ><Icon name="close" size={13} />Close</Button
      >
    </header>
    <ul>
      {#each shown as film (film.id)}
        <ShelvedFilm {film} />
      {:else}
        <li class="none">
          {!shelf.all
            ? "Looking …"
            : wanted
              ? "No film of that name."
              : which === "away"
                ? "Nothing is put away."
                : "No film yet: start one on the left."}
        </li>
      {/each}
    </ul>
  </div>
</section>

<svelte:window
  onkeydowncapture={(event) => {
    const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement;
    if (event.key === "Escape" && session.film) shelf.open = false;
    // The keys of the film that lies below do nothing while one does not see it.
    if (!typing || event.key === "Escape") event.stopPropagation();
  }}
/>

<style>
  .shelf {
    position: absolute;
    inset: 38px 0 0 0;
    z-index: 25;
    background: var(--paper);
    display: grid;
    grid-template-columns: 316px 1fr;
    outline: 0;
  }
  aside {
    border-right: 1px solid var(--rule-strong);
    overflow-y: auto;
    min-height: 0;
    background: var(--desk);
  }
  .films {
    min-width: 0;
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  header {
    height: 40px;
    flex: none;
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 0 14px;
    border-bottom: 1px solid var(--rule-strong);
  }
  header h2 {
    font-size: 14px;
  }
  .find {
    height: 24px;
    width: 180px;
    min-width: 60px;
    padding: 0 8px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
  }
  .room {
    flex: 1;
    text-align: right;
    color: var(--ink-2);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  ul {
    list-style: none;
    overflow-y: auto;
    min-height: 0;
    flex: 1;
  }
  .none {
    padding: 40px;
    text-align: center;
    color: var(--ink-2);
    font-size: 13px;
  }
  .bundle {
    padding: 10px 14px 12px;
    border-bottom: 1px solid var(--rule-strong);
  }
  .bundle h2 {
    margin-bottom: 5px;
  }
  p {
    color: var(--ink-2);
    margin-top: 4px;
  }
  .arriving {
    color: var(--ink);
    display: flex;
    justify-content: space-between;
    gap: 6px;
  }
  .refused {
    background: var(--imagery-tint);
    padding: 4px 6px;
  }
</style>
