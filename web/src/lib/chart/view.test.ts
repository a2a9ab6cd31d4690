import { describe, expect, it } from "vitest";
import { badgePlaces, namePlaces } from "./badges";
import { fitted, inverse, marks, through, toGround, toScreen, zoomed, type View } from "./view";

const view: View = { x: 500, y: -200, scale: 0.25, width: 800, height: 400 };

describe("the chart's view", () => {
  it("takes ground to screen and back, north up", () => {
    expect(toScreen(view, [500, -200])).toEqual([400, 200]);
    expect(toScreen(view, [500, -100])[1]).toBeLessThan(200);
    expect(toGround(view, toScreen(view, [123, 456]))).toEqual([123, 456]);
  });

  it("zooms about the pointer", () => {
    const about: [number, number] = [620, 80];
    const before = toGround(view, about);
    const after = toGround(zoomed(view, 3.7, about), about);
    expect(after[0]).toBeCloseTo(before[0], 9);
    expect(after[1]).toBeCloseTo(before[1], 9);
  });

  it("fits a box into what it shows", () => {
    const shown = fitted(view, [0, 0, 1000, 100]);
    expect(toScreen(shown, [0, 0])[0]).toBeGreaterThan(0);
    expect(toScreen(shown, [1000, 100])[0]).toBeLessThan(800);
    expect([shown.x, shown.y]).toEqual([500, 50]);
  });

  it("inverts placements", () => {
    const m = [0.5, 0.1, 20, -0.1, -0.5, 900, 0, 1e-4, 1];
    const [x, y] = through(inverse(m), ...through(m, 300, 700));
    expect(x).toBeCloseTo(300, 6);
    expect(y).toBeCloseTo(700, 6);
  });

  it("marks round coordinates only", () => {
    expect(marks(-7, 31, 10)).toEqual([0, 10, 20, 30]);
  });
});

describe("tiles and badges", () => {
  it("moves badges aside for one another, the selected one first", () => {
    const places = badgePlaces(
      [
        { at: [100, 100], first: false },
        { at: [102, 101], first: true },
        { at: [99, 104], first: false },
      ],
      800,
      400,
    );
    expect(places[1]).toEqual([102, 101]);
    for (const [a, b] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ] as const) {
      const apart = Math.max(Math.abs(places[a]![0] - places[b]![0]), Math.abs(places[a]![1] - places[b]![1]));
      expect(apart).toBeGreaterThanOrEqual(20);
    }
  });

  it("puts names below one another where they would lie on one another, and leaves out what has no room", () => {
    const at = [10, 20] as [number, number];
    const places = namePlaces(
      [{ at, wide: 100 }, { at: [60, 25], wide: 80 }, null, { at: [200, 20], wide: 80 }, { at: [-50, 20], wide: 90 }],
      400,
      80,
    );
    expect(places.slice(0, 4)).toEqual([[10, 20], [60, 38], null, [200, 20]]);
    // The last one is cut by the chart's edge: it comes in, and below both others.
    expect(places[4]).toEqual([4, 56]);
    // A name that is wider than the chart begins on it.
    expect(namePlaces([{ at: [300, 20], wide: 900 }], 400, 80)).toEqual([[4, 20]]);
    for (const y of [20, 20.1, 19.7, 33.3])
      expect(namePlaces(Array(9).fill({ at: [10, y], wide: 50 }), 400, 80).filter(Boolean).length).toBeLessThan(4);
  });
});
