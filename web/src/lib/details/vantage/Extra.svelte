<script lang="ts" generics="T extends object">
  import { session } from "../../film/session.svelte";
  import { digits } from "../../format";
  import Cell from "../../ui/Cell.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Tick from "../../ui/Tick.svelte";

  type Part = {
    key: keyof T;
    label: string;
    unit?: string;
    step?: number;
    min?: number;
    max?: number;
    whole?: boolean;
  };
  let {
    title,
    hint,
    path,
    value,
    blank,
    parts,
    disabled = false,
  }: {
    title: string;
    hint: string;
    /** Where it stands in the document, as a JSON Pointer. */
    path: string;
    value: T | null;
    /** What it begins as when it is ticked. */
    blank: T;
    parts: Part[];
    disabled?: boolean;
  } = $props();

  const put = (key: keyof T, next: number, whole?: boolean) =>
    session.tryPatch([
      { op: "replace", path, value: { ...value, [key]: whole ? Math.round(next) : Math.round(next * 1000) / 1000 } },
    ]);
</script>

<!-- Something that can be laid on top of a move: off, or on with its numbers. -->
<div class="extra" class:on={value}>
  <div class="head">
    <Tick
      label={title}
      checked={value !== null}
      onchange={(on) => session.patch([{ op: "replace", path, value: on ? blank : null }], title)}
    />
    <span>{disabled ? "not while it is passed without a stop" : hint}</span>
  </div>
  {#if value}
    <Cells columns={parts.length === 3 ? 3 : 4}>
      {#each parts as part (part.key)}
        {@const now = value[part.key] as number}
        <Cell
          label={part.label}
          value={now}
          text={digits(now)}
          unit={part.unit}
          step={part.step ?? 1}
          min={part.min}
          max={part.max}
          {disabled}
          ontry={(next) => put(part.key, next, part.whole)}
          onkeep={() => session.keepTrial(title)}
          ondrop={() => session.dropTrial()}
        />
      {/each}
    </Cells>
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
