// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { gathering } from "./gathering.svelte";
import { session } from "./session.svelte";

const finding = { id: "bare-0", kind: "bare", grave: true };
const asked: string[] = [];
const signals: AbortSignal[] = [];

/** A film is on the table. */
const opened = (id: string) => (session.sheet = { id, revision: 1, state: "r1" } as never);

beforeEach(() => {
  asked.length = 0;
  vi.useFakeTimers();
  vi.stubGlobal("fetch", async (request: Request) => {
    const { pathname, searchParams } = new URL(request.url);
    asked.push(pathname);
    signals.push(request.signal);
    const found = pathname.includes("/f1/") ? [finding] : [];
    // One film is heard.
    const loud = pathname.includes("/f3/");
    if (loud && searchParams.get("listens") === "true") found.push({ ...finding, id: "loudness-0" });
    const awaits = loud && !found.length;
    const plates = [{ box: [0, 10, 20, 30] }, { box: [-5, 12, 8, 40] }];
    return new Response(JSON.stringify({ findings: found, grave: found.length, awaits, plates }), {
      headers: { "content-type": "application/json" },
    });
  });
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the soundings", () => {
  it("say nothing of a film before it has been looked at, also not what was found in another", async () => {
    opened("f1");
    gathering.sound("r1");
    expect(gathering.soundedFilm).toBe("");
    await vi.advanceTimersByTimeAsync(600);
    expect([gathering.soundedFilm, gathering.findings.length, gathering.grave]).toEqual(["f1", 1, 1]);
    opened("f2");
    gathering.sound("r1");
    expect([gathering.soundedFilm, gathering.findings.length, gathering.grave]).toEqual(["", 0, 0]);
    await vi.advanceTimersByTimeAsync(600);
    expect(gathering.soundedFilm).toBe("f2");
  });

  it("keep what was found while an edit is looked at, and ask once when edits have settled", async () => {
    opened("f1");
    gathering.sound("r2");
    await vi.advanceTimersByTimeAsync(600);
    asked.length = 0;
    let looked = 0;
    for (const state of ["r3", "r4", "r5"]) {
      gathering.sound(state);
      void gathering.looked.then(() => looked++);
    }
    expect(gathering.findings.length).toBe(1);
    await vi.advanceTimersByTimeAsync(100);
    // Who waits for what an edit has made old waits no more.
    expect(looked).toBe(2);
    await vi.advanceTimersByTimeAsync(600);
    expect(asked).toEqual(["/api/films/f1/soundings"]);
    expect(looked).toBe(3);
  });

  it("say what is seen before what is heard, which takes longer, and of an edit both at once", async () => {
    opened("f3");
    gathering.sound("r1");
    const told: number[] = [];
    void gathering.looked.then(() => told.push(gathering.findings.length));
    await vi.advanceTimersByTimeAsync(600);
    expect([asked.length, ...told]).toEqual([2, 1]);
    gathering.sound("r2");
    await vi.advanceTimersByTimeAsync(600);
    expect(asked).toHaveLength(3);
    // What an edit has made old is let go of.
    gathering.sound("r3");
    expect(signals.at(-1)!.aborted).toBe(true);
  });
});

describe("a plan of captures", () => {
  it("that was asked for one film does not lie on another that has come meanwhile", async () => {
    opened("f1");
    const planning = gathering.makePlan();
    opened("f2");
    await planning;
    expect([asked, gathering.plan]).toEqual([["/api/films/f1/captures/plan"], null]);
    await gathering.makePlan();
    expect([gathering.plan === null, gathering.planning]).toEqual([false, false]);
  });

  it("for a place that was found is seen as a whole", async () => {
    opened("f1");
    gathering.goTo({ name: "Quay", kind: "landing", x: 3, y: 20, size: 5 });
    await vi.waitFor(() => expect(session.showBox).toEqual([-5, 10, 20, 40]));
  });
});
