import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Job } from "../api/client";
import { Watch } from "./watch";

const job = (state: Job["state"]) => ({ id: "j", state }) as Job;

describe("a watch", () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());

  it("looks seldom while nothing is under way, and soon after something was begun", async () => {
    const looks: number[] = [];
    let jobs: Job[] = [];
    const watch = new Watch(async () => {
      looks.push(Date.now());
      return jobs;
    });
    const start = Date.now();
    const end = watch.begin();
    await vi.advanceTimersByTimeAsync(3200);
    expect(looks.map((at) => at - start)).toEqual([0, 1500, 3000]);
    // Something is begun 200 ms after a look: what comes of it is not waited for until the next.
    jobs = [job("running")];
    await watch.now();
    await vi.advanceTimersByTimeAsync(600);
    expect(looks.slice(3).map((at) => at - start)).toEqual([3200, 3300, 3450, 3675]);
    // What takes long is looked for less often, and what goes on beside it as often.
    await vi.advanceTimersByTimeAsync(20_000);
    expect(looks.at(-1)! - looks.at(-2)!).toBe(400);
    jobs = [job("done")];
    await watch.now();
    const seen = looks.length;
    await vi.advanceTimersByTimeAsync(1400);
    expect(looks).toHaveLength(seen);
    end();
    await vi.advanceTimersByTimeAsync(10_000);
    expect(looks).toHaveLength(seen);
  });

  it("goes on after a look that failed, and tells whoever asked", async () => {
    let looks = 0;
    const watch = new Watch(async () => {
      looks += 1;
      throw new Error("gone");
    });
    const end = watch.begin();
    await vi.advanceTimersByTimeAsync(1500);
    expect(looks).toBe(2);
    await expect(watch.now()).rejects.toThrow("gone");
    end();
  });

  it("goes by the look that was begun last, whichever is answered first", async () => {
    let looks = 0;
    const watch = new Watch(async () => {
      looks += 1;
      // The first is asked before anything is begun, and answered last.
      const [late, jobs] = looks === 1 ? [80, []] : [10, [job("running")]];
      await new Promise((done) => setTimeout(done, late as number));
      return jobs as Job[];
    });
    const end = watch.begin();
    await Promise.all([watch.now(), vi.advanceTimersByTimeAsync(100)]);
    expect(looks).toBe(2);
    await vi.advanceTimersByTimeAsync(15);
    expect(looks).toBe(3);
    end();
  });

  it("has one next look, however many looked at once", async () => {
    let looks = 0;
    const watch = new Watch(async () => {
      looks += 1;
      await new Promise((done) => setTimeout(done, 30));
      return [];
    });
    const end = watch.begin();
    await Promise.all([watch.now(), watch.now(), vi.advanceTimersByTimeAsync(40)]);
    expect(looks).toBe(3);
    await vi.advanceTimersByTimeAsync(1520);
    expect(looks).toBe(4);
    end();
  });
});
