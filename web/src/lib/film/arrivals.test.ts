// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { arrivals } from "./arrivals.svelte";
import { LISTS } from "./marks";
import { session } from "./session.svelte";

const file = (name: string, type = "") => new File(["x"], name, { type });

let sent: string[] = [];
/** What the server says of the job at each pulse, and how long it takes to give the film out. */
let states: string[] = [];
let slow = 0;
let insets: { id: string }[] = [];

function sheet(revision: number) {
  const none = Object.fromEntries([...Object.values(LISTS), "plates", "vantages"].map((list) => [list, []]));
  const film = { ...none, insets: revision > 1 ? insets : [], rate: "25" };
  const plan = { plates: [], passages: [], vantages: [], routes: [], marks: [], frames: 9 };
  return { id: "f1", revision, state: `r${revision}`, film, plan };
}

const answer = (value: unknown) =>
  new Response(JSON.stringify(value), { headers: { "Content-Type": "application/json" } });

class Upload {
  upload = {};
  status = 202;
  responseText = JSON.stringify({ id: "j1", kind: "import", state: "waiting" });
  onload = () => {};
  open(_: string, address: string) {
    sent.push(address);
  }
  send() {
    queueMicrotask(() => this.onload());
  }
}

beforeEach(() => {
  [sent, states, slow, insets] = [[], ["running", "done"], 0, [{ id: "new" }]];
  vi.useFakeTimers();
  vi.stubGlobal("XMLHttpRequest", Upload);
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    if (path.endsWith("/pulse")) {
      const state = states.length > 1 ? states.shift() : states[0];
      return answer({ revision: state === "done" ? 2 : 1, jobs: [{ id: "j1", kind: "import", state }] });
    }
    await new Promise((go) => setTimeout(go, slow));
    return answer(sheet(2));
  });
  session.sheet = sheet(1) as never;
  session.step = "mark";
  session.select(null);
});

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

/** Let time pass until what was begun has ended; the page looks for news meanwhile, as it does. */
async function passed(work: Promise<unknown>, seconds = 30): Promise<void> {
  let over = false;
  void work.then(() => (over = true));
  for (let k = 0; k < seconds * 4 && !over; k++) {
    if (k % 4 === 3) void session.pulse();
    await vi.advanceTimersByTimeAsync(250);
  }
  expect(over).toBe(true);
}

describe("an inset that was brought", () => {
  it("is chosen when it takes long, and its film comes well after its job was done", async () => {
    slow = 3000;
    states = [...Array<string>(8).fill("running"), "done"];
    await passed(arrivals.setInsets([file("Harbour.mp4")], [3, 4], 7));
    expect(session.selection).toEqual({ kind: "inset", id: "new" });
    expect(sent[0]).toContain("/api/films/f1/clips?name=Harbour.mp4&x=3&y=4");
  });

  it("is not waited for where its job has failed, or has brought nothing new", async () => {
    states = ["running", "failed"];
    await passed(arrivals.setInsets([file("Broken.mp4")], [0, 0], 0));
    expect(session.selection).toBeNull();
    // A lost clip that was found again is the film's already.
    states = ["done"];
    insets = [];
    await passed(arrivals.setInsets([file("Again.mp4")], [0, 0], 0));
    expect(session.selection).toBeNull();
  });

  it("does not take the place of what is chosen in another film", async () => {
    states = ["running"];
    const work = arrivals.setInsets([file("Late.mp4")], [0, 0], 0);
    await vi.advanceTimersByTimeAsync(600);
    session.sheet = { ...sheet(1), id: "f2" } as never;
    await passed(work);
    expect(session.selection).toBeNull();
  });
});

describe("files", () => {
  it("go where they belong", async () => {
    states = ["done"];
    await passed(arrivals.receive([file("Voice.wav"), file("Quay.mov"), file("Card.png")]));
    expect(sent.map((address) => /f1\/(\w+)\?/.exec(address)![1])).toEqual(["sounds", "clips", "pictures"]);
    expect(sent[2]).toContain("as=inset");
  });

  it("are counted while they are on their way, and captures with them", () => {
    const job = (kind: string, state: string) => ({ id: kind + state, kind, state });
    session.jobs = [
      job("capture", "running"),
      job("import", "waiting"),
      job("import", "done"),
      job("reel", "running"),
    ] as never;
    expect(arrivals.count).toBe(2);
    session.jobs = [];
    expect(arrivals.count).toBe(0);
  });

  it("that are refused say why, and are put away by hand", async () => {
    vi.stubGlobal(
      "XMLHttpRequest",
      class extends Upload {
        status = 422;
        responseText = JSON.stringify({ detail: "“Card.png” is empty." });
      },
    );
    session.step = "gather";
    await passed(arrivals.receive([file("Card.png")]));
    expect(arrivals.list.map(({ error }) => error)).toEqual(["“Card.png” is empty."]);
    arrivals.dismiss(arrivals.list[0]!);
    expect(arrivals.list).toEqual([]);
  });
});
