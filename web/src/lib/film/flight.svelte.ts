import { type FlownPose, type Gesture } from "../api/client";
import { PAUSES } from "./pace";
import { player } from "./player.svelte";
import { newId, session } from "./session.svelte";

interface Wanted {
  dragged: boolean;
  gesture: Gesture;
}

/** A gesture that leads nowhere. */
const STAYS: Wanted = {
  dragged: false,
  gesture: { kind: "pan", start: [0.5, 0.5], to: [0.5, 0.5], factor: 1, by: [0, 0] },
};

/** The camera flown freely by hand, away from the film's own; nothing is kept until it is said. */
class Flight {
  pose = $state.raw<FlownPose | null>(null);
  picture = $state.raw<ImageBitmap | null>(null);
  /** The pose that the gesture under way began at. */
  #start: FlownPose | null = null;
  /** What is to be done yet, in order. Of a drag only the newest counts; single gestures all do. */
  #wanted: Wanted[] = [];
  #asking = false;
  #landed = 0;

  constructor() {
    session.whenOpened(() => this.land());
  }

  get flying(): boolean {
    return this.pose !== null;
  }

  /** A drag begins: what follows counts from here. */
  begin(): void {
    player.pause();
    this.#start = this.pose;
  }

  /** What the drag has come to since it began. */
  drag(gesture: Partial<Gesture> & { kind: Gesture["kind"] }): void {
    this.#ask(true, gesture);
  }

  /** A single gesture: a turn of the wheel, a key. */
  nudge(gesture: Partial<Gesture> & { kind: Gesture["kind"] }): void {
    player.pause();
    this.#ask(false, gesture);
  }

  #ask(dragged: boolean, gesture: Partial<Gesture> & { kind: Gesture["kind"] }): void {
    if (dragged && this.#wanted[this.#wanted.length - 1]?.dragged) this.#wanted.pop();
    this.#want({ dragged, gesture: { ...STAYS.gesture, ...gesture } });
  }

  #want(wanted: Wanted): void {
    clearTimeout(this.#rests);
    this.#wanted.push(wanted);
    if (!this.#asking) void this.#run();
  }
  #rests: ReturnType<typeof setTimeout> | undefined;

  async #run(): Promise<void> {
    this.#asking = true;
    const landed = this.#landed;
    while (this.#wanted.length && landed === this.#landed) {
      const next = this.#wanted.shift()!;
      const width = next === STAYS ? player.width : player.pace.width(player.width);
      const asked = performance.now();
      if (!(await this.#flown(next, width, landed))) break;
      player.pace.took(performance.now() - asked, width, player.width);
      // Where the hand rests, the same is drawn as wide as it is.
      if (width < player.width && !this.#wanted.length) this.#rests = setTimeout(() => this.#want(STAYS), PAUSES);
    }
    this.#wanted = [];
    this.#asking = false;
    for (const tell of this.#waiting.splice(0)) tell();
  }

  /** Where a gesture leads is shown; false if it is no longer wanted. */
  async #flown({ dragged, gesture }: Wanted, width: number, landed: number): Promise<boolean> {
    // Where there is no camera yet, it takes off from above what the chart shows.
    const { x, y, width: span } = session.shown;
    const above = player.frames ? null : { x, y, span };
    const body = {
      pose: (dragged ? this.#start : this.pose) ?? above,
      frame: player.frame,
      gesture,
      width,
      without: session.without.join(),
    };
    const answer = await fetch(`/api/films/${session.id}/flight?state=${session.state}`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(body),
    }).catch(() => null);
    if (!answer?.ok || landed !== this.#landed) return false;
    const pose = JSON.parse(answer.headers.get("X-Pose")!) as FlownPose;
    const picture = await createImageBitmap(await answer.blob());
    if (landed !== this.#landed) return false;
    [this.pose, this.picture] = [pose, picture];
    return true;
  }

  /** Once all that was asked for is done. */
  #settled(): Promise<void> {
    return this.#asking ? new Promise((done) => this.#waiting.push(done)) : Promise.resolve();
  }
  #waiting: (() => void)[] = [];

  /** Back to the film's camera. */
  land(): void {
    this.#landed++;
    clearTimeout(this.#rests);
    this.#wanted = [];
    this.pose = this.#start = this.picture = null;
  }

  /** A new vantage from here. */
  async keep(): Promise<void> {
    await this.#settled();
    if (!this.pose) return;
    const id = newId();
    if (!(await session.act({ act: "keep_pose", pose: this.pose, after: session.after, id }))) return;
    this.land();
    session.select({ kind: "vantage", id });
    const start = session.plan?.vantages.find((vantage) => vantage.id === id)?.start;
    if (start !== undefined) player.seek(start);
  }

  /** The selected vantage comes here. */
  async moveVantage(index: number): Promise<void> {
    await this.#settled();
    const pose = this.pose;
    if (!pose) return;
    if (!(await session.act({ act: "fly_vantage", vantage: session.film!.vantages[index]!.id, pose }))) return;
    this.land();
    player.seek(session.plan!.vantages[index]!.start);
  }
}

export const flight = new Flight();
