<script lang="ts">
  import { session } from "../../film/session.svelte";
  import Tick from "../../ui/Tick.svelte";
  import Fields, { type FieldCell } from "../Fields.svelte";

  let {
    title,
    hint,
    of,
    path,
    value,
    begins = {},
    cells,
    disabled = false,
  }: {
    title: string;
    hint: string;
    /** What it is called in the schema. */
    of: string;
    /** Where it stands in the document, as a JSON Pointer. */
    path: string;
    value: object | null;
    /** What it begins as when it is ticked, where that is not what the schema says. */
    begins?: object;
    cells: FieldCell[];
    disabled?: boolean;
  } = $props();
</script>

<!-- Something that can be laid on top of a move: off, or on with its numbers. -->
<div class="extra" class:on={value}>
  <div class="head">
    <Tick
      label={title}
      checked={value !== null}
      onchange={(on) => session.patch([{ op: "replace", path, value: on ? begins : null }], title)}
    />
    <span>{disabled ? "not while it is passed without a stop" : hint}</span>
  </div>
  {#if value}
    <Fields
      {of}
      part={value}
      {path}
      columns={cells.length === 4 ? 4 : 3}
      cells={cells.map((cell) => ({ ...cell, disabled }))}
    />
  {/if}
</div>

<style>
  .extra {
    border-bottom: 1px solid var(--rule);
  }
  .extra.on {
    border-bottom: 0;
  }
  .head {
    display: flex;
    align-items: center;
    gap: 6px;
    height: 27px;
    padding: 0 12px 0 6px;
    white-space: nowrap;
    overflow: hidden;
  }
  .head span {
    color: var(--ink-3);
    font-size: 10.5px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .head :global(.tick) {
    color: var(--ink);
    font-weight: 540;
  }
</style>
