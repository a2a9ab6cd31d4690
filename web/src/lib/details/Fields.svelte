<script lang="ts" module>
  import { camera } from "../film/camera.svelte";
  import type { Changing } from "../film/courses";

  /** A field by its name below the path that all share; whatever it says besides goes before what the schema says. */
  export type FieldCell = {
    key: string;
    label?: string;
    value?: Changing<number> | Changing<string> | null;
    unit?: string;
    factor?: number;
    step?: number;
    min?: number;
    max?: number;
    places?: number;
    log?: boolean;
    signed?: boolean;
    disabled?: boolean;
  };
</script>

<script lang="ts">
  import { addressOf, isCourse, resting } from "../film/courses";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import Cells from "../ui/Cells.svelte";
  import ColourField from "./marks/ColourField.svelte";
  import CourseMark from "./CourseMark.svelte";
  import Field from "./Field.svelte";

  let {
    of,
    part,
    cells,
    path = "",
    columns = 3,
    onput,
  }: {
    /** What the part is called in the schema: its fields' names, units, limits and steps come from there. */
    of: string;
    /** The part of the document that they stand in. */
    part: object;
    cells: (string | FieldCell | false)[];
    /** Where it stands in the document, as a JSON Pointer. */
    path?: string;
    columns?: 2 | 3 | 4;
    /** What tries a new value, where it is no plain value at a path. */
    onput?: (key: string, value: number | string) => void;
  } = $props();

  const film = $derived(session.film!);
  const shown = $derived(
    cells
      .filter((cell) => cell !== false)
      .map((cell) => {
        const given: FieldCell = typeof cell === "string" ? { key: cell } : cell;
        const held = given.value ?? (part as Record<string, unknown>)[given.key];
        const address = addressOf(film, `${path}/${given.key}`);
        const course = session.courseAt(address);
        const now = course ? camera.valueAt(course, player.frame) : null;
        return {
          ...session.numberOf(of, given.key),
          ...given,
          value: (now ?? resting(held as Changing<number | string>)) as number | string,
          changes: (session.facts(of, given.key)?.changes ?? false) && address !== null,
          moving: course !== null || isCourse(held),
          course,
          address,
        };
      }),
  );
  const blanks = $derived((columns - (shown.length % columns)) % columns);

  /** How a new value is tried: at the playhead, if it changes over the film. */
  function put(cell: (typeof shown)[number]): ((value: number | string) => void) | undefined {
    if (cell.moving && cell.address) {
      const { of: one, field } = cell.course?.via ? { ...cell.course, of: cell.course.via } : cell.address;
      return (value) => session.tryAct({ act: "set_value", of: one, field, frame: player.frame, value, change: false });
    }
    return onput ? (value) => onput(cell.key, value) : undefined;
  }
</script>

<!-- Numbers and colours in ruled cells, the last row filled up. -->
<Cells {columns}>
  {#each shown as { key, value, changes, moving, course, address, ...cell } (key)}
    {@const onvalue = put({ key, value, changes, moving, course, address, ...cell })}
    <div class="slot">
      {#if typeof value === "string"}
        <ColourField path="{path}/{key}" label={cell.label} {value} onput={onvalue} />
      {:else}
        <Field path="{path}/{key}" {...cell} {value} onput={onvalue} />
      {/if}
      {#if changes && address}<CourseMark {address} {course} label={cell.label} disabled={cell.disabled} />{/if}
    </div>
  {/each}
  {#each Array.from({ length: blanks }).keys() as k (k)}<div class="cell"></div>{/each}
</Cells>

<style>
  .slot {
    position: relative;
    min-width: 0;
  }
  .cell {
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
  }
</style>
