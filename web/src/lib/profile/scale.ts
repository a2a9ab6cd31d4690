import { scaleLog, type ScaleLogarithmic } from "d3-scale";

/** How high the lane of a value that changes is, pixels. */
export const LANE = 28;

/** The log axis of spans: from the widest at the top to the closest at the bottom, in pixels. */
export type SpanScale = ScaleLogarithmic<number, number>;

export function spanScale(spans: number[], top: number, bottom: number): SpanScale {
  const known = spans.filter((span) => span > 0);
  const widest = (known.length ? Math.max(...known) : 1000) * 1.7;
  const closest = (known.length ? Math.min(...known) : 10) / 1.9;
  return scaleLog([widest, closest], [top, bottom]);
}

export function widestOf(scale: SpanScale): number {
  return scale.domain()[0]!;
}

/** The factor on a span that a drag by so many pixels downwards means. */
export function factorOf(scale: SpanScale, pixels: number): number {
  return scale.invert(scale.range()[0]! + pixels) / widestOf(scale);
}

/** Round spans to write along the axis: 1, 3, 10, 30 … */
export function spanMarks(scale: SpanScale, most = 7): number[] {
  const [widest, closest] = scale.domain() as [number, number];
  // As many as there are decades, so that d3 gives all nine marks of each.
  const found = scale.ticks(Math.log10(widest / closest) + 1).filter((span) => /^[13]/.test(span.toExponential()));
  const step = Math.ceil(found.length / Math.max(most, 1));
  return found.sort((one, other) => one - other).filter((_, index) => index % step === 0);
}

/** A name as far as there is room for it, in letters of the size that lanes have; none where it would say nothing. */
export function nameWithin(name: string, room: number): string {
  const letters = Math.floor(room / 6.2);
  return name.length <= letters ? name : letters < 4 ? "" : `${name.slice(0, letters - 1)}…`;
}

/** What has room beside one another along the frames, `room` pixels each: of each crowd what comes first. */
export function apart<T extends { frame: number }>(things: T[], perFrame: number, room: number): T[] {
  const found: T[] = [];
  for (const thing of things)
    if (found.every((other) => Math.abs(other.frame - thing.frame) * perFrame > room)) found.push(thing);
  return found;
}

/** The place from `first` to `last` that is nearest to the one that is wanted and keeps `room` to all others; the wanted
 * one where there is none. */
export function clearOf(wanted: number, first: number, last: number, others: number[], room: number): number {
  const near = others.filter((other) => other > first - room && other < last + room);
  const free = (place: number) => near.every((other) => Math.abs(other - place) >= room - 1e-9);
  const places = [wanted, ...near.flatMap((other) => [other - room, other + room])];
  const found = places.filter((place) => place >= first && place <= last && free(place));
  return found.sort((one, other) => Math.abs(one - wanted) - Math.abs(other - wanted))[0] ?? wanted;
}

/** Push labels apart so that none is nearer than `room` to the one above, and all stay above `bottom`. */
export function spread(wanted: number[], room: number, bottom: number): number[] {
  const places = [...wanted];
  for (let k = 1; k < places.length; k++) places[k] = Math.max(places[k]!, places[k - 1]! + room);
  if (places.length && places[places.length - 1]! > bottom) {
    places[places.length - 1] = bottom;
    for (let k = places.length - 2; k >= 0; k--) places[k] = Math.min(places[k]!, places[k + 1]! - room);
  }
  return places;
}

/** Where things lie in the profile: frames to pixels, spans to pixels, and the edges of the graph. */
export type Axis = {
  x: (frame: number) => number;
  y: (span: number) => number;
  left: number;
  right: number;
  top: number;
  bottom: number;
  perFrame: number;
  height: number;
};

/** The nearest of the frames to hold on to, if one is near enough, or else the frame itself. */
export function snapped(frame: number, to: number[], reach: number): number {
  let best = frame;
  let near = reach + 1;
  for (const other of to) if (Math.abs(other - frame) < near) [best, near] = [other, Math.abs(other - frame)];
  return best;
}
