<script lang="ts">
  import { onMount } from "svelte";
  import Fields from "../details/Fields.svelte";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Strip from "../ui/Strip.svelte";
  import Swatches from "./Swatches.svelte";
  import { looks } from "./looks.svelte";

  const look = $derived(session.film!.finish.look);
  const own = $derived(looks.all.filter(({ shipped }) => !shipped));
  const taken = $derived(looks.all.find((one) => look.on && one.look.name === look.name) ?? null);
  let name = $state("");
  let file: HTMLInputElement;

  onMount(() => void looks.load());

  function take(key: string) {
    const one = looks.all.find((other) => other.key === key)!;
    void session.act({ act: "take_look", look: one.look, strength: 1 }, `Look: ${one.look.name}`);
  }

  async function save(event: SubmitEvent) {
    event.preventDefault();
    const wanted = name.trim();
    if (!wanted || !(await looks.save(wanted))) return;
    name = "";
    await session.patch(
      [
        { op: "replace", path: "/finish/look/name", value: wanted },
        { op: "replace", path: "/finish/look/on", value: true },
      ],
      `Look: ${wanted}`,
    );
  }
</script>

<Swatches
  what="look"
  label="Look"
  options={looks.all.map(({ key, look: one }) => ({ key, name: one.name }))}
  value={taken?.key ?? null}
  onpick={take}
/>
<Fields of="Look" part={look} path="/finish/look" columns={2} cells={["strength"]} />
<Strip>
  <form onsubmit={save}>
    <input bind:value={name} maxlength="60" placeholder="Name" aria-label="Name of the look" />
    <Button title="Keep the finish as it is by this name: all effects that are on" disabled={!name.trim()}
      >Save as a look</Button
    >
  </form>
  <Button onclick={() => file.click()} title="A look that somebody gave out">Take one in</Button>
  <input
    hidden
    type="file"
    accept=".look"
    bind:this={file}
    aria-label="A look’s file"
    onchange={(event) => {
      for (const one of event.currentTarget.files ?? []) void looks.takeIn(one);
      event.currentTarget.value = "";
    }}
  />
</Strip>
{#if taken}
  <Strip>
    <Button href="/api/looks/{taken.key}.look" title="As a file, for another desk">Give out “{taken.look.name}”</Button>
    {#if !taken.shipped}<Button onclick={() => void looks.remove(taken.key)} title="Films that have it keep it"
        >Forget it</Button
      >{/if}
  </Strip>
{/if}
<p>
  A look holds the surface, light, lens and all that sticks to the frame{own.length ? "" : "; yours come first here"}.
  What it changes over the film is stretched to this one’s length.
</p>

<style>
  form {
    display: flex;
    gap: 6px;
  }
  input {
    width: 110px;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
  }
  p {
    margin: 0;
    padding: 8px 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
