import { type FlownPose, type Gesture } from "../api/client";
import { player } from "./player.svelte";
import { newId, session } from "./session.svelte";

/** The camera flown freely by hand, away from the film's own; nothing is kept until it is said. */
class Flight {
  pose = $state.raw<FlownPose | null>(null);
  picture = $state.raw<ImageBitmap | null>(null);
  /** The pose that the gesture under way began at. */
  #start: FlownPose | null = null;
  /** What is to be done yet, in order. Of a drag only the newest counts; single gestures all do. */
  #wanted: { dragged: boolean; gesture: Gesture }[] = [];
  #asking = false;
  #landed = 0;

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
    this.#wanted.push({
      dragged,
      gesture: { start: [0.5, 0.5], to: [0.5, 0.5], factor: 1, by: [0, 0], ...gesture },
    });
    if (!this.#asking) void this.#run();
  }

  async #run(): Promise<void> {
    this.#asking = true;
    const landed = this.#landed;
    while (this.#wanted.length && landed === this.#landed) {
      const { dragged, gesture } = this.#wanted.shift()!;
      // Where there is no camera yet, it takes off from above what the chart shows.
      const { x, y, width } = session.shown;
      const above = player.frames ? null : { x, y, span: width };
      const body = {
        pose: (dragged ? this.#start : this.pose) ?? above,
        frame: player.frame,
        gesture,
        width: player.width,
        without: session.without.join(),
      };
      const answer = await fetch(`/api/films/${session.id}/flight?state=${session.state}`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(body),
      }).catch(() => null);
      if (!answer?.ok || landed !== this.#landed) break;
      const pose = JSON.parse(answer.headers.get("X-Pose")!) as FlownPose;
      const picture = await createImageBitmap(await answer.blob());
      if (landed !== this.#landed) break;
      [this.pose, this.picture] = [pose, picture];
    }
    this.#wanted = [];
    this.#asking = false;
    for (const tell of this.#waiting.splice(0)) tell();
  }

  /** Once all that was asked for is done. */
  #settled(): Promise<void> {
    return this.#asking ? new Promise((done) => this.#waiting.push(done)) : Promise.resolve();
  }
  #waiting: (() => void)[] = [];

  /** Back to the film's camera. */
  land(): void {
    this.#landed++;
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
    await session.act({ act: "fly_vantage", vantage: session.film!.vantages[index]!.id, pose });
    this.land();
    player.seek(session.plan!.vantages[index]!.start);
  }
}

export const flight = new Flight();
