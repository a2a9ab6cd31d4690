import { mixUrl } from "../api/client";
import { session } from "../film/session.svelte";

/** Samples a second of a film's sound, and how many are fetched at once: a second. */
export const RATE = 48000;
const BLOCK = RATE;
/** How far ahead sound is laid, s, and how long it takes to begin. */
const AHEAD = 2.5;
const BEGINS = 0.12;
/** How long a grain is that is heard while scrubbing, s. */
const GRAIN = 0.09;
/** Blocks that are kept. */
const KEPT = 90;

/** What is heard while the film plays: blocks of its sound, laid one after the other on the clock of the sound card,
 * which the picture follows. */
export class Hearing {
  /** Whether the film's sound is heard here: a matter of the view. */
  on = $state(localStorage.getItem("sound") !== "off");
  /** Whether how loud the whole film is stays to be measured, so that it may become louder or quieter. */
  unlevelled = $state(false);
  #context: AudioContext | null = null;
  #gain: GainNode | null = null;
  #blocks = new Map<string, Promise<AudioBuffer | null>>();
  /** The clock's time at which the playing film's sample 0 would be heard; none while nothing plays. */
  #zero: number | null = null;
  #speed = 1;
  #next = 0;
  #laying = 0;
  #nodes = new Set<AudioBufferSourceNode>();
  #grain: AudioBufferSourceNode | null = null;
  #grainAt = 0;

  /** Whether anything can be heard in the film. */
  get sounds(): boolean {
    return (session.plan?.sounds ?? []).some((sound) => sound.heard);
  }

  /** The films' seconds that have been heard since it was at a frame, by the clock of the sound; none if it does not
   * run. */
  get seconds(): number | null {
    const context = this.#context;
    if (this.#zero === null || !context || context.state !== "running") return null;
    const late = context.outputLatency || context.baseLatency || 0;
    return (context.currentTime - late - this.#zero) * this.#speed;
  }

  turn(on: boolean): void {
    this.on = on;
    localStorage.setItem("sound", on ? "on" : "off");
    if (this.#gain) this.#gain.gain.value = on ? 1 : 0;
  }

  /** Let the film be heard from a frame on. Backwards, and many times as fast, nothing is. */
  play(frame: number, speed: number): void {
    this.stop();
    if (!this.sounds || speed <= 0 || speed > 2) return;
    const context = this.#open();
    const start = frame / session.rate;
    this.#speed = speed;
    this.#zero = context.currentTime + BEGINS - start / speed;
    this.#next = Math.floor((start * RATE) / BLOCK);
    const run = ++this.#laying;
    void this.#lay(run, start);
  }

  /** Whether what is heard now is a film that runs. */
  get runs(): boolean {
    return this.#zero !== null;
  }

  stop(): void {
    this.#zero = null;
    this.#laying++;
    for (const node of this.#nodes) node.stop();
    this.#nodes.clear();
  }

  /** A moment of the sound at a frame, while one looks for a place in it. */
  async scrub(frame: number): Promise<void> {
    if (!this.on || !this.sounds || this.runs) return;
    const asked = ++this.#grainAt;
    const context = this.#open();
    const first = (frame / session.rate) * RATE;
    const block = await this.#block(Math.floor(first / BLOCK));
    if (!block || asked !== this.#grainAt || this.runs) return;
    this.#grain?.stop();
    const node = new AudioBufferSourceNode(context, { buffer: block });
    const soft = new GainNode(context, { gain: 0 });
    node.connect(soft).connect(this.#gain!);
    const now = context.currentTime;
    soft.gain.setValueAtTime(0, now);
    soft.gain.linearRampToValueAtTime(1, now + 0.006);
    soft.gain.setValueAtTime(1, now + GRAIN - 0.02);
    soft.gain.linearRampToValueAtTime(0, now + GRAIN);
    node.start(now, (first % BLOCK) / RATE, GRAIN);
    this.#grain = node;
  }

  /** An effect by itself. */
  async try(kind: string): Promise<void> {
    const context = this.#open();
    const answer = await fetch(`/api/effects/${kind}.wav`);
    if (!answer.ok) return;
    const buffer = await context.decodeAudioData(await answer.arrayBuffer());
    this.#grain?.stop();
    this.#grain = new AudioBufferSourceNode(context, { buffer });
    this.#grain.connect(context.destination);
    this.#grain.start();
  }

  #open(): AudioContext {
    if (!this.#context) {
      this.#context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
      this.#gain = new GainNode(this.#context, { gain: this.on ? 1 : 0 });
      this.#gain.connect(this.#context.destination);
    }
    if (this.#context.state === "suspended") void this.#context.resume();
    return this.#context;
  }

  async #lay(run: number, start: number): Promise<void> {
    const context = this.#context!;
    while (run === this.#laying && this.#zero !== null) {
      const at = (this.#next * BLOCK) / RATE;
      if (at >= (session.plan?.seconds ?? 0)) return;
      const due = this.#zero + at / this.#speed;
      if (due - context.currentTime > AHEAD) {
        await new Promise((go) => setTimeout(go, 120));
        continue;
      }
      const block = await this.#block(this.#next);
      if (run !== this.#laying || this.#zero === null) return;
      this.#next += 1;
      if (!block) continue;
      // What should have been heard already is left out; the film does not wait.
      const late = Math.max(context.currentTime + 0.005 - due, start - at > 0 ? (start - at) / this.#speed : 0, 0);
      if (late >= BLOCK / RATE / this.#speed) continue;
      const node = new AudioBufferSourceNode(context, { buffer: block, playbackRate: this.#speed });
      node.connect(this.#gain!);
      node.onended = () => this.#nodes.delete(node);
      this.#nodes.add(node);
      node.start(due + late, late * this.#speed);
    }
  }

  #block(number: number): Promise<AudioBuffer | null> {
    const key = `${session.id}/${session.state}/${number}`;
    const known = this.#blocks.get(key);
    if (known) return known;
    const coming = this.#fetch(number).then((got) => {
      if (!got?.levelled) this.#blocks.delete(key);
      return got?.buffer ?? null;
    });
    this.#blocks.set(key, coming);
    for (const old of [...this.#blocks.keys()].slice(0, Math.max(this.#blocks.size - KEPT, 0)))
      this.#blocks.delete(old);
    return coming;
  }

  async #fetch(number: number): Promise<{ buffer: AudioBuffer; levelled: boolean } | null> {
    const answer = await fetch(mixUrl(session.id, session.state, number * BLOCK, BLOCK)).catch(() => null);
    if (!answer?.ok) return null;
    const levelled = answer.headers.get("X-Levelled") !== "0";
    this.unlevelled = !levelled;
    const samples = new Int16Array(await answer.arrayBuffer());
    const buffer = new AudioBuffer({ length: samples.length / 2, numberOfChannels: 2, sampleRate: RATE });
    for (const side of [0, 1]) {
      const channel = buffer.getChannelData(side);
      for (let k = 0; k < channel.length; k++) channel[k] = samples[2 * k + side]! / 32768;
    }
    return { buffer, levelled };
  }
}

export const hearing = new Hearing();
