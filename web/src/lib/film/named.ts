import type { Film, PatchStep } from "../api/client";

const LISTS = [
  "plates",
  "regions",
  "routes",
  "markers",
  "labels",
  "lamps",
  "decks",
  "insets",
  "styles",
  "lanes",
  "sounds",
  "vantages",
] as const;

type Parts = Pick<Film, (typeof LISTS)[number]>;

const PLACE = /^\/(\w+)\/(\d+|@[^/]+)(\/.*)?$/;

/** The steps of a patch with parts named by id ("/vantages/@a/tilt"), as the film that they were meant for has them: so
 * they still mean these when others have come or gone by the time they are sent. */
export function named(steps: PatchStep[], film: Parts): PatchStep[] {
  return steps.map((step) => {
    const [, list, place, rest = ""] = PLACE.exec(step.path) ?? [];
    const id = known(list) && !place!.startsWith("@") ? film[list]?.[Number(place)]?.id : undefined;
    // What is put in at a place is meant for the place.
    return id === undefined || (step.op === "add" && !rest) ? step : { ...step, path: `/${list}/@${id}${rest}` };
  });
}

/** The same with places, as a film has them; none if a part that is meant is not in it any more. */
export function placed(steps: PatchStep[], film: Parts): PatchStep[] | null {
  const found: PatchStep[] = [];
  for (const step of steps) {
    const [, list, place, rest = ""] = PLACE.exec(step.path) ?? [];
    if (!known(list) || !place!.startsWith("@")) found.push(step);
    else {
      const index = film[list].findIndex(({ id }) => id === place!.slice(1));
      if (index < 0) return null;
      found.push({ ...step, path: `/${list}/${index}${rest}` });
    }
  }
  return found;
}

function known(list: string | undefined): list is (typeof LISTS)[number] {
  return (LISTS as readonly (string | undefined)[]).includes(list);
}
