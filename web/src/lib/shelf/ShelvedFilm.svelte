<script lang="ts">
  import { frameUrl, type Shelved } from "../api/client";
  import { bytes } from "../format";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import { shelf } from "./shelf.svelte";
  import { ago } from "./ago";

  let { film }: { film: Shelved } = $props();

  /** What is asked before it is done: in which way it is given out, or whether it goes for good. */
  let asking = $state<"" | "out" | "gone">("");
  /** Files over so many MB stay here. */
  let most = $state(20);

  const rate = $derived(session.choices?.rates.find((choice) => choice.rate === film.rate)?.name ?? film.rate);
  const here = $derived(film.id === session.id);

  /** Which of the film's sixteen moments is shown while the pointer goes over its picture. */
  let moment = $state<number | null>(null);
  const frame = $derived(moment === null ? film.poster! : Math.round(((moment + 0.5) / 16) * (film.frames - 1)));

  function look(event: PointerEvent & { currentTarget: HTMLElement }) {
    const box = event.currentTarget.getBoundingClientRect();
    moment = Math.min(Math.max(Math.floor(((event.clientX - box.left) / box.width) * 16), 0), 15);
  }

  async function open() {
    await session.open(film.id);
    shelf.open = false;
  }
</script>

<li class:here>
  <button
    class="picture"
    tabindex="-1"
    aria-hidden="true"
    title="Open {film.name}"
    disabled={film.away}
    onclick={open}
    onpointermove={look}
    onpointerleave={() => (moment = null)}
  >
    {#if film.poster !== null}<img
        src={frameUrl(film.id, film.state, frame, 288, "draft", "")}
        alt=""
        loading="lazy"
      />{:else}<span>nothing laid yet</span>{/if}
  </button>
  <div class="facts">
    <input
      value={film.name}
      maxlength="200"
      aria-label="Name of {film.name}"
      disabled={film.away}
      onchange={(event) => {
        const name = event.currentTarget.value.trim();
        if (name) void shelf.rename(film, name);
        else event.currentTarget.value = film.name;
      }}
      onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    />
    <p>{film.width} × {film.height} · {rate} fps · {film.seconds.toFixed(1)} s{here ? " · on the table" : ""}</p>
    <p>
      changed {ago(film.touched)} · {film.bytes ? bytes(film.bytes) : "no files"}{!film.bytes ||
      film.alone === film.bytes
        ? ""
        : film.alone
          ? `, ${bytes(film.alone)} of it its own`
          : ", all shared with other films"}
    </p>
    {#if film.lacks}<p class="lacks">
        The file of “{film.first}”{film.lacks > 1 ? ` and ${film.lacks - 1} more are` : " is"} missing: open it and drop
        {film.lacks > 1 ? "them" : "it"} there.
      </p>{/if}
  </div>
  <div class="acts">
    {#if film.away}
      <Button onclick={() => shelf.putAway(film, false)} label="Bring back {film.name}">Bring back</Button>
      <Button on={asking === "gone"} onclick={() => (asking = asking === "gone" ? "" : "gone")}
        ><Icon name="bin" size={13} />Take away for good</Button
      >
    {:else}
      <Button onclick={open} label="{here ? 'Go on with' : 'Open'} {film.name}">{here ? "Go on" : "Open"}</Button>
      <Button onclick={() => shelf.makeOf(film, "copy_of")} title="Another film that is the same">Copy</Button>
      <Button
        onclick={() => shelf.makeOf(film, "like")}
        title="A new film with its frame, rate, styles, finish, lanes and loudness">New like it</Button
      >
      <Button on={asking === "out"} onclick={() => (asking = asking === "out" ? "" : "out")}>Give out</Button>
      <Button onclick={() => shelf.putAway(film, true)} label="Put away {film.name}" title="It can be brought back"
        >Put away</Button
      >
    {/if}
  </div>
  {#if asking === "out"}
    <div class="asked">
      <Button href="/api/films/{film.id}/bundle">A bundle with all its files</Button>
      <Button href="/api/films/{film.id}/bundle?most={most * 1_000_000}">A bundle without files</Button>
      <label>over <input type="number" min="0" max="100000" bind:value={most} /> MB</label>
      <span>What is left out is found again when it is dropped there.</span>
    </div>
  {:else if asking === "gone"}
    <div class="asked">
      <span
        >“{film.name}” goes with all its states and reels{film.alone ? `, and ${bytes(film.alone)} with it` : ""}. That
        cannot be undone.</span
      >
      <Button onclick={() => shelf.takeAway(film)}>Take it away</Button>
      <Button onclick={() => (asking = "")}>Keep it</Button>
    </div>
  {/if}
</li>

<style>
  li {
    display: grid;
    grid-template-columns: 144px minmax(0, 1fr) auto;
    gap: 4px 14px;
    padding: 9px 14px;
    border-bottom: 1px solid var(--rule);
    align-items: center;
  }
  li.here {
    background: var(--sheet);
    box-shadow: inset 3px 0 0 var(--ink);
  }
  .picture {
    width: 144px;
    height: 81px;
    background: var(--mat);
    display: grid;
    place-items: center;
    overflow: hidden;
  }
  .picture img {
    width: 100%;
    height: 100%;
    object-fit: contain;
  }
  .picture span {
    color: #e4e4e4;
  }
  .facts {
    min-width: 0;
  }
  .facts input {
    width: 100%;
    max-width: 420px;
    height: 26px;
    font-size: 14px;
    font-weight: 620;
    border: 1px solid transparent;
    border-radius: 3px;
    background: none;
    padding: 0 5px;
    margin-left: -6px;
    text-overflow: ellipsis;
  }
  .facts input:hover:not(:disabled),
  .facts input:focus {
    border-color: var(--edge);
    background: var(--sheet);
  }
  .facts input:disabled {
    color: var(--ink-2);
  }
  p {
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .lacks {
    color: var(--imagery-deep);
    white-space: normal;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: 5px;
    justify-content: flex-end;
  }
  .asked {
    grid-column: 2 / 4;
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px;
    padding: 6px 8px;
    background: var(--desk);
    border-radius: 3px;
  }
  .asked input {
    width: 60px;
    height: 22px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 5px;
  }
  .asked span {
    color: var(--ink-2);
  }
  @media (max-width: 1150px) {
    .acts {
      max-width: 190px;
    }
  }
</style>
