// @vitest-environment happy-dom
import { afterEach, describe, expect, it, vi } from "vitest";
import { follow } from "./follow";

const at = (type: string, x: number, y: number) => new PointerEvent(type, { clientX: x, clientY: y });
const say = (event: Event) => window.dispatchEvent(event);

afterEach(() => say(at("pointerup", 0, 0)));

describe("following the pointer", () => {
  it("tells a click from a drag", () => {
    const [moved, done] = [vi.fn(), vi.fn()];
    follow(at("pointerdown", 10, 10), { moved, done });
    say(at("pointermove", 11, 11));
    say(at("pointerup", 11, 11));
    expect(moved).not.toHaveBeenCalled();
    expect(done).toHaveBeenCalledWith(false);
  });

  it("gives the way from the press, also when it comes back near it", () => {
    const [moved, done] = [vi.fn(), vi.fn()];
    follow(at("pointerdown", 10, 10), { moved, done });
    say(at("pointermove", 40, 50));
    say(at("pointermove", 11, 10));
    say(at("pointerup", 11, 10));
    expect(moved.mock.calls.map(([, dx, dy]) => [dx, dy])).toEqual([
      [30, 40],
      [1, 0],
    ]);
    expect(done).toHaveBeenCalledWith(true);
  });

  it("lets go on Escape and hears nothing after", () => {
    const [moved, done, dropped] = [vi.fn(), vi.fn(), vi.fn()];
    follow(at("pointerdown", 0, 0), { moved, done, dropped });
    say(at("pointermove", 20, 0));
    say(new KeyboardEvent("keydown", { key: "Escape" }));
    say(at("pointermove", 40, 0));
    say(at("pointerup", 40, 0));
    expect(moved).toHaveBeenCalledTimes(1);
    expect(dropped).toHaveBeenCalledTimes(1);
    expect(done).not.toHaveBeenCalled();
  });

  it("moves at once where there is no slack", () => {
    const moved = vi.fn();
    follow(at("pointerdown", 0, 0), { moved, slack: 0 });
    say(at("pointermove", 1, 0));
    expect(moved).toHaveBeenCalledTimes(1);
  });
});
