import type { Vantage, VantagePlan, XY } from "../api/client";
import { session } from "../film/session.svelte";
import { badgePlaces } from "./badges";
import { boxOf, toScreen, type View } from "./view";

/** A vantage on the chart: its frame, its target, where its camera stands, and its number, in pixels. */
export type Standing = {
  laid: VantagePlan;
  document: Vantage;
  index: number;
  target: XY;
  points: XY[];
  /** Too small to be seen as it is, wider than the chart, or neither. */
  shape: "small" | "wide" | "frame";
  eye: XY;
  badge: XY;
  selected: boolean;
  also: boolean;
};

/** All vantages of the film as they stand on the chart. */
export function standingOn(view: View): Standing[] {
  const { film, plan, selection, also } = session;
  const found = (plan?.vantages ?? []).map((laid, index) => {
    const document = film!.vantages[index]!;
    const points = laid.outline.map((p) => toScreen(view, p));
    const target = toScreen(view, [document.x, document.y]);
    const [left, top, right, bottom] = boxOf(points);
    const size = Math.max(right - left, bottom - top);
    const shape: Standing["shape"] = size < 16 ? "small" : size > view.width * 1.7 ? "wide" : "frame";
    return {
      laid,
      document,
      index,
      target,
      points: shape === "small" ? smallFrame(target) : points,
      shape,
      eye: toScreen(view, [laid.eye[0], laid.eye[1]]),
      selected: selection?.kind === "vantage" && selection.id === laid.id,
      also: selection?.kind === "vantage" && also.includes(laid.id),
    };
  });
  const wanted = found.map(({ shape, points, target, selected }) => ({
    at: (shape === "frame" ? [points[0]![0] + 18, points[0]![1] + 18] : [target[0] + 14, target[1] - 14]) as XY,
    first: selected,
  }));
  const badges = badgePlaces(wanted, view.width, view.height);
  return found.map((one, k) => ({ ...one, badge: badges[k]! }));
}

function smallFrame([x, y]: XY): XY[] {
  return [
    [x - 8, y - 5],
    [x + 8, y - 5],
    [x + 8, y + 5],
    [x - 8, y + 5],
  ];
}
