import type { PlatePlan, XY } from "../api/client";
import { telling } from "../ui/traced";

/** What part of the ground the chart shows: its middle, screen pixels per ground unit, and the size on screen. */
export type View = { x: number; y: number; scale: number; width: number; height: number };

/** Drags something on the chart: what it comes to is tried as the pointer moves from place to place, and kept by a name
 * when it is let go. */
export type Drag = (
  event: PointerEvent,
  moving: (to: XY, from: XY) => void,
  label: string,
  more?: {
    /** It was no drag. */
    clicked?: () => void;
    /** Parts of the film that go with the hand as they are, at once. */
    held?: string[];
  },
) => void;

export function toScreen(view: View, [x, y]: XY): XY {
  return [view.width / 2 + (x - view.x) * view.scale, view.height / 2 - (y - view.y) * view.scale];
}

export function toGround(view: View, [u, v]: XY): XY {
  return [view.x + (u - view.width / 2) / view.scale, view.y - (v - view.height / 2) / view.scale];
}

/** So many parts are painted each apart from the rest at most. */
const MOST_APART = 4;

/** The style of one of `count` things that are drawn so far from where they say they are, ground units. As they move on
 * with the hand, few of them are painted apart from the rest, which is not painted anew. */
export function shifted(view: View, by: XY | null, count: number): string | undefined {
  if (!by) return undefined;
  const [x, y] = [by[0] * view.scale, -by[1] * view.scale].map((value) => value.toFixed(1));
  return `transform: translate(${x}px, ${y}px)${count > MOST_APART ? "" : "; will-change: transform"}`;
}

/** Ground points on the screen, as an SVG list of points. */
export function polyline(view: View, points: XY[]): string {
  return telling(points.map((point) => toScreen(view, point)))
    .map((point) => point.map((v) => v.toFixed(1)).join(","))
    .join(" ");
}

/** Zoom by a factor; the ground under a screen point stays there. */
export function zoomed(view: View, factor: number, about: XY): View {
  const scale = Math.min(Math.max(view.scale * factor, 1e-7), 1e4);
  const [x, y] = toGround(view, about);
  return {
    ...view,
    scale,
    x: x - (about[0] - view.width / 2) / scale,
    y: y + (about[1] - view.height / 2) / scale,
  };
}

/** The view that shows a box of ground with a margin. */
export function fitted(view: View, [west, south, east, north]: [number, number, number, number]): View {
  const room = 0.94;
  const scale = Math.min(
    (view.width * room) / Math.max(east - west, 1e-9),
    (view.height * room) / Math.max(north - south, 1e-9),
  );
  return { ...view, scale, x: (west + east) / 2, y: (south + north) / 2 };
}

/** A point through a 3x3 matrix, row by row. */
export function through(m: number[], x: number, y: number): XY {
  const w = m[6]! * x + m[7]! * y + m[8]!;
  return [(m[0]! * x + m[1]! * y + m[2]!) / w, (m[3]! * x + m[4]! * y + m[5]!) / w];
}

export function inverse(m: number[]): number[] {
  const [a, b, c, d, e, f, g, h, i] = m as [
    number, number, number, number, number, number, number, number, number,
  ]; // prettier-ignore
  const determinant = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  return [
    e * i - f * h, c * h - b * i, b * f - c * e,
    f * g - d * i, a * i - c * g, c * d - a * f,
    d * h - e * g, b * g - a * h, a * e - b * d,
  ].map((value) => value / determinant); // prettier-ignore
}

/** Whether a plate lies on a place of the ground. */
export function on(laid: PlatePlan, point: XY): boolean {
  const [x, y] = through(inverse(laid.matrix), ...point);
  return x >= 0 && y >= 0 && x <= laid.size[0] && y <= laid.size[1];
}

/** The box around points: left, top, right, bottom. */
export function boxOf(points: XY[]): [number, number, number, number] {
  const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** The middle of an outline's corners. */
export function centre(outline: XY[]): XY {
  return [0, 1].map((axis) => outline.reduce((sum, p) => sum + p[axis]!, 0) / outline.length) as XY;
}

/** Places of round coordinates within a stretch of an axis. */
export function marks(from: number, to: number, step: number): number[] {
  const first = Math.ceil(from / step);
  const last = Math.floor(to / step);
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, k) => (first + k) * step);
}
