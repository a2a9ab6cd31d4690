import { describe, expect, it } from "vitest";
import { apart, clearOf, factorOf, nameWithin, snapped, spanMarks, spanScale, spread } from "./scale";

const scale = spanScale([10, 100000], 20, 220);

describe("the profile's axis", () => {
  it("is logarithmic: equal ratios are equal heights, wide above close", () => {
    const step = scale(100) - scale(1000);
    expect(scale(1000) - scale(10000)).toBeCloseTo(step, 9);
    expect(step).toBeGreaterThan(0);
  });

  it("turns a drag into the factor that moves the span just as far", () => {
    expect(scale(500 * factorOf(scale, 37)) - scale(500)).toBeCloseTo(37, 9);
  });

  it("has few round marks, all on the axis", () => {
    const found = spanMarks(scale);
    expect(found.length).toBeGreaterThan(2);
    expect(found.length).toBeLessThan(9);
    for (const mark of found) expect(Number.isInteger(Math.log10(mark)) || `${mark}`.startsWith("3")).toBe(true);
  });

  it("copes with a film without frames", () => {
    const empty = spanScale([], 20, 220);
    expect(empty(100)).toBeGreaterThan(20);
    expect(empty(100)).toBeLessThan(220);
  });

  it("finds a name the nearest place that nothing else takes, within its stretch", () => {
    expect(clearOf(100, 50, 150, [40, 160], 30)).toBe(100);
    expect(clearOf(100, 50, 150, [104], 30)).toBe(74);
    expect(clearOf(100, 50, 150, [96], 30)).toBe(126);
    expect(clearOf(100, 50, 150, [96, 120], 30)).toBe(66);
    // Where there is none it stays.
    expect(clearOf(100, 90, 110, [100], 30)).toBe(100);
  });

  it("hangs what has room, the first of each crowd", () => {
    const things = [{ frame: 50 }, { frame: 58 }, { frame: 10 }, { frame: 62 }];
    expect(apart(things, 2, 22).map(({ frame }) => frame)).toEqual([50, 10, 62]);
  });

  it("keeps labels apart and above the foot", () => {
    const places = spread([10, 12, 13, 95, 99], 13, 100);
    for (let k = 1; k < places.length; k++) expect(places[k]! - places[k - 1]!).toBeGreaterThanOrEqual(13);
    expect(places[4]).toBeLessThanOrEqual(100);
  });

  it("holds on to the nearest beat within reach, and to none beyond", () => {
    expect(snapped(101, [90, 104, 99], 3)).toBe(99);
    expect(snapped(102, [90, 104, 99], 3)).toBe(104);
    expect(snapped(110, [90, 104, 99], 3)).toBe(110);
    expect(snapped(7, [], 3)).toBe(7);
  });
});

describe("a crowded profile", () => {
  it("cuts names of stops where the next one stands", () => {
    expect(nameWithin("Marrowick", 80)).toBe("Marrowick");
    expect(nameWithin("Marrowick", 40)).toBe("Marro…");
    expect(nameWithin("Marrowick", 20)).toBe("");
  });

  it("names fewer spans when it is low", () => {
    expect(spanMarks(scale).length).toBeGreaterThan(3);
    expect(spanMarks(scale, 3).length).toBeLessThanOrEqual(3);
  });
});
