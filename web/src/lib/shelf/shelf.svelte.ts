import { api, sent, told, type Job, type Shelved, type ShelfOfFilms, type UnderWay } from "../api/client";
import { session } from "../film/session.svelte";
import { isOpen, Watch } from "../film/watch";

/** All films, and what is under way for them. */
class Shelf {
  /** Whether it lies open over the sheet. */
  open = $state(false);
  all = $state.raw<ShelfOfFilms | null>(null);
  underWay = $state.raw<UnderWay | null>(null);
  /** Bundles on their way: how they are called, and why one was refused. */
  arriving = $state<{ name: string; error: string }[]>([]);
  #watch = new Watch(() => this.#look());

  async load(): Promise<void> {
    await session.guarded(async () => {
      this.all = await told<ShelfOfFilms>(api.GET("/api/shelf"));
    });
  }

  /** See what is under way, from now on again and again; what it gives ends that. */
  watch(): () => void {
    return this.#watch.begin();
  }

  /** See what is under way; what a job that has ended has changed on the shelf is looked for. */
  look(): Promise<void> {
    return this.#watch.now();
  }

  async #look(): Promise<UnderWay["jobs"]> {
    const before = this.#open();
    this.underWay = await told<UnderWay>(api.GET("/api/under-way"));
    const now = new Set(this.#open());
    if (before.some((job) => !now.has(job))) await this.load();
    return this.underWay.jobs;
  }

  #open(): string[] {
    return (this.underWay?.jobs ?? []).filter(isOpen).map(({ id }) => id);
  }

  async rename(film: Shelved, name: string): Promise<void> {
    const steps = [{ op: "replace" as const, path: "/name", value: name }];
    if (film.id === session.id) await session.patch(steps, "Rename film");
    else
      await session.guarded(async () => {
        const header = { "If-Match": `"${film.revision}"` };
        await told(
          api.PATCH("/api/films/{film_id}", {
            params: { path: { film_id: film.id }, header, query: { label: "Rename film" } },
            body: steps as never,
          }),
        );
      });
    await this.load();
  }

  /** Make a film of another one: a copy of all of it, or a new one that is made like it. */
  async makeOf(film: Shelved, how: "copy_of" | "like"): Promise<void> {
    if (await session.create({ [how]: film.id })) this.open = how === "copy_of";
    await this.load();
  }

  async putAway(film: Shelved, away: boolean): Promise<void> {
    await session.putAway(film.id, away);
    await this.load();
  }

  /** Take a film that is put away, away for good. */
  async takeAway(film: Shelved): Promise<void> {
    await session.guarded(async () => {
      await told(api.DELETE("/api/films/{film_id}", { params: { path: { film_id: film.id } } }));
      await session.listFilms();
    });
    await this.load();
  }

  /** Take bundles in, one after the other. */
  async takeIn(files: Iterable<File>): Promise<void> {
    this.open = true;
    for (const file of files) {
      this.arriving.push({ name: file.name, error: "" });
      const one = this.arriving[this.arriving.length - 1]!;
      try {
        await sent<Job>("/api/bundles", {}, file);
        this.arriving = this.arriving.filter((other) => other !== one);
      } catch (error) {
        one.error = (error as Error).message;
      }
      await this.look();
    }
  }

  async do(job: string, how: "pause" | "resume" | "cancel"): Promise<void> {
    await session.guarded(async () => {
      await told(api.POST(`/api/jobs/{job}/${how}`, { params: { path: { job } } }));
      await this.look();
    });
  }

  async place(job: string, to: number): Promise<void> {
    await session.guarded(async () => {
      this.underWay = await told<UnderWay>(api.PUT("/api/jobs/{job}/place", { params: { path: { job } }, body: to }));
    });
  }

  async sideBySide(reels: number): Promise<void> {
    await session.guarded(async () => {
      this.underWay = await told<UnderWay>(api.PUT("/api/under-way/side-by-side", { body: reels }));
    });
  }
}

export const isBundle = (file: File) => /\.yaila$/i.test(file.name);
export const shelf = new Shelf();
