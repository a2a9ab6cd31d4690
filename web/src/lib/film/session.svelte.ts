import { tick } from "svelte";
import {
  api,
  told,
  Refusal,
  sent,
  type Act,
  type Card,
  type Choices,
  type CoursePlan,
  type FieldFacts,
  type Film,
  type HeightCodes,
  type Job,
  type NewFilm,
  type ReelPart,
  type PatchStep,
  type Plan,
  type Plate,
  type Route,
  type Sheet,
  type Tie,
  type Trial,
  type OfferedFont,
  type OfferedSign,
  type XY,
} from "../api/client";
import { changed } from "./changed";
import { courseAt, type Address } from "./courses";
import { named, placed } from "./named";
import { LISTS, marksOf, type Found, type MarkKind } from "./marks";
import { differs, spread } from "./shared";
import { Watch } from "./watch";

export type Step = "gather" | "fit" | "fly" | "mark" | "finish" | "sound" | "render";
/** A passage goes by the id of the vantage that it leaves. */
export type Selection = {
  kind: "plate" | "vantage" | "passage" | "effect" | "sound" | "lane" | MarkKind;
  id: string;
} | null;
/** The list of the film that each kind of selection stands in. */
const LISTED = {
  ...LISTS,
  plate: "plates",
  vantage: "vantages",
  passage: "vantages",
  sound: "sounds",
  lane: "lanes",
} as const;
export type Tool =
  | "select"
  | "frame"
  | MarkKind
  | "circle"
  | "pin"
  | "pull"
  | "tie"
  | "control"
  | "outline"
  | "pick"
  | "known"
  | "focus";
export type Judging = "laid" | "through" | "difference" | "wipe";
/** Asks for a trial of a state, by the name that it is given, until that is given up. */
type Ask = (query: { state: string; named: string; watched: boolean }, signal: AbortSignal) => Promise<Trial>;
/** What is being tried: a state of the film, as it would be. */
type Tried = Pick<Sheet, "state" | "film" | "plan">;
/** Parts of the film in a hand, and how far they have been carried, ground units. */
type Held = { ids: string[]; by: XY };
const NOTHING: Held = { ids: [], by: [0, 0] };
/** A trial of a sheet, put together from that and from what is other in it. */
const triedOn = (kept: Sheet, { state, film, plan }: Trial): Tried => ({
  state,
  film: changed(kept.film, film),
  plan: changed(kept.plan, plan),
});
/** A fresh identifier for a part of the document. */
export const newId = () => Math.random().toString(16).slice(2, 14);

/** Pulses that may fail in a row before the person is told: a server that starts again takes as long. */
const PATIENCE = 3;
/** How long the next is not tried while what is tried has not been seen, ms. */
const UNSEEN = 600;
/** How long a hand may go on until all that is other by it is told, and not its picture alone, ms. */
const UNTOLD = 200;

/** The film on the table: its document as kept or as being tried, the selection, and the jobs under way. */
export class Session {
  sheet = $state.raw<Sheet | null>(null);
  trial = $state.raw<Tried | null>(null);
  choices = $state.raw<Choices | null>(null);
  cards = $state.raw<Card[]>([]);
  jobs = $state.raw<Job[]>([]);
  selection = $state.raw<Selection>(null);
  /** Others of its kind that are chosen besides the selected one. */
  also = $state.raw<string[]>([]);
  /** Which passage of a chosen vantage is worked on: the one that leads to it, or the one that leaves it. */
  side = $state<"leads" | "leaves">("leaves");
  /** Asks the profile to show a stretch of frames. */
  showFrames = $state.raw<[number, number] | null>(null);
  step = $state<Step>("gather");
  tool = $state<Tool>("select");
  /** Whether the viewfinder has the place of the chart. */
  grown = $state(false);
  /** Whether the side view stands beside the chart. */
  section = $state(false);
  /** The vantage whose passage follows the next route that is drawn. */
  followNext: string | null = null;
  /** How often in a row nobody answered what is new. */
  #unanswered = 0;
  #watch = new Watch(() => this.#look());
  /** What stands below a vantage's numbers in Fly. */
  sheetTab = $state<"passage" | "extras" | "order" | "time" | "recipes">("passage");
  /** How the chosen plate is shown over those below, to judge its fit. */
  judging = $state<Judging>("laid");
  /** Whether a frame is looked at: that of a trial is asked for together with it, and comes first. */
  watched = false;
  /** What a hand has hold of, and how far it has carried it on the ground. */
  #held = $state.raw<Held>(NOTHING);
  /** How much of that the trial knows of that is shown. */
  #told = $state.raw<Held>(NOTHING);
  /** What the trial is called that is being asked for. */
  coming = $state("");
  /** Effects of the finish that are left out while one works: a matter of the view, not of the film. */
  without = $state.raw<string[]>(JSON.parse(localStorage.getItem("without") ?? "[]") as string[]);
  /** The share of the frame's width from which on it is shown without any finish, to judge that; 1 shows all of it. */
  split = $state(1);
  notice = $state("");
  /** Why nothing new is heard of the film, while that lasts. */
  silence = $state("");
  pivot = $state.raw<{ plate: string; at: [number, number] } | null>(null);
  /** The middle and the size of what the chart shows, in ground units. */
  shown = $state.raw({ x: 0, y: 0, width: 1000, height: 600 });
  /** Asks the chart to show a box of ground. */
  showBox = $state.raw<[number, number, number, number] | null>(null);

