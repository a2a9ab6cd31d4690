<script lang="ts">
  import { session } from "../../film/session.svelte";
  import Select from "../../ui/Select.svelte";

  let {
    kind,
    value,
    onchange,
  }: {
    kind: "fonts" | "signs";
    /** The key of the one that is chosen. */
    value: string | null;
    onchange: (key: string) => void;
  } = $props();

  const words = $derived(
    kind === "fonts"
      ? { label: "Font", gone: "a font that is not here", bring: "bring a font (.ttf, .otf)", files: ".ttf,.otf" }
      : { label: "Picture", gone: "none yet", bring: "bring one (PNG)", files: "image/png,image/jpeg,image/webp" },
  );
  const offered = $derived(session[kind]);
  let chooser = $state<HTMLInputElement>();

  async function bring(files: FileList | null) {
    const key = files?.[0] && (await session.bringAid(kind, files[0]));
    if (key) onchange(key);
  }
</script>

<!-- A font or a picture, of those that are here or one that is brought. -->
<Select
  label={words.label}
  caption={words.label}
  value={value ?? ""}
  options={[
    ...(offered.some(({ key }) => key === value) ? [] : [{ value: value ?? "", label: words.gone }]),
    ...offered.map(({ key, name }) => ({ value: key, label: name })),
    { value: "bring", label: words.bring },
    { value: "sweep", label: "take away what no film uses" },
  ]}
  onchange={(key) =>
    key === "bring" ? chooser?.click() : key === "sweep" ? session.sweepAids() : key && onchange(key)}
/>
{#if kind === "signs" && value}<img src="/api/signs/{value}.png" alt="" />{/if}
<input
  type="file"
  accept={words.files}
  aria-label="{words.label} file"
  bind:this={chooser}
  onchange={(event) => {
    void bring(event.currentTarget.files);
    event.currentTarget.value = "";
  }}
/>

<style>
  img {
    width: 26px;
    height: 26px;
    object-fit: contain;
    background: #8d9a98;
    border-radius: 2px;
  }
  input {
    position: absolute;
    width: 1px;
    opacity: 0;
    pointer-events: none;
  }
</style>
