import { describe, expect, it } from "vitest";
import { ago } from "./ago";

describe("how long ago", () => {
  const now = Date.parse("2026-11-28T12:00:00Z");

  it("is said as one says it", () => {
    expect(ago("2026-11-28T11:59:50", now)).toBe("just now");
    expect(ago("2026-11-28T11:30:00", now)).toBe("30 min ago");
    expect(ago("2026-11-28T09:10:00", now)).toBe("3 h ago");
    expect(ago("2026-11-20T09:10:00", now)).toBe("on 20 November 2026");
  });

  it("counts from UTC, whether a moment says so or not", () => {
    for (const moment of ["2026-11-28T11:00:00", "2026-11-28T11:00:00Z", "2026-11-28T13:00:00+02:00"])
      expect(ago(moment, now)).toBe("1 h ago");
  });

  it("is never before now, though clocks differ", () => {
    expect(ago("2026-11-28T12:05:00Z", now)).toBe("just now");
  });
});
