import type { Job } from "../api/client";

/** How long after one look the next one is, ms: while nothing is under way, and while something is, where it comes at
 * once and then less and less often. */
const SELDOM = 1500;
const OFTEN = { first: 100, times: 1.5, last: 400 };

/** Whether a job is still to be waited for. */
export const isOpen = (job: Job) => job.state === "waiting" || job.state === "running";

/** Looks again and again whether something moved on. */
export class Watch {
  #on = false;
  #next: ReturnType<typeof setTimeout> | undefined;
  #wait = OFTEN.first;
  #begun = 0;

  /** @param look - looks, and gives the jobs that it saw. */
  constructor(private readonly look: () => Promise<readonly Job[]>) {}

  /** Begin; what it gives ends it. A look that fails is one of many: who must tell of it does so itself. */
  begin(): () => void {
    this.#on = true;
    this.#lookOn();
    return () => {
      this.#on = false;
      clearTimeout(this.#next);
    };
  }

  /** Look now, as whoever has begun something does; the next look is soon after it. */
  async now(): Promise<void> {
    const number = ++this.#begun;
    let busy = false;
    try {
      busy = (await this.look()).some(isOpen);
    } finally {
      // One that was begun later has seen what is newer.
      if (number === this.#begun) this.#lookAgain(busy);
    }
  }

  #lookAgain(busy: boolean): void {
    clearTimeout(this.#next);
    if (this.#on) this.#next = setTimeout(() => this.#lookOn(), busy ? this.#wait : SELDOM);
    this.#wait = busy ? Math.min(this.#wait * OFTEN.times, OFTEN.last) : OFTEN.first;
  }

  #lookOn(): void {
    this.now().catch(() => {});
  }
}
