import { player } from "../film/player.svelte";
import { session } from "../film/session.svelte";

/** What small pictures are made of: the film as kept and the frame at which the playhead rests. */
class Swatch {
  state = $state("");
  frame = $state(0);
  #timer: ReturnType<typeof setTimeout> | undefined;

  /** Follow the film, a moment after it has come to rest. */
  follow(): void {
    const [state, frame, moving] = [session.sheet?.state ?? "", player.frame, player.playing || !!session.trial];
    clearTimeout(this.#timer);
    if (moving) return;
    this.#timer = setTimeout(() => {
      this.state = state;
      this.frame = Math.min(frame, Math.max(player.frames - 1, 0));
    }, 350);
  }
}
export const swatch = new Swatch();
