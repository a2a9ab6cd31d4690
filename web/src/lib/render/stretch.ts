import type { Plan } from "../api/client";

/** Where a reel begins or ends: with the film, at a vantage, or on a frame. */
export type Edge = "end" | `at ${string}` | `frame ${number}`;

/** The frames of a reel, both included, from when the camera is at one vantage to when it leaves another; none if it
 * would end before it begins. */
export function stretchOf(plan: Plan | null, from: Edge, to: Edge) {
  if (!plan?.frames) return null;
  const frameOf = (edge: Edge, end: number, of: "start" | "last"): number => {
    const [kind, which] = edge.split(" ");
    if (kind === "frame") return Math.min(Number(which), plan.frames - 1);
    return plan.vantages.find(({ id }) => id === which)?.[of] ?? end;
  };
  const first = frameOf(from, 0, "start");
  const last = frameOf(to, plan.frames - 1, "last");
  const count = last - first + 1;
  return count > 0 ? { first, last, count, seconds: (count * plan.seconds) / plan.frames } : null;
}
