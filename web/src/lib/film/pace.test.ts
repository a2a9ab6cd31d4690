import { expect, test } from "vitest";
import { Pace } from "./pace";

/** Pictures of which a whole one takes so long, drawn one after the other at the width that is asked for. */
function drawn(pace: Pace, whole: number, count: number, full = 960): { width: number; took: number }[] {
  return Array.from({ length: count }, () => {
    const width = pace.width(full);
    const took = 8 + whole * (width / full) ** 2;
    pace.took(took, width, full);
    return { width, took };
  });
}

test("what is slow comes narrower and in time, and what is quick as wide as it is", () => {
  const pace = new Pace();
  const slow = drawn(pace, 180, 12);
  expect(slow[0]!.width).toBe(960);
  expect(Math.max(...slow.slice(2).map((one) => one.took))).toBeLessThan(60);
  expect(Math.min(...slow.map((one) => one.width))).toBeGreaterThanOrEqual(480);
  expect(drawn(pace, 20, 12).at(-1)!.width).toBe(960);
});

test("its size does not change all the time", () => {
  const widths = drawn(new Pace(), 100, 30)
    .slice(5)
    .map((one) => one.width);
  expect(new Set(widths).size).toBeLessThanOrEqual(2);
});

test("one picture that was there already does not make the next ones slow", () => {
  const pace = new Pace();
  drawn(pace, 300, 6);
  const before = pace.width(960);
  pace.took(3, before, 960);
  expect(pace.width(960)).toBeLessThanOrEqual(before * 1.5);
});
