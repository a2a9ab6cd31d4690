<script lang="ts">
  import type { Snippet } from "svelte";
  import type { Found, Timed } from "../../film/marks";
  import { session } from "../../film/session.svelte";
  import Button from "../../ui/Button.svelte";
  import PanelHead from "../../ui/PanelHead.svelte";
  import Tick from "../../ui/Tick.svelte";

  let {
    of,
    title,
    sub = "",
    children,
    beside,
  }: {
    of: Found;
    title: string;
    sub?: string;
    /** More buttons. */
    children?: Snippet;
    /** What stands beside the name. */
    beside?: Snippet;
  } = $props();

  const groups = $derived([...new Set(session.marks.map(({ mark }) => mark.group).filter(Boolean))]);
</script>

<PanelHead
  {title}
  sub={session.also.length ? `${session.chosen.length} chosen: what is set here is set for all of them` : sub}
>
  {@render children?.()}
  <Button onclick={() => session.duplicateMark(of)} title="Another one like it, with its times and its look (Ctrl D)"
    >Duplicate</Button
  >
  <Button onclick={() => session.removeMark(of)}>Remove</Button>
</PanelHead>
<div class="head">
  <input
    aria-label="Name of the {of.kind}"
    value={of.mark.name}
    onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
    onchange={(event) =>
      session.patch([{ op: "replace", path: `${of.path}/name`, value: event.currentTarget.value }], "Name")}
  />
  {@render beside?.()}
  {#if of.kind !== "route"}
    <Tick
      label="Shown"
      checked={(of.mark as Timed).shown}
      onchange={(on) => session.patch([{ op: "replace", path: `${of.path}/shown`, value: on }], "Show or hide")}
    />
  {/if}
</div>

<div class="head more">
  <label
    >Group <input
      aria-label="Group of the {of.kind}"
      list="groups"
      placeholder="none"
      value={of.mark.group}
      onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      onchange={(event) =>
        session.patch(
          [{ op: "replace", path: `${of.path}/group`, value: event.currentTarget.value.trim().slice(0, 60) }],
          "Group",
        )}
    /></label
  >
  <datalist id="groups"
    >{#each groups as group (group)}<option value={group}></option>{/each}</datalist
  >
  <Tick
    label="Locked"
    checked={of.mark.locked}
    onchange={(on) => session.patch([{ op: "replace", path: `${of.path}/locked`, value: on }], "Lock")}
  />
</div>

<style>
  .more label {
    flex: 1;
    display: flex;
    align-items: center;
    gap: 6px;
    color: var(--ink-3);
    font-size: 10.5px;
  }
  .more input {
    font-weight: 400;
  }
  .head {
    display: flex;
    gap: 8px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
  }
  input {
    flex: 1.4;
    min-width: 0;
    height: 24px;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
    padding: 0 6px;
    font-weight: 560;
  }
</style>
