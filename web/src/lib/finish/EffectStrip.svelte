<script lang="ts">
  import { camera } from "../film/camera.svelte";
  import { isCourse, lineOf, resting, type Changing } from "../film/courses";
  import { player } from "../film/player.svelte";
  import { newId, session } from "../film/session.svelte";
  import { digits } from "../format";
  import Icon from "../ui/Icon.svelte";
  import { EFFECTS, addressed, type EffectFace } from "./effects";

  const film = $derived(session.film!);
  const all = $derived(EFFECTS.map(({ id }) => id));
  const plain = $derived(session.without.length === all.length);

  const seen = $derived(
    plain ? "All left out" : session.without.length ? `${session.without.length} left out` : "All seen",
  );

  function says(face: EffectFace): string {
    const facts = session.numberOf(face.part, face.headline);
    const held = (film.finish[face.id] as Record<string, unknown>)[face.headline] as Changing<number>;
    const now = isCourse(held)
      ? (camera.valueAt({ of: addressed(face.id), field: face.headline }, player.frame) ?? resting(held))
      : held;
    return `${face.before ?? ""}${digits(Number(now) / facts.factor, 3)} ${facts.unit}`.trim();
  }

  const courses = (face: EffectFace) => (session.plan?.courses ?? []).filter(({ of }) => of === addressed(face.id));
  const x = (frame: number) => (frame / Math.max(player.frames - 1, 1)) * 100;

  function turn(face: EffectFace, on: boolean) {
    void session.patch(
      [{ op: "replace", path: `/finish/${face.id}/on`, value: on }],
      `${face.name} ${on ? "on" : "off"}`,
    );
    session.select({ kind: "effect", id: addressed(face.id) });
  }

  /** Show an effect, or leave it out of the picture while one works. */
  function see(face: EffectFace) {
    const out = session.without.includes(face.id);
    session.leaveOut(out ? session.without.filter((one) => one !== face.id) : [...session.without, face.id]);
  }

  async function addDeck() {
    const id = newId();
    if (await session.act({ act: "add_deck", frame: player.frame, id })) session.select({ kind: "deck", id });
  }

  function pick(kind: "lamp" | "deck") {
    const marks = session.marks.filter((one) => one.kind === kind);
    const at = marks.findIndex(({ mark }) => mark.id === session.selection?.id);
    const next = marks[(at + 1) % Math.max(marks.length, 1)];
    if (next) session.select({ kind, id: next.mark.id });
    else if (kind === "lamp") session.tool = "lamp";
    else void addDeck();
  }
</script>

