// @vitest-environment happy-dom
import { afterEach, expect, it, vi } from "vitest";
import { session } from "./session.svelte";

afterEach(() => vi.unstubAllGlobals());

it("raises the ground by heights as a plate's own picture holds them, and says why if it holds none", async () => {
  session.sheet = { id: "f1", revision: 1, state: "r1" } as never;
  const act = vi.spyOn(session, "act").mockResolvedValue(true);
  const answers = [
    [200, { codes: "packed" }],
    [422, { detail: "That picture holds no heights." }],
  ] as const;
  let turn = 0;
  vi.stubGlobal("fetch", async (request: Request) => {
    expect(new URL(request.url).pathname).toBe("/api/pictures/abc/heights");
    const [status, body] = answers[turn++]!;
    return new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } });
  });
  const plate = { id: "p", picture: { sha256: "abc" } } as never;
  await session.raiseGround(plate);
  expect(act.mock.calls).toEqual([[{ act: "raise_ground", plate: "p", codes: "packed" }]]);
  await session.raiseGround(plate);
  expect(act).toHaveBeenCalledOnce();
  expect(session.notice).toContain("holds no heights");
});
