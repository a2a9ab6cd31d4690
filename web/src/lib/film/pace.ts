/** How long a hand is still until what it moves is drawn as wide as it is, ms. */
export const PAUSES = 160;
/** What a picture may take to be drawn and sent while something moves under the hand, ms. */
const QUICK = 45;
/** No narrower than this share of its width. */
const NARROWEST = 0.5;
/** It becomes wider by no more than so many times at once. */
const WIDENS = 1.3;
/** Widths are multiples of so many pixels, so that the picture does not change its size all the time. */
const STEP = 64;

/** How wide a picture is drawn while something moves: as wide as it comes at once. At rest it is drawn as wide as it
 *  is. */
export class Pace {
  #share = 1;

  width(full: number): number {
    const wide = Math.round((full * this.#share) / STEP) * STEP;
    return Math.min(Math.max(wide, Math.ceil((full * NARROWEST) / 16) * 16), full);
  }

  /** A picture so wide took so long, where `full` was wanted. */
  took(milliseconds: number, width: number, full: number): void {
    // Drawing takes as long as there are pixels.
    const could = (width / full) * Math.sqrt(QUICK / Math.max(milliseconds, 1));
    this.#share = Math.min(Math.max(could, NARROWEST), this.#share * WIDENS, 1);
  }
}
