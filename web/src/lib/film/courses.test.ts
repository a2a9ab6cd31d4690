import { describe, expect, it } from "vitest";
import type { CoursePlan, Film } from "../api/client";
import { addressOf, courseAt, isCourse, lineOf, resting, stopSays } from "./courses";

const course = { of: "l", field: "look/opacity", line: [[0, 0], [50, 1]] } as unknown as CoursePlan; // prettier-ignore

describe("courses", () => {
  it("names a value by the id of what it belongs to, whatever its place in the list", () => {
    const film = { labels: [{ id: "a" }, { id: "l" }], rate: "25" } as unknown as Film;
    expect(addressOf(film, "/labels/1/look/opacity")).toEqual({ of: "l", field: "look/opacity" });
    expect(addressOf(film, "/rate")).toBeNull();
    expect(addressOf(film, "/labels/7/text")).toBeNull();
  });

  it("takes the first value where no moment is meant", () => {
    expect(resting(4)).toBe(4);
    expect(resting({ stops: [{ value: 2 }, { value: 9 }] })).toBe(2);
    expect([isCourse(null), isCourse("#fff"), isCourse({ stops: [] })]).toEqual([false, false, true]);
  });

  it("says what a stop is, and of a focus how far away that is", () => {
    const stop = { id: "s", frame: 0, value: 0.5, distance: null, on: "film" };
    expect(stopSays({ ...course, factor: 0.01, unit: "%" }, stop, "plain")).toBe("50 %");
    expect(stopSays(course, { ...stop, value: "#ff0000" }, "plain")).toBe("#ff0000");
    expect(stopSays(course, { ...stop, value: "a place", distance: 1827 }, "mercator")).toBe("a place, 1.827 km");
  });

  it("finds a course by its address and draws it high where its value is high", () => {
    expect(courseAt([course], { of: "l", field: "look/opacity" })).toBe(course);
    expect(courseAt([course], { of: "l", field: "look/size" })).toBeNull();
    expect(lineOf(course, (frame) => frame * 2, 3, 23)).toBe("0,23 100,3");
  });
});
