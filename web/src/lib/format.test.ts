import { describe, expect, it } from "vitest";
import { bytes, clock, digits, length, parseNumber, roundStep } from "./format";

describe("numbers as people read and type them", () => {
  it("keeps what matters", () => {
    expect(digits(1234567)).toBe("1,234,567");
    expect(digits(0.0635)).toBe("0.0635");
    expect(digits(-12.3456)).toBe("−12.35");
    expect(length(42000, "mercator")).toEqual(["42", "km"]);
    expect(length(151.2, "mercator")).toEqual(["151.2", "m"]);
    expect(length(1280, "plain")).toEqual(["1,280", "px"]);
    expect(clock(75)).toBe("1 min 15 s");
    expect(bytes(12_400_000)).toBe("12.4 MB");
  });

  it("understands commas, units and a true minus, and nothing else", () => {
    expect(parseNumber("1,234.5")).toBe(1234.5);
    expect(parseNumber("3,5")).toBe(3.5);
    expect(parseNumber("−7 °")).toBe(-7);
    expect(parseNumber("42 km")).toBe(42000);
    expect(parseNumber("12k")).toBe(12000);
    expect(parseNumber("twelve")).toBeNaN();
    expect(parseNumber("")).toBeNaN();
    expect(parseNumber("1.2.3")).toBeNaN();
  });

  it("takes round steps", () => {
    expect([0.7, 1.2, 3, 7, 40].map(roundStep)).toEqual([1, 2, 5, 10, 50]);
  });
});