  film = $derived<Film | null>(this.trial?.film ?? this.sheet?.film ?? null);
  plan = $derived<Plan | null>(this.trial?.plan ?? this.sheet?.plan ?? null);
  state = $derived(this.trial?.state ?? this.sheet?.state ?? "");
  /** The state whose picture is to be seen. */
  pictured = $derived(this.coming || this.state);
  id = $derived(this.sheet?.id ?? "");
  /** Frames a second. */
  rate = $derived.by(() => {
    const [over, under] = (this.film?.rate ?? "25").split("/").map(Number);
    return over! / (under ?? 1);
  });

  /** All marks, from the ground up, and the chosen one. */
  marks = $derived<Found[]>(this.film && this.plan ? marksOf(this.film, this.plan) : []);
  mark = $derived<Found | null>(this.marks.find(({ mark }) => mark.id === this.selection?.id) ?? null);
  /** Whether changes of a look go to the mark alone, or to the style that it uses. */
  lookTo = $state<"mark" | "style">("mark");
  /** The value that changes over the film that is being worked on, and which of its stops. */
  course = $state.raw<(Address & { stop: string | null }) | null>(null);
  fonts = $state.raw<OfferedFont[]>([]);
  signs = $state.raw<OfferedSign[]>([]);

  /** Places picked on a plain ground, whose longitude and latitude are being typed. */
  known = $state<{ x: number; y: number; lat: string; lon: string }[]>([]);

  /** What is being tried. */
  #meant: { act: Act } | { steps: PatchStep[] } | null = null;
  #asked: Ask | null = null;
  #asking = false;
  /** How many times a trial was let go. */
  #dropped = 0;
  #wanted = "";

