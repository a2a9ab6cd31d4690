<script lang="ts">
  import type { Found } from "../../film/marks";
  import { newId, session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import Select from "../../ui/Select.svelte";
  import Strip from "../../ui/Strip.svelte";
  import StyleScope from "./StyleScope.svelte";

  let { of }: { of: Found } = $props();

  const styles = $derived(session.film!.styles.filter((style) => style.kind === of.kind));
  const style = $derived(styles.find((one) => one.id === of.mark.style));
  const alike = $derived(session.marks.filter(({ kind, mark }) => kind === of.kind && mark.id !== of.mark.id));

  async function choose(value: string) {
    session.lookTo = "mark";
    if (value !== "new")
      return session.act({ act: "use_style", marks: [of.mark.id], style: value === "none" ? null : value });
    const name = `Style ${session.film!.styles.length + 1}`;
    await session.act({ act: "make_style", mark: of.mark.id, name, id: newId() });
  }

  const renamed = (name: string) =>
    session.patch(
      [
        {
          op: "replace",
          path: `/styles/${session.film!.styles.findIndex((one) => one.id === style!.id)}/name`,
          value: name,
        },
      ],
      "Name a style",
    );
</script>

<Strip>
  <Select
    label="Style"
    caption="Style"
    value={style?.id ?? "none"}
    options={[
      { value: "none", label: "its own look" },
      ...styles.map(({ id, name }) => ({ value: id, label: name })),
      { value: "new", label: "make one of this look" },
    ]}
    onchange={choose}
  />
  {#if alike.length}
    <Button
      title="Let all other {of.kind}s look like this one"
      onclick={() => session.act({ act: "copy_look", mark: of.mark.id, to: alike.map(({ mark }) => mark.id) })}
      >Same for all {of.kind}s</Button
    >
  {/if}
</Strip>
{#if style}
  <Strip>
    <StyleScope {of} />
    <input
      aria-label="Name of the style"
      value={style.name}
      onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      onchange={(event) => event.currentTarget.value.trim() && renamed(event.currentTarget.value.trim())}
    />
    <Button
      title="Take the style away; what uses it keeps its look"
      onclick={() => session.act({ act: "remove_style", style: style.id })}>Drop</Button
    >
  </Strip>
  {#if of.mark.own.length}
    <div class="own" aria-label="Its own">
      <span>Its own:</span>
      {#each of.mark.own as name (name)}
        <button
          title="As the style says again"
          onclick={() => session.act({ act: "reset_look", mark: of.mark.id, names: [name] })}
          >{name.replaceAll("_", " ")} ×</button
        >
      {/each}
    </div>
  {/if}
{/if}

<style>
  .own {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
  }
  .own {
    flex-wrap: wrap;
    color: var(--ink-2);
  }
  .own button {
    height: 22px;
    padding: 0 6px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    font-size: 11px;
  }
  input {
    flex: 1;
    min-width: 0;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
  }
</style>
