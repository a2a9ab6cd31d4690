<script lang="ts">
  import { session } from "../../film/session.svelte";

  let {
    path,
    label,
    value,
    onput,
  }: {
    /** Where in the document the colour stands, as a JSON Pointer. */
    path?: string;
    label: string;
    value: string;
    /** What tries a new colour, where it is no plain value at a path. */
    onput?: (value: string) => void;
  } = $props();

  function attempt(next: string) {
    if (onput) onput(next);
    else session.tryPatch([{ op: "replace", path: path!, value: next }]);
  }
</script>

<label class="cell colour">
  <span>{label}</span>
  <span class="row"
    ><input
      type="color"
      {value}
      oninput={(event) => attempt(event.currentTarget.value)}
      onchange={() => session.keepTrial(label)}
    />{value}</span
  >
</label>

<style>
  .colour {
    height: 37px;
    padding: 3px 6px 0 12px;
    border-left: 1px solid var(--rule);
    border-top: 1px solid var(--rule);
    font-size: 10.5px;
    line-height: 13px;
    color: var(--ink-3);
    display: block;
    overflow: hidden;
  }
  .row {
    display: flex;
    align-items: center;
    gap: 6px;
    font-size: 12px;
    color: var(--ink);
    font-family: var(--mono);
  }
  input {
    width: 22px;
    height: 17px;
    border: 1px solid var(--edge);
    padding: 0;
    background: none;
  }
</style>
