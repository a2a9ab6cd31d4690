import type { XY } from "../api/client";
import { zoomed, type View } from "./view";

/** How far a key moves the cross, screen pixels: by itself, with Shift, with Alt. */
const STEPS = { plain: 12, far: 60, fine: 1 };

/** How near to the chart's edge the cross comes before the chart moves instead, screen pixels. */
const RIM = 24;

const WAYS: Record<string, XY> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

const ZOOMS: Record<string, number> = { "+": 1.25, "=": 1.25, "-": 1 / 1.25 };

type Keys = Pick<KeyboardEvent, "key" | "shiftKey" | "altKey">;

/** Where the cross is, on the screen, and what the chart shows, after a key that moves it, where it `moves`, or that
 * comes closer or goes wider; none if the key is not for that. */
export function aimed(cross: XY | null, view: View, { key, shiftKey, altKey }: Keys, moves = true) {
  const from: XY = cross ?? [view.width / 2, view.height / 2];
  const zoom = ZOOMS[key];
  if (zoom) return { cross: from, view: zoomed(view, zoom, from) };
  const way = moves ? WAYS[key] : undefined;
  if (!way) return null;
  const step = altKey ? STEPS.fine : shiftKey ? STEPS.far : STEPS.plain;
  const to: XY = [from[0] + way[0] * step, from[1] + way[1] * step];
  const kept: XY = [
    Math.min(Math.max(to[0], RIM), Math.max(view.width - RIM, RIM)),
    Math.min(Math.max(to[1], RIM), Math.max(view.height - RIM, RIM)),
  ];
  const moved = { x: view.x + (to[0] - kept[0]) / view.scale, y: view.y - (to[1] - kept[1]) / view.scale };
  return { cross: kept, view: { ...view, ...moved } };
}
