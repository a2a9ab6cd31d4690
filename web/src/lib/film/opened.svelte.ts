import { sent, type Contents, type Sheet } from "../api/client";
import { player } from "./player.svelte";
import { session } from "./session.svelte";

/** A file of ways, places or outlines that is open: what it holds, and what of it is ticked. */
class Opened {
  /** The film that it was opened for; while another is open, nothing of it is shown. */
  film = $state.raw("");
  file = $state.raw<File | null>(null);
  contents = $state.raw<Contents | null>(null);
  /** Which things are to be laid, by their places in the contents. */
  ticked = $state.raw<Set<number>>(new Set());
  places = $state<"named" | "markers" | "labels">("named");
  /** How far ways may stray, metres; none leaves it to their size. */
  tolerance = $state<number | null>(null);
  /** How far the picture may be from that of a camera that becomes vantages, percent of the frame's width. */
  error = $state(1);
  /** Where one looked when it was opened: a scene that says nothing of its place is put there. */
  #at = { x: "0", y: "0" };
  /** Files that wait until this one is laid or put away. */
  #next: { film: string; file: File }[] = [];
  shows = $derived(this.contents !== null && this.film === session.id);

  /** Look into a file that was brought to a film. One thing alone is laid at once; more are shown first. */
  async open(film: string, file: File): Promise<void> {
    if (this.shows) return void this.#next.push({ film, file });
    await session.guarded(async () => {
      this.#mustBeOpen(film, file);
      this.#at = { x: `${session.shown.x}`, y: `${session.shown.y}` };
      const contents = await sent<Contents>(`/api/films/${film}/contents`, this.#at, file);
      this.#mustBeOpen(film, file);
      [this.film, this.file, this.contents] = [film, file, contents];
      this.ticked = new Set(contents.things.keys());
      // How near to a camera vantages are to keep is for the person to say.
      if (contents.things.length === 1 && contents.things[0]!.kind !== "camera") await this.lay();
    });
    if (!this.shows) await this.#goOn();
  }

  #mustBeOpen(film: string, file: File): void {
    if (film !== session.id)
      throw new Error(`“${file.name}” was not laid: another film is open now. Drop it again where it belongs.`);
  }

  /** Lay what is ticked, as one edit, and show it. */
  async lay(): Promise<void> {
    const { film, file, contents } = this;
    if (!file || !contents || !this.ticked.size) return;
    const query: Record<string, string> = { ...this.#at, places: this.places, frame: `${player.frame}` };
    if (this.ticked.size < contents.things.length) query.only = ranges([...this.ticked].sort((a, b) => a - b));
    if (contents.things.some(({ kind }) => kind === "camera")) query.error = `${this.error}`;
    if (this.tolerance) query.tolerance = `${this.tolerance}`;
    const before = new Set(session.marks.map(({ mark }) => mark.id));
    const flown = session.film?.vantages.length ?? 0;
    const done = await session.keep((seen) =>
      sent<Sheet>(`/api/films/${film}/geodata`, query, file, { "If-Match": seen }),
    );
    if (!done) return;
    const laid = contents.things.filter((_, k) => this.ticked.has(k));
    const boxes = laid.map(({ box }) => box);
    const room = (low: number, high: number) => Math.max((high - low) * 0.15, 1);
    const [w, s, e, n] = [0, 1, 2, 3].map((k) =>
      boxes.map((box) => box[k]!).reduce((a, b) => (k < 2 ? Math.min(a, b) : Math.max(a, b))),
    ) as [number, number, number, number];
    session.step = laid.every(({ kind }) => kind === "camera") ? "fly" : "mark";
    session.showBox = [w - room(w, e), s - room(s, n), e + room(w, e), n + room(s, n)];
    const fresh = session.marks.find(({ mark }) => !before.has(mark.id));
    const vantage = session.film?.vantages[flown];
    if (fresh) session.select({ kind: fresh.kind, id: fresh.mark.id });
    else if (vantage) session.select({ kind: "vantage", id: vantage.id });
    if (contents.notes.length) session.notice = contents.notes.join(" ");
    await this.putAway();
  }

  async putAway(): Promise<void> {
    [this.file, this.contents, this.tolerance] = [null, null, null];
    await this.#goOn();
  }

  async #goOn(): Promise<void> {
    const next = this.#next.shift();
    if (next) await this.open(next.film, next.file);
  }
}

/** Rising numbers as ranges: 0-4,7. */
export function ranges(numbers: number[]): string {
  const found: string[] = [];
  for (let k = 0; k < numbers.length;) {
    let last = k;
    while (numbers[last + 1] === numbers[last]! + 1) last += 1;
    found.push(last > k ? `${numbers[k]}-${numbers[last]}` : `${numbers[k]}`);
    k = last + 1;
  }
  return found.join(",");
}

export const opened = new Opened();