  /** Open a film; whoever goes to another step than the one ``before`` meanwhile stays there. */
  async open(id: string, before: Step = this.step): Promise<void> {
    // What was meant for the film on the table is done to it before another one comes.
    this.#wanted = id;
    await this.#line;
    await this.guarded(async () => {
      const sheet = await told<Sheet>(api.GET("/api/films/{film_id}", { params: { path: { film_id: id } } }));
      // The one asked for last lies on the table, whichever comes first.
      if (this.#wanted !== id) return;
      this.#putDown();
      this.sheet = sheet;
      for (const begin of this.#begins) begin();
      location.hash = `/films/${id}`;
      const film = sheet.film;
      const first = film.vantages[0];
      this.selection = first ? { kind: "vantage", id: first.id } : null;
      if (this.step === before) this.step = first ? "fly" : "gather";
      this.showAll();
    });
    await this.pulse();
  }

  /** Have something done whenever a film comes to lie on the table: of the one before nothing is left there. */
  whenOpened(begin: () => void): void {
    this.#begins.push(begin);
  }
  #begins: (() => void)[] = [];

  /** Put down whatever is of the film on the table: what is tried, chosen and held of it, and how it is judged. */
  #putDown(): void {
    this.dropTrial();
    this.select(null);
    [this.course, this.pivot, this.followNext, this.showFrames] = [null, null, null, null];
    [this.tool, this.judging, this.split, this.side, this.lookTo] = ["select", "laid", 1, "leaves", "mark"];
    [this.known, this.jobs] = [[], []];
  }

  async start(): Promise<void> {
    const before = this.step;
    await this.guarded(async () => {
      this.choices = await told(api.GET("/api/choices"));
      await this.listFilms();
      const wanted = addressed();
      const id = this.cards.find((card) => card.id === wanted)?.id ?? this.cards.find(({ away }) => !away)?.id;
      if (id) await this.open(id, before);
      else await this.create({});
    });
    // What only some marks need must not keep a film from opening.
    await this.guarded(async () => {
      this.fonts = await told(api.GET("/api/fonts"));
      this.signs = await told(api.GET("/api/signs"));
    }, false);
  }

  /** Go to the film that the address names, as when one goes back in the browser; if there is none, the address is put
   * right. */
  async follow(): Promise<void> {
    const wanted = addressed();
    if (!this.id || wanted === this.id) return;
    if (wanted) await this.open(wanted);
    // Meanwhile it may name another one, that is on its way.
    if (wanted !== this.id && wanted === addressed()) history.replaceState(null, "", `#/films/${this.id}`);
  }

  async listFilms(): Promise<void> {
    this.cards = await told(api.GET("/api/films"));
  }

  /** Put a film away, or bring it back; the open one gives place to the next. */
  async putAway(id: string, away: boolean): Promise<void> {
    await this.guarded(async () => {
      const path = { params: { path: { film_id: id } }, body: away };
      this.cards = await told<Card[]>(api.PUT("/api/films/{film_id}/away", path));
      if (!away || id !== this.id) return;
      const next = this.cards.find((card) => !card.away)?.id;
      if (next) await this.open(next);
      else await this.create({});
    });
  }

  /** Make a film and open it; whether that was done. */
  async create(film: NewFilm): Promise<boolean> {
    const before = this.step;
    return this.guarded(async () => {
      const sheet = await told<Sheet>(api.POST("/api/films", { body: film as never }));
      await this.listFilms();
      await this.open(sheet.id, before);
    });
  }

  /** Keep an edit. It means the parts that stand at its places now, wherever they are when it is its turn; given as a
   * function, it goes on from the film as that is at its turn, so that a key pressed twice goes two steps on. */
  async patch(steps: PatchStep[] | ((film: Film) => PatchStep[]), label: string): Promise<boolean> {
    const meant = typeof steps === "function" ? steps : this.#spread(steps);
    return this.keep((seen) =>
      told(
        api.PATCH("/api/films/{film_id}", {
          params: { path: { film_id: this.id }, header: { "If-Match": seen }, query: { label } },
          body: this.#placed(typeof meant === "function" ? meant(this.sheet!.film) : meant) as never,
        }),
      ),
    );
  }

  /** Do an act and keep it; whether it was. As a function it is told by the film as that is at its turn. */
  async act(act: Act | ((sheet: Sheet) => Act), label?: string): Promise<boolean> {
    return this.keep((seen) =>
      told(
        api.POST("/api/films/{film_id}/acts", {
          params: { path: { film_id: this.id }, header: { "If-Match": seen }, query: label ? { label } : {} },
          body: typeof act === "function" ? act(this.sheet!) : act,
        }),
      ),
    );
  }

  #placed(steps: PatchStep[]): PatchStep[] {
    const found = placed(steps, this.sheet!.film);
    if (!found) throw new Refusal("What this edit was meant for is not there any more, so it was not made.", 404);
    return found;
  }

  /** Show what an act would make of the film as kept. Only the newest request is sent on. */
  tryAct(act: Act): void {
    this.#meant = { act };
    this.#try((query, signal) => this.#trialOf(act, query, signal));
  }

  /** What an act would make of the film as kept; it is not shown. */
  async madeOf(act: Act): Promise<Tried> {
    const kept = this.sheet!;
    return triedOn(kept, await this.#trialOf(act, { state: kept.state }));
  }

  #trialOf(act: Act, query: { state: string }, signal?: AbortSignal): Promise<Trial> {
    const params = { path: { film_id: this.id }, query };
    return told(api.POST("/api/films/{film_id}/trials/acts", { params, body: act, signal }));
  }

