// @vitest-environment happy-dom
import { describe, expect, it } from "vitest";
import { ranges } from "./opened.svelte";

describe("numbers of things", () => {
  it("are written as ranges", () => {
    expect(ranges([0, 1, 2, 5, 7, 8])).toBe("0-2,5,7-8");
    expect(ranges([])).toBe("");
  });
});
