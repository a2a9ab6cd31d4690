import { beforeEach, describe, expect, it, vi } from "vitest";
import type { PlatePlan } from "../api/client";
import { drawPlate, TileCache } from "./tiles";

/** An image that comes when a test says so. */
class Picture {
  static all: Picture[] = [];
  src = "";
  onload: (() => void) | null = null;
  onerror: (() => void) | null = null;
  complete = false;
  naturalWidth = 0;
  naturalHeight = 0;
  constructor() {
    Picture.all.push(this);
  }
  come() {
    this.complete = true;
    this.naturalWidth = this.naturalHeight = 256;
    this.onload?.();
  }
}

describe("tiles of plates", () => {
  beforeEach(() => {
    Picture.all = [];
    vi.stubGlobal("Image", Picture);
  });

  it("are fetched once, and say when they have come", () => {
    const arrived = vi.fn();
    const tiles = new TileCache(arrived);
    expect(tiles.get("a/0/0/0", "look1", () => "/1")).toBeNull();
    tiles.get("a/0/0/0", "look1", () => "/again");
    expect(Picture.all).toHaveLength(1);
    Picture.all[0]!.come();
    expect(arrived).toHaveBeenCalledOnce();
    expect(tiles.get("a/0/0/0", "look1", () => "/1")).toBe(Picture.all[0]);
  });

  it("keep showing the last look until the next has come", () => {
    const tiles = new TileCache(() => {});
    tiles.get("a/0/0/0", "look1", () => "/1");
    Picture.all[0]!.come();
    tiles.get("a/0/0/0", "look1", () => "/1");
    expect(tiles.get("a/0/0/0", "look2", () => "/2")).toBe(Picture.all[0]);
    Picture.all[1]!.come();
    expect(tiles.get("a/0/0/0", "look2", () => "/2")).toBe(Picture.all[1]);
  });

  it("are no longer waited for when the look has changed again", () => {
    const tiles = new TileCache(() => {});
    tiles.get("a/0/0/0", "look1", () => "/1");
    tiles.get("a/0/0/0", "look2", () => "/2");
    expect(Picture.all[0]!.src).toBe("");
    expect(Picture.all[0]!.onload).toBeNull();
    expect(Picture.all[1]!.src).toBe("/2");
  });

  it("are asked for again after a fault", () => {
    const tiles = new TileCache(() => {});
    tiles.get("a/0/0/0", "look1", () => "/1");
    Picture.all[0]!.onerror!();
    tiles.get("a/0/0/0", "look1", () => "/1");
    expect(Picture.all).toHaveLength(2);
  });

  it("are drawn from the coarsest up until the closest cover all by themselves", () => {
    const tiles = new TileCache(() => {});
    const drawn: unknown[] = [];
    const context = { setTransform: vi.fn(), drawImage: (image: unknown) => drawn.push(image) };
    // A plate of 512 pixels, a ground unit each, seen at its own size: one coarse tile, four close ones.
    const plan = { id: "p", look: "l", size: [512, 512], levels: 2, matrix: [1, 0, 0, 0, -1, 512, 0, 0, 1] };
    const view = { x: 256, y: 256, scale: 1, width: 512, height: 512 };
    const draw = () => {
      drawn.length = 0;
      drawPlate(context as never, view, 1, plan as never as PlatePlan, tiles, "/PLATE/TILE");
      return [...drawn];
    };
    expect(draw()).toEqual([]);
    expect(Picture.all.map(({ src }) => src)).toEqual(
      ["1/0/0", "0/0/0", "0/1/0", "0/0/1", "0/1/1"].map((tile) => `/p/l/${tile}`),
    );
    const [coarse, ...close] = Picture.all;
    coarse!.come();
    close.slice(0, 3).forEach((one) => one.come());
    expect(draw()).toEqual([coarse, ...close.slice(0, 3)]);
    close[3]!.come();
    expect(draw()).toEqual(close);
  });
});
