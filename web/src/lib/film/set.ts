import type { XY } from "../api/client";
import { arrivals } from "./arrivals.svelte";
import { player } from "./player.svelte";
import { newId, session, type Tool } from "./session.svelte";

/** Tools of which one click says where a thing is: on the chart, or in the picture. */
export const SET: Tool[] = ["marker", "label", "inset", "lamp", "focus"];

/** Set the thing of the tool in hand at a place of the ground.
 *
 * @param pixel How many ground units a pixel of the screen shows there.
 * @param under The mark under the pointer, if that is known; else one is looked for beside the place. */
export async function setAt(at: XY, pixel: number, under: string | null = null): Promise<void> {
  const { tool } = session;
  const frame = player.frame;
  if (tool === "marker") {
    const name = `Marker ${session.film!.markers.length + 1}`;
    await mark("marker", { name, x: at[0], y: at[1] }, 12 * pixel);
  } else if (tool === "label") {
    await mark("label", { name: "Label", text: "Label", x: at[0], y: at[1] }, 14 * pixel);
    // What it says comes first.
    requestAnimationFrame(() => document.querySelector<HTMLTextAreaElement>(".details textarea")?.select());
  } else if (tool === "inset") {
    session.tool = "select";
    chooseFiles((files) => void arrivals.setInsets(files, at, 14 * pixel));
  } else if (tool === "lamp") {
    const id = newId();
    if (await session.act({ act: "add_lamp", id, at, mark: under ?? beside(at, 9 * pixel), frame }))
      showNew("lamp", id);
  } else if (tool === "focus") {
    const on = under ?? beside(at, 9 * pixel);
    if (await session.focus({ frame, on: on ? "mark" : "place", mark: on, ground: at })) session.tool = "select";
  }
}

/** Set a mark that comes at the playhead, or with what lies within reach. */
async function mark(kind: "marker" | "label", made: object, reach: number): Promise<void> {
  const id = newId();
  const added = { act: `add_${kind}`, [kind]: { id, ...made }, frame: player.frame, reach } as never;
  if (await session.act(added)) showNew(kind, id);
}

/** Whether something stands upright at a place of the ground. */
const upright = ({ stands }: { stands: string }) => stands === "facing" || stands === "board";

/** The marker or the place of a name beside a place, if there is one. */
function beside(at: XY, reach: number): string | null {
  const { markers, labels } = session.film!;
  const there = [...markers, ...labels.filter(upright)];
  return there.find(({ x, y }) => Math.hypot(x - at[0], y - at[1]) < reach)?.id ?? null;
}

/** What a click on a mark in the picture means, where `ground` shows: the place from which the mark stands up; of one
 * that is in the frame, only the ground behind it. Null where there is none. */
export function meant(id: string | null, ground: XY | null): { at: XY; under: string | null } | null {
  const { markers, labels, insets } = session.film!;
  const sign = [...markers, ...[...labels, ...insets].filter(upright)].find((one) => one.id === id);
  if (sign) return { at: [sign.x, sign.y], under: id };
  const framed = [...labels, ...insets].some((one) => one.id === id && ["frame", "full"].includes(one.stands));
  return ground && { at: ground, under: framed ? null : id };
}

/** Choose a mark that was just set, and go to where all of it is seen. */
export function showNew(kind: "marker" | "label" | "region" | "lamp", id: string): void {
  session.select({ kind, id });
  session.tool = "select";
  const mark = session.mark;
  // What is all there now is seen already.
  if (mark && !player.playing && (kind !== "lamp" || player.frame < mark.whole)) player.seek(mark.whole);
}

/** Let files be chosen, where a click has just been made. */
function chooseFiles(then: (files: File[]) => void): void {
  const input = document.createElement("input");
  Object.assign(input, { type: "file", multiple: true, accept: "image/*,video/*" });
  input.hidden = true;
  // One that is nowhere in the page may be gone before a file is chosen.
  input.onchange = () => {
    then([...(input.files ?? [])]);
    input.remove();
  };
  input.oncancel = () => input.remove();
  document.body.append(input);
  input.click();
}
