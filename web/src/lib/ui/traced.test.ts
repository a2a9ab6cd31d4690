import { describe, expect, it } from "vitest";
import { telling, traced } from "./traced";

type XY = [number, number];

describe("lines as they are drawn", () => {
  it("keep their shape to a fifth of a pixel with few of their points", () => {
    const wave: XY[] = Array.from({ length: 2000 }, (_, k) => [k / 4, 100 + 60 * Math.sin(k / 120)]);
    const told = telling(wave);
    expect(told.length).toBeLessThan(wave.length / 10);
    for (const [x, y] of wave) {
      const after = told.findIndex(([u]) => u >= x);
      const [a, b] = [told[Math.max(after - 1, 0)]!, told[after]!];
      const share = b[0] === a[0] ? 0 : (x - a[0]) / (b[0] - a[0]);
      expect(Math.abs(a[1] + share * (b[1] - a[1]) - y)).toBeLessThan(0.3);
    }
  });

  it("keep their corners and ends, and rings stay closed", () => {
    const ring: XY[] = [[0, 0], [50, 0.05], [100, 0], [100, 80], [0, 80], [0, 0]]; // prettier-ignore
    expect(telling(ring)).toEqual([[0, 0], [100, 0], [100, 80], [0, 80], [0, 0]]); // prettier-ignore
    expect(traced([[1, 2], [3, 4]])).toBe("M1.0 2.0L3.0 4.0"); // prettier-ignore
    expect(traced([])).toBe("");
  });
});
