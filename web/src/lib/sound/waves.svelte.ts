import { api, told, type Sound, type SoundPlan, type Wave } from "../api/client";
import { session } from "../film/session.svelte";

type Peaks = [number, number][];

/** Pairs of peaks that a sound is drawn with. */
const PARTS = 600;
const KEPT = 400;

/** What sounds look like, asked for once each. */
class Waves {
  #known = $state.raw(new Map<string, Peaks>());
  #asked = new Set<string>();

  /** How a sound is drawn, as far as that is known yet. */
  of(sound: Sound, laid: SoundPlan): Peaks {
    const key = laid.look;
    const known = this.#known.get(key);
    if (known) return known;
    // While it is pulled it is drawn as it was.
    if (!session.trial && !this.#asked.has(key)) void this.#ask(key, sound.id);
    return this.#known.get(this.#last.get(sound.id) ?? "") ?? [];
  }

  #last = new Map<string, string>();

  async #ask(key: string, id: string): Promise<void> {
    this.#asked.add(key);
    try {
      const path = { film_id: session.id, sound_id: id };
      const { peaks } = await told<Wave>(
        api.GET("/api/films/{film_id}/sounds/{sound_id}/wave", {
          params: { path, query: { state: session.state, parts: PARTS } },
        }),
      );
      const kept = [...this.#known].slice(-KEPT);
      this.#known = new Map([...kept, [key, peaks as Peaks]]);
      this.#last.set(id, key);
    } catch {
      // It is asked for again when it is drawn anew.
      this.#asked.delete(key);
    }
  }
}

export const waves = new Waves();

/** Peaks as a closed outline in a box. */
export function outlineOf(peaks: Peaks, x: number, width: number, y: number, height: number): string {
  if (!peaks.length || width <= 0) return "";
  const step = width / peaks.length;
  const middle = y + height / 2;
  const up = peaks.map(([, high], k) => `${(x + (k + 0.5) * step).toFixed(1)} ${(middle - (high / 127) * (height / 2)).toFixed(1)}`); // prettier-ignore
  const down = peaks.map(([low], k) => `${(x + (k + 0.5) * step).toFixed(1)} ${(middle - (low / 127) * (height / 2)).toFixed(1)}`); // prettier-ignore
  return `M${up.join("L")}L${down.reverse().join("L")}Z`;
}
