// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { PlatePlan, XY } from "../api/client";
import { session, type Tool } from "../film/session.svelte";
import { Placing } from "./placing.svelte";
import { asks, TOOLS } from "./tools";
import { on, type View } from "./view";

const view: View = { x: 0, y: 0, scale: 2, width: 400, height: 300 };
const plate = { id: "p", matrix: [1, 0, -50, 0, -1, 50, 0, 0, 1], size: [100, 100] } as unknown as PlatePlan;
const film = {
  frame: { width: 1920, height: 1080 },
  plates: [{ id: "p", land: null }],
  vantages: [{ id: "v", x: 30, y: 40 }],
  markers: [],
  regions: [],
  labels: [],
  lamps: [],
  decks: [],
  insets: [],
  styles: [],
  routes: [],
};

let placing: Placing;
const act = vi.spyOn(session, "act");
const addRoute = vi.spyOn(session, "addRoute");
const tie = vi.spyOn(session, "tie");

function take(tool: Tool, step: typeof session.step = "mark") {
  session.step = step;
  session.tool = tool;
}

beforeEach(() => {
  session.sheet = { film, plan: { marks: [], vantages: [] } } as never;
  session.notice = "";
  for (const spy of [act, addRoute, tie]) spy.mockReset().mockResolvedValue(true as never);
  placing = new Placing(
    () => view,
    () => plate,
  );
});
afterEach(() => take("select"));

describe("placing on the chart", () => {
  it("ends a route by a click on its last point, and means the vantage that a click is beside", async () => {
    take("route");
    // Five ground units are ten pixels.
    for (const at of [
      [0, 0],
      [31, 44],
      [80, 0],
      [82, 2],
    ] as XY[])
      await placing.click(at);
    expect(addRoute).toHaveBeenCalledOnce();
    const points = addRoute.mock.calls[0]![0].map(({ x, y }) => [x, y]);
    expect(points).toEqual([
      [0, 0],
      [30, 40],
      [80, 0],
    ]);
    expect(placing.corners).toEqual([]);
    expect(session.tool).toBe("select");
  });

  it("closes a region by a click on its first corner, but not before it has three", async () => {
    take("region");
    for (const at of [
      [0, 0],
      [1, 1],
      [60, 0],
    ] as XY[])
      await placing.click(at);
    expect(act).not.toHaveBeenCalled();
    await placing.click([2, 1]);
    expect(act).toHaveBeenCalledOnce();
    expect(act.mock.calls[0]![0]).toMatchObject({
      act: "add_region",
      region: {
        rings: [
          [
            [0, 0],
            [1, 1],
            [60, 0],
          ],
        ],
      },
    });
  });

  it("takes a corner back, ends with Enter, and lets go with Escape: first of what was begun, then of the tool", async () => {
    take("outline", "fit");
    for (const at of [
      [0, 0],
      [60, 0],
      [60, 60],
      [0, 60],
    ] as XY[])
      await placing.click(at);
    expect(placing.asks).toContain("closes it");
    expect(placing.key("Backspace")).toBe(true);
    expect(placing.key("Enter")).toBe(true);
    expect(act).toHaveBeenCalledWith({
      act: "outline_plate",
      plate: "p",
      corners: [
        [0, 0],
        [60, 0],
        [60, 60],
      ],
    });
    take("region");
    await placing.click([0, 0]);
    expect(placing.key("Enter")).toBe(false);
    expect(placing.key("Escape")).toBe(true);
    expect([placing.corners, session.tool]).toEqual([[], "region"]);
    expect(placing.key("Escape")).toBe(true);
    expect(session.tool).toBe("select");
    expect(placing.key("Escape")).toBe(false);
    expect(placing.key("Backspace")).toBe(false);
  });

  it("ties a feature of the chosen plate to the same one below, and says so if the click is not on the plate", async () => {
    take("tie", "fit");
    await placing.click([70, 0]);
    expect(session.notice).toContain("not on it");
    expect(placing.tieFrom).toBeNull();
    await placing.click([20, 10]);
    expect(placing.asks).toBe("Now the same feature below");
    await placing.click([72, 12]);
    expect(tie).toHaveBeenCalledWith("p", [20, 10], [72, 12]);
    expect(placing.tieFrom).toBeNull();
    take("control", "fit");
    await placing.click([20, 10]);
    expect(tie).toHaveBeenLastCalledWith("p", [20, 10], [20, 10], null, true);
  });

  it("hands a new mark what lies within reach, the same on the screen at any zoom", async () => {
    take("marker");
    await placing.click([5, 5]);
    expect(act.mock.calls[0]![0]).toMatchObject({ act: "add_marker", reach: 6, marker: { x: 5, y: 5 } });
    expect(session.selection).toMatchObject({ kind: "marker" });
    expect(session.tool).toBe("select");
  });

  it("keeps the tool in hand, and what was chosen, when what was placed is refused", async () => {
    take("marker");
    session.selection = { kind: "vantage", id: "v" };
    act.mockResolvedValue(false);
    await placing.click([5, 5]);
    expect([act.mock.calls.length, session.selection.id, session.tool]).toEqual([1, "v", "marker"]);
  });

  it("gives a dragged frame the film's shape, wide enough for all of the drag", async () => {
    take("frame", "fly");
    const at = (type: string, x: number, y: number) => new PointerEvent(type, { clientX: x, clientY: y });
    const place = (event: PointerEvent): XY => [event.clientX, -event.clientY];
    placing.dragFrame(at("pointerdown", 0, 0), place);
    window.dispatchEvent(at("pointermove", 80, 90));
    expect(placing.frame).toEqual({ from: [0, -0], to: [80, -90] });
    window.dispatchEvent(at("pointerup", 80, 90));
    expect(act.mock.calls[0]![0]).toMatchObject({ act: "add_vantage", at: [40, -45], width: 160, height: 90 });
    expect(placing.frame).toBeNull();
  });
});

describe("tools", () => {
  it("ask for something in every step that has them, and are known nowhere else", () => {
    for (const [step, tools] of Object.entries(TOOLS))
      for (const { id } of tools) expect(asks(step as never, id), `${id} in ${step}`).toBeTruthy();
    expect(asks("gather", "route")).toBeUndefined();
    expect(asks("fly", "outline")).toBeUndefined();
    expect(asks("fit", "outline")).toBeTruthy();
  });

  it("find the plate that a place lies on", () => {
    expect(on(plate, [0, 0])).toBe(true);
    expect(on(plate, [51, 0])).toBe(false);
  });
});
