// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Session } from "./session.svelte";

type Call = { method: string; path: string; headers: Headers; body: unknown; signal: AbortSignal };

const calls: Call[] = [];
let answer: (call: Call) => { status?: number; body: unknown } | Promise<{ status?: number; body: unknown }>;

const film = (name = "Film", plates = 0) => ({
  name,
  frame: { width: 1920, height: 1080 },
  rate: "25",
  ground: { kind: "plain" },
  plates: Array.from({ length: plates }, (_, k) => ({ id: `p${k}`, name: `Plate ${k}` })),
  vantages: [],
});
const plan = { frames: 0, plates: [], vantages: [], passages: [] };
const sheet = (revision: number, name?: string, plates?: number) => ({
  id: "f1",
  revision,
  state: `r${revision}`,
  film: film(name, plates),
  plan,
  undo: null,
  redo: null,
  saved: "2026-11-25T08:00:00",
});

beforeEach(() => {
  calls.length = 0;
  vi.stubGlobal("fetch", async (request: Request) => {
    const url = new URL(request.url);
    const text = request.body ? await request.text() : "";
    const call: Call = {
      method: request.method,
      path: url.pathname + url.search,
      headers: request.headers,
      body: text ? JSON.parse(text) : null,
      signal: request.signal,
    };
    calls.push(call);
    const { status = 200, body } = await answer(call);
    return new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } });
  });
});

afterEach(() => vi.unstubAllGlobals());

async function opened(): Promise<Session> {
  answer = (call) => ({ body: call.path.endsWith("/pulse") ? { revision: 7, jobs: [] } : sheet(7) });
  const session = new Session();
  await session.open("f1");
  calls.length = 0;
  return session;
}

