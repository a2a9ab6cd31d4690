import type { PlatePlan, XY } from "../api/client";
import { player } from "../film/player.svelte";
import { newId, session, type Tool } from "../film/session.svelte";
import { SET, setAt, showNew } from "../film/set";
import { follow } from "../ui/follow";
import { on, toScreen, type View } from "./view";

/** Tools that take places click by click; dragging pans meanwhile. */
const CLICKED: Tool[] = ["tie", "control", "outline", "pick", "known", "route", "region", ...SET];

/** What is being placed on the chart, click by click or in one drag, until it becomes an act. */
export class Placing {
  /** Corners or points clicked so far. */
  corners = $state.raw<XY[]>([]);
  /** The feature clicked on the chosen plate, while the same one below is awaited. */
  tieFrom = $state.raw<XY | null>(null);
  /** A frame being dragged, corner to corner. */
  frame = $state.raw<{ from: XY; to: XY } | null>(null);
  /** A circle being dragged. */
  circle = $state.raw<{ middle: XY; reach: number } | null>(null);

  constructor(
    private readonly view: () => View,
    private readonly chosen: () => PlatePlan | undefined,
  ) {}

  /** Whether a tool takes its places click by click. */
  clicks(tool: Tool): boolean {
    return CLICKED.includes(tool);
  }

  /** What the tool in hand waits for now, where that changes on its way. */
  get asks(): string | undefined {
    if (session.tool === "tie" && this.tieFrom) return "Now the same feature below";
    if (session.tool === "outline" && this.corners.length > 2) return "Enter or the first corner closes it";
    return undefined;
  }

  /** Lay down what was begun. */
  clear(): void {
    this.tieFrom = null;
    this.corners = [];
    this.frame = null;
    this.circle = null;
  }

  /** A key while something is being placed; true if it was meant for that. */
  key(key: string): boolean {
    const { tool } = session;
    if (key === "Escape" && (this.tieFrom || this.corners.length || tool !== "select")) {
      if (!this.tieFrom && !this.corners.length) session.tool = "select";
      this.clear();
      return true;
    }
    if (key === "Enter" && (tool === "route" || this.corners.length >= 3)) {
      void this.#close();
      return true;
    }
    if (key === "Backspace" && this.corners.length) {
      this.corners = this.corners.slice(0, -1);
      return true;
    }
    return false;
  }

  /** A press by keys: as a click, and of what is dragged out where it begins and then where it ends. */
  async press(at: XY): Promise<void> {
    if (session.tool === "frame") {
      if (this.frame) return this.#framed();
      this.frame = { from: at, to: at };
    } else if (session.tool === "circle") {
      if (this.circle) return this.#circled();
      this.circle = { middle: at, reach: 0 };
    } else if (this.clicks(session.tool)) await this.click(at);
  }

  /** What is dragged out reaches to a place now. */
  reach(at: XY): void {
    if (this.frame) this.frame = { ...this.frame, to: at };
    if (this.circle) {
      const { middle } = this.circle;
      this.circle = { middle, reach: Math.hypot(at[0] - middle[0], at[1] - middle[1]) };
    }
  }

