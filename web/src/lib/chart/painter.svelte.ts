import { resting } from "../film/courses";
import { session, type Judging } from "../film/session.svelte";
import { drawPlate, melt, TileCache } from "./tiles";
import { boxOf, toScreen, type View } from "./view";

/** Paints plates as they lie, or as the fit of one of them is being judged. */
export class Painter {
  /** How many tiles have come so far: whoever has painted paints again when it changes. */
  arrived = $state(0);
  #tiles = new TileCache(() => this.arrived++);
  #scratch = document.createElement("canvas");

  /** Put one plate on a canvas; `wipe` is the share of its width that a wipe leaves out. */
  plate(context: CanvasRenderingContext2D, view: View, index: number, mode: Judging, wipe = 0) {
    const ratio = devicePixelRatio || 1;
    const { width: w, height: h } = context.canvas;
    const [plate, laid] = [session.film!.plates[index]!, session.plan!.plates[index]!];
    const source = `/api/films/${session.id}/plates/PLATE/tiles/TILE?state=${session.state}`;
    const reference = plate.role !== "film";
    const melts =
      plate.feather.shape === "ellipse" || (plate.feather.shape === "rectangle" && resting(plate.feather.width) > 0);
    const opacity = resting(plate.opacity) * (mode === "through" ? 0.5 : 1);
    if (!melts && opacity === 1 && mode === "laid" && !reference) {
      return drawPlate(context, view, ratio, laid, this.#tiles, source);
    }
    // Only where the plate is: of those of close levels that is little of a wide view.
    const box = boxOf(laid.outline.map((corner) => toScreen(view, corner)).map(([x, y]) => [x * ratio, y * ratio]));
    const [left, top] = [Math.max(box[0] - 2, 0), Math.max(box[1] - 2, 0)];
    const [across, down] = [Math.min(box[2] + 2, w) - left, Math.min(box[3] + 2, h) - top];
    if (across <= 0 || down <= 0) return;
    const scratch = this.#scratch;
    if (scratch.width !== w || scratch.height !== h) [scratch.width, scratch.height] = [w, h];
    const layer = scratch.getContext("2d")!;
    layer.save();
    layer.setTransform(1, 0, 0, 1, 0, 0);
    layer.beginPath();
    layer.rect(left, top, across, down);
    layer.clip();
    layer.clearRect(left, top, across, down);
    layer.imageSmoothingEnabled = context.imageSmoothingEnabled;
    drawPlate(layer, view, ratio, laid, this.#tiles, source);
    if (melts && mode !== "difference") melt(layer, view, ratio, plate, laid);
    layer.restore();
    context.save();
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = opacity;
    if (reference) context.filter = `contrast(${plate.contrast}%)`;
    if (mode === "difference") context.globalCompositeOperation = "difference";
    if (mode === "wipe") {
      context.beginPath();
      context.rect(wipe * w, 0, w, h);
      context.clip();
    }
    context.drawImage(scratch, left, top, across, down, left, top, across, down);
    context.restore();
    if (mode === "difference") {
      // What is equal is black; small differences are lifted so that they can be seen.
      context.save();
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.globalCompositeOperation = "color-dodge";
      context.fillStyle = "rgb(176,176,176)";
      context.beginPath();
      for (const corner of laid.outline) context.lineTo(...toScreen(view, corner));
      context.fill();
      context.restore();
    }
  }
}
