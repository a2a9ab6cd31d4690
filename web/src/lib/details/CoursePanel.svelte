<script lang="ts">
  import type { CoursePlan, Ease, Moment } from "../api/client";
  import { stopSays, type Address } from "../film/courses";
  import { player } from "../film/player.svelte";
  import { session } from "../film/session.svelte";
  import Button from "../ui/Button.svelte";
  import Icon from "../ui/Icon.svelte";
  import Select from "../ui/Select.svelte";
  import Field from "./Field.svelte";
  import ColourField from "./marks/ColourField.svelte";
  import TieField from "./marks/TieField.svelte";

  let { course, mark }: { course: CoursePlan; mark: string | null } = $props();

  const address = $derived<Address>({ of: course.via ?? course.of, field: course.field });
  const stop = $derived(course.stops.find((one) => one.id === session.course?.stop) ?? null);
  /** The stop as it stands in the document, and where. */
  const held = $derived.by(() => {
    let at: unknown = session.film;
    for (const name of course.path.split("/").slice(1)) at = (at as Record<string, unknown>)[name];
    const stops = (at as { stops: { id: string; at: Moment; ease: Ease }[] } | null)?.stops ?? [];
    const place = stops.findIndex((one) => one.id === stop?.id);
    return place < 0 ? null : { ...stops[place]!, path: `${course.path}/stops/${place}` };
  });
  const eases = $derived([
    ...(session.choices?.eases ?? []).map(({ name }) => ({ value: name, label: name.toLowerCase() })),
    { value: "", label: "free" },
  ]);
  const ease = $derived(
    session.choices?.eases.find(
      ({ x1, y1, x2, y2 }) =>
        held && [x1 - held.ease.x1, y1 - held.ease.y1, x2 - held.ease.x2, y2 - held.ease.y2].every((d) => d === 0),
    )?.name ?? "",
  );
  const others = $derived(
    session.marks.filter(({ kind, mark: one }) => one.id !== mark && kind === session.mark?.kind),
  );

  function setEase(name: string) {
    const named = session.choices!.eases.find((one) => one.name === name);
    if (!named || !held) return;
    const { x1, y1, x2, y2 } = named;
    const value = { x1, y1, x2, y2, speed: [] };
    void session.patch([{ op: "replace", path: `${held.path}/ease`, value }], "Ease of a stop");
  }
</script>

<section aria-label="{course.label} over the film">
  <header>
    <b>{course.label} over the film</b>
    <Button onclick={() => session.grow(address, player.frame)}>Stop at the playhead</Button>
    <button title="Close" aria-label="Close" onclick={() => (session.course = null)}
      ><Icon name="close" size={13} /></button
    >
  </header>
  <ol>
    {#each course.stops as one, k (one.id)}
      <li class:on={one.id === stop?.id}>
        <button
          class="pick"
          onclick={() => {
            session.course = { of: course.of, field: course.field, stop: one.id };
            player.seek(one.frame);
          }}
        >
          <i>{k + 1}</i>
          {#if course.tints.length}<span class="tint" style:background={one.value}></span>{/if}
          <span>{stopSays(course, one, session.film!.ground.kind)}</span>
          <u>{one.on === "film" ? "" : "tied"}</u>
          <time>{(one.frame / session.rate).toFixed(2)} s</time>
        </button>
        <button
          title="Take this stop out"
          aria-label="Take stop {k + 1} out"
          onclick={() => session.act({ act: "remove_stop", ...address, stop: one.id })}
          ><Icon name="bin" size={13} /></button
        >
      </li>
    {/each}
  </ol>
  {#if stop && held}
    <div class="stop">
      {#if typeof stop.value === "number"}
        <Field
          label="Value"
          value={stop.value}
          unit={course.unit}
          factor={course.factor}
          step={course.factor === 1 ? 1 : 0.05}
          onput={(value) => session.tryAct({ act: "move_stop", ...address, stop: stop.id, by: 0, value })}
        />
      {:else if typeof stop.value === "string" && course.tints.length}
        <ColourField
          label="Value"
          value={stop.value}
          onput={(value) => session.tryAct({ act: "move_stop", ...address, stop: stop.id, by: 0, value })}
        />
      {/if}
      <Select label="How it runs on from there" caption="Runs on" value={ease} options={eases} onchange={setEase} />
      <Button onclick={() => session.act({ act: "copy_stop", ...address, stop: stop.id, frame: player.frame })}
        >Again here</Button
      >
    </div>
    <TieField label="Reached when" path="{held.path}/at" moment={held.at} {mark} frame={stop.frame} />
  {/if}
  <footer>
    {#if others.length && session.mark}
      <Button
        title="Give the same course to every {session.mark.kind}"
        onclick={() => session.act({ act: "copy_course", ...address, to: others.map((one) => one.mark.id) })}
        >To all {session.mark.kind}s</Button
      >
    {/if}
    <Button
      onclick={() => {
        void session.act({ act: "keep_value", ...address, frame: player.frame });
        session.course = null;
      }}>Change no more</Button
    >
  </footer>
</section>

<style>
  section {
    border-top: 1px solid var(--rule-strong);
    border-bottom: 1px solid var(--rule-strong);
    background: var(--sheet);
    /* It stays in sight below the fields, however far these are scrolled. */
    position: sticky;
    bottom: 0;
    z-index: 1;
  }
  header,
  footer,
  .stop {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 4px 8px 4px 12px;
  }
  header b {
    flex: 1;
    font-weight: 660;
  }
  header > button,
  li > button:last-child {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
  }
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
    max-height: 132px;
    overflow-y: auto;
  }
  li {
    display: flex;
    align-items: center;
    border-top: 1px solid var(--rule);
    padding-right: 8px;
  }
  li.on {
    background: var(--desk);
  }
  .pick {
    flex: 1;
    display: grid;
    grid-template-columns: 20px auto minmax(0, 1fr) auto 62px;
    gap: 6px;
    align-items: center;
    height: 26px;
    padding-left: 12px;
    text-align: left;
  }
  i {
    font-style: normal;
    font-size: 10.5px;
    color: var(--ink-3);
  }
  .tint {
    width: 16px;
    height: 12px;
    border: 1px solid var(--edge);
    grid-column: 2;
  }
  .tint + span,
  i + span {
    grid-column: 3;
  }
  u {
    text-decoration: none;
    color: var(--ink-2);
    font-size: 10.5px;
  }
  time {
    font-family: var(--mono);
    font-size: 11px;
    color: var(--ink-2);
    text-align: right;
  }
  .stop {
    border-top: 1px solid var(--rule);
  }
  .stop :global(.cell) {
    border: 0;
    flex: 0 0 96px;
    padding-left: 0;
  }
  footer {
    justify-content: flex-end;
    border-top: 1px solid var(--rule);
  }
</style>
