import { resting } from "../film/courses";
import type { Plate, PlatePlan } from "../api/client";
import { boxOf, inverse, through, toGround, toScreen, type View } from "./view";

const TILE = 256;
const MOST = 700;

/** Tiles of plates on their way to the chart, the longest unused dropped first. */
export class TileCache {
  #tiles = new Map<string, HTMLImageElement>();
  /** The newest tile seen at a place of a plate, shown until one with its newest look has come. */
  #newest = new Map<string, HTMLImageElement>();
  #coming = new Map<string, { key: string; image: HTMLImageElement }>();

  constructor(private readonly arrived: () => void) {}

  /** A tile of a plate's place, by the look that its pixels depend on; `url` is where it is fetched. */
  get(place: string, look: string, url: () => string): HTMLImageElement | null {
    const key = `${look}/${place}`;
    let image = this.#tiles.get(key);
    if (image) {
      this.#tiles.delete(key);
      this.#tiles.set(key, image);
    } else {
      const stale = this.#coming.get(place);
      if (stale) {
        // Nobody waits for that look any more.
        stale.image.onload = stale.image.onerror = null;
        stale.image.src = "";
        this.#tiles.delete(stale.key);
      }
      image = new Image();
      this.#coming.set(place, { key, image });
      image.decoding = "async";
      image.onload = () => {
        this.#coming.delete(place);
        this.arrived();
      };
      image.onerror = () => {
        this.#coming.delete(place);
        this.#tiles.delete(key);
      };
      image.src = url();
      this.#tiles.set(key, image);
      while (this.#tiles.size > MOST) this.#tiles.delete(this.#tiles.keys().next().value!);
      while (this.#newest.size > MOST) this.#newest.delete(this.#newest.keys().next().value!);
    }
    if (!image.complete || !image.naturalWidth) return this.#newest.get(place) ?? null;
    this.#newest.set(place, image);
    return image;
  }
}

/**
 * Draw a plate's tiles, coarse ones first so that there is always something to see. `source` is the address of a
 * tile, with PLATE for the plate and TILE for its look and place.
 */
export function drawPlate(
  context: CanvasRenderingContext2D,
  view: View,
  ratio: number,
  plan: PlatePlan,
  tiles: TileCache,
  source: string,
): void {
  const [width, height] = plan.size;
  const back = inverse(plan.matrix);
  const corners = [
    [0, 0],
    [view.width, 0],
    [view.width, view.height],
    [0, view.height],
  ].map((corner) => through(back, ...toGround(view, corner as [number, number])));
  const box = boxOf(corners);
  const [west, north] = [Math.max(0, box[0]), Math.max(0, box[1])];
  const [east, south] = [Math.min(width, box[2]), Math.min(height, box[3])];
  if (west >= east || north >= south) return;
  const across = Math.hypot(
    ...(through(plan.matrix, 1, 0).map((v, i) => v - through(plan.matrix, 0, 0)[i]!) as [number, number]),
  );
  const count = plan.levels;
  const wanted = Math.min(Math.max(Math.floor(-Math.log2(across * view.scale * ratio) + 0.3), 0), count - 1);
  const levels = wanted + 2 < count - 1 ? [count - 1, wanted + 2, wanted] : [count - 1, wanted];
  let found: Tile[] = [];
  for (const level of levels) {
    const here = tilesOf(plan, level, [west, north, east, south], tiles, source);
    const there = here.filter((tile) => tile !== null);
    // What covers all by itself needs nothing below.
    found = there.length === here.length ? there : [...found, ...there];
  }
  for (const { image, x, y, scale } of found) {
    const [u, v] = toScreen(view, through(plan.matrix, x, y));
    const [ux, vx] = toScreen(view, through(plan.matrix, x + image.naturalWidth * scale, y));
    const [uy, vy] = toScreen(view, through(plan.matrix, x, y + image.naturalHeight * scale));
    context.setTransform(
      (ratio * (ux - u)) / image.naturalWidth,
      (ratio * (vx - v)) / image.naturalWidth,
      (ratio * (uy - u)) / image.naturalHeight,
      (ratio * (vy - v)) / image.naturalHeight,
      ratio * u,
      ratio * v,
    );
    // A hair over the edge, or neighbours would show a seam.
    const hair = 0.6 / Math.max((ratio * Math.hypot(ux - u, vx - v)) / image.naturalWidth, 0.01);
    context.drawImage(image, 0, 0, image.naturalWidth + hair, image.naturalHeight + hair);
  }
}

/** A tile that has come, where its upper left lies in the plate's pixels, and how many of those one of its own is. */
type Tile = { image: HTMLImageElement; x: number; y: number; scale: number };

/** The tiles of a level that show a box of a plate; none in place of those that have not come. */
function tilesOf(
  plan: PlatePlan,
  level: number,
  [west, north, east, south]: [number, number, number, number],
  tiles: TileCache,
  source: string,
): (Tile | null)[] {
  const [width, height] = plan.size;
  const [scale, size] = [2 ** level, TILE * 2 ** level];
  const found = [];
  for (let row = Math.floor(north / size); row * size < south; row++) {
    for (let column = Math.floor(west / size); column * size < east; column++) {
      // Odd sizes lose their last row or column on the way up the pyramid.
      if (column * TILE >= width >> level || row * TILE >= height >> level) continue;
      const tile = `${level}/${column}/${row}`;
      const url = () => source.replace("PLATE", plan.id).replace("TILE", `${plan.look}/${tile}`);
      const image = tiles.get(`${plan.id}/${plan.size[0]}/${tile}`, plan.look, url);
      found.push(image && { image, x: column * size, y: row * size, scale });
    }
  }
  return found;
}

/** Melt the edge of what was drawn, as the plate's feather asks. */
export function melt(
  context: CanvasRenderingContext2D,
  view: View,
  ratio: number,
  plate: Plate,
  plan: PlatePlan,
): void {
  const [width, height] = plan.size;
  const share = resting(plate.feather.width) / 100;
  const [u, v] = toScreen(view, through(plan.matrix, 0, 0));
  const [ux, vx] = toScreen(view, through(plan.matrix, width, 0));
  const [uy, vy] = toScreen(view, through(plan.matrix, 0, height));
  context.save();
  context.globalCompositeOperation = "destination-in";
  // Unit coordinates: the plate is -1..1 both ways.
  context.setTransform(
    (ratio * (ux - u)) / 2,
    (ratio * (vx - v)) / 2,
    (ratio * (uy - u)) / 2,
    (ratio * (vy - v)) / 2,
    ratio * (u + (ux - u) / 2 + (uy - u) / 2),
    ratio * (v + (vx - v) / 2 + (vy - v) / 2),
  );
  if (plate.feather.shape === "ellipse") {
    const gradient = context.createRadialGradient(0, 0, Math.max(1 - share, 0), 0, 0, 1);
    ramp(gradient, 0, 1, true);
    context.fillStyle = gradient;
    context.fillRect(-50, -50, 100, 100);
  } else {
    const shorter = Math.min(width, height);
    for (const [x, y, side] of [
      [1, 0, width],
      [0, 1, height],
    ] as const) {
      const reach = Math.max((share * shorter) / side, 1e-4);
      const gradient = context.createLinearGradient(-x, -y, x, y);
      ramp(gradient, 0, reach / 2, false);
      ramp(gradient, 1 - reach / 2, 1, true);
      context.fillStyle = gradient;
      context.fillRect(-50, -50, 100, 100);
    }
  }
  context.restore();
}

function ramp(gradient: CanvasGradient, from: number, to: number, falling: boolean): void {
  for (let k = 0; k <= 8; k++) {
    const t = k / 8;
    const smooth = t * t * (3 - 2 * t);
    gradient.addColorStop(from + (to - from) * t, `rgba(0,0,0,${falling ? 1 - smooth : smooth})`);
  }
}
