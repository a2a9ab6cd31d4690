import { describe, expect, it } from "vitest";
import { changed } from "./changed";

describe("changes", () => {
  const film = {
    name: "Night",
    vantages: [
      { id: "a", x: 1 },
      { id: "b", x: 2 },
    ],
    finish: { "a/b": { on: true }, c: {} },
  };

  it("are put where they belong, and leave the rest the very same", () => {
    const after = changed(film, [
      { path: "/vantages/1", value: { id: "b", x: 3 } },
      { path: "/finish/a~1b", value: { on: false } },
    ]);
    expect(after).toEqual({
      ...film,
      vantages: [film.vantages[0], { id: "b", x: 3 }],
      finish: { "a/b": { on: false }, c: {} },
    });
    expect(after.vantages[0]).toBe(film.vantages[0]);
    expect(after.finish.c).toBe(film.finish.c);
    expect([film.vantages[1]!.x, film.finish["a/b"].on]).toEqual([2, true]);
    expect(Array.isArray(after.vantages)).toBe(true);
  });

  it("that are none give back what was there", () => {
    expect(changed(film, [])).toBe(film);
  });
});
