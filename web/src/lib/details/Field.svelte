<script lang="ts">
  import { session } from "../film/session.svelte";
  import { digits } from "../format";
  import Cell from "../ui/Cell.svelte";
  import type { IconName } from "../ui/Icon.svelte";

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
    significant = 4,
    icon,
    ontouch,
    onput,
  }: {
    /** Where in the document the number stands, as a JSON Pointer. */
    path?: string;
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
    /** Digits shown. */
    significant?: number;
    icon?: IconName;
    /** Called whenever the number is about to change. */
    ontouch?: () => void;
    /** What tries a new number, where it is no plain value at a path. */
    onput?: (value: number) => void;
  } = $props();

  const text = $derived((signed && value > 0 ? "+" : "") + digits(value / factor, significant));
  /** Whether it is another number in others that are chosen too; one that is set here is set for them all. */
  const differs = $derived(path ? session.differs(path) : false);
  const rounded = (next: number) => {
    const grain = 10 ** places / factor;
    return Math.round(next * grain) / grain;
  };
</script>

<!-- A number of the document: tried while it is changed, kept when it is let go. -->
<Cell
  label={differs ? `${label} (differ)` : label}
  {value}
  {text}
  {unit}
  {factor}
  {step}
  {log}
  {min}
  {max}
  {disabled}
  {icon}
  ontry={(next) => {
    ontouch?.();
    if (onput) onput(rounded(next));
    else session.tryPatch([{ op: "replace", path: path!, value: rounded(next) }]);
  }}
  onkeep={() => session.keepTrial(label)}
  ondrop={() => session.dropTrial()}
/>