  tryPatch(steps: PatchStep[]): void {
    const meant = this.#spread(steps);
    this.#meant = { steps: meant };
    this.#try((query, signal) =>
      told(
        api.POST("/api/films/{film_id}/trials/patch", {
          params: { path: { film_id: this.id }, query },
          body: this.#placed(meant) as never,
          signal,
        }),
      ),
    );
  }

  /** Say how far a hand has carried parts of the film, before that is tried; `ids` is the same list all the while. */
  hold(ids: string[], by: XY): void {
    this.#held = { ids, by };
  }

  /** How far a hand is ahead of where a part is shown to be, ground units: it does not wait for an answer. */
  ahead(id: string): XY | null {
    const { ids, by } = this.#held;
    if (!ids.includes(id)) return null;
    // What was carried before, and is being kept, is no part of it.
    const told = this.#told.ids === ids ? this.#told.by : [0, 0];
    return [by[0] - told[0]!, by[1] - told[1]!];
  }

  /** How many parts a hand carries. */
  get holds(): number {
    return this.#held.ids.length;
  }

  #letGo(): void {
    this.trial = null;
    this.coming = "";
    this.#held = this.#told = NOTHING;
  }

  /** Keep what is being tried: it takes its place among the edits at once, whether the trial has been answered or not. */
  async keepTrial(label: string): Promise<void> {
    const meant = this.#meant;
    this.#meant = null;
    if (!meant) return;
    this.#asked = null;
    this.#dropped++;
    // What is seen stays until the edit is kept.
    if ("act" in meant) await this.act(meant.act, label);
    else await this.patch(meant.steps, label);
  }

  dropTrial(): void {
    this.#meant = null;
    this.#asked = null;
    this.#dropped++;
    this.#letGo();
  }

  async undo(): Promise<void> {
    await this.#step("/api/films/{film_id}/undo");
  }

  async redo(): Promise<void> {
    await this.#step("/api/films/{film_id}/redo");
  }

  /** What there is to know of a field of a part of the document. */
  facts(part: string, name: string): FieldFacts | null {
    return this.choices?.fields[part]?.[name] ?? null;
  }

  /** How a number of the document is shown and within what limits it is set, as the schema says. */
  numberOf(part: string, name: string) {
    const facts = this.facts(part, name);
    const ground = this.film?.ground.kind === "plain" ? "px" : "m";
    return {
      label: facts?.label ?? name,
      unit: facts?.unit === "ground" ? ground : (facts?.unit ?? ""),
      factor: facts?.factor ?? 1,
      step: facts?.step ?? 1,
      min: facts?.low ?? -Infinity,
      max: facts?.high ?? Infinity,
      places: facts?.places ?? 2,
      log: facts?.logarithmic ?? false,
    };
  }

  /** The course at an address, if the value there changes. */
  courseAt(address: Address | null): CoursePlan | null {
    return address ? courseAt(this.plan?.courses ?? [], address) : null;
  }

  /** Let a value change over the film, from a frame on, or set another stop there. */
  async grow(address: Address, frame: number): Promise<void> {
    const id = newId();
    if (!(await this.act({ act: "set_value", ...address, frame, value: null, change: true, id }))) return;
    this.#chooseStop(address, frame);
  }

  /** Focus on something at a frame; where the focus goes over, this is a stop of it. Whether it was done. */
  async focus(on: Omit<Extract<Act, { act: "focus" }>, "act" | "change" | "id">): Promise<boolean> {
    if (!(await this.act({ act: "focus", change: false, ...on }))) return false;
    this.#chooseStop({ of: "finish.lens", field: "focus" }, on.frame);
    return true;
  }

  /** Let a plate raise the ground, by heights as its picture holds them. */
  async raiseGround({ id, picture }: Plate): Promise<void> {
    let found: HeightCodes | null = null;
    await this.guarded(async () => {
      const params = { path: { sha256: picture.sha256 } };
      found = await told<HeightCodes>(api.GET("/api/pictures/{sha256}/heights", { params }));
    });
    if (found) await this.act({ act: "raise_ground", plate: id, codes: (found as HeightCodes).codes });
  }

  /** Choose the stop at a frame of a value that changes. */
  #chooseStop(address: Address, frame: number): void {
    const course = this.courseAt(address);
    if (course) this.course = { ...address, stop: course.stops.find((one) => one.frame === frame)?.id ?? null };
  }

  /** Leave effects out of the picture while one works, or show them again. */
  leaveOut(effects: string[]): void {
    this.without = effects;
    localStorage.setItem("without", JSON.stringify(effects));
  }

  select(selection: Selection): void {
    if (selection?.id !== this.course?.of) this.course = null;
    this.selection = selection;
    this.also = [];
    if (this.pivot && this.pivot.plate !== selection?.id) this.pivot = null;
  }

  /** Lay a route, whose line sets out at a frame; a passage that waits for one follows it. */
  async addRoute(points: Route["points"], at: number): Promise<void> {
    const id = newId();
    const follower = this.film?.vantages.find((vantage) => vantage.id === this.followNext)?.id ?? null;
    this.followNext = null;
    const name = `Route ${(this.film?.routes.length ?? 0) + 1}`;
    const draws = { shown: this.step === "mark" };
    const frame = draws.shown ? at : null;
    const route = { id, name, points, closed: false, draws } as never;
    if ((await this.act({ act: "add_route", route, frame, follower })) && !follower) this.select({ kind: "route", id });
  }

  /** Try a property of how a mark looks, on it or on its style. */
  tryLook(found: Found, name: string, value: unknown): void {
    const style = this.film!.styles.findIndex((one) => one.id === found.mark.style);
    if (style >= 0 && this.lookTo === "style")
      this.tryPatch([{ op: "replace", path: `/styles/${style}/look/${name}`, value }]);
    else {
      const marks = this.chosen.includes(found.mark.id) ? this.chosen : [found.mark.id];
      this.tryAct({ act: "set_look", marks, look: { [name]: value } });
    }
  }

  /** Set a property of how a mark looks. */
  async setLook(found: Found, name: string, value: unknown, label: string): Promise<void> {
    this.tryLook(found, name, value);
    await this.keepTrial(label);
  }

  /** Try how a mark comes or goes, on it and others of its kind that are chosen too, or on its style. */
  tryArrival({ kind, mark }: Found, edge: "comes" | "goes", given: { how?: string; frames?: number }): void {
    const of_style = mark.style !== null && this.lookTo === "style";
    const marks = this.chosen.includes(mark.id)
      ? this.marks.filter((one) => one.kind === kind && this.chosen.includes(one.mark.id)).map((one) => one.mark.id)
      : [mark.id];
    this.tryAct({ act: "set_arrival", marks: of_style ? [mark.id] : marks, edge, of_style, ...given });
  }

  /** Set how a mark comes or goes. */
  async setArrival(found: Found, edge: "comes" | "goes", how: string, label: string): Promise<void> {
    this.tryArrival(found, edge, { how });
    await this.keepTrial(label);
  }

  /** Take a mark away, and all that are chosen with it. */
  async removeMark({ mark }: Found): Promise<void> {
    await this.act({ act: "remove_marks", marks: this.chosen.includes(mark.id) ? this.chosen : [mark.id] });
  }

  /** Make another mark like one, a little beside it. */
  async duplicateMark({ kind, mark }: Found): Promise<void> {
    const id = newId();
    const away = this.shown.width / 30;
    await this.act({ act: "duplicate_mark", mark: mark.id, by: [away, -away], id });
    if (this.marks.some((one) => one.mark.id === id)) this.select({ kind, id });
  }

  /** Bring a font or a picture that is to be a sign; its key. */
  async bringAid(kind: "fonts" | "signs", file: File): Promise<string | null> {
    let key: string | null = null;
    await this.guarded(async () => {
      const kept = await sent<{ key: string }>(`/api/${kind}`, {}, file);
      if (kind === "fonts") this.fonts = await told(api.GET("/api/fonts"));
      else this.signs = await told(api.GET("/api/signs"));
      key = kept.key;
    });
    return key;
  }

  /** Take away the fonts and signs that no film uses. */
  async sweepAids(): Promise<void> {
    await this.guarded(async () => {
      const { gone } = await told<{ gone: number }>(api.DELETE("/api/aids/unused"));
      this.fonts = await told(api.GET("/api/fonts"));
      this.signs = await told(api.GET("/api/signs"));
      if (!gone) throw new Error("Every font and sign is used by a film, so none was taken away.");
    });
  }

  /** A beat of the sound at a frame. */
  async tapBeat(frame: number): Promise<void> {
    await this.act({ act: "tap_beat", frame });
  }

  /** What is chosen, of the kind that the selected one is, in film order. */
  chosen = $derived.by((): string[] => {
    const { kind, id } = this.selection ?? {};
    if (!kind || !this.film) return [];
    if (kind === "effect") return [id!];
    const list = LISTED[kind];
    return this.film[list].map((part) => part.id).filter((one) => one === id || this.also.includes(one));
  });

  /** The passages that are worked on, by the vantages they leave: the chosen ones, or those of the chosen vantages. */
  passages = $derived.by((): string[] => {
    const kind = this.selection?.kind;
    if (kind !== "vantage" && kind !== "passage") return [];
    const ids = (this.film?.vantages ?? []).map(({ id }) => id);
    const before = kind === "vantage" && this.side === "leads" ? 1 : 0;
    const found = this.chosen.map((id) => ids.indexOf(id)).map((at) => Math.max(at - before, 0));
    return [...new Set(found.map((at) => Math.min(at, ids.length - 2)))].flatMap((at) => ids[at] ?? []);
  });

  /** The place of the passage that is worked on; -1 if there is none. */
  passage = $derived.by((): number => {
    const { kind, id } = this.selection ?? {};
    if (kind !== "vantage" && kind !== "passage") return -1;
    const vantages = this.film?.vantages ?? [];
    const at = vantages.findIndex((vantage) => vantage.id === id);
    const before = kind === "vantage" && this.side === "leads" && at > 0 ? 1 : 0;
    return Math.min(at - before, vantages.length - 2);
  });

  /** The vantage that a new one goes behind: the chosen one, or that which the chosen passage leaves. */
  after = $derived.by((): string | null => {
    const kind = this.selection?.kind;
    return kind === "vantage" || kind === "passage" ? (this.chosen[this.chosen.length - 1] ?? null) : null;
  });

  /** Where a new vantage goes, in words. */
  comes = $derived.by((): string => {
    const vantages = this.film?.vantages ?? [];
    const at = vantages.findIndex(({ id }) => id === this.after);
    if (at < 0 || at === vantages.length - 1) return vantages.length ? "It goes to the end" : "It is the first";
    return `It goes between ${at + 1} and ${at + 2}`;
  });

  /** Choose something besides what is chosen of its kind, or let it go; with `run`, all from the selected one to it. */
  choose(kind: NonNullable<Selection>["kind"], id: string, run: boolean): void {
    if (this.selection?.kind !== kind || kind === "effect") return this.select({ kind, id });
    const list = LISTED[kind];
    const order = this.film![list].map((part) => part.id);
    if (run) {
      const [a, b] = [order.indexOf(this.selection.id), order.indexOf(id)].sort((x, y) => x - y);
      this.also = order.slice(a, b! + 1).filter((other) => other !== this.selection!.id);
    } else if (id === this.selection.id) {
      const [next, ...rest] = this.also;
      if (next) [this.selection, this.also] = [{ kind, id: next }, rest];
    } else if (this.also.includes(id)) this.also = this.also.filter((other) => other !== id);
    else this.also = [...this.also, id];
  }

  /** Whether the value at a path is another one in others that are chosen. */
  differs(path: string): boolean {
    return this.also.length > 0 && this.film !== null && differs(path, this.film, this.#meantBy(path));
  }

  /** What an edit of a path is for: the chosen ones, of a passage those that are worked on. */
  #meantBy(path: string): string[] {
    return /^\/vantages\/\d+\/passage(\/|$)/.test(path) ? this.passages : this.chosen;
  }

  /** A patch of one of several that are chosen is meant for all of them. */
  #spread(steps: PatchStep[]): PatchStep[] {
    if (!this.film) return steps;
    return named(this.also.length ? spread(steps, this.film, (path) => this.#meantBy(path)) : steps, this.film);
  }

  /** Take a sound away. */
  async removeSound(id: string): Promise<void> {
    if (await this.act({ act: "remove_sounds", sounds: [id] })) this.selection = null;
  }

  /** Take a lane away, with its sounds. */
  async removeLane(id: string): Promise<void> {
    if (await this.act({ act: "remove_lane", lane: id })) this.selection = null;
  }

  /** The places of the chosen vantages, with their passages, as text that can be pasted into any film. */
  copyVantages(): string {
    const film = this.film!;
    const vantages = film.vantages.filter((vantage) => this.chosen.includes(vantage.id));
    const followed = vantages.flatMap(({ passage }) =>
      passage.manner.kind === "follow" ? [passage.manner.route] : [],
    );
    const routes = film.routes.filter((route) => followed.includes(route.id));
    return JSON.stringify({ vantages, routes });
  }

  /** Put copied vantages in behind the last one chosen. */
  async pasteVantages(text: string): Promise<void> {
    let clip: { vantages: { id: string }[] };
    try {
      clip = JSON.parse(text);
      if (!Array.isArray(clip.vantages) || !clip.vantages.length) throw new Error();
    } catch {
      this.notice = "There are no vantages on the clipboard. Choose some in the profile and copy them (Ctrl C).";
      return;
    }
    const ids = clip.vantages.map(() => newId());
    await this.act({ act: "paste_vantages", clip: clip as never, after: this.after, ids });
    if (!this.film?.vantages.some((vantage) => vantage.id === ids[0])) return;
    this.select({ kind: "vantage", id: ids[0]! });
    this.also = ids.slice(1);
  }

  /** How much ground the plates cover, all in one rectangle. */
  #area(): number {
    const points = this.plan?.plates.flatMap((plate) => plate.outline) ?? [];
    const side = (axis: 0 | 1) => {
      const at = points.map((point) => point[axis]);
      return Math.max(...at) - Math.min(...at);
    };
    return points.length ? side(0) * side(1) : 0;
  }

  /** Show all plates, or all frames where there is no plate, or as much ground as the film has pixels. */
  showAll(): void {
    const points = [
      ...(this.plan?.plates.flatMap((plate) => plate.outline) ?? []),
      ...(this.plan?.plates.length ? [] : (this.plan?.vantages.flatMap((vantage) => vantage.outline) ?? [])),
    ];
    const { width, height } = this.film?.frame ?? { width: 1920, height: 1080 };
    if (!points.length) points.push([-width / 2, -height / 2], [width / 2, height / 2]);
    const xs = points.map((point) => point[0]);
    const ys = points.map((point) => point[1]);
    this.showBox = [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
  }

  showOutline(outline: [number, number][], room = 1.6): void {
    const xs = outline.map((point) => point[0]);
    const ys = outline.map((point) => point[1]);
    const x = (Math.min(...xs) + Math.max(...xs)) / 2;
    const y = (Math.min(...ys) + Math.max(...ys)) / 2;
    const w = ((Math.max(...xs) - Math.min(...xs)) * room) / 2;
    const h = ((Math.max(...ys) - Math.min(...ys)) * room) / 2;
    this.showBox = [x - w, y - h, x + w, y + h];
  }

  /** Have plates laid where they are found, and others given the tone of what lies below. */
  async fit(find: string[], tone: string[]): Promise<void> {
    await this.#line;
    await this.guarded(async () => {
      await told(
        api.POST("/api/films/{film_id}/fits", {
          params: { path: { film_id: this.id } },
          body: { revision: this.sheet!.revision, fit: { find, tone } },
        }),
      );
      await this.pulse();
    });
  }

  /** Tie what a plate shows at a ground place to where it belongs; with `tie`, move that one; to the ground itself. */
  async tie(plate: string, at: XY, to: XY, tie: string | null = null, ground = false): Promise<void> {
    await this.guarded(async () => {
      const made = await this.whileOpen(
        told<Tie>(
          api.POST("/api/films/{film_id}/trials/tie", {
            params: { path: { film_id: this.id }, query: { state: this.state } },
            body: { plate, at, to, tie, exact: true, ground },
          }),
        ),
      );
      const fit = this.sheet!.film.plates.find((one) => one.id === plate)!.fit;
      const ties = tie ? fit.ties.map((one) => (one.id === tie ? made : one)) : [...fit.ties, made];
      await this.act({ act: "tie_plate", plate, ties, model: fit.model });
    });
  }

  /** Look for the features of a plate's ties anew, or of one of them, as the plate lies now. */
  async tieExactly(plate: string, tie: string | null = null): Promise<void> {
    await this.guarded(async () => {
      const ties = await this.whileOpen(
        told<Tie[]>(
          api.POST("/api/films/{film_id}/trials/plates/{plate_id}/ties", {
            params: { path: { film_id: this.id, plate_id: plate }, query: { state: this.state, tie } },
          }),
        ),
      );
      const fit = this.sheet!.film.plates.find((one) => one.id === plate)!.fit;
      const better = ties.filter((one, k) => one.match !== fit.ties[k]?.match || `${one.to}` !== `${fit.ties[k]?.to}`);
      if (!better.length) throw new Error("Nothing agrees better than what is tied already.");
      await this.act({ act: "tie_plate", plate, ties, model: fit.model, hold: fit.hold });
    });
  }

  /** Trace what a plate's land leaves to a region. */
  async trace(plate: string, tolerance: number, least: number): Promise<void> {
    await this.keep((seen) =>
      told(
        api.POST("/api/films/{film_id}/plates/{plate_id}/trace", {
          params: { path: { film_id: this.id, plate_id: plate }, header: { "If-Match": seen } },
          body: { tolerance, least },
        }),
      ),
    );
  }

  /** The colour of a plate's picture at a ground place. */
  async colourAt(plate: string, [x, y]: XY): Promise<[number, number, number] | null> {
    const { colour } = await told<{ colour: [number, number, number] | null }>(
      api.GET("/api/films/{film_id}/plates/{plate_id}/colour", {
        params: { path: { film_id: this.id, plate_id: plate }, query: { state: this.state, x, y } },
      }),
    );
    return colour;
  }

  /** Render a reel, in its turn or at once. */
  async render(
    reel: {
      first: number;
      last: number;
      width: number | null;
      crf: number;
      form: string;
      part: ReelPart;
      only: string[];
      sound: boolean;
      on: string;
    },
    at_once = false,
  ): Promise<void> {
    await this.guarded(async () => {
      await told(
        api.POST("/api/films/{film_id}/reels", {
          params: { path: { film_id: this.id } },
          body: { revision: this.sheet!.revision, settings: reel, at_once },
        }),
      );
      await this.pulse();
    });
  }

  /** Let a reel rest, or go on. */
  async halt(job: string, how: "pause" | "resume"): Promise<void> {
    await this.guarded(async () => {
      await told(api.POST(`/api/jobs/{job}/${how}`, { params: { path: { job } } }));
      await this.pulse();
    });
  }

  async cancel(job: string): Promise<void> {
    await this.guarded(async () => {
      await told(api.POST("/api/jobs/{job}/cancel", { params: { path: { job } } }));
      await this.pulse();
    });
  }

  /** Look whether jobs or the film moved on, from now on again and again; what it gives ends that. */
  watch(): () => void {
    return this.#watch.begin();
  }

  /** Look whether jobs or the film moved on. */
  pulse(): Promise<void> {
    return this.#watch.now();
  }

  async #look(): Promise<Job[]> {
    if (!this.sheet) return [];
    const id = this.id;
    try {
      const pulse = await told<{ revision: number; jobs: Job[] }>(
        api.GET("/api/films/{film_id}/pulse", { params: { path: { film_id: id } } }),
      );
      if (id !== this.id) return this.jobs;
      this.jobs = pulse.jobs;
      if (pulse.revision !== this.sheet.revision && !this.trial) await this.refresh();
      this.#unanswered = 0;
      this.silence = "";
    } catch (error) {
      // A server that is just being started again needs no word; one that stays away does.
      this.#unanswered += 1;
      if (this.#unanswered > PATIENCE) this.silence = `What is new cannot be asked for: ${(error as Error).message}`;
    }
    return this.jobs;
  }

  async refresh(): Promise<void> {
    const before = this.sheet?.film.plates.length ?? 0;
    const area = this.#area();
    const sheet = await told<Sheet>(api.GET("/api/films/{film_id}", { params: { path: { film_id: this.id } } }));
    this.sheet = sheet;
    // Where plates were laid far from where they were, one wants to see where.
    if (before && Math.max(this.#area() / area, area / this.#area()) > 2) this.showAll();
    const added = sheet.film.plates.length - before;
    if (added > 0) {
      this.select({ kind: "plate", id: sheet.film.plates[sheet.film.plates.length - 1]!.id });
      if (before === 0) this.showAll();
    }
  }

  async #step(path: "/api/films/{film_id}/undo" | "/api/films/{film_id}/redo"): Promise<void> {
    await this.#line;
    if (!(path.endsWith("undo") ? this.sheet?.undo : this.sheet?.redo)) return;
    await this.keep((seen) =>
      told(api.POST(path, { params: { path: { film_id: this.id }, header: { "If-Match": seen } } })),
    );
  }

  /** What the film waits for before an edit is made of it; refused when another one has come meanwhile. */
  async whileOpen<T>(work: Promise<T>): Promise<T> {
    const film = this.id;
    const made = await work;
    this.#meantFor(film);
    return made;
  }

  /** What is meant for a film is done to no other. */
  #meantFor(film: string): void {
    if (this.id !== film) throw new Refusal("Another film was opened before this edit was made, so it was not.", 0);
  }

  #line: Promise<boolean> = Promise.resolve(true);

  /** Edits go out one after the other, each made on the revision the one before came to. */
  keep(send: (seen: string) => Promise<Sheet>): Promise<boolean> {
    const film = this.id;
    this.#line = this.#line.then(() =>
      this.guarded(async () => {
        this.#meantFor(film);
        try {
          const sheet = await send(`"${this.sheet!.revision}"`);
          if (this.id === film) this.sheet = sheet;
        } catch (error) {
          if (error instanceof Refusal && error.status === 412) await this.refresh();
          throw error;
        } finally {
          if (this.id === film) this.#letGo();
        }
      }),
    );
    return this.#line;
  }

  /** Once what is tried is seen. */
  seen: () => Promise<void> = () => Promise.resolve();

  /** Whether the hand still moves what is tried: an answer to that is under way. */
  get trying(): boolean {
    return this.#asking;
  }

  #try(ask: Ask): void {
    this.#asked = ask;
    this.#goesOn();
    if (this.#asking) return;
    this.#asking = true;
    void this.#askAll().finally(() => (this.#asking = false));
  }

  async #askAll(): Promise<void> {
    while (this.#asked) {
      const ask = this.#asked;
      this.#asked = null;
      const [dropped, kept, held] = [this.#dropped, this.sheet!, this.#held];
      const named = `t${newId()}`;
      const left = new AbortController();
      try {
        const answer = ask({ state: kept.state, named, watched: this.watched }, left.signal);
        // Its picture is asked for at once: it comes before the rest.
        this.coming = named;
        const trial = await (this.watched ? Promise.race([answer, this.#overtaken()]) : answer);
        if (!trial) {
          answer.catch(() => undefined);
          left.abort();
          continue;
        }
        this.#toldAt = performance.now();
        // What was let go while the answer was on its way stays let go.
        if (dropped !== this.#dropped) continue;
        this.trial = triedOn(kept, trial);
        this.#told = held;
        this.coming = "";
        this.notice = "";
        await tick();
        await Promise.race([this.seen(), new Promise((go) => setTimeout(go, UNSEEN))]);
      } catch (error) {
        if (this.coming === named) this.coming = "";
        this.notice = (error as Error).message;
      }
    }
  }

  /** The hand has gone on from what is tried. */
  #goesOn = (): void => undefined;
  #toldAt = -Infinity;

  /** Once what is tried has been seen and the hand has gone on: then the next comes before whatever else there is to say
   * of it, but not for long. */
  async #overtaken(): Promise<null> {
    await tick();
    await this.seen();
    if (!this.#asked) await new Promise<void>((go) => (this.#goesOn = go));
    return performance.now() - this.#toldAt < UNTOLD ? null : new Promise(() => undefined);
  }

  /** Do something that may be refused: why stands in the notice. Whether it was done. */
  async guarded(work: () => Promise<void>, clear = true): Promise<boolean> {
    try {
      await work();
      if (clear) this.notice = "";
      return true;
    } catch (error) {
      this.notice = (error as Error).message;
      return false;
    }
  }
}

/** The film that the address names. */
function addressed(): string | undefined {
  return /^#\/films\/([\w-]+)$/.exec(location.hash)?.[1];
}

export const session = new Session();