  /** A click of a tool that takes places one by one. */
  async click(at: XY): Promise<void> {
    const { tool } = session;
    if (tool === "known") session.known.push({ x: at[0], y: at[1], lat: "", lon: "" });
    else if (SET.includes(tool)) await setAt(at, 1 / this.view().scale);
    else if (tool === "region" || tool === "outline") {
      if (this.corners.length >= 3 && this.#beside(this.corners[0]!, at, 10)) return this.#close();
      this.corners = [...this.corners, at];
    } else if (tool === "route") {
      if (this.corners.length >= 2 && this.#beside(this.corners[this.corners.length - 1]!, at, 9)) return this.#close();
      // A click beside a marker or the target of a vantage means that place.
      const places = [...session.film!.vantages, ...session.film!.markers];
      const meant = places.find(({ x, y }) => this.#beside([x, y], at, 12));
      this.corners = [...this.corners, meant ? [meant.x, meant.y] : at];
    } else if (tool === "tie" || tool === "control") await this.#tie(at);
    else if (tool === "pick") await this.#pick(at);
  }

  async #tie(at: XY): Promise<void> {
    const plate = this.chosen();
    if (!plate) return;
    if (session.tool === "tie" && this.tieFrom) {
      const from = this.tieFrom;
      this.tieFrom = null;
      return session.tie(plate.id, from, at);
    }
    if (!on(plate, at)) session.notice = "Click a feature of the chosen plate first; that place is not on it.";
    else if (session.tool === "tie") this.tieFrom = at;
    else await session.tie(plate.id, at, at, null, true);
  }

  async #pick(at: XY): Promise<void> {
    const plate = this.chosen()?.id;
    const colour = plate && (await session.colourAt(plate, at));
    if (colour) await session.act({ act: "pick_colour", plate, colour });
  }

  /** End what was clicked point by point. */
  async #close(): Promise<void> {
    const { tool } = session;
    const drawn = this.corners;
    this.corners = [];
    session.tool = "select";
    if (tool === "route" && drawn.length >= 2) {
      const free = { corner: false, stop: null, wait: 0, before: null, after: null, leg: null };
      await session.addRoute(
        drawn.map(([x, y]) => ({ x, y, ...free })),
        player.frame,
      );
    } else if (tool === "region" && drawn.length >= 3) await this.#region({ rings: [drawn] });
    else if (tool === "outline" && drawn.length >= 3)
      await session.act({ act: "outline_plate", plate: this.chosen()!.id, corners: drawn });
  }

  async #region(shape: object, rim: XY | null = null): Promise<void> {
    const id = newId();
    const name = `Region ${session.film!.regions.length + 1}`;
    const region = { id, name, ...shape };
    if (await session.act({ act: "add_region", region, frame: player.frame, rim } as never)) showNew("region", id);
  }

  /** Drag out a frame where the camera is to rest; `place` gives the ground under the pointer. */
  dragFrame(press: PointerEvent, place: (event: PointerEvent) => XY): void {
    const from = place(press);
    follow(press, {
      moved: (next) => (this.frame = { from, to: place(next) }),
      done: () => void this.#framed(),
      dropped: () => (this.frame = null),
      slack: 8,
    });
  }

  async #framed(): Promise<void> {
    const drawn = this.frame;
    this.frame = null;
    if (!drawn) return;
    const [w, h] = [Math.abs(drawn.to[0] - drawn.from[0]), Math.abs(drawn.to[1] - drawn.from[1])];
    if (!w && !h) return;
    const size = session.film!.frame;
    const width = Math.max(w, (h * size.width) / size.height);
    const middle: XY = [(drawn.from[0] + drawn.to[0]) / 2, (drawn.from[1] + drawn.to[1]) / 2];
    session.tool = "select";
    await this.vantage(middle, width, (width * size.height) / size.width);
  }

  /** Drag out a circle from its middle to its rim. */
  dragCircle(press: PointerEvent, place: (event: PointerEvent) => XY): void {
    const middle = place(press);
    follow(press, {
      moved: (next) => {
        this.circle ??= { middle, reach: 0 };
        this.reach(place(next));
      },
      done: () => void this.#circled(),
      dropped: () => (this.circle = null),
    });
  }

  async #circled(): Promise<void> {
    const drawn = this.circle;
    this.circle = null;
    if (!drawn?.reach) return;
    const [x, y] = drawn.middle;
    await this.#region({ circle: { x, y, radius: drawn.reach } }, [x + drawn.reach, y]);
  }

  /** Add a vantage after the chosen one, and go there. */
  async vantage(at: XY, width: number, height: number): Promise<void> {
    const id = newId();
    if (!(await session.act({ act: "add_vantage", at, width, height, after: session.after, id }))) return;
    session.select({ kind: "vantage", id });
    const start = session.plan?.vantages.find((vantage) => vantage.id === id)?.start;
    if (start !== undefined) player.seek(start);
  }

  /** Whether two places are no more than some screen pixels apart. */
  #beside(one: XY, other: XY, pixels: number): boolean {
    const [a, b] = [toScreen(this.view(), one), toScreen(this.view(), other)];
    return Math.hypot(a[0] - b[0], a[1] - b[1]) < pixels;
  }
}
