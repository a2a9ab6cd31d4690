// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { gathering } from "./gathering.svelte";
import { Player } from "./player.svelte";
import { Ready, runsOf } from "./ready.svelte";
import { session } from "./session.svelte";

let asked: string[] = [];
let frames: ((time: number) => void)[] = [];
const bitmap = () => ({ close: vi.fn(), width: 64, height: 36 }) as unknown as ImageBitmap;

function film(count: number, rate = "25") {
  session.sheet = {
    id: "f1",
    revision: 1,
    state: "r1",
    film: { rate, plates: [], vantages: [] },
    plan: { frames: count, seconds: count / 25, plates: [], vantages: [], passages: [] },
  } as never;
}

/** Node's: after what arrives has been dealt with. */
declare const setImmediate: (then: (value: unknown) => void) => void;

/** Let what was asked for arrive: an answer's body and its picture take a few turns each. */
async function arrived(): Promise<void> {
  for (let turn = 0; turn < 5; turn++) await new Promise((done) => setImmediate(done));
}

/** Let what was asked for arrive, then show the screen at a time. */
async function screen(time: number): Promise<void> {
  await arrived();
  const due = frames;
  frames = [];
  for (const frame of due) frame(time);
}

/** What is shown of a film that plays for five seconds, where a frame takes so many ms at a moment; one is drawn after
 *  the other, as a busy server does, and what is let go is not drawn. */
async function played(takes: (now: number) => number): Promise<{ frame: number; at: number }[]> {
  film(1000);
  let now = 0;
  vi.spyOn(performance, "now").mockImplementation(() => now);
  const line: { done: (answer: Response) => void; signal: AbortSignal }[] = [];
  let free = 0;
  vi.stubGlobal("fetch", (_: string, { signal }: { signal: AbortSignal }) => {
    return new Promise<Response>((done, fail) => {
      line.push({ done, signal });
      signal.addEventListener("abort", () => fail(new DOMException("let go", "AbortError")));
    });
  });
  const player = new Player();
  player.play();
  const shown: { frame: number; at: number }[] = [];
  let busy: (typeof line)[number] | undefined;
  for (now = 0; now < 5000; now += 5) {
    if (busy && now >= free) {
      busy.done(new Response(new Blob(["x"])));
      busy = undefined;
    }
    while (!busy && line.length) {
      const next = line.shift()!;
      if (!next.signal.aborted) [busy, free] = [next, now + takes(now)];
    }
    if (now % 15 === 0) await screen(now);
    const last = shown[shown.length - 1];
    if (player.shownFrame >= 0 && player.shownFrame !== last?.frame) shown.push({ frame: player.shownFrame, at: now });
  }
  player.pause();
  return shown;
}

/** Nothing goes by real time: a busy machine tests the same. */
const TIMERS = ["setTimeout", "clearTimeout"] as const;

beforeEach(() => {
  vi.useFakeTimers({ toFake: [...TIMERS] });
  asked = [];
  frames = [];
  vi.spyOn(performance, "now").mockReturnValue(0);
  vi.stubGlobal("fetch", async (url: string) => {
    asked.push(url);
    return new Response(new Blob(["x"]));
  });
  vi.stubGlobal("createImageBitmap", async () => bitmap());
  vi.stubGlobal("requestAnimationFrame", (work: (time: number) => void) => frames.push(work));
  vi.stubGlobal("cancelAnimationFrame", () => (frames = []));
});

