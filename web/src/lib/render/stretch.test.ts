import { describe, expect, it } from "vitest";
import type { Plan } from "../api/client";
import { stretchOf } from "./stretch";

const plan = {
  frames: 200,
  seconds: 8,
  vantages: [
    { id: "a", start: 0, last: 49 },
    { id: "b", start: 100, last: 100 },
    { id: "c", start: 150, last: 199 },
  ],
} as unknown as Plan;

describe("the stretch of a reel", () => {
  it("is all of the film, or goes from vantage to vantage, rests included", () => {
    expect(stretchOf(plan, "end", "end")).toEqual({ first: 0, last: 199, count: 200, seconds: 8 });
    expect(stretchOf(plan, "at a", "at b")).toEqual({ first: 0, last: 100, count: 101, seconds: 4.04 });
    expect(stretchOf(plan, "at b", "at c")).toMatchObject({ first: 100, last: 199 });
  });

  it("goes from frame to frame, and never beyond the film", () => {
    expect(stretchOf(plan, "frame 12", "frame 12")).toMatchObject({ first: 12, last: 12, count: 1 });
    expect(stretchOf(plan, "frame 12", "frame 900")).toMatchObject({ last: 199 });
  });

  it("is none where it ends before it begins, or without a film", () => {
    expect(stretchOf(plan, "at c", "at a")).toBeNull();
    expect(stretchOf({ ...plan, frames: 0 }, "end", "end")).toBeNull();
  });

  it("takes a vantage that is gone for the film's own end", () => {
    expect(stretchOf(plan, "at gone", "at gone")).toMatchObject({ first: 0, last: 199 });
  });
});
