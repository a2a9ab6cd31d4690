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

/** All marks, from the ground up. */
export function marksOf(film: Film, plan: Plan): Found[] {
  const routes = film.routes.map((mark, k): Found => {
    const laid = plan.routes[k]!;
    const last = laid.stops[laid.stops.length - 1]!;
    const look = laid.look as unknown as Look;
    const time = { start: laid.starts, end: last.reached, whole: laid.starts, uncovers: null, comes: null, goes: null };
    return { kind: "route", mark, path: `/routes/${k}`, look, ...time };
  });
  const laid = new Map(plan.marks.map((one) => [one.id, one]));
  const timed = (kind: Exclude<MarkKind, "route">) =>
    film[LISTS[kind]].flatMap((mark, k): Found[] => {
      const there = laid.get(mark.id);
      if (!there) return [];
      const { start, end, whole, uncovers, comes, goes } = there;
      const look = there.look as unknown as Look;
      return [{ kind, mark, path: `/${LISTS[kind]}/${k}`, look, comes, goes, start, end, whole, uncovers }];
    });
  const kinds = ["region", "marker", "inset", "label", "lamp", "deck"] as const;
  return [...routes, ...kinds.flatMap(timed)];
}

/** What a mark hangs on, in a word or two. */
export function hangsOn(found: Found): string {
  const starts = found.kind === "route" ? (found.mark as Route).draws.starts : (found.mark as Timed).starts;
  return starts.on === "film" ? "at a time" : `hangs on a ${starts.on}`;
}
