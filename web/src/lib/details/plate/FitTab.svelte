<script lang="ts">
  import type { Placement, Plate, PlatePlan } from "../../api/client";
  import { session } from "../../film/session.svelte";
  import { resting } from "../../film/courses";
  import { digits, parseNumber } from "../../format";
  import Button from "../../ui/Button.svelte";
  import Cell from "../../ui/Cell.svelte";
  import Cells from "../../ui/Cells.svelte";
  import Icon from "../../ui/Icon.svelte";
  import Segments from "../../ui/Segments.svelte";

  let { plate, laid, index }: { plate: Plate; laid: PlatePlan; index: number } = $props();

  const plain = $derived(session.film?.ground.kind === "plain");
  const now = $derived(resting<Placement>(plate.placement));
  const placement = $derived(now.kind === "similarity" ? now : null);
  const kept = $derived(session.sheet!.film.plates[index]?.placement as { scale: number; turn: number } | undefined);
  const place = (value: number) => (plain ? digits(value, 6) : digits(value / 1000, 7));
  const put = (path: string, value: unknown) =>
    session.tryPatch([{ op: "replace", path: `/plates/${index}/${path}`, value }]);
  const names = { similarity: "Similarity", affine: "Affine", homography: "Homography", bend: "Bend" } as const;
  const models = $derived([
    { value: "choose", label: "Chosen", hint: "What foretells the ties best from one another" },
    ...(Object.keys(names) as (keyof typeof names)[]).map((model) => {
      const left = laid.fit?.models[model];
      return {
        value: model,
        label:
          left === null || left === undefined ? names[model] : `${names[model]} ${left < 100 ? digits(left, 2) : "–"}`,
        hint: `${names[model]}: root mean square in pixels when every tie is foretold from the others`,
      };
    }),
  ]);
  const other = (id: string | null) => session.film!.plates.find((one) => one.id === id)?.name ?? "the ground";

  /** By numbers, scale and turn keep the pin where it is, as the corners do. */
  function about(): [number, number] | null {
    return session.pivot?.plate === plate.id ? session.pivot.at : null;
  }

  function tied(ties: Plate["fit"]["ties"], model: Plate["fit"]["model"] = plate.fit.model, hold = plate.fit.hold) {
    void session.act({ act: "tie_plate", plate: plate.id, ties, model, hold });
  }

  /** A control point typed as two numbers. */
  function typed(id: string, text: string) {
    const numbers = text.split(/[,;\s]+/).map((part) => parseNumber(part) * (plain ? 1 : 1000));
    if (numbers.length !== 2 || !numbers.every(Number.isFinite)) {
      session.notice = `“${text}” is not a place: write two numbers, ${plain ? "X, Y" : "east, north in kilometres"}.`;
      return;
    }
    tied(plate.fit.ties.map((one) => (one.id === id ? { ...one, to: numbers as [number, number], match: null } : one)));
  }
</script>

