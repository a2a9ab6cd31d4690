import { api, told, type Curves, type Moments, type XY } from "../api/client";
import type { Address } from "./courses";
import { session } from "./session.svelte";

/** How many frames are fetched at once for the playhead. */
export const RUN = 256;

/** What the camera does, frame by frame, as the server works it out: asked for around the playhead, and in whole for
 * the profile. */
class Camera {
  moments = $state.raw<Moments | null>(null);
  curves = $state.raw<Curves | null>(null);

  constructor() {
    session.whenOpened(() => ([this.moments, this.curves] = [null, null]));
  }

  /** Where the camera is at the frames around the playhead. */
  async fetchMoments(state: string, run: number): Promise<void> {
    if (!state) return;
    try {
      const query = { state, first: run * RUN, count: RUN };
      const moments = await told<Moments>(
        api.GET("/api/films/{film_id}/moments", { params: { path: { film_id: session.id }, query } }),
      );
      if (state === session.state) this.moments = moments;
    } catch (error) {
      // A trial that is over already is no fault: the newest state follows.
      if (state === session.state) session.notice = (error as Error).message;
    }
  }

  /** Timecode and outline at a frame near the playhead. */
  moment(frame: number): { timecode: string; outline: XY[] } | null {
    const k = frame - (this.moments?.first ?? 0);
    const timecode = this.moments?.timecodes[k];
    return timecode ? { timecode, outline: this.moments!.outlines[k] as XY[] } : null;
  }

  /** The span at a frame, as the profile's curve shows it. */
  spanAt(frame: number): number | null {
    const { curve_frames: frames, curve_spans: spans } = session.plan ?? { curve_frames: [], curve_spans: [] };
    if (!frames.length) return null;
    const step = frames.length > 1 ? frames[1]! - frames[0]! : 1;
    return spans[Math.min(Math.round(frame / step), spans.length - 1)]!;
  }

  /** What a value that changes is at a frame, as far as that is known yet. */
  valueAt({ of, field }: Address, frame: number): number | string | null {
    return this.moments?.courses[`${of}/${field}`]?.[frame - this.moments.first] ?? null;
  }

  /** Pace and the other channels over the film, for the profile. */
  async fetchCurves(state: string): Promise<void> {
    if (!state) return;
    try {
      const query = { params: { path: { film_id: session.id }, query: { state } } };
      const curves = await told<Curves>(api.GET("/api/films/{film_id}/curves", query));
      if (state === session.state) this.curves = curves;
    } catch (error) {
      // A trial that is over already is no fault: the newest state follows.
      if (state === session.state) session.notice = (error as Error).message;
    }
  }
}

export const camera = new Camera();
