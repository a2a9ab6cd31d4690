// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { session } from "../film/session.svelte";
import { looks } from "./looks.svelte";

const open = (id: string) => (session.sheet = { id, revision: 1, state: "r1" } as never);

beforeEach(() => {
  session.notice = "";
  vi.stubGlobal("fetch", async ({ method }: Request) => {
    const body = method === "POST" ? { key: "warm", numbers: { warmth: 20 } } : [];
    return new Response(JSON.stringify(body), { headers: { "content-type": "application/json" } });
  });
});
afterEach(() => vi.unstubAllGlobals());

describe("looks", () => {
  const file = new File(["x"], "warm.cube");
  for (const [what, bring] of [
    ["a grade", () => looks.match(file, 0)],
    ["a table", () => looks.bringTable(file)],
    ["a saved look", () => looks.save("Warm")],
  ] as const)
    it(`give ${what} to the film that it was meant for, and to none that was opened meanwhile`, async () => {
      open("f1");
      expect(await bring()).toBeTruthy();
      const bringing = bring();
      open("f2");
      expect(await bringing).toBeFalsy();
      expect(session.notice).toContain("Another film was opened");
    });
});
