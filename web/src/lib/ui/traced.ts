import simplify from "simplify-js";

type XY = [number, number];

/** How far a line that is drawn may lie beside the one that is meant, px. */
const BESIDE = 0.2;
/** So many points are looked at together: of some lines the time that it takes grows with the square of them. */
const RUN = 512;

/** The points of a line on the screen without those that it is all but straight at: lines are painted anew with every
 *  movement of a hand, and each of their points takes its time. */
export function telling(points: XY[]): XY[] {
  const told: XY[] = points.slice(0, 1);
  for (let first = 0; first < points.length - 1; first += RUN) {
    const run = points.slice(first, first + RUN + 1).map(([x, y]) => ({ x, y }));
    for (const { x, y } of simplify(run, BESIDE, true).slice(1)) told.push([x, y]);
  }
  return told;
}

/** A line through points on the screen, as the data of a path. */
export function traced(points: XY[]): string {
  if (!points.length) return "";
  return `M${telling(points)
    .map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`)
    .join("L")}`;
}