describe("a session", () => {
  it("names the revision it saw with every edit", async () => {
    const session = await opened();
    answer = () => ({ body: sheet(8, "Renamed") });
    await session.patch([{ op: "replace", path: "/name", value: "Renamed" }], "Rename film");
    expect(calls[0]!.method).toBe("PATCH");
    expect(calls[0]!.headers.get("if-match")).toBe('"7"');
    expect(calls[0]!.path).toContain("label=Rename");
    expect(session.film?.name).toBe("Renamed");
    expect(session.notice).toBe("");
  });

  it("sends edits that come quickly one after the other, each on the revision before it", async () => {
    const session = await opened();
    let revision = 7;
    answer = async () => {
      await new Promise((done) => setTimeout(done, 3));
      return { body: sheet(++revision) };
    };
    await Promise.all([1, 2, 3].map((k) => session.patch([{ op: "replace", path: "/name", value: `${k}` }], "Rename")));
    expect(calls.map((call) => call.headers.get("if-match"))).toEqual(['"7"', '"8"', '"9"']);
    expect(session.notice).toBe("");
  });

  it("shows the newest state and says so when another window was faster", async () => {
    const session = await opened();
    answer = (call) =>
      call.method === "PATCH"
        ? { status: 412, body: { detail: "Changed in another window." } }
        : { body: sheet(9, "Theirs") };
    await session.patch([{ op: "replace", path: "/name", value: "Mine" }], "Rename film");
    expect(session.film?.name).toBe("Theirs");
    expect(session.notice).toBe("Changed in another window.");
  });

  it("tries only the newest of many drags, shows it, and keeps its patch", async () => {
    const session = await opened();
    answer = async (call) => {
      await new Promise((done) => setTimeout(done, 5));
      if (call.method === "PATCH") return { body: sheet(8, "Kept") };
      return {
        body: {
          state: "t1",
          film: [{ path: "/name", value: `Tried ${(call.body as { value: number }[])[0]!.value}` }],
          plan: [],
        },
      };
    };
    for (let value = 1; value <= 20; value++) session.tryPatch([{ op: "replace", path: "/vantages/0/span", value }]);
    await vi.waitFor(() => expect(session.film?.name).toBe("Tried 20"));
    expect(calls.length).toBe(2);
    expect(session.state).toBe("t1");
    await session.keepTrial("Span");
    expect(calls[2]!.body).toEqual([{ op: "replace", path: "/vantages/0/span", value: 20 }]);
    expect(session.film?.name).toBe("Kept");
    expect(session.trial).toBeNull();
  });

  it("names a trial, whose picture can be asked for before it is answered, and forgets one that is refused", async () => {
    const session = await opened();
    let refused = false;
    const named: string[] = [];
    answer = async (call) => {
      named.push(new URL(call.path, "http://x").searchParams.get("named")!);
      await new Promise((done) => setTimeout(done, 150));
      if (refused) return { status: 422, body: { detail: "That cannot be." } };
      return { body: { state: named.at(-1), film: [{ path: "/name", value: "Tried" }], plan: [] } };
    };
    const kept = session.pictured;
    session.tryPatch([{ op: "replace", path: "/name", value: "one" }]);
    await vi.waitFor(() => expect(named.length).toBe(1));
    expect([session.pictured, session.trial]).toEqual([named[0], null]);
    await vi.waitFor(() => expect(session.trial?.state).toBe(named[0]));
    expect([session.pictured, session.coming]).toEqual([named[0], ""]);
    session.dropTrial();
    expect(session.pictured).toBe(kept);
    refused = true;
    session.tryPatch([{ op: "replace", path: "/name", value: "two" }]);
    await vi.waitFor(() => expect(session.pictured).toBe(named[1]));
    await vi.waitFor(() => expect(session.notice).toBe("That cannot be."));
    expect([session.pictured, named[1] === named[0]]).toEqual([kept, false]);
  });

  it("goes on showing what is let go of before it is answered, until it is kept", async () => {
    const session = await opened();
    const kept = session.pictured;
    answer = async (call) => {
      await new Promise((done) => setTimeout(done, 300));
      return {
        body: call.path.includes("trials")
          ? { state: "t1", film: [{ path: "/name", value: "Tried" }], plan: [] }
          : sheet(8),
      };
    };
    session.tryPatch([{ op: "replace", path: "/name", value: "one" }]);
    await vi.waitFor(() => expect(session.coming).not.toBe(""));
    const tried = session.pictured;
    const keeping = session.keepTrial("Rename");
    const seen = new Set([session.pictured]);
    for (let k = 0; k < 5; k++) {
      await new Promise((done) => setTimeout(done, 10));
      seen.add(session.pictured);
    }
    expect([...seen]).toEqual([tried]);
    await keeping;
    expect([session.coming, session.pictured === kept, session.state]).toEqual(["", false, session.sheet!.state]);
  });

  it("tries the next once what is tried has been seen, or has not come for long", async () => {
    const session = await opened();
    answer = async () => ({ body: { state: "t1", film: [{ path: "/name", value: "Tried" }], plan: [] } });
    let see = () => {};
    session.seen = () => new Promise<void>((done) => (see = done));
    const asked = () => calls.filter((call) => call.path.includes("trials")).length;
    session.tryPatch([{ op: "replace", path: "/name", value: "one" }]);
    await vi.waitFor(() => expect(session.trial?.state).toBe("t1"));
    session.tryPatch([{ op: "replace", path: "/name", value: "two" }]);
    await new Promise((done) => setTimeout(done, 60));
    expect([asked(), session.trying]).toEqual([1, true]);
    see();
    await vi.waitFor(() => expect(asked()).toBe(2));
    // Nothing that is never seen keeps the hand.
    session.tryPatch([{ op: "replace", path: "/name", value: "three" }]);
    await vi.waitFor(() => expect(asked()).toBe(3), 2000);
    session.seen = () => Promise.resolve();
    await vi.waitFor(() => expect(session.trying).toBe(false), 2000);
  });

  it("goes on with the hand once what is tried has been seen, and tells all that is other now and then", async () => {
    const session = await opened();
    session.watched = true;
    // A picture comes at once, and what else there is to say of it only after a while.
    answer = async (call) => {
      if (call.path.includes("trials")) await new Promise((done) => setTimeout(done, 60));
      return { body: { state: "t1", film: [{ path: "/name", value: JSON.stringify(call.body) }], plan: [] } };
    };
    const told = new Set<string>();
    const moving = setInterval(() => told.add(session.film!.name), 2);
    const start = performance.now();
    for (let k = 0; performance.now() - start < 900; k++) {
      session.tryPatch([{ op: "replace", path: "/name", value: `${k}` }]);
      await new Promise((done) => setTimeout(done, 10));
    }
    const asked = calls.length;
    session.tryPatch([{ op: "replace", path: "/name", value: "last" }]);
    await vi.waitFor(() => expect(session.trying).toBe(false));
    clearInterval(moving);
    // One after the other, each waited for, there would be 15.
    expect(asked).toBeGreaterThan(25);
    expect(told.size).toBeGreaterThan(3);
    const left = calls.filter((call) => call.signal.aborted).length;
    expect(left).toBeGreaterThan(asked - 12);
    // Where the hand rests, all is told.
    expect(session.film?.name).toContain("last");
    expect(session.notice).toBe("");
  });

  it("keeps what is tried at once, in its place among the edits, and means what stood there", async () => {
    const session = await opened();
    const three = (ids: string[]) => ({ ...film(), vantages: ids.map((id) => ({ id, name: id, passage: {} })) });
    session.sheet = { ...sheet(7), film: three(["a", "b", "c"]) } as never;
    let revision = 7;
    answer = async (call) => {
      // The server is slow, and trials are slower than edits.
      await new Promise((done) => setTimeout(done, call.path.includes("trials") ? 30 : 5));
      if (call.path.includes("trials"))
        return { body: { state: "t1", film: [{ path: "/name", value: "Tried" }], plan: [] } };
      const kept = { ...sheet(++revision), film: three(["z", "a", "b", "c"]) };
      return { body: kept };
    };
    const first = session.act({ act: "duplicate_vantage", vantage: "a", id: "z" });
    session.tryPatch([{ op: "replace", path: "/vantages/2/tilt", value: 30 }]);
    const kept = session.keepTrial("Tilt");
    const last = session.act({ act: "duplicate_vantage", vantage: "c", id: "d" });
    await Promise.all([first, kept, last]);
    const edits = calls.filter((call) => !call.path.includes("trials"));
    expect(edits.map((call) => call.headers.get("if-match"))).toEqual(['"7"', '"8"', '"9"']);
    // The third place was c's; by then it is the fourth.
    expect(edits[1]!.body).toEqual([{ op: "replace", path: "/vantages/3/tilt", value: 30 }]);
    await new Promise((done) => setTimeout(done, 40));
    expect(session.trial).toBeNull();
  });

  it("does not do to another what was meant for a part that is gone", async () => {
    const session = await opened();
    const with_ = (ids: string[]) => ({ ...film(), vantages: ids.map((id) => ({ id, name: id, passage: {} })) });
    session.sheet = { ...sheet(7), film: with_(["a", "b"]) } as never;
    answer = async () => ({ body: { ...sheet(8), film: with_(["b"]) } });
    const first = session.act({ act: "remove_vantages", vantages: ["a"] });
    const second = session.patch([{ op: "replace", path: "/vantages/0/tilt", value: 30 }], "Tilt");
    expect(await first).toBe(true);
    expect(await second).toBe(false);
    expect(session.notice).toContain("not there any more");
    expect(calls.length).toBe(1);
  });

  it("does what was meant for a film before it opens another, and nothing of it to that one", async () => {
    const session = await opened();
    const done: string[] = [];
    answer = async (call) => {
      await new Promise((go) => setTimeout(go, 5));
      done.push(`${call.method} ${call.path.split("?")[0]}`);
      return {
        body: { ...sheet(call.method === "GET" ? 30 : 8), id: call.path.includes("f2") ? "f2" : "f1", jobs: [] },
      };
    };
    const edits = [1, 2].map((k) => session.patch([{ op: "replace", path: "/name", value: `${k}` }], "Rename"));
    const opening = session.open("f2");
    await Promise.all([...edits, opening]);
    expect(done.slice(0, 3)).toEqual(["PATCH /api/films/f1", "PATCH /api/films/f1", "GET /api/films/f2"]);
    expect([session.id, session.sheet?.revision]).toEqual(["f2", 30]);
  });

  it("ties nothing in another film that was opened while a tie was worked out, and says so", async () => {
    const session = await opened();
    session.sheet = {
      ...sheet(7),
      film: { ...film(), plates: [{ id: "p", fit: { ties: [], model: "similarity" } }] },
    } as never;
    let go = () => {};
    answer = async (call) => {
      if (call.path.includes("trials")) await new Promise<void>((on) => (go = on));
      const id = call.path.includes("f2") ? "f2" : "f1";
      return { body: call.path.endsWith("/pulse") ? { revision: 7, jobs: [] } : { ...sheet(7), id } };
    };
    const tying = session.tie("p", [0, 0], [1, 1]);
    await vi.waitFor(() => expect(calls.some((call) => call.path.includes("trials/tie"))).toBe(true));
    await session.open("f2");
    go();
    await tying;
    expect(session.notice).toContain("Another film was opened");
    expect(calls.filter((call) => call.path.includes("/acts"))).toEqual([]);
  });

  it("chooses nothing that was refused", async () => {
    const session = await opened();
    session.sheet = { ...sheet(7), film: { ...film(), routes: [] } } as never;
    answer = () => ({ status: 422, body: { detail: "That cannot be." } });
    await session.addRoute([], 0);
    await session.grow({ of: "a", field: "tilt" } as never, 3);
    expect([session.selection, session.course, session.notice]).toEqual([null, null, "That cannot be."]);
  });

  it("puts down all that is of one film before another lies on the table, and tells who holds more of it", async () => {
    const session = await opened();
    session.select({ kind: "vantage", id: "a" });
    session.also = ["b", "c"];
    session.course = { of: "a", field: "tilt", stop: null } as never;
    [session.tool, session.judging, session.split, session.followNext] = ["route", "difference", 0.6, "a"];
    session.hold(["a"], [3, 4]);
    const told: string[] = [];
    session.whenOpened(() => told.push(session.id));
    answer = (call) => ({
      body: call.path.endsWith("/pulse") ? { revision: 7, jobs: [] } : { ...sheet(7), id: "f2" },
    });
    await session.open("f2");
    expect([session.selection, session.also, session.course, session.followNext]).toEqual([null, [], null, null]);
    expect([session.tool, session.judging, session.split, session.holds]).toEqual(["select", "laid", 1, 0]);
    expect(told).toEqual(["f2"]);
  });

  it("leaves whoever goes to another step while a film opens there", async () => {
    const session = await opened();
    session.step = "gather";
    const opening = session.open("f1");
    session.step = "finish";
    await opening;
    expect(session.step).toBe("finish");
    // Before it is known which film it is, too.
    const fresh = new Session();
    answer = (call) => ({
      body: call.path.endsWith("/pulse")
        ? { revision: 7, jobs: [] }
        : call.path === "/api/films"
          ? [{ id: "f1", away: false }]
          : call.path.startsWith("/api/films/")
            ? sheet(7)
            : [],
    });
    const starting = fresh.start();
    fresh.step = "finish";
    await starting;
    expect(fresh.step).toBe("finish");
    // One that stays where they were is brought to where the film is worked on.
    session.step = "mark";
    await session.open("f1");
    expect(["fly", "gather"]).toContain(session.step);
  });

  it("says how far a hand is ahead of what is shown, and forgets it when that is kept or dropped", async () => {
    const session = await opened();
    let come = () => {};
    answer = (call) =>
      call.path.includes("trials")
        ? new Promise((resolve) => (come = () => resolve({ body: { state: "t1", film: [], plan: [] } })))
        : { body: sheet(8) };
    const move = (ids: string[], x: number) => {
      session.hold(ids, [x, 1]);
      session.tryPatch([{ op: "replace", path: "/name", value: `${x}` }]);
    };
    const first = ["v"];
    move(first, 10);
    await vi.waitFor(() => expect(calls).toHaveLength(1));
    move(first, 30);
    expect([session.ahead("v"), session.ahead("w")]).toEqual([[30, 1], null]);
    come();
    // The answer knows of the first ten.
    await vi.waitFor(() => expect(session.ahead("v")).toEqual([20, 0]));
    // Another hand begins where the film is shown to be.
    move(["v"], 4);
    expect(session.ahead("v")).toEqual([4, 1]);
    await session.keepTrial("Move");
    expect(session.ahead("v")).toBeNull();
    session.hold(first, [5, 5]);
    session.dropTrial();
    expect(session.ahead("v")).toBeNull();
  });

  it("forgets a trial that is dropped", async () => {
    const session = await opened();
    answer = () => ({ body: { state: "t1", film: [{ path: "/name", value: "Tried" }], plan: [] } });
    session.tryAct({ act: "remove_plate", plate: "p" });
    await vi.waitFor(() => expect(session.film?.name).toBe("Tried"));
    session.dropTrial();
    expect(session.film?.name).toBe("Film");
    await session.keepTrial("Nothing");
    expect(calls.filter((call) => call.method === "PATCH")).toEqual([]);
  });

  it("keeps a trial dropped whose answer was still on its way", async () => {
    const session = await opened();
    let come = () => {};
    answer = () =>
      new Promise((resolve) => {
        come = () => resolve({ body: { state: "t1", film: [{ path: "/name", value: "Dragged" }], plan: [] } });
      });
    session.tryPatch([{ op: "replace", path: "/name", value: "Dragged" }]);
    await vi.waitFor(() => expect(calls).toHaveLength(1));
    session.dropTrial();
    come();
    await new Promise((later) => setTimeout(later, 20));
    expect(session.trial).toBeNull();
    expect(session.film?.name).toBe("Film");
  });

  it("takes over what arrived meanwhile, and selects the new plate", async () => {
    const session = await opened();
    answer = (call) =>
      call.path.endsWith("/pulse") ? { body: { revision: 8, jobs: [] } } : { body: sheet(8, "Film", 1) };
    await session.pulse();
    expect(session.sheet?.revision).toBe(8);
    expect(session.selection).toEqual({ kind: "plate", id: "p0" });
  });

  it("does not disturb a drag by what arrived meanwhile", async () => {
    const session = await opened();
    answer = () => ({ body: { state: "t1", film: [{ path: "/name", value: "Tried" }], plan: [] } });
    session.tryAct({ act: "remove_plate", plate: "p" });
    await vi.waitFor(() => expect(session.trial).not.toBeNull());
    answer = () => ({ body: { revision: 9, jobs: [] } });
    await session.pulse();
    expect(session.film?.name).toBe("Tried");
  });

  it("says it when the server is gone, and loses nothing of what is shown", async () => {
    const session = await opened();
    answer = () => Promise.reject(new TypeError("network"));
    await session.patch([{ op: "replace", path: "/name", value: "x" }], "Rename");
    expect(session.notice).toContain("does not answer");
    expect(session.film?.name).toBe("Film");
  });

  it("undoes only what there is to undo", async () => {
    const session = await opened();
    await session.undo();
    await session.redo();
    expect(calls).toEqual([]);
  });

  describe("with vantages", () => {
    const passage = (kind: string, route = "r") => ({ manner: kind === "follow" ? { kind, route } : { kind } });
    const five = {
      ...film(),
      vantages: ["a", "b", "c", "d", "e"].map((id, k) => ({
        id,
        name: id,
        passage: passage(k === 1 ? "follow" : "glide"),
      })),
      routes: [{ id: "r" }, { id: "unused" }],
      beats: [1],
    };
    const flying = async () => {
      const session = await opened();
      answer = () => ({ body: { ...sheet(8), film: five } });
      await session.refresh();
      calls.length = 0;
      return session;
    };

    it("chooses a run of them, one more, and lets one go, always in film order", async () => {
      const session = await flying();
      session.select({ kind: "vantage", id: "d" });
      session.choose("vantage", "b", true);
      expect(session.chosen).toEqual(["b", "c", "d"]);
      session.choose("vantage", "a", false);
      session.choose("vantage", "c", false);
      expect(session.chosen).toEqual(["a", "b", "d"]);
      session.choose("vantage", "d", false);
      expect(session.chosen).toEqual(["a", "b"]);
      session.select({ kind: "vantage", id: "e" });
      expect(session.chosen).toEqual(["e"]);
    });

    it("copies them with the routes that they follow and no others, and pastes behind the last chosen", async () => {
      const session = await flying();
      session.select({ kind: "vantage", id: "a" });
      session.choose("vantage", "b", false);
      const text = session.copyVantages();
      expect(JSON.parse(text).routes).toEqual([{ id: "r" }]);
      answer = (call) => ({ body: { ...sheet(9), film: five, asked: call.body } });
      await session.pasteVantages(text);
      const body = calls[0]!.body as { act: string; after: string; ids: string[]; clip: { vantages: unknown[] } };
      expect(body.act).toBe("paste_vantages");
      expect(body.after).toBe("b");
      expect(new Set(body.ids).size).toBe(2);
      expect(body.clip.vantages).toHaveLength(2);
    });

    it("says that there is nothing to paste", async () => {
      const session = await flying();
      for (const text of ["", "a letter", "{}", '{"vantages":[]}']) await session.pasteVantages(text);
      expect(calls).toEqual([]);
      expect(session.notice).toContain("no vantages on the clipboard");
    });

    it("lets a waiting passage follow the route that is drawn for it", async () => {
      const session = await flying();
      session.followNext = "c";
      await session.addRoute([], 0);
      // One edit, and one to undo.
      expect(calls).toHaveLength(1);
      expect(calls[0]!.body).toMatchObject({ act: "add_route", follower: "c" });
      await session.addRoute([], 0);
      expect(calls[1]!.body).toMatchObject({ act: "add_route", follower: null });
      expect(session.selection?.kind).toBe("route");
    });

    it("says that nobody answers, once it has lasted, and takes it back", async () => {
      const session = await flying();
      answer = () => ({ status: 500, body: { detail: "The disk is full." } });
      for (let k = 0; k < 3; k++) await session.pulse();
      expect(session.silence).toBe("");
      await session.pulse();
      expect(session.silence).toContain("The disk is full.");
      answer = () => ({ body: { revision: session.sheet!.revision, jobs: [] } });
      await session.pulse();
      expect(session.silence).toBe("");
    });
  });
});
