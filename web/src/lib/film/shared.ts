import type { Film, PatchStep } from "../api/client";

/** What each part has for itself: never given to others that are chosen with it. */
const OWN = ["id", "name", "text", "x", "y", "points", "rings", "circle", "stop"];

const PLACE = /^\/(\w+)\/(\d+)\/(.+)$/;

type Part = { id?: string } & Record<string, unknown>;

/** What a path means in the parts that are chosen besides the one it names: their places, and whether it is another
 * value there. A part that has no such field (another manner, say) is left out. */
function elsewhere(path: string, film: Film, chosen: string[]): { index: number; list: string; differs: boolean }[] {
  const [, list, place, rest] = PLACE.exec(path) ?? [];
  const parts = list ? (film as unknown as Record<string, Part[] | undefined>)[list] : undefined;
  const one = Array.isArray(parts) ? parts[Number(place)] : undefined;
  const names = rest?.split("/") ?? [];
  if (!one?.id || !chosen.includes(one.id) || names.some((name) => OWN.includes(name))) return [];
  // Places that a rail looks at are its own as well.
  if (rest!.includes("manner/look")) return [];
  const here = holder(one, names);
  return parts!.flatMap((other, index) => {
    if (other === one || !chosen.includes(other.id ?? "")) return [];
    const there = holder(other, names);
    const name = names[names.length - 1]!;
    if (!here || !there || !(name in there) || here.kind !== there.kind) return [];
    return [{ index, list: list!, differs: JSON.stringify(here[name]) !== JSON.stringify(there[name]) }];
  });
}

/** What holds the last of some names in a part. */
function holder(part: Part, names: string[]): Record<string, unknown> | null {
  let held: unknown = part;
  for (const name of names.slice(0, -1)) held = (held as Record<string, unknown> | null)?.[name];
  return held !== null && typeof held === "object" ? (held as Record<string, unknown>) : null;
}

/** The steps of a patch for all parts that are chosen, where they are meant for one of them. */
export function spread(steps: PatchStep[], film: Film, chosen: (path: string) => string[]): PatchStep[] {
  const given = new Set(steps.map(({ path }) => path));
  return steps.flatMap((step) => {
    if (step.op !== "replace") return [step];
    const others = elsewhere(step.path, film, chosen(step.path)).map(({ index }) => ({
      ...step,
      path: step.path.replace(/^(\/\w+\/)\d+/, `$1${index}`),
    }));
    return [step, ...others.filter(({ path }) => !given.has(path))];
  });
}

/** Whether the value at a path is another one in any part that is chosen besides. */
export function differs(path: string, film: Film, chosen: string[]): boolean {
  return elsewhere(path, film, chosen).some((one) => one.differs);
}
