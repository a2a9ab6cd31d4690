import { frameUrl } from "../api/client";
import { gathering } from "./gathering.svelte";
import { Ready } from "./ready.svelte";
import { hearing } from "../sound/hearing.svelte";
import { Pace, PAUSES } from "./pace";
import { session } from "./session.svelte";

/** Pictures that are kept ready ahead of the playhead. */
const AHEAD = 10;
const OUTSTANDING = 4;
/** Of frames that take longer to draw than they last, every second, third … is drawn, up to this. */
const SPARSEST = 12;
/** By how many of the frames' own lengths drawing may take longer than it should before fewer are drawn, and by how
 *  many it may when more are. */
const [SLOWER, QUICKER] = [0.2, 0.15];
/** How long the picture is at rest before frames ahead of it are drawn, ms. */
const RESTED = 900;
/** What is asked for anew within so long is on its way somewhere, ms. */
const MOVES = 250;
/** How long the picture waits for the clock of the sound, ms. */
const HESITATES = 300;
/** How many drawn frames late a picture may be and still be shown. */
const LATE = 3;

/** The playhead: plays frames that the engine draws ahead, scrubs and steps. */
export class Player {
  frame = $state(0);
  speed = $state(0);
  loop = $state(true);
  quality = $state<"draft" | "final">("draft");
  picture = $state.raw<ImageBitmap | null>(null);
  shownFrame = $state(-1);
  /** Why the frame at the playhead cannot be shown. */
  problem = $state("");
  /** Whether the picture lacks marks, as drawing it took too long. */
  unfinished = $state(false);
  /** Pixels wide that the picture is asked for. */
  width = $state(640);
  /** Frames a second that reach the screen while playing. */
  drawn = $state(0);

  ready = new Ready();
  /** How wide pictures are while something moves. */
  pace = new Pace();
  #lacking = new WeakSet<ImageBitmap>();
  #pending = new Map<number, AbortController>();
  /** How long a picture is under way, and how long it is from one to the next, ms, smoothed. */
  #latency = 0;
  #period = 0;
  #arrived = 0;
  /** Every how manyth frame is drawn. */
  #every = 1;
  #key = "";
  #stillTimer: ReturnType<typeof setTimeout> | undefined;
  #from = { time: 0, frame: 0 };
  /** The vantage that the playhead rests at, and how many frames after the camera has come there. */
  #rests: { vantage: string; after: number } | null = null;
  #ticks: number[] = [];
  #raf = 0;

  get frames(): number {
    return session.plan?.frames ?? 0;
  }

  get playing(): boolean {
    return this.speed !== 0;
  }

  /** Go to a frame; while playing, play on from there. */
  seek(frame: number): void {
    const last = Math.max(this.frames - 1, 0);
    this.frame = Math.min(Math.max(Math.round(frame), 0), last);
    this.#begins();
    if (!this.playing) {
      this.#note();
      this.showStill();
      if (session.step === "sound") void hearing.scrub(this.frame);
    }
  }

