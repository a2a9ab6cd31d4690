<script lang="ts">
  import { parseNumber } from "../format";
  import { follow } from "./follow";
  import Icon, { type IconName } from "./Icon.svelte";

  let {
    label,
    value,
    text,
    unit = "",
    icon,
    step = 1,
    log = false,
    min = -Infinity,
    max = Infinity,
    factor = 1,
    ontry,
    onkeep,
    ondrop,
    disabled = false,
  }: {
    label: string;
    /** In the document's unit. */
    value: number;
    /** As shown, without unit. */
    text: string;
    unit?: string;
    icon?: IconName;
    /** One arrow key; of a logarithmic value, its share. */
    step?: number;
    log?: boolean;
    min?: number;
    max?: number;
    /** Document units in one unit shown. */
    factor?: number;
    ontry: (value: number) => void;
    onkeep: () => void;
    ondrop: () => void;
    disabled?: boolean;
  } = $props();

  let editing = $state(false);
  let draft = $state("");
  let input: HTMLInputElement;
  let timer: ReturnType<typeof setTimeout> | undefined;

  const clamp = (next: number) => Math.min(Math.max(next, min), max);
  const moved = (from: number, steps: number) => clamp(log ? from * (1 + step) ** steps : from + steps * step);

  /** Whether a press brings the focus, and its click is to choose the whole number. */
  let fresh = false;

  let stepping = $state<number | null>(null);

  function keys(event: KeyboardEvent) {
    if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      event.preventDefault();
      event.stopPropagation();
      const size = (event.shiftKey ? 10 : 1) * (event.key === "ArrowUp" ? 1 : -1);
      stepping = moved(stepping ?? value, size);
      ontry(stepping);
      editing = false;
      clearTimeout(timer);
      timer = setTimeout(settle, 500);
    } else if (event.key === "Enter") {
      typed();
      input.blur();
    } else if (event.key === "Escape") {
      event.stopPropagation();
      editing = false;
      stepping = null;
      clearTimeout(timer);
      ondrop();
      input.blur();
    }
  }

  function settle() {
    clearTimeout(timer);
    if (stepping === null) return;
    stepping = null;
    onkeep();
  }

  function typed() {
    if (!editing) return settle();
    editing = false;
    const number = parseNumber(draft);
    // A typed unit counts; without one the unit shown is meant.
    const kilo = /km\s*$/i.test(draft) || (factor === 1000 && /[\d\s]m\s*$/i.test(draft)) ? 1 : factor;
    if (Number.isNaN(number) || draft === text) return;
    ontry(clamp(number * kilo));
    onkeep();
  }

  /** Drag the label sideways to change the number; a click goes into the field. */
  function down(event: PointerEvent) {
    if (disabled || event.button !== 0) return;
    const from = value;
    follow(event, {
      moved: (_, dx) => ontry(moved(from, Math.round(dx / 3))),
      done: (far) => (far ? onkeep() : input.focus()),
      dropped: ondrop,
    });
  }
</script>

<div class="cell" class:editing={editing || stepping !== null}>
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <span class="label" title="Drag to change" onpointerdown={down}>{label}</span>
  <span class="value">
    <input
      bind:this={input}
      aria-label={unit ? `${label}, ${unit}` : label}
      value={editing ? draft : text}
      {disabled}
      onfocus={() => {
        draft = text;
        editing = true;
        input.select();
      }}
      onpointerdown={() => (fresh = document.activeElement !== input)}
      onclick={() => {
        // Only now: the press has put its caret. Later, it could take what is typed, or the focus of the next field.
        if (fresh) input.select();
        fresh = false;
      }}
      oninput={(event) => {
        editing = true;
        draft = event.currentTarget.value;
      }}
      onkeydown={keys}
      onblur={typed}
    />{#if unit}<u>{unit}</u>{/if}
  </span>
  {#if icon}<span class="icon"><Icon name={icon} size={18} /></span>{/if}
</div>

<style>
  .cell {
    height: 37px;
    padding: 3px 6px 0 12px;
    position: relative;
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
    min-width: 0;
    overflow: hidden;
  }
  .cell:hover {
    background: var(--sheet);
  }
  .cell.editing {
    background: var(--sheet);
    box-shadow: inset 0 0 0 1.5px var(--camera);
  }
  .label {
    display: block;
    font-size: 10.5px;
    line-height: 13px;
    color: var(--ink-3);
    cursor: ew-resize;
    touch-action: none;
    user-select: none;
    white-space: nowrap;
  }
  .value {
    display: flex;
    align-items: baseline;
    font-size: 13px;
    line-height: 18px;
    font-weight: 540;
    white-space: nowrap;
  }
  input {
    border: 0;
    background: none;
    /* A number of one digit is wide enough to be hit; its unit lies over the rest. */
    padding: 0 17px 0 0;
    margin: -3px -17px -3px 0;
    min-width: 25px;
    max-width: 100%;
    font-weight: 540;
    outline: none;
    height: 24px;
    field-sizing: content;
  }
  u {
    text-decoration: none;
    color: var(--ink-2);
    font-weight: 420;
    font-size: 11.5px;
    margin-left: 3px;
    pointer-events: none;
  }
  .icon {
    position: absolute;
    right: 8px;
    top: 9px;
    color: var(--ink-3);
    pointer-events: none;
  }
</style>
