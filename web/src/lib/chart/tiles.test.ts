import { beforeEach, describe, expect, it, vi } from "vitest";
import { TileCache } from "./tiles";

/** An image that comes when a test says so. */
class Picture {
  static all: Picture[] = [];
  src = "";
  onload: (() => void) | null = null;
  onerror: (() => void) | null = null;
  complete = false;
  naturalWidth = 0;
  constructor() {
    Picture.all.push(this);
  }
  come() {
    this.complete = true;
    this.naturalWidth = 256;
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
});
