import { describe, expect, it } from "vitest";
import { aimed } from "./aim";
import { toGround } from "./view";

const view = { x: 100, y: 50, scale: 2, width: 400, height: 300 };
const key = (key: string, more = {}) => ({ key, shiftKey: false, altKey: false, ...more });

describe("the cross that keys move", () => {
  it("begins in the middle of the chart, and goes as far as is asked for", () => {
    expect(aimed(null, view, key("ArrowRight"))!.cross).toEqual([212, 150]);
    expect(aimed([50, 60], view, key("ArrowUp", { shiftKey: true }))!.cross).toEqual([50, 24]);
    expect(aimed([50, 60], view, key("ArrowLeft", { altKey: true }))!.cross).toEqual([49, 60]);
    expect(aimed([50, 60], view, key("q"))).toBeNull();
    // With nothing in hand arrows are not the chart's.
    expect(aimed([50, 60], view, key("ArrowLeft"), false)).toBeNull();
  });

  it("takes the chart along at its edge, so that any place can be reached", () => {
    let at = { cross: [30, 150] as [number, number], view };
    const before = toGround(view, at.cross)[0];
    for (let k = 0; k < 10; k++) at = aimed(at.cross, at.view, key("ArrowLeft"))!;
    expect(at.cross[0]).toBe(24);
    expect(toGround(at.view, at.cross)[0]).toBeCloseTo(before - (10 * 12) / view.scale, 6);
  });

  it("comes closer about what it stands on", () => {
    const closer = aimed([120, 80], view, key("+"))!;
    expect(closer.view.scale).toBeCloseTo(2.5, 9);
    const [was, is] = [toGround(view, [120, 80]), toGround(closer.view, closer.cross)];
    expect(is[0]).toBeCloseTo(was[0], 9);
    expect(is[1]).toBeCloseTo(was[1], 9);
  });
});