{#snippet effect(face: EffectFace)}
  {@const on = film.finish[face.id].on}
  {@const out = session.without.includes(face.id)}
  <div class="effect" class:on class:chosen={session.selection?.id === addressed(face.id)}>
    <button class="face" title={face.hint} onclick={() => session.select({ kind: "effect", id: addressed(face.id) })}>
      <Icon name={face.icon} size={19} />
      <b>{face.name}</b>
      <u>{on ? says(face) : "off"}</u>
      {#if courses(face)[0]}
        <svg viewBox="0 0 100 8" preserveAspectRatio="none" aria-hidden="true">
          <polyline points={lineOf(courses(face)[0]!, x, 1, 7)} />
        </svg>
      {/if}
    </button>
    <input
      type="checkbox"
      checked={on}
      aria-label="{face.name} in the film"
      title="In the film"
      onchange={(event) => turn(face, event.currentTarget.checked)}
    />
    {#if on}<button
        class="eye"
        aria-pressed={out}
        aria-label="Leave {face.name} out of the picture here"
        title={out ? "Left out of the picture here: show it" : "Leave it out of the picture here; the film keeps it"}
        onclick={() => see(face)}><Icon name="eye" size={13} /></button
      >{/if}
  </div>
{/snippet}

{#snippet layer(kind: "lamp" | "deck", name: string, icon: "lamp" | "cloud", count: number, hint: string)}
  <div class="effect" class:on={count > 0} class:chosen={session.selection?.kind === kind}>
    <button class="face" title={hint} onclick={() => pick(kind)}>
      <Icon name={icon} size={19} /><b>{name}</b><u>{count || "none"}</u>
    </button>
    <button
      class="plus"
      aria-label="Add a {kind}"
      title={kind === "lamp" ? "Hang a lamp: click where, on the chart" : "Lay a deck of cloud below the camera"}
      onclick={() => (kind === "lamp" ? (session.tool = "lamp") : void addDeck())}
      ><Icon name="plus" size={12} /></button
    >
  </div>
{/snippet}

<!-- What is made of the picture, in the order in which it is done. -->
<section class="effects" aria-label="Effects">
  <div class="part map">
    <h3>Sticks to the map</h3>
    <div class="row">
      {#each EFFECTS.filter(({ sticks }) => sticks === "map") as face (face.id)}
        {@render effect(face)}
        {#if face.id === "dusk"}
          {@render layer(
            "lamp",
            "Lamps",
            "lamp",
            film.lamps.length,
            "Lights over the ground; each click chooses the next",
          )}
          {@render layer("deck", "Clouds", "cloud", film.decks.length, "Decks of cloud; each click chooses the next")}
        {/if}
      {/each}
    </div>
  </div>
  <div class="part lens">
    <h3>The lens</h3>
    <div class="row">
      {#each EFFECTS.filter(({ sticks }) => sticks === "lens") as face (face.id)}{@render effect(face)}{/each}
    </div>
  </div>
  <div class="part frame">
    <h3>Sticks to the frame</h3>
    <div class="row">
      {#each EFFECTS.filter(({ sticks }) => sticks === "frame") as face (face.id)}{@render effect(face)}{/each}
    </div>
  </div>
  <button
    class="all"
    aria-pressed={plain}
    title="Leave all of them out of the picture here, to work quickly; the film keeps them (E)"
    onclick={() => session.leaveOut(plain ? [] : all)}
    aria-label={seen}><Icon name="eye" size={16} /><span>{seen}</span></button
  >
</section>

<style>
  .effects {
    display: flex;
    gap: 9px;
    align-items: stretch;
    padding: 6px 9px 8px;
    border-bottom: 1px solid var(--rule-strong);
    border-right: 1px solid var(--rule-strong);
    background: var(--paper);
    overflow-x: auto;
  }
  h3 {
    font-size: 11px;
    font-weight: 600;
    margin: 0;
    height: 18px;
    line-height: 17px;
    text-align: center;
    border: 1px solid var(--imagery);
    background: var(--imagery-tint);
    color: var(--imagery-deep);
    border-radius: 3px 3px 0 0;
  }
  .lens h3 {
    border-color: var(--camera);
    background: #fbe9ef;
    color: #a50b3b;
    border-radius: 9px;
  }
  .frame h3 {
    border-color: var(--ink-2);
    background: var(--desk);
    color: var(--ink);
    border-radius: 0;
  }
  .row {
    display: flex;
  }
  .effect {
    position: relative;
    width: clamp(55px, 4.4vw, 82px);
    height: 72px;
    border-right: 1px solid var(--rule);
    border-bottom: 2px solid transparent;
    color: var(--ink-3);
  }
  .effect:last-child {
    border-right: 0;
  }
  .effect.on {
    color: var(--ink);
  }
  .effect.chosen {
    background: var(--sheet);
    border-bottom-color: var(--camera);
  }
  .face {
    position: absolute;
    inset: 0;
    width: 100%;
    display: flex;
    flex-direction: column;
    align-items: center;
    justify-content: center;
    gap: 1px;
    padding: 2px 0 6px;
  }
  .face:hover {
    background: var(--sheet);
  }
  b {
    font-size: 12px;
    font-weight: 600;
    color: var(--ink);
  }
  u {
    text-decoration: none;
    font-size: 11px;
    color: var(--ink-2);
    font-variant-numeric: tabular-nums;
  }
  svg {
    position: absolute;
    left: 8px;
    right: 8px;
    bottom: 1px;
    width: calc(100% - 16px);
    height: 7px;
  }
  polyline {
    fill: none;
    stroke: var(--ink-2);
    stroke-width: 1.2;
    vector-effect: non-scaling-stroke;
  }
  /* As large as a finger needs, with a small box in it. */
  input {
    position: absolute;
    left: 1px;
    top: 1px;
    width: 24px;
    height: 24px;
    margin: 0;
    appearance: none;
    display: grid;
    place-items: center;
    cursor: pointer;
  }
  input::before {
    content: "";
    width: 13px;
    height: 13px;
    border: 1.5px solid var(--ink-2);
    border-radius: 2px;
    background: #fff;
  }
  input:checked::before {
    border-color: var(--ink);
    background:
      url("data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 10 10'%3E%3Cpath d='M2 5l2 2 4-4' fill='none' stroke='white' stroke-width='1.6'/%3E%3C/svg%3E")
        center / 11px no-repeat,
      var(--ink);
  }
  .eye,
  .plus {
    position: absolute;
    right: 1px;
    top: 1px;
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
    border-radius: 3px;
  }
  .eye[aria-pressed="true"] {
    color: #b5b9b3;
    text-decoration: line-through;
    background: var(--desk);
  }
  .eye:hover,
  .plus:hover {
    background: var(--desk);
  }
  .all {
    align-self: center;
    margin-left: auto;
    height: 30px;
    padding: 0 10px;
    display: flex;
    gap: 6px;
    align-items: center;
    white-space: nowrap;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
  }
  @media (max-width: 1500px) {
    .effects {
      gap: 6px;
      padding-inline: 8px;
    }
    .all {
      width: 34px;
      padding: 0;
      justify-content: center;
    }
    .all span {
      display: none;
    }
  }
  /* In a small window in two rows, each lower. */
  @media (max-width: 1100px) {
    .effects {
      flex-wrap: wrap;
      row-gap: 3px;
      padding-block: 3px;
    }
    .effect {
      width: 57px;
      height: 66px;
    }
    .face {
      justify-content: flex-end;
    }
  }
  .all[aria-pressed="true"] {
    background: var(--ink);
    color: #fff;
  }
</style>
