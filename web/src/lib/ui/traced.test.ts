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
      const [along, up] = [b[0] - a[0], b[1] - a[1]];
      const beside = Math.abs(up * (x - a[0]) - along * (y - a[1])) / Math.max(Math.hypot(along, up), 1e-9);
      expect(beside).toBeLessThan(0.201);
    }
  });

  it("come in a time that grows as they do, whatever their shape", () => {
    // The tooth that is farthest out is always the last but one.
    const saw: XY[] = Array.from({ length: 200_000 }, (_, k) => [k / 100, (k % 2) * k]);
    const begun = performance.now();
    const told = telling(saw);
    expect(performance.now() - begun).toBeLessThan(5000);
    expect(told.length).toBeGreaterThan(190_000);
    expect([told[0], told[told.length - 1]]).toEqual([saw[0], saw[saw.length - 1]]);
  });

  it("keep their corners and ends, and rings stay closed", () => {
    const ring: XY[] = [[0, 0], [50, 0.05], [100, 0], [100, 80], [0, 80], [0, 0]]; // prettier-ignore
    expect(telling(ring)).toEqual([[0, 0], [100, 0], [100, 80], [0, 80], [0, 0]]); // prettier-ignore
    expect(traced([[1, 2], [3, 4]])).toBe("M1.0 2.0L3.0 4.0"); // prettier-ignore
    expect(traced([])).toBe("");
  });
});
