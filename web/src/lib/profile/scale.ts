/** How high the lane of a value that changes is, pixels. */
export const LANE = 28;

/** The log axis of spans: wide at the top, close at the bottom. */
export type SpanScale = { top: number; bottom: number; widest: number; closest: number };

export function spanScale(spans: number[], top: number, bottom: number): SpanScale {
  const known = spans.filter((span) => span > 0);
  const widest = (known.length ? Math.max(...known) : 1000) * 1.7;
  const closest = (known.length ? Math.min(...known) : 10) / 1.9;
  return { top, bottom, widest, closest };
}

export function yOf(scale: SpanScale, span: number): number {
  const share = Math.log(scale.widest / span) / Math.log(scale.widest / scale.closest);
  return scale.top + share * (scale.bottom - scale.top);
}

/** The factor on a span that a drag by so many pixels downwards means. */
export function factorOf(scale: SpanScale, pixels: number): number {
  return Math.exp((-pixels / (scale.bottom - scale.top)) * Math.log(scale.widest / scale.closest));
}

/** Round spans to write along the axis: 1, 3, 10, 30 … */
export function spanMarks(scale: SpanScale, most = 7): number[] {
  const found: number[] = [];
  for (let power = Math.floor(Math.log10(scale.closest)); power <= Math.log10(scale.widest); power++)
    for (const lead of [1, 3]) {
      const value = lead * 10 ** power;
      if (value > scale.closest && value < scale.widest) found.push(value);
    }
  const step = Math.ceil(found.length / Math.max(most, 1));
  return found.filter((_, index) => index % step === 0);
}

/** A name as far as there is room for it, in letters of the size that lanes have; none where it would say nothing. */
export function nameWithin(name: string, room: number): string {
  const letters = Math.floor(room / 6.2);
  return name.length <= letters ? name : letters < 4 ? "" : `${name.slice(0, letters - 1)}…`;
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
