// @vitest-environment happy-dom
import { beforeEach, describe, expect, it, vi } from "vitest";
import { flight } from "./flight.svelte";
import { player } from "./player.svelte";
import { session } from "./session.svelte";

type Asked = { pose: { x: number } | null; gesture: { kind: string; by: number[] } };

const asked: Asked[] = [];
let gate: (() => void)[] = [];

beforeEach(() => {
  flight.land();
  asked.length = 0;
  gate = [];
  vi.spyOn(player, "frames", "get").mockReturnValue(100);
  vi.stubGlobal("createImageBitmap", async () => ({ width: 2, height: 1 }));
  vi.stubGlobal("fetch", async (_: string, { body }: { body: string }) => {
    const ask = JSON.parse(body) as Asked;
    asked.push(ask);
    await new Promise<void>((go) => gate.push(go));
    // The pose says how many gestures it has come through.
    const pose = { x: (ask.pose?.x ?? 0) + 1, y: 0, span: 5 };
    return new Response("", { headers: { "X-Pose": JSON.stringify(pose) } });
  });
});

const answerOne = async () => {
  await vi.waitFor(() => expect(gate.length).toBeGreaterThan(0));
  gate.shift()!();
  await new Promise((done) => setTimeout(done));
};

describe("a flight", () => {
  it("does every single gesture in turn, each from where the one before came to", async () => {
    for (let k = 0; k < 3; k++) flight.nudge({ kind: "turn", by: [3, 0] });
    for (let k = 0; k < 3; k++) await answerOne();
    await vi.waitFor(() => expect(flight.pose?.x).toBe(3));
    expect(asked.map((ask) => ask.pose?.x ?? 0)).toEqual([0, 1, 2]);
  });

  it("of a drag draws only the newest, always from where it began", async () => {
    flight.begin();
    for (let k = 1; k <= 5; k++) flight.drag({ kind: "pan", to: [k / 10, 0] });
    await answerOne();
    await answerOne();
    await vi.waitFor(() => expect(asked).toHaveLength(2));
    expect(asked.every((ask) => ask.pose === null)).toBe(true);
    expect((asked[1]!.gesture as unknown as { to: number[] }).to[0]).toBe(0.5);
  });

  it("leaves no trace once it has landed, even with an answer on its way", async () => {
    flight.nudge({ kind: "fly", by: [0, 1] });
    await vi.waitFor(() => expect(gate).toHaveLength(1));
    flight.land();
    await answerOne();
    expect(flight.flying).toBe(false);
  });

  it("stays in the air when what it has come to is refused for a vantage", async () => {
    session.sheet = { id: "f1", film: { vantages: [{ id: "v" }] }, plan: { vantages: [] } } as never;
    const act = vi.spyOn(session, "act").mockResolvedValue(false);
    flight.nudge({ kind: "fly", by: [0, 1] });
    await answerOne();
    await vi.waitFor(() => expect(flight.flying).toBe(true));
    await flight.moveVantage(0);
    expect([act.mock.calls.length, flight.pose?.x]).toEqual([1, 1]);
    act.mockRestore();
  });
});
