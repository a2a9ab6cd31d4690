// @vitest-environment happy-dom
import { expect, it } from "vitest";
import { session } from "./session.svelte";
import { meant } from "./set";

it("means the place of what stands there, and only the ground behind what is in the frame", () => {
  const markers = [{ id: "m", x: 1, y: 2 }];
  const labels = [
    { id: "name", x: 3, y: 4, stands: "facing" },
    { id: "title", x: 0, y: 0, stands: "frame" },
    { id: "along", x: 5, y: 6, stands: "route" },
  ];
  session.sheet = { film: { markers, labels, insets: [] } } as never;
  // A sign stands up from its place, also before the sky.
  expect(meant("m", null)).toEqual({ at: [1, 2], under: "m" });
  expect(meant("name", [9, 9])).toEqual({ at: [3, 4], under: "name" });
  expect(meant("title", [9, 9])).toEqual({ at: [9, 9], under: null });
  expect(meant("along", [9, 9])).toEqual({ at: [9, 9], under: "along" });
  expect(meant(null, null)).toBeNull();
});
