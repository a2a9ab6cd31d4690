import simplify from "simplify-js";

type XY = [number, number];

/** How far a line that is drawn may lie beside the one that is meant, px. */
const BESIDE = 0.2;

/** The points of a line on the screen without those that it is all but straight at: lines are painted anew with every
 *  movement of a hand, and each of their points takes its time. */
export function telling(points: XY[]): XY[] {
  if (points.length < 3) return points;
  const told = simplify(
    points.map(([x, y]) => ({ x, y })),
    BESIDE,
    true,
  );
  return told.map(({ x, y }) => [x, y]);
}

/** A line through points on the screen, as the data of a path. */
export function traced(points: XY[]): string {
  if (!points.length) return "";
  return `M${telling(points)
    .map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`)
    .join("L")}`;
}