  /** Note at which vantage the playhead rests. */
  #note(): void {
    const at = session.plan?.vantages.find(({ start, last }) => start <= this.frame && this.frame <= last);
    this.#rests = at ? { vantage: at.id, after: this.frame - at.start } : null;
  }

  /** Whoever looks at a vantage goes on looking at it when an edit has moved it in time. */
  #stay(): void {
    if (this.playing || session.trial || !this.#rests) return;
    const { vantage, after } = this.#rests;
    const at = session.plan?.vantages.find(({ id }) => id === vantage);
    if (at) this.frame = Math.min(at.start + after, at.last);
  }

  /** The film runs, or will, from the frame that the playhead is at. */
  #begins(): void {
    this.#from = { time: performance.now(), frame: this.frame };
    if (this.playing) hearing.play(this.frame, this.speed);
  }

  /** How far a film that runs has come, frames: by the clock of its sound, if any is heard. */
  #reached(time: number): number {
    const heard = hearing.seconds;
    if (heard !== null && time - this.#from.time > HESITATES) return Math.max(heard * this.#rate(), 0);
    return this.#from.frame + ((Math.max(time, this.#from.time) - this.#from.time) / 1000) * this.#rate() * this.speed;
  }

  play(speed = 1): void {
    if (!this.frames) return;
    if (speed > 0 && this.frame >= this.frames - 1) this.frame = 0;
    const was = this.speed;
    this.speed = speed;
    session.watched = false;
    this.#begins();
    this.#stopResting();
    this.#ticks = [];
    [this.#arrived, this.#every] = [0, 1];
    if (!was) this.#raf = requestAnimationFrame(this.#tick);
  }

  pause(): void {
    this.speed = 0;
    hearing.stop();
    cancelAnimationFrame(this.#raf);
    this.#dropPending();
    this.#note();
    this.showStill();
  }

  toggle(): void {
    if (this.playing) this.pause();
    else this.play(1);
  }

  /** The film or the picture's size changed: what was drawn ahead is stale. */
  renew(): void {
    const key = `${session.id}/${session.pictured}/${this.frames}/${this.width}/${session.without.join()}/${session.split}`;
    if (key === this.#key) return;
    if (!this.#key.startsWith(`${session.id}/`)) this.#begin();
    this.#key = key;
    this.#dropPending();
    this.ready.clear(this.picture);
    this.#stay();
    if (this.frame > Math.max(this.frames - 1, 0)) this.frame = Math.max(this.frames - 1, 0);
    if (!this.playing) this.showStill();
  }

  /** Another film has come: nothing of the last one stays in sight. */
  #begin(): void {
    if (this.playing) this.pause();
    this.ready.clear(this.picture);
    this.picture?.close();
    this.picture = null;
    [this.frame, this.shownFrame, this.problem, this.unfinished] = [0, -1, "", false];
    this.#rests = null;
    [this.#latency, this.#period] = [0, 0];
  }

  /** Draft at once, narrower while something moves; at rest, all of it, and then the final quality. */
  showStill(): void {
    clearTimeout(this.#stillTimer);
    this.#stopResting();
    // What is ready is seen at once.
    const known = this.ready.get(this.frame);
    if (known && this.frames) this.#show(known, this.frame);
    if (!this.frames) {
      this.#turn++;
      this.#following = false;
      session.watched = false;
      this.picture = null;
      this.shownFrame = -1;
      return;
    }
    const now = performance.now();
    const moves = session.trial !== null || session.coming !== "" || now - this.#asked < MOVES;
    this.#asked = now;
    // One picture at a time, so that all that are begun are seen: what is newest then comes next.
    if (moves && this.#following) this.#newer = true;
    else this.#followed = this.#follow(moves);
  }

  /** Once the picture that is asked for has come. */
  get seen(): Promise<void> {
    return this.#followed;
  }

  #followed: Promise<void> = Promise.resolve();
  #asked = -Infinity;
  #following = false;
  #newer = false;
  /** What is asked for by an earlier turn is wanted no more. */
  #turn = 0;

  async #follow(moves: boolean): Promise<void> {
    const turn = ++this.#turn;
    this.#following = true;
    let width: number;
    do {
      this.#newer = false;
      width = moves ? this.pace.width(this.width) : this.width;
      await this.#still("draft", width, moves);
      if (turn !== this.#turn) return;
      moves ||= this.#newer;
    } while (this.#newer && !this.playing);
    this.#following = false;
    if (this.playing) return;
    session.watched = true;
    this.#settle(width < this.width, turn);
  }

  /** The picture stands: what it still lacks follows, step by step. */
  #settle(narrow: boolean, turn: number): void {
    const settle = narrow ? PAUSES : this.quality === "final" ? 60 : 450;
    this.#stillTimer = setTimeout(() => {
      if (this.playing || turn !== this.#turn) return;
      // While the hand goes on, what it moves comes first.
      if (session.trying) return this.#settle(narrow, turn);
      void this.#still(narrow ? "draft" : "final", this.width).then(() => {
        if (turn !== this.#turn || this.playing) return;
        if (narrow) this.#settle(false, turn);
        else this.#restTimer = setTimeout(() => void this.#rest(), RESTED);
      });
    }, settle);
  }

  #restTimer: ReturnType<typeof setTimeout> | undefined;
  #resting: AbortController | null = null;

  #stopResting(): void {
    clearTimeout(this.#restTimer);
    this.#resting?.abort();
    this.#resting = null;
  }

  /** At rest, draw what would be played next, one frame after the other, as long as there is room for it; not before
   * the film has been sounded, which one waits for. */
  async #rest(): Promise<void> {
    const abort = (this.#resting = new AbortController());
    const key = this.#key;
    await gathering.looked;
    if (this.playing || !this.frames || !this.picture) return;
    const room = Math.min(Ready.room(this.picture.width, this.picture.height), this.frames) - 1;
    // A page that nobody sees draws nothing ahead.
    for (let k = 1; k <= room && this.#resting === abort && !document.hidden; k++) {
      const frame = this.frame + k;
      if (frame >= this.frames && !this.loop) return;
      const next = frame % this.frames;
      if (this.ready.has(next)) continue;
      try {
        const bitmap = await this.#fetch(next, "draft", this.width, abort.signal);
        if (key !== this.#key) return bitmap.close();
        this.ready.put(next, bitmap, this.#wait, this.picture);
      } catch {
        // It was let go, or cannot be drawn: playing it says why.
        return;
      }
    }
  }

  /** How many frames it is until one is needed, playing on from here. */
  #wait = (frame: number): number => {
    const step = this.speed < 0 ? -1 : 1;
    const count = Math.max(this.frames, 1);
    return ((((frame - this.frame) * step) % count) + count) % count;
  };

  #stillAsk = 0;

  /** Ask for the picture at the playhead and show it; where things `moves`, though the film has changed meanwhile. */
  async #still(quality: string, width: number, moves = false): Promise<void> {
    const ask = ++this.#stillAsk;
    const frame = this.frame;
    const [id, key, state] = [session.id, this.#key, session.pictured];
    try {
      this.#stillAbort?.abort();
      this.#stillAbort = new AbortController();
      const asked = performance.now();
      const bitmap = await this.#fetch(frame, quality, width, this.#stillAbort.signal);
      if (quality === "draft") this.pace.took(performance.now() - asked, width, this.width);
      this.problem = "";
      const stale = moves ? id !== session.id : key !== this.#key;
      if (ask < this.#stillShown || stale || this.playing) return bitmap.close();
      this.#stillShown = ask;
      this.#show(bitmap, frame);
    } catch (error) {
      // One that was let go is no fault: a newer still is on its way; and of a trial that is refused the answer says why.
      if (ask !== this.#stillAsk || (error as Error).name === "AbortError" || state === session.coming) return;
      if (state === session.pictured) this.problem = (error as Error).message;
    }
  }

  #stillShown = 0;
  #stillAbort: AbortController | null = null;

  async #fetch(frame: number, quality: string, width: number, signal: AbortSignal): Promise<ImageBitmap> {
    const answer = await fetch(
      frameUrl(session.id, session.pictured, frame, width, quality, session.without.join(), session.split),
      { signal },
    );
    if (!answer.ok) {
      const told = (await answer.json().catch(() => null)) as { detail?: string } | null;
      throw new Error(told?.detail ?? `The server answered ${answer.status}.`);
    }
    const bitmap = await createImageBitmap(await answer.blob());
    if (answer.headers.has("X-Unfinished")) this.#lacking.add(bitmap);
    return bitmap;
  }

  #show(bitmap: ImageBitmap, frame: number): void {
    const old = this.picture;
    this.picture = bitmap;
    this.shownFrame = frame;
    this.unfinished = this.#lacking.has(bitmap);
    if (old && old !== bitmap && !this.ready.holds(old)) old.close();
  }

  #tick = (time: number): void => {
    if (!this.playing) return;
    let frame = this.#reached(time);
    const count = this.frames;
    if (frame >= count || frame < 0) {
      if (!this.loop) {
        this.frame = frame < 0 ? 0 : count - 1;
        return this.pause();
      }
      frame = ((frame % count) + count) % count;
      this.#from = { time, frame };
      hearing.play(frame, this.speed);
    }
    // A frame's own moment may come out a hair early.
    this.frame = Math.floor(frame + 1e-6);
    // The newest that has arrived is shown, though its moment may have passed.
    const step = Math.sign(this.speed);
    const behind = (other: number) => (this.frame - other) * step;
    let newest = -1;
    for (const other of this.ready.frames())
      if (behind(other) >= 0 && (newest < 0 || behind(other) < behind(newest))) newest = other;
    if (newest >= 0 && this.shownFrame !== newest && behind(newest) < LATE * this.#every) {
      this.#show(this.ready.get(newest)!, newest);
      this.#ticks.push(time);
      this.#ticks = this.#ticks.filter((tick) => time - tick < 1000);
      this.drawn = this.#ticks.length;
    }
    this.#drawAhead();
    this.#raf = requestAnimationFrame(this.#tick);
  };

  #rate(): number {
    const [over, under] = (session.film?.rate ?? "25").split("/").map(Number);
    return over! / (under ?? 1);
  }

  /** Whether so many pictures are ready ahead that drawing only waits for them to be seen. */
  get #stocked(): boolean {
    const ahead = [...this.ready.frames()].filter(
      (frame) => frame !== this.shownFrame && this.#wait(frame) <= AHEAD * this.#every,
    );
    return ahead.length >= AHEAD / 2;
  }

  /** Keep the next frames coming that can still arrive in time; let go of those behind. */
  #drawAhead(): void {
    const step = Math.sign(this.speed);
    const count = this.frames;
    const each = 1000 / Math.max(this.#rate() * Math.abs(this.speed), 1e-6);
    if (this.#period) {
      // Every so manyth frame, evenly, as fast as they are drawn; not at once the other way when it goes better.
      const [lasts, fewer] = [this.#period / each, this.#every - 1];
      const wanted = Math.min(Math.max(Math.ceil(lasts - SLOWER), 1), SPARSEST);
      if (wanted > this.#every || (fewer && lasts < fewer + QUICKER && this.#stocked)) this.#every = wanted;
    }
    const every = this.#every * Math.max(Math.round(Math.abs(this.speed)), 1);
    const wanted = new Set<number>();
    for (let k = 0; k <= AHEAD * every; k++) {
      let frame = this.frame + k * step;
      if (this.loop) frame = ((frame % count) + count) % count;
      if (frame < 0 || frame >= count || frame % every) continue;
      // Where nothing is under way yet, the next one is asked for however late it comes.
      if (k * each < this.#latency * 0.6 && !this.#pending.has(frame) && this.#pending.size) continue;
      wanted.add(frame);
    }
    const past = (frame: number) => {
      const behind = (this.frame - frame) * step;
      return behind >= LATE * every || behind < -(AHEAD + 1) * every;
    };
    // The server leaves what is let go here; the one asked for first is waited for, as it tells how long one takes.
    const first = this.#pending.keys().next().value;
    for (const [frame, abort] of this.#pending) {
      if (wanted.has(frame) || !past(frame) || frame === first) continue;
      this.#pending.delete(frame);
      abort.abort();
    }
    for (const frame of wanted) {
      if (this.#pending.size >= OUTSTANDING) break;
      if (this.ready.has(frame) || this.#pending.has(frame)) continue;
      const abort = new AbortController();
      this.#pending.set(frame, abort);
      const key = this.#key;
      const asked = performance.now();
      this.#fetch(frame, "draft", this.width, abort.signal)
        .then((bitmap) => {
          this.#timed(asked);
          if (key === this.#key && this.playing) this.ready.put(frame, bitmap, this.#wait, this.picture);
          else bitmap.close();
        })
        .catch(() => undefined)
        .finally(() => {
          if (this.#pending.get(frame) === abort) this.#pending.delete(frame);
        });
    }
  }

  /** Note how long a picture took, and how long it is since the one before. */
  #timed(asked: number): void {
    const now = performance.now();
    const took = now - asked;
    // While others are under way, pictures come as fast as they are drawn.
    const since = this.#pending.size > 1 && this.#arrived ? now - this.#arrived : took;
    this.#latency += (took - this.#latency) * (this.#latency ? 0.25 : 1);
    this.#period += (Math.min(since, took) - this.#period) * (this.#period ? 0.2 : 1);
    this.#arrived = now;
  }

  #dropPending(): void {
    for (const abort of this.#pending.values()) abort.abort();
    this.#pending.clear();
  }
}

export const player = new Player();
// What is tried is seen before the next is: both at once would take longer than one after the other.
session.seen = () => player.seen;
