import { describe, expect, it, vi } from "vitest";
import { LaneScroll } from "./scroll.svelte";

const wheel = (deltaY: number, more: Partial<WheelEvent> = {}) =>
  ({ deltaY, deltaX: 0, preventDefault: vi.fn(), stopPropagation: vi.fn(), ...more }) as unknown as WheelEvent;

describe("lanes that scroll", () => {
  it("stay where they are while all of them fit", () => {
    const scroll = new LaneScroll(
      () => 80,
      () => 100,
    );
    const event = wheel(300);
    scroll.wheel(event);
    expect(scroll.top).toBe(0);
    // What is not used is left to what lies around them.
    expect(event.preventDefault).not.toHaveBeenCalled();
  });

  it("go no further than their ends, and their thumb shows where they are", () => {
    const scroll = new LaneScroll(
      () => 400,
      () => 100,
    );
    scroll.wheel(wheel(100));
    expect(scroll.top).toBe(50);
    expect(scroll.thumb).toEqual({ from: 12.5, high: 25 });
    scroll.wheel(wheel(9000));
    expect(scroll.top).toBe(300);
    expect(scroll.thumb.from + scroll.thumb.high).toBe(100);
    scroll.wheel(wheel(-9000));
    expect(scroll.top).toBe(0);
  });

  it("leave zooming and sideways movement to the profile", () => {
    const scroll = new LaneScroll(
      () => 400,
      () => 100,
    );
    scroll.wheel(wheel(100, { ctrlKey: true }));
    scroll.wheel(wheel(100, { shiftKey: true }));
    scroll.wheel(wheel(20, { deltaX: 50 }));
    expect(scroll.top).toBe(0);
  });

  it("come to what is chosen, by the shortest way", () => {
    const scroll = new LaneScroll(
      () => 400,
      () => 100,
    );
    scroll.show(180, 200);
    expect(scroll.top).toBe(100);
    scroll.show(150, 170);
    expect(scroll.top).toBe(100);
    scroll.show(20, 40);
    expect(scroll.top).toBe(20);
  });
});
