import type { Arrival, Deck, Film, Inset, Label, Lamp, Marker, Plan, Region, Route } from "../api/client";

export type MarkKind = "route" | "region" | "marker" | "label" | "lamp" | "deck" | "inset";
/** How a mark looks, by the names of its properties. */
export type Look = Record<string, string | number | boolean | null>;
export type Timed = Region | Marker | Label | Lamp | Deck | Inset;

/** A mark of the film, where it stands in the document, and how it looks with its style. */
export type Found<K extends MarkKind = MarkKind> = {
  kind: K;
  mark: { route: Route; region: Region; marker: Marker; label: Label; lamp: Lamp; deck: Deck; inset: Inset }[K];
  /** A JSON Pointer. */
  path: string;
  look: Look;
  /** How it comes and goes with its style; a route does neither. */
  comes: Arrival | null;
  goes: Arrival | null;
  /** First frame, and the frame after the last; the film's end if it has none. */
  start: number;
  end: number;
  /** A frame at which all of it is there; of a route, the one on which its line sets out. */
  whole: number;
  /** The frame on which it begins to be uncovered. */
  uncovers: number | null;
};

/** Where the marks of each kind stand in the document. */
export const LISTS = {
  route: "routes",
  region: "regions",
  marker: "markers",
  label: "labels",
  lamp: "lamps",
  deck: "decks",
  inset: "insets",
} as const;

/** All marks, from the ground up; one that is as it was before is the very same. */
export function marksOf(film: Film, plan: Plan): Found[] {
  const routes = film.routes.map((mark, k): Found => {
    const laid = plan.routes[k]!;
    return found(mark, laid, `/routes/${k}`, () => {
      const last = laid.stops[laid.stops.length - 1]!;
      const time = { start: laid.starts, end: last.reached, whole: laid.starts, uncovers: null };
      return { kind: "route", ...time, comes: null, goes: null };
    });
  });
  const laid = new Map(plan.marks.map((one) => [one.id, one]));
  const timed = (kind: Exclude<MarkKind, "route">) =>
    film[LISTS[kind]].flatMap((mark, k): Found[] => {
      const there = laid.get(mark.id);
      if (!there) return [];
      return [
        found(mark, there, `/${LISTS[kind]}/${k}`, () => {
          const { start, end, whole, uncovers, comes, goes } = there;
          return { kind, start, end, whole, uncovers, comes, goes };
        }),
      ];
    });
  const kinds = ["region", "marker", "inset", "label", "lamp", "deck"] as const;
  return [...routes, ...kinds.flatMap(timed)];
}

const known = new WeakMap<Found["mark"], { laid: object; found: Found }>();

/** A mark where it stands and as it is laid out: what was found before, while all of it is the same. */
function found(
  mark: Found["mark"],
  laid: { look: unknown },
  path: string,
  rest: () => Omit<Found, "mark" | "path" | "look">,
): Found {
  const before = known.get(mark);
  if (before?.laid === laid && before.found.path === path) return before.found;
  const made: Found = { ...rest(), mark, path, look: laid.look as Look };
  known.set(mark, { laid, found: made });
  return made;
}

/** What a mark hangs on, in a word or two. */
export function hangsOn(found: Found): string {
  const starts = found.kind === "route" ? (found.mark as Route).draws.starts : (found.mark as Timed).starts;
  return starts.on === "film" ? "at a time" : `hangs on a ${starts.on}`;
}
