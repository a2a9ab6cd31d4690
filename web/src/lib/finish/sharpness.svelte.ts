import { api, told, type Sharpness } from "../api/client";
import { session } from "../film/session.svelte";

/** What the lens keeps sharp at the playhead, as the server works it out. */
class Sight {
  now = $state.raw<Sharpness | null>(null);
  #asked = 0;

  constructor() {
    session.whenOpened(() => (this.now = null));
  }

  /** Ask for it at a frame of a state. */
  async fetch(state: string, frame: number): Promise<void> {
    const ask = ++this.#asked;
    const path = { film_id: session.id, frame };
    try {
      const found = await told<Sharpness>(
        api.GET("/api/films/{film_id}/sharpness/{frame}", { params: { path, query: { state } } }),
      );
      if (ask === this.#asked) this.now = found;
    } catch (error) {
      // A trial that is over already is no fault: the newest state follows.
      if (ask === this.#asked && state === session.state) session.notice = (error as Error).message;
    }
  }
}

export const sight = new Sight();
