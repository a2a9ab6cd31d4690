// @vitest-environment happy-dom
import { beforeEach, expect, it, vi } from "vitest";
import { session } from "../film/session.svelte";
import { Painter } from "./painter.svelte";

const view = { x: 0, y: 0, scale: 1, width: 800, height: 400 };

/** What a canvas is told, name by name. */
function told() {
  const calls: [string, ...unknown[]][] = [];
  const context = new Proxy({} as Record<string, unknown>, {
    get: (held, name: string) => held[name] ?? ((...given: unknown[]) => calls.push([name, ...given])),
    set: (held, name: string, value) => ((held[name] = value), true),
  });
  context.canvas = { width: 800, height: 400 };
  context.createRadialGradient = () => ({ addColorStop: () => {} });
  return { calls, context: context as never as CanvasRenderingContext2D };
}

/** A plate with a soft edge, 40 ground units wide and 20 high, its middle at a place. */
function softPlate(x: number, y: number) {
  const plate = {
    id: "p",
    role: "film",
    shown: true,
    opacity: 1,
    contrast: 100,
    feather: { shape: "ellipse", width: 10 },
  };
  const outline = [
    [x - 20, y + 10],
    [x + 20, y + 10],
    [x + 20, y - 10],
    [x - 20, y - 10],
  ];
  const laid = {
    id: "p",
    look: "l",
    size: [40, 20],
    levels: 1,
    outline,
    matrix: [1, 0, x - 20, 0, -1, y + 10, 0, 0, 1],
  };
  session.sheet = { id: "f", state: "r1", film: { plates: [plate] }, plan: { plates: [laid] } } as never;
}

beforeEach(() => void vi.stubGlobal("Image", class {}));

it("paints a plate with a soft edge only where it is", () => {
  const [scratch, chart] = [told(), told()];
  vi.spyOn(document, "createElement").mockReturnValue({ getContext: () => scratch.context } as never);
  const painter = new Painter();
  softPlate(100, 50);
  painter.plate(chart.context, view, 0, "laid");
  // Two pixels more on each side, as tiles reach a hair over their edge.
  const box = [478, 138, 44, 24];
  for (const name of ["clearRect", "rect"]) expect(scratch.calls.find(([one]) => one === name)).toEqual([name, ...box]);
  expect(chart.calls.find(([one]) => one === "drawImage")!.slice(2)).toEqual([...box, ...box]);
  // One that is out of sight is not painted at all.
  const before = scratch.calls.length;
  softPlate(900, 50);
  painter.plate(chart.context, view, 0, "laid");
  expect(scratch.calls.length).toBe(before);
});
