import {
  api,
  sent,
  told,
  type CapturePlan,
  type Finding,
  type Gazetteer,
  type Place,
  type Source,
} from "../api/client";
import { session } from "./session.svelte";

/** Kinds of findings that are about no moment of the film. */
export const WHOLE_FILM = ["credit", "unused", "hole", "picture", "loudness", "pressed"];

/** What is being gathered: survey sources, the plan of captures, places found by name, and the soundings. */
class Gathering {
  sources = $state.raw<Source[]>([]);
  source = $state("practice-aerial");
  of = $state<"film" | "place">("film");
  /** Frames of the film that the plan is for; all of them if none. */
  stretch = $state.raw<[number, number] | null>(null);
  margin = $state(12);
  density = $state(1);
  budget = $state(1500);
  wide = $state(60000);
  close = $state(2000);
  place = $state.raw<Place | null>(null);
  plan = $state.raw<CapturePlan | null>(null);
  /** Why there is no plan. */
  fault = $state("");
  planning = $state(false);
  findings = $state.raw<Finding[]>([]);
  grave = $state(0);
  /** The film that these are of: none before it has been looked at once. */
  soundedFilm = $state("");
  finding = $state.raw<Finding | null>(null);
  /** Those of a stretch of time, for the profile. */
  timed = $derived(this.findings.filter(({ kind }) => kind !== "seam" && !WHOLE_FILM.includes(kind)));

  chosen = $derived(this.sources.find((source) => source.id === this.source) ?? null);

  gazetteers = $state.raw<Gazetteer[]>([]);
  /** Whether a gazetteer is being read. */
  bringing = $state(false);

