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
  <div class="effect" class:on class:out class:chosen={session.selection?.id === addressed(face.id)}>
    <button class="face" title={face.hint} onclick={() => session.select({ kind: "effect", id: addressed(face.id) })}>
      <Icon name={face.icon} size={17} />
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
      <Icon name={icon} size={17} /><b>{name}</b><u>{count || "none"}</u>
    </button>
    <button
      class="plus"
      aria-label="Add a {kind}"
      title={kind === "lamp"
        ? "Hang a lamp: click where, on the chart or in the picture"
        : "Lay a deck of cloud below the camera"}
      onclick={() => (kind === "lamp" ? (session.tool = "lamp") : void addDeck())}
      ><Icon name="plus" size={12} /></button
    >
  </div>
{/snippet}

{#snippet part(sticks: EffectFace["sticks"], title: string)}
  <div class="part {sticks}">
    <h3>{title}</h3>
    {#each EFFECTS.filter((face) => face.sticks === sticks) as face (face.id)}
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
{/snippet}

<!-- What is made of the picture, in the order in which it is done. -->
<section class="effects" aria-label="Effects">
  {@render part("map", "Sticks to the map")}
  {@render part("lens", "The lens")}
  {@render part("frame", "Sticks to the frame")}
  <button
    class="all"
    aria-pressed={plain}
    title="Leave all of them out of the picture here, to work quickly; the film keeps them (E)"
    onclick={() => session.leaveOut(plain ? [] : all)}
    aria-label={seen}><Icon name="eye" size={16} /></button
  >
</section>

<style>
  /* Ten to a row, the map and the lens above what sticks to the frame. */
  .effects {
    display: grid;
    grid-template: auto auto / minmax(0, 8fr) minmax(0, 2fr) 26px;
    grid-template-areas: "map lens all" "frame frame all";
    gap: 4px 8px;
    padding: 5px 8px 6px;
    border-bottom: 1px solid var(--rule-strong);
    border-right: 1px solid var(--rule-strong);
    background: var(--paper);
  }
  .part {
    display: flex;
    flex-wrap: wrap;
    min-width: 0;
  }
  .map {
    grid-area: map;
  }
  .lens {
    grid-area: lens;
  }
  .frame {
    grid-area: frame;
  }
  h3 {
    flex: 0 0 100%;
    height: 15px;
    font-size: 10.5px;
    font-weight: 600;
    margin: 0;
    line-height: 14px;
    text-align: center;
    white-space: nowrap;
    border-bottom: 2px solid var(--imagery);
    color: var(--imagery-deep);
  }
  .lens h3 {
    border-color: var(--camera);
    color: #a50b3b;
  }
  .frame h3 {
    border-color: var(--ink-2);
    color: var(--ink);
  }
  .effect {
    position: relative;
    flex: 1 1 0;
    min-width: 0;
    height: 38px;
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
    display: grid;
    grid-template: 18px 16px / 20px minmax(0, 1fr);
    align-items: center;
    justify-items: start;
    padding: 1px 2px 2px 4px;
    text-align: left;
  }
  .face :global(svg:first-child) {
    grid-area: 2 / 1;
  }
  .face:hover {
    background: var(--sheet);
  }
  b {
    grid-area: 1 / 2;
    font-size: 11px;
    letter-spacing: -0.025em;
    font-weight: 600;
    color: var(--ink);
    white-space: nowrap;
  }
  u {
    grid-area: 2 / 2;
    text-decoration: none;
    font-size: 11px;
    color: var(--ink-2);
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  .out b,
  .out u {
    text-decoration: line-through;
  }
  .face > svg {
    position: absolute;
    left: 24px;
    right: 4px;
    bottom: 0;
    width: calc(100% - 28px);
    height: 6px;
  }
  polyline {
    fill: none;
    stroke: var(--camera);
    stroke-width: 1.2;
    vector-effect: non-scaling-stroke;
  }
  /* As large as a finger needs, with a small box in it. */
  input {
    position: absolute;
    left: 0;
    top: -2px;
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
    width: 12px;
    height: 12px;
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
    right: 0;
    bottom: 0;
    width: 24px;
    height: 24px;
    display: grid;
    place-items: center;
    color: var(--ink-2);
    border-radius: 3px;
  }
  .eye {
    opacity: 0;
  }
  .effect:hover .eye,
  .eye:focus-visible,
  .eye[aria-pressed="true"] {
    opacity: 1;
    background: var(--desk);
  }
  .plus:hover {
    background: var(--desk);
  }
  .all {
    grid-area: all;
    align-self: stretch;
    display: grid;
    place-items: center;
    border: 1px solid var(--edge);
    border-radius: 3px;
    background: var(--sheet);
  }
  .all[aria-pressed="true"] {
    background: var(--ink);
    color: #fff;
  }
  /* In a small window the name has all of the width, and the box stands where the icon was. */
  @media (max-width: 1100px) {
    .face {
      padding-left: 4px;
    }
    .face :global(svg:first-child) {
      display: none;
    }
    b {
      grid-area: 1 / 1 / 2 / 3;
      font-size: 10.5px;
      letter-spacing: -0.02em;
    }
    input {
      top: 14px;
      left: -2px;
    }
    .plus {
      width: 24px;
      bottom: 14px;
    }
    .effects {
      gap: 3px 5px;
      padding-inline: 5px;
    }
  }
</style>