afterEach(async () => {
  // What is under way arrives, and what a playhead still wants to draw is let go.
  await arrived();
  vi.clearAllTimers();
  vi.useRealTimers();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

describe("the playhead", () => {
  it("is narrower while something moves, and as wide as it is where the hand rests", async () => {
    film(100);
    const player = new Player();
    player.width = 960;
    vi.mocked(performance.now).mockRestore();
    vi.useFakeTimers({ toFake: [...TIMERS, "performance"] });
    const wait = async (milliseconds: number) => {
      for (let passed = 0; passed < milliseconds; passed += 4) {
        await vi.advanceTimersByTimeAsync(4);
        await arrived();
      }
    };
    const underWay = new Set<AbortSignal>();
    let most = 0;
    vi.stubGlobal("fetch", async (url: string, { signal }: { signal: AbortSignal }) => {
      asked.push(url);
      underWay.add(signal);
      most = Math.max(most, [...underWay].filter((one) => !one.aborted).length);
      await new Promise((done) => setTimeout(done, 300 * (Number(/width=(\d+)/.exec(url)![1]) / 960) ** 2));
      underWay.delete(signal);
      signal.throwIfAborted();
      return new Response(new Blob(["x"]));
    });
    player.renew();
    await wait(400);
    expect(player.shownFrame).toBe(0);
    const shown = new Set<number>();
    // As a hand moves, quicker than pictures are drawn.
    for (let frame = 1; frame <= 60; frame++) {
      player.seek(frame);
      await wait(12);
      shown.add(player.shownFrame);
    }
    expect(most).toBe(1);
    expect(shown.size).toBeGreaterThan(5);
    await wait(2000);
    const last = asked.slice(-2).map((url) => [/frames\/(\d+)/.exec(url)![1], /width=(\d+)/.exec(url)![1]]);
    expect(last).toEqual([
      ["60", "960"],
      ["60", "960"],
    ]);
  });

  it("stays within the film", () => {
    film(100);
    const player = new Player();
    player.seek(250);
    expect(player.frame).toBe(99);
    player.seek(-5);
    expect(player.frame).toBe(0);
  });

  it("stays at the vantage that it rests at when an edit moves that in time", () => {
    const plan = (start: number, last: number) => {
      film(200);
      const vantages = [
        { id: "a", start: 0, last: 19 },
        { id: "b", start, last },
      ];
      session.sheet = {
        ...session.sheet!,
        state: `r${start}-${last}`,
        plan: { ...session.sheet!.plan, vantages },
      } as never;
    };
    const player = new Player();
    plan(100, 130);
    player.renew();
    player.seek(104);
    plan(112, 142);
    player.renew();
    expect(player.frame).toBe(116);
    // It is shorter for a while.
    plan(112, 113);
    player.renew();
    expect(player.frame).toBe(113);
    plan(90, 120);
    player.renew();
    expect(player.frame).toBe(94);
    // On a passage the time stays.
    player.seek(60);
    plan(100, 130);
    player.renew();
    expect(player.frame).toBe(60);
  });

  it("runs by the clock at the film's rate, and asks only for frames ahead", async () => {
    film(1000, "30000/1001");
    const player = new Player();
    player.play();
    await screen(0);
    await screen(1001);
    expect(player.frame).toBe(30);
    const last = asked.slice(-3).map((url) => Number(/frames\/(\d+)/.exec(url)![1]));
    await screen(1001);
    for (const frame of last) expect(frame).toBeGreaterThanOrEqual(0);
    const newest = Number(/frames\/(\d+)/.exec(asked[asked.length - 1]!)![1]);
    expect(newest).toBeGreaterThanOrEqual(30);
    expect(newest).toBeLessThanOrEqual(41);
    player.pause();
  });

  it("never has more than four requests under way", async () => {
    film(1000);
    let open = 0;
    let most = 0;
    vi.stubGlobal("fetch", async () => {
      most = Math.max(most, ++open);
      await new Promise((done) => setImmediate(done));
      open--;
      return new Response(new Blob(["x"]));
    });
    const player = new Player();
    player.play();
    for (let time = 0; time < 400; time += 40) await screen(time);
    player.pause();
    expect(most).toBeGreaterThan(1);
    expect(most).toBeLessThanOrEqual(5);
  });

  for (const [took, least, gap] of [
    [10, 23, 2],
    [70, 11, 5],
    [200, 4, 12],
  ] as const)
    it(`thins out evenly when a frame takes ${took} ms to draw`, async () => {
      const shown = await played(() => took);
      const later = shown.filter(({ at }) => at > 1500);
      expect(later.length / 3.5).toBeGreaterThanOrEqual(least);
      const steps = later.slice(1).map(({ frame }, k) => frame - later[k]!.frame);
      expect(Math.min(...steps)).toBeGreaterThan(0);
      expect(Math.max(...steps)).toBeLessThanOrEqual(gap);
      // Real time leads: what is shown is never far behind the playhead.
      expect(Math.max(...later.map(({ frame, at }) => (at / 1000) * 25 - frame))).toBeLessThan(gap * 2 + 2);
    });

  it("shows more again when drawing was slow for a while only", async () => {
    const shown = await played((now) => (now > 500 && now < 1200 ? 150 : 80));
    const later = shown.filter(({ at }) => at > 3000);
    // Every second frame, as before.
    expect(later.length / 2).toBeGreaterThan(11);
  });

  it("goes round when it loops, and stops at the end when it does not", async () => {
    film(50);
    const player = new Player();
    player.seek(40);
    player.play();
    await screen(600);
    expect(player.frame).toBeLessThan(10);
    player.pause();
    player.loop = false;
    player.seek(40);
    player.play();
    await screen(900);
    expect(player.frame).toBe(49);
    expect(player.playing).toBe(false);
  });

  it("keeps nothing of the last film in sight", async () => {
    film(100);
    const player = new Player();
    player.renew();
    player.seek(40);
    await screen(0);
    expect(player.shownFrame).toBe(40);
    session.sheet = { ...session.sheet!, id: "f2", state: "r9" };
    player.renew();
    expect([player.picture, player.shownFrame, player.frame]).toEqual([null, -1, 0]);
  });

  it("plays backwards and faster", async () => {
    film(500);
    const player = new Player();
    player.seek(200);
    player.play(-2);
    await screen(1000);
    expect(player.frame).toBe(150);
    player.pause();
  });

  it("shows a draft at once and the final picture when at rest", async () => {
    film(100);
    const player = new Player();
    player.renew();
    player.seek(12);
    await vi.advanceTimersByTimeAsync(1000);
    const of12 = asked.filter((url) => url.includes("/frames/12.jpg"));
    expect(of12[0]).toContain("quality=draft");
    expect(of12[of12.length - 1]).toContain("quality=final");
    expect(player.shownFrame).toBe(12);
  });

  it("draws what comes next while it rests, and lets go of that for a newer still", async () => {
    film(100);
    const player = new Player();
    let looked = () => {};
    gathering.looked = new Promise((done) => (looked = done));
    player.renew();
    player.seek(97);
    await vi.advanceTimersByTimeAsync(6000);
    // The soundings of the film come first.
    expect(player.ready.runs).toEqual([]);
    looked();
    await vi.advanceTimersByTimeAsync(6000);
    // Round the end, as it loops, and all of so short a film.
    expect(player.ready.runs).toEqual([
      [0, 96],
      [98, 99],
    ]);
    const before = asked.length;
    player.play();
    await vi.advanceTimersByTimeAsync(10);
    const later = asked.slice(before).map((url) => Number(/frames\/(\d+)/.exec(url)![1]));
    expect(later.every((frame) => frame === 97)).toBe(true);
    player.pause();
    session.sheet = { ...session.sheet!, state: "r2" };
    player.renew();
    expect(player.ready.runs).toEqual([]);
  });

  it("keeps as many pictures as there is room for, those that are needed last going first", () => {
    const ready = new Ready();
    const large = () => ({ close: vi.fn(), width: 1920, height: 1080 }) as unknown as ImageBitmap;
    const room = Ready.room(1920, 1080);
    const kept = Array.from({ length: room + 3 }, large);
    for (let frame = 0; frame < room + 3; frame++)
      ready.put(frame, kept[frame]!, (other) => (other - 2 + 1000) % 1000, kept[1]!);
    // From frame 2 on: what lies just behind is needed last, but what is in sight stays open.
    expect([...ready.frames()].length).toBe(room);
    expect(ready.has(1)).toBe(false);
    expect(kept[1]!.close).not.toHaveBeenCalled();
    expect(kept[0]!.close).toHaveBeenCalled();
    expect(runsOf([5, 1, 2, 9, 3])).toEqual([
      [1, 3],
      [5, 5],
      [9, 9],
    ]);
  });
});
