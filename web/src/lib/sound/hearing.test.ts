// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { session } from "../film/session.svelte";
import { Hearing, RATE } from "./hearing.svelte";

/** The clock of the sound card, as far as it has come. */
let clock = 0;
let laid: { first: number; due: number; offset: number; rate: number; stopped: boolean }[] = [];
let asked: string[] = [];
let levelled = "1";

class Context {
  state = "running";
  destination = {};
  outputLatency = 0;
  baseLatency = 0;
  get currentTime() {
    return clock;
  }
  resume() {}
}

class Node {
  entry: (typeof laid)[number];
  onended = () => {};
  constructor(_: Context, { buffer, playbackRate = 1 }: { buffer: { first: number }; playbackRate?: number }) {
    this.entry = { first: buffer.first, due: NaN, offset: 0, rate: playbackRate, stopped: false };
  }
  connect(to: unknown) {
    return to;
  }
  start(due: number, offset = 0) {
    Object.assign(this.entry, { due, offset });
    laid.push(this.entry);
  }
  stop() {
    this.entry.stopped = true;
  }
}

/** A buffer that knows its first sample, which stands in its samples. */
class Buffer {
  first = 0;
  #channel: Float32Array;
  constructor({ length }: { length: number }) {
    this.#channel = new Float32Array(length);
    queueMicrotask(() => (this.first = Math.round(this.#channel[0]! * 32768) * RATE));
  }
  getChannelData() {
    return this.#channel;
  }
}

function film(seconds: number, heard = true) {
  session.sheet = {
    id: "f1",
    revision: 1,
    state: "r1",
    film: { rate: "25" },
    plan: { frames: seconds * 25, seconds, sounds: [{ heard }] },
  } as never;
}

/** Let what was asked for arrive, and what waits look at the clock again. */
async function turn(to: number): Promise<void> {
  clock = to;
  for (let k = 0; k < 12; k++) await vi.advanceTimersByTimeAsync(120);
}

beforeEach(() => {
  [clock, laid, asked, levelled] = [10, [], [], "1"];
  vi.useFakeTimers();
  vi.stubGlobal("AudioContext", Context);
  vi.stubGlobal("AudioBufferSourceNode", Node);
  vi.stubGlobal("AudioBuffer", Buffer);
  vi.stubGlobal(
    "GainNode",
    class {
      gain = { value: 1 };
      connect = (to: unknown) => to;
    },
  );
  vi.stubGlobal("fetch", async (url: string) => {
    asked.push(url);
    const second = Number(/first=(\d+)/.exec(url)![1]) / RATE;
    const samples = new Int16Array(2 * RATE).fill(second);
    return new Response(samples.buffer, { headers: { "X-Levelled": levelled } });
  });
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("what is heard", () => {
  it("is laid block after block on the sound card's clock, which the picture follows", async () => {
    film(60);
    const hearing = new Hearing();
    hearing.play(50, 1);
    expect(hearing.runs).toBe(true);
    await turn(10);
    // From 2 s into the film on, without a gap or an overlap.
    const zero = laid[0]!.due - 2;
    expect(laid.length).toBeGreaterThan(1);
    for (const { first, due, offset } of laid) expect(due - offset).toBeCloseTo(zero + first / RATE, 6);
    await turn(13.12);
    expect(hearing.seconds).toBeCloseTo(13.12 - zero, 6);
    // No more is fetched than is soon heard.
    expect(Math.max(...laid.map(({ first }) => first / RATE))).toBeLessThan(2 + 3.2 + 2.5 + 1);
    hearing.stop();
    expect(laid.every(({ stopped }) => stopped)).toBe(true);
    expect(hearing.seconds).toBeNull();
  });

  it("begins in the middle of a block where the film does", async () => {
    film(60);
    const hearing = new Hearing();
    hearing.play(60, 1);
    await turn(10);
    expect(laid[0]!.first / RATE).toBe(2);
    expect(laid[0]!.offset).toBeCloseTo(0.4, 6);
  });

  it("goes as fast as the film, and not at all backwards or many times as fast", async () => {
    film(60);
    const hearing = new Hearing();
    hearing.play(0, 2);
    await turn(10);
    expect(laid[0]!.rate).toBe(2);
    expect(laid[1]!.due - laid[0]!.due).toBeCloseTo(0.5, 6);
    await turn(11.12);
    expect(hearing.seconds).toBeCloseTo(2, 6);
    for (const speed of [-1, 4]) {
      hearing.play(0, speed);
      expect(hearing.runs).toBe(false);
    }
    film(60, false);
    hearing.play(0, 1);
    expect(hearing.runs).toBe(false);
  });

  it("skips what came too late instead of holding up the film", async () => {
    film(60);
    const hearing = new Hearing();
    hearing.play(0, 1);
    clock = 13.5;
    await turn(13.5);
    // Three whole blocks are over by then, and of the fourth what is left is heard.
    expect(laid[0]!.first / RATE).toBe(3);
    expect(laid[0]!.offset).toBeGreaterThan(0.35);
    expect(laid[0]!.due).toBeGreaterThan(13.5);
  });

  it("is asked for again while the film's loudness is not known yet", async () => {
    film(1);
    levelled = "0";
    const hearing = new Hearing();
    hearing.play(0, 1);
    await vi.waitFor(() => expect(hearing.unlevelled).toBe(true));
    levelled = "1";
    hearing.play(0, 1);
    await vi.waitFor(() => expect(hearing.unlevelled).toBe(false));
    expect(asked.length).toBe(2);
    hearing.play(0, 1);
    await turn(10);
    expect(asked.length).toBe(2);
  });
});
