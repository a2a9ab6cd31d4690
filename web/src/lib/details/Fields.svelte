<script lang="ts" module>
  /** A number with its range, or a colour. */
  export type FieldCell = {
    /** Its name in the document, below the path that all share. */
    key: string;
    label: string;
    value: number | string;
    unit?: string;
    factor?: number;
    step?: number;
    min?: number;
    max?: number;
    places?: number;
    log?: boolean;
    disabled?: boolean;
  };
</script>

<script lang="ts">
  import Cells from "../ui/Cells.svelte";
  import Field from "./Field.svelte";
  import ColourField from "./marks/ColourField.svelte";

  let {
    cells,
    path = "",
    columns = 3,
    onput,
  }: {
    cells: (FieldCell | false)[];
    /** Where they stand in the document, as a JSON Pointer. */
    path?: string;
    columns?: 2 | 3 | 4;
    /** What tries a new value, where it is no plain value at a path. */
    onput?: (key: string, value: number | string) => void;
  } = $props();

  const shown = $derived(cells.filter((cell) => cell !== false));
  const blanks = $derived((columns - (shown.length % columns)) % columns);
</script>

<!-- Numbers and colours in ruled cells, the last row filled up. -->
<Cells {columns}>
  {#each shown as { key, value, unit = "px", min = 0, places = 1, ...cell } (key)}
    {#if typeof value === "string"}
      <ColourField
        path="{path}/{key}"
        label={cell.label}
        {value}
        onput={onput ? (next) => onput(key, next) : undefined}
      />
    {:else}
      <Field
        path="{path}/{key}"
        {value}
        {unit}
        {min}
        {places}
        {...cell}
        onput={onput ? (next) => onput(key, next) : undefined}
      />
    {/if}
  {/each}
  {#each Array.from({ length: blanks }).keys() as k (k)}<div class="cell"></div>{/each}
</Cells>

<style>
  .cell {
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
  }
</style>
