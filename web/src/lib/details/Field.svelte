<script lang="ts">
  import { session } from "../film/session.svelte";
  import { digits } from "../format";
  import Cell from "../ui/Cell.svelte";

  let {
    path,
    label,
    value,
    unit = "",
    factor = 1,
    step = 1,
    log = false,
    min = -Infinity,
    max = Infinity,
    places = 2,
    signed = false,
    disabled = false,
  }: {
    /** Where in the document the number stands, as a JSON Pointer. */
    path: string;
    label: string;
    value: number;
    unit?: string;
    /** Document units in one unit shown. */
    factor?: number;
    step?: number;
    log?: boolean;
    min?: number;
    max?: number;
    /** Decimals kept, of the unit shown. */
    places?: number;
    signed?: boolean;
    disabled?: boolean;
  } = $props();

  const text = $derived((signed && value > 0 ? "+" : "") + digits(value / factor, 4));
  const rounded = (next: number) => {
    const grain = 10 ** places / factor;
    return Math.round(next * grain) / grain;
  };
</script>

<!-- A number of the document: tried while it is changed, kept when it is let go. -->
<Cell
  {label}
  {value}
  {text}
  {unit}
  {factor}
  {step}
  {log}
  {min}
  {max}
  {disabled}
  ontry={(next) => session.tryPatch([{ op: "replace", path, value: rounded(next) }])}
  onkeep={() => session.keepTrial(label)}
  ondrop={() => session.dropTrial()}
/>
