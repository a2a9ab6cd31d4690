import { describe, expect, it } from "vitest";
import type { Film, Plan } from "../api/client";
import { hangsOn, marksOf } from "./marks";

const at = (seconds: number) => ({ on: "film" as const, seconds, offset: 0 });
const arrival = (how: string, frames: number) => ({ how, frames });

function label(more: object = {}) {
  return {
    id: "l",
    starts: at(1),
    ends: null,
    comes: arrival("letters", 18),
    goes: arrival("fade", 8),
    leader: null,
    ...more,
  };
}

const film = {
  routes: [{ id: "r", draws: { starts: { on: "vantage", vantage: "v" } } }],
  regions: [{ id: "g", starts: at(0), ends: null, comes: arrival("cut", 12), goes: arrival("fade", 8) }],
  markers: [],
  labels: [label()],
  lamps: [],
  decks: [],
  insets: [],
} as unknown as Film;
const plan = {
  routes: [{ id: "r", starts: 40, stops: [{ reached: 40 }, { reached: 90 }], look: { width: 8 } }],
  marks: [
    { id: "g", start: 0, end: 200, whole: 0, uncovers: null, look: { fill: "#fff" } },
    { id: "l", start: 25, end: 200, whole: 43, uncovers: 30, look: { size: 46 } },
  ],
} as unknown as Plan;

describe("marks", () => {
  it("lists them from the ground up, with their place in the document, look and time", () => {
    const found = marksOf(film, plan);
    expect(found.map(({ kind, path, start, end }) => [kind, path, start, end])).toEqual([
      ["route", "/routes/0", 40, 90],
      ["region", "/regions/0", 0, 200],
      ["label", "/labels/0", 25, 200],
    ]);
    expect(found[2]!.look.size).toBe(46);
    expect(found.map(({ whole, uncovers }) => [whole, uncovers])).toEqual([
      [40, null],
      [0, null],
      [43, 30],
    ]);
    expect(found.map(hangsOn)).toEqual(["hangs on a vantage", "at a time", "at a time"]);
  });

  it("gives what is as it was before as the very same", () => {
    const before = marksOf(film, plan);
    const marks = [plan.marks[0]!, { ...plan.marks[1]!, end: 150 }];
    const after = marksOf({ ...film, name: "Another" }, { ...plan, marks });
    expect(after.map((one, k) => one === before[k])).toEqual([true, true, false]);
    expect(after[2]!.end).toBe(150);
  });

  it("leaves out what the plan does not know yet", () => {
    expect(marksOf(film, { ...plan, marks: [] }).map(({ kind }) => kind)).toEqual(["route"]);
  });
});