<div class="how">
  <Button onclick={() => session.fit([plate.id], [])} disabled={index === 0} title="Find it on the plates below"
    ><Icon name="lens" size={13} />Find</Button
  >
  <Button onclick={() => (session.tool = "tie")} on={session.tool === "tie"} title="Click a feature, then its match (X)"
    ><Icon name="tie" size={14} />Tie points</Button
  >
  <Button
    onclick={() => (session.tool = session.tool === "control" ? "select" : "control")}
    on={session.tool === "control"}
    title="Click a feature of the plate, then type its coordinates">Control</Button
  >
  <span class="said">
    {#if plate.fit.by === "found"}Found on <b>{other(plate.fit.on)}</b>, {digits(plate.fit.residual ?? 0, 2)} px{:else if plate.fit.by === "ties"}Off
      by <b>{digits(plate.fit.residual ?? 0, 2)} px</b> on the whole{:else if plate.fit.by === "file"}Laid by its file{:else if index === 0}The
      others are laid on it{:else}Laid by hand{/if}
  </span>
</div>
{#if plate.fit.note}<p class="note"><Icon name="bob" size={13} fill />{plate.fit.note}</p>{/if}
{#if plate.fit.ties.length}
  <div class="models">
    <Segments
      label="Model"
      options={models}
      value={plate.fit.model ?? "choose"}
      onchange={(value) => tied(plate.fit.ties, value === "choose" ? null : (value as keyof typeof names))}
    />
    {#if plate.fit.ties.some((tie) => tie.other)}
      <div class="exact">
        <Button title="Look for every tie anew, as the plate lies now" onclick={() => session.tieExactly(plate.id)}
          >Make all exact</Button
        >
      </div>
    {/if}
    {#if plate.fit.model === "bend"}
      <label class="hold">
        <input
          type="checkbox"
          checked={plate.fit.hold}
          onchange={(event) => tied(plate.fit.ties, "bend", event.currentTarget.checked)}
        /> Hold the goal flat: where the plates above lie, or the middle
      </label>
    {/if}
  </div>
  <div class="ties">
    {#each plate.fit.ties as tie, k (tie.id)}
      {@const known = laid.fit?.ties.find((one) => one.id === tie.id)}
      <div class="tie" class:worst={known?.worst}>
        <label title="Use this tie"
          ><input
            type="checkbox"
            aria-label="Use tie {k + 1}"
            checked={tie.used}
            onchange={(event) =>
              tied(
                plate.fit.ties.map((one) => (one.id === tie.id ? { ...one, used: event.currentTarget.checked } : one)),
              )}
          /></label
        >
        <b>{k + 1}</b>
        {#if tie.other}<span>to {other(tie.other)}</span>{:else}
          <input
            class="to"
            aria-label="Where tie {k + 1} belongs, {plain ? 'X, Y' : 'east, north in km'}"
            value="{place(tie.to[0])}, {place(tie.to[1])}"
            onkeydown={(event) => event.key === "Enter" && event.currentTarget.blur()}
            onchange={(event) => typed(tie.id, event.currentTarget.value)}
          />
        {/if}
        {#if tie.other}
          <button
            class="match"
            title="Look for it anew, as the plate lies now"
            aria-label="Look for tie {k + 1} anew"
            onclick={() => session.tieExactly(plate.id, tie.id)}
            >{tie.match === null ? "look" : `match ${digits(tie.match, 2)}`}</button
          >
        {:else}<span></span>{/if}
        <span class="figure"
          >{#if known?.worst}<Icon name="bob" size={12} fill />{/if}{known
            ? `${digits(known.off, 3)} px`
            : "its plate is gone"}</span
        >
        <button
          title="Take tie {k + 1} out"
          aria-label="Take tie {k + 1} out"
          onclick={() => tied(plate.fit.ties.filter((one) => one.id !== tie.id))}
          ><Icon name="close" size={13} /></button
        >
      </div>
    {/each}
  </div>
{/if}
{#if placement}
  <Cells columns={4}>
    <Cell
      label={plain ? "X of centre" : "East of centre"}
      value={placement.x}
      text={place(placement.x)}
      unit={plain ? "px" : "km"}
      factor={plain ? 1 : 1000}
      step={placement.scale}
      ontry={(value) => put("placement/x", value)}
      onkeep={() => session.keepTrial("Move plate")}
      ondrop={() => session.dropTrial()}
    />
    <Cell
      label={plain ? "Y of centre" : "North of centre"}
      value={placement.y}
      text={place(placement.y)}
      unit={plain ? "px" : "km"}
      factor={plain ? 1 : 1000}
      step={placement.scale}
      ontry={(value) => put("placement/y", value)}
      onkeep={() => session.keepTrial("Move plate")}
      ondrop={() => session.dropTrial()}
    />
    <Cell
      label="Scale"
      value={placement.scale}
      text={digits(placement.scale, 4)}
      unit={plain ? "px/px" : "m/px"}
      step={0.001}
      log
      min={1e-6}
      max={1e7}
      ontry={(value) =>
        session.tryAct({
          act: "move_plate",
          plate: plate.id,
          by: [0, 0],
          factor: value / kept!.scale,
          degrees: 0,
          about: about(),
        })}
      onkeep={() => session.keepTrial("Scale plate")}
      ondrop={() => session.dropTrial()}
    />
    <Cell
      label="Turn"
      value={placement.turn}
      text={digits(placement.turn, 3)}
      unit="°"
      step={0.1}
      min={-360}
      max={360}
      ontry={(value) =>
        session.tryAct({
          act: "move_plate",
          plate: plate.id,
          by: [0, 0],
          factor: 1,
          degrees: value - kept!.turn,
          about: about(),
        })}
      onkeep={() => session.keepTrial("Turn plate")}
      ondrop={() => session.dropTrial()}
    />
  </Cells>
{:else}
  <p>
    Laid by {now.kind === "affine" ? "an affine map" : "a homography"}{plate.bend ? ", bent" : ""}. Drag it, or its
    corners, and it moves as it is.
  </p>
{/if}

<style>
  .how {
    display: flex;
    align-items: center;
    gap: 6px;
    padding: 8px 12px;
  }
  .said {
    flex: 1;
    text-align: right;
    font-size: 11px;
    color: var(--ink-2);
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  b {
    font-weight: 560;
    color: var(--ink);
  }
  .note {
    display: flex;
    gap: 6px;
    background: var(--imagery-tint);
    color: var(--ink);
  }
  .models {
    padding: 0 12px 8px;
  }
  .models :global(button) {
    padding: 0 4px;
    font-size: 11px;
  }
  .exact {
    padding-top: 6px;
  }
  .hold {
    display: block;
    padding-top: 6px;
    color: var(--ink-2);
  }
  .hold input,
  .tie input {
    accent-color: var(--ink);
  }
  .ties {
    border-top: 1px solid var(--rule);
    max-height: 122px;
    overflow-y: auto;
  }
  .tie {
    display: grid;
    grid-template-columns: 27px 20px minmax(0, 1fr) 72px 82px 24px;
    align-items: center;
    height: 24px;
    padding-right: 8px;
    border-bottom: 1px solid var(--rule);
    color: var(--ink-2);
    white-space: nowrap;
  }
  .tie label {
    display: grid;
    place-items: center;
    height: 24px;
  }
  .tie.worst {
    background: var(--imagery-tint);
  }
  .tie span {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .to {
    border: 0;
    background: none;
    color: var(--ink-2);
    min-width: 0;
    height: 22px;
  }
  .to:focus {
    background: var(--sheet);
    box-shadow: inset 0 0 0 1.5px var(--camera);
  }
  .figure {
    display: flex;
    justify-content: flex-end;
    gap: 3px;
    align-items: center;
  }
  .tie button {
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
  }
  .tie .match {
    width: auto;
    justify-self: start;
    text-decoration: underline;
    text-decoration-color: var(--rule-strong);
    text-underline-offset: 3px;
  }
  p {
    padding: 8px 12px;
    color: var(--ink-2);
    line-height: 17px;
  }
</style>
