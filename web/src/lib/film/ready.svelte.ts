/** Bytes of pictures that are kept ready. */
const MOST = 160e6;

/** Pictures of frames that are drawn already: as many as there is room for, those that are needed last going first. */
export class Ready {
  #kept = new Map<number, ImageBitmap>();
  /** Stretches of frames that are ready, first and last, for the ruler. */
  runs = $state.raw<[number, number][]>([]);
  #due = false;

  /** How many pictures of a size there is room for. */
  static room(width: number, height: number): number {
    return Math.max(Math.floor(MOST / Math.max(width * height * 4, 1)), 12);
  }

  get(frame: number): ImageBitmap | undefined {
    return this.#kept.get(frame);
  }

  has(frame: number): boolean {
    return this.#kept.has(frame);
  }

  frames(): Iterable<number> {
    return this.#kept.keys();
  }

  holds(bitmap: ImageBitmap): boolean {
    for (const one of this.#kept.values()) if (one === bitmap) return true;
    return false;
  }

  /** Keep a picture. `wait` tells how long it is until a frame is needed, in frames; `shown` is never closed. */
  put(frame: number, bitmap: ImageBitmap, wait: (frame: number) => number, shown: ImageBitmap | null): void {
    const old = this.#kept.get(frame);
    this.#kept.set(frame, bitmap);
    if (old && old !== shown && old !== bitmap) old.close();
    const room = Ready.room(bitmap.width, bitmap.height);
    while (this.#kept.size > room) {
      let last = -1;
      for (const one of this.#kept.keys()) if (last < 0 || wait(one) > wait(last)) last = one;
      const gone = this.#kept.get(last)!;
      this.#kept.delete(last);
      if (gone !== shown) gone.close();
    }
    this.#tell();
  }

  /** Let go of all, but for the one in sight. */
  clear(shown: ImageBitmap | null): void {
    for (const bitmap of this.#kept.values()) if (bitmap !== shown) bitmap.close();
    this.#kept.clear();
    this.runs = [];
  }

  /** Say what is ready, a few times a second at the most. */
  #tell(): void {
    if (this.#due) return;
    this.#due = true;
    setTimeout(() => {
      this.#due = false;
      this.runs = runsOf([...this.#kept.keys()]);
    }, 200);
  }
}

/** Frames, in any order, as stretches of those that follow one another. */
export function runsOf(frames: number[]): [number, number][] {
  const found: [number, number][] = [];
  for (const frame of [...frames].sort((a, b) => a - b)) {
    const last = found[found.length - 1];
    if (last && frame <= last[1] + 1) last[1] = frame;
    else found.push([frame, frame]);
  }
  return found;
}