  #sounded = "";
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    // What was planned for one film is not fetched for another.
    session.whenOpened(() => {
      [this.of, this.place, this.stretch, this.plan] = ["film", null, null, null];
      [this.planning, this.fault] = [false, ""];
    });
  }

  async loadSources(): Promise<void> {
    this.sources = await told(api.GET("/api/sources"));
  }

  async addSource(source: {
    name: string;
    template: string;
    least: number;
    most: number;
    tile: number;
    credit: string;
    terms: string;
    private: boolean;
    holds: Source["holds"];
    bounds: [number, number, number, number];
  }): Promise<void> {
    const made = await told<Source>(api.POST("/api/sources", { body: source }));
    await this.loadSources();
    this.source = made.id;
    this.plan = null;
  }

  async removeSource(id: string): Promise<void> {
    await api.DELETE("/api/sources/{source_id}", { params: { path: { source_id: id } } });
    await this.loadSources();
    this.source = "practice-aerial";
    this.plan = null;
  }

  async listGazetteers(): Promise<void> {
    this.gazetteers = await told(api.GET("/api/gazetteers"));
  }

  /** Bring a file of places that is to be searched; whether it was taken. */
  async bringGazetteer(file: File): Promise<boolean> {
    this.bringing = true;
    const done = await session.guarded(async () => {
      await sent<Gazetteer>("/api/gazetteers", {}, file);
      await this.listGazetteers();
    });
    this.bringing = false;
    return done;
  }

  async removeGazetteer(id: string): Promise<void> {
    await session.guarded(async () => {
      const params = { path: { gazetteer_id: id } };
      await api.DELETE("/api/gazetteers/{gazetteer_id}", { params });
      await this.listGazetteers();
    });
  }

  async findPlaces(text: string): Promise<Place[]> {
    if (text.trim().length < 2) return [];
    return told(api.GET("/api/places", { params: { query: { q: text } } }));
  }

  /** Plan for a place that was found, and show it. */
  goTo(place: Place): void {
    this.place = place;
    this.of = "place";
    this.wide = Math.max(place.size * 12, 8000);
    this.close = Math.max(place.size * 0.8, 600);
    const half = this.wide / 2;
    session.showBox = [place.x - half, place.y - half * 0.6, place.x + half, place.y + half * 0.6];
    void this.makePlan().then(() => this.#showPlan());
  }

  /** Show all of the plan, if there is one. */
  #showPlan(): void {
    const boxes = this.plan?.plates.map(({ box }) => box) ?? [];
    if (!boxes.length) return;
    const most = (side: number) => Math.max(...boxes.map((box) => box[side]!));
    const least = (side: number) => Math.min(...boxes.map((box) => box[side]!));
    session.showBox = [least(0), least(1), most(2), most(3)];
  }

  /** Plan for what the middle of the chart shows, from the width it shows down. */
  goHere(): void {
    const { x, y, width } = session.shown;
    this.place = { name: "Middle of the chart", kind: "picked", x, y, size: width / 12 };
    this.wide = width;
    this.close = Math.min(this.close, width / 4);
    void this.makePlan();
  }

  async makePlan(): Promise<void> {
    const film = session.id;
    let plan: CapturePlan | null = null;
    this.planning = true;
    await this.#attempt(async () => {
      const place = this.of === "place" && this.place ? this.place : null;
      if (this.of === "place" && !place) throw new Error("Search a place above the chart first.");
      plan = await told<CapturePlan>(
        api.POST("/api/films/{film_id}/captures/plan", {
          params: { path: { film_id: film } },
          body: {
            state: session.state,
            source: this.source,
            margin: this.margin,
            density: this.density,
            budget: this.budget,
            stretch: this.of === "film" ? this.stretch : null,
            place: place ? [place.x, place.y] : null,
            spans: place ? [this.wide, this.close] : null,
          },
        }),
      );
    });
    if (film === session.id) [this.plan, this.planning] = [plan, false];
  }

  async fetchPlan(): Promise<void> {
    const plan = this.plan;
    if (!plan) return;
    await this.#attempt(async () => {
      await told(
        api.POST("/api/films/{film_id}/captures", {
          params: { path: { film_id: session.id } },
          body: {
            source: this.source,
            plates: plan.plates.map(({ zoom, column, row, columns, rows }) => ({ zoom, column, row, columns, rows })),
            names:
              this.of === "place" && this.place ? plan.plates.map(({ zoom }) => this.#nameOf(this.place!, zoom)) : [],
          },
        }),
      );
      if (plan === this.plan) [this.plan, this.stretch] = [null, null];
      await session.pulse();
    });
  }

  /** What a plate of a place is called. */
  #nameOf(place: Place, zoom: number): string {
    const holds = this.chosen?.holds ?? "pictures";
    return `${place.name}${holds === "pictures" ? "" : ` ${holds}`} z ${zoom}`;
  }

  /** Ask the source once more for the tiles that a plate lacks. */
  async askAgain(plate: string): Promise<void> {
    await this.#attempt(async () => {
      await told(
        api.POST("/api/films/{film_id}/captures/again/{plate_id}", {
          params: { path: { film_id: session.id, plate_id: plate } },
        }),
      );
      await session.pulse();
    });
  }

  /** Do something for the open film; why it cannot be done is said as long as that is open. */
  async #attempt(work: () => Promise<void>): Promise<void> {
    const film = session.id;
    let fault = "";
    try {
      await work();
    } catch (error) {
      fault = (error as Error).message;
    }
    if (film === session.id) this.fault = fault;
  }

  /** Once the film has been sounded as it stands. */
  looked: Promise<void> = Promise.resolve();
  #over = () => {};
  /** Lets go of what is being asked for. */
  #abort = new AbortController();

  /** Sound the film once an edit has settled. */
  sound(state: string): void {
    const film = session.id;
    const key = `${film}/${state}`;
    if (!state || key === this.#sounded) return;
    this.#sounded = key;
    clearTimeout(this.#timer);
    this.#over();
    this.#abort.abort();
    const { signal } = (this.#abort = new AbortController());
    this.looked = new Promise((over) => (this.#over = over));
    const over = this.#over;
    // What was found in another film says nothing of this one.
    if (film !== this.soundedFilm) [this.findings, this.grave, this.finding, this.soundedFilm] = [[], 0, null, ""];
    this.#timer = setTimeout(async () => {
      try {
        // How loud it is takes longer to find than all else: of a film of which nothing is known the rest is said before.
        for (const listens of this.soundedFilm === film ? [true] : [false, true]) {
          const sounded = await told<{ findings: Finding[]; grave: number; awaits: boolean }>(
            api.GET("/api/films/{film_id}/soundings", {
              params: { path: { film_id: film }, query: { state, listens } },
              signal,
            }),
          );
          if (key !== this.#sounded) return;
          this.findings = sounded.findings;
          this.grave = sounded.grave;
          this.soundedFilm = film;
          if (this.finding && !this.findings.some((one) => one.id === this.finding!.id)) this.finding = null;
          if (!sounded.awaits) break;
        }
      } catch {
        // The next edit sounds again.
      } finally {
        over();
      }
    }, 500);
  }
}

export const gathering = new Gathering();
