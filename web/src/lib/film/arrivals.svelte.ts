import { api, told, type Job, type XY } from "../api/client";
import { framesIn, packed } from "./dropped";
import { gathering } from "./gathering.svelte";
import { opened } from "./opened.svelte";
import { player } from "./player.svelte";
import { session } from "./session.svelte";
import { isOpen } from "./watch";

/** Files that hold sound and no picture that could be laid. */
const isSound = (file: File) =>
  /\.(wav|flac|mp3|m4a|aac|og[ga]|opus|aiff?|caf|w64)$/i.test(file.name) || file.type.startsWith("audio/");

/** Files of moving pictures. */
const isClip = (file: File) =>
  /\.(mp4|mov|m4v|webm|mkv|avi|mxf|mpe?g|m?ts)$/i.test(file.name) || file.type.startsWith("video/");

/** Whether a ZIP begins with pictures: the frames of a clip. */
async function holdsFrames(file: File): Promise<boolean> {
  if (!/\.zip$/i.test(file.name)) return false;
  const head = new DataView(await file.slice(0, 65536).arrayBuffer());
  // Folders come first, and hold nothing themselves (ISO/IEC 21320-1, local headers).
  for (let at = 0; at + 30 < head.byteLength && head.getUint32(at) === 0x504b0304;) {
    const [packed, name, more] = [
      head.getUint32(at + 18, true),
      head.getUint16(at + 26, true),
      head.getUint16(at + 28, true),
    ];
    const path = new TextDecoder().decode(head.buffer.slice(at + 30, at + 30 + name));
    if (!path.endsWith("/") && !path.split("/").some((part) => part.startsWith(".") || part === "__MACOSX"))
      return /\.(png|jpe?g|webp|tiff?)$/i.test(path);
    at += 30 + name + more + packed;
  }
  return false;
}

const isPicture = (file: File) => /\.(png|jpe?g|webp)$/i.test(file.name);

type Arrival = { film: string; name: string; share: number; error: string };

/** Files that are brought to the film: pictures, with what says where they lie, outlines and ways, fonts, and gazetteers. */
class Arrivals {
  #all = $state<Arrival[]>([]);
  /** Those on their way to the open film, or refused. */
  list = $derived(this.#all.filter((one) => one.film === session.id));
  /** How many pictures and captures are on their way to become plates. */
  count = $derived(
    this.list.filter(({ error }) => !error).length +
      session.jobs.filter((job) => (job.kind === "import" || job.kind === "capture") && isOpen(job)).length,
  );

  /** Send files to become plates, one after the other; with `swap`, one that takes the place of a plate's picture. */
  async receive(files: Iterable<File>, swap: string | null = null): Promise<void> {
    let all = [...files];
    const film = session.id;
    const stem = (file: File) => file.name.replace(/\.[^.]*$/, "").toLowerCase();
    const sidecar = (file: File) => /\.(wld|prj|[a-z]{2,4}w)$/i.test(file.name);
    const ground = (file: File) => /\.(gpx|km[lz]|csv|tsv|(geo|topo)?json|zip|gpkg|fgb|gltf|glb)$/i.test(file.name);
    const font = (file: File) => /\.(ttf|otf|ttc|woff2?)$/i.test(file.name);
    for (const file of all.filter(font))
      if (await session.bringAid("fonts", file)) session.notice = `Labels can be set in “${file.name}” now.`;
    // A table without an ending of its own is how gazetteers are given out.
    const table = (file: File) => /\.txt$/i.test(file.name);
    for (const file of all.filter(table))
      if (await gathering.bringGazetteer(file)) session.notice = `Places of “${file.name}” can be searched now.`;
    const frames = new Set(session.step === "mark" ? framesIn(all).flatMap(({ files }) => files) : []);
    for (const file of all) if (await holdsFrames(file)) frames.add(file);
    for (const file of all.filter((one) => ground(one) && !frames.has(one))) await opened.open(film, file);
    for (const file of all.filter(isSound)) await this.#bring(film, file, (arrival) => this.#sound(file, arrival));
    const clip = (file: File) => isClip(file) || frames.has(file);
    const seen = all.filter((file) => clip(file) || (session.step === "mark" && isPicture(file)));
    if (session.step === "sound")
      for (const file of seen) await this.#bring(film, file, (one) => this.#sound(file, one));
    else if (session.step === "gather" || session.step === "fit")
      for (const file of seen) await this.#bring(film, file, (one) => this.#clipPlate(file, one));
    else await this.setInsets(seen, [session.shown.x, session.shown.y], 0);
    all = all.filter((file) => !seen.includes(file));
    const pictures = all.filter((file) => ![sidecar, ground, font, table, isSound].some((is) => is(file)));
    const alone = all.filter((file) => sidecar(file) && !pictures.some((picture) => stem(picture) === stem(file)));
    for (const file of alone.filter((file) => !/\.prj$/i.test(file.name))) await this.#placeBy(file, alone);
    for (const file of pictures) {
      const beside = all.filter((other) => sidecar(other) && stem(other) === stem(file));
      await this.#bring(film, file, (arrival) => this.#picture(file, arrival, swap, beside));
    }
  }

  /** Let pictures and clips be seen in the film at a place; those beside a marker come with it. Pictures that are the
   * frames of a clip are one. */
  async setInsets(files: Iterable<File>, at: XY, reach: number): Promise<void> {
    const film = session.id;
    const before = new Set(session.film?.insets.map(({ id }) => id));
    let all = [...files];
    const whole = await session.guarded(async () => {
      for (const set of framesIn(all))
        all = [...all.filter((file) => !set.files.includes(file)), await packed(set.files, set.name)];
    }, false);
    if (!whole) return;
    for (const file of all) {
      const to = isClip(file) || /\.zip$/i.test(file.name) ? "clips" : "pictures";
      const query = new URLSearchParams({ name: file.name, x: `${at[0]}`, y: `${at[1]}`, frame: `${player.frame}` });
      query.set("reach", `${reach}`);
      if (to === "pictures") query.set("as", "inset");
      let job = "";
      await this.#bring(film, file, async (arrival) => void (job = (await this.#send(to, file, arrival, query)).id));
      if (job) await this.#chooseFresh(film, "insets", before, job);
    }
  }

  /** Lay the clip of an inset as a plate, and fit it. */
  async layInset(inset: string): Promise<void> {
    const film = session.id;
    const before = new Set(session.film?.plates.map(({ id }) => id));
    await session.guarded(async () => {
      const path = { film_id: film, inset_id: inset };
      const query = { width: session.shown.width / 2 };
      const { id } = await told<Job>(
        api.POST("/api/films/{film_id}/insets/{inset_id}/plate", { params: { path, query } }),
      );
      await this.#chooseFresh(film, "plates", before, id);
    });
  }

  /** Choose the inset or the plate that a job brings, once it is there. */
  async #chooseFresh(film: string, list: "insets" | "plates", before: Set<string>, job: string): Promise<void> {
    while (session.id === film) {
      const state = session.jobs.find(({ id }) => id === job)?.state;
      // The film is not looked at anew while something is tried.
      if (state === "done" && !session.trial) {
        await session.pulse();
        const fresh = session.film?.[list].findLast(({ id }) => !before.has(id));
        if (!fresh || session.id !== film) return;
        if (list === "plates") session.step = "fit";
        session.select({ kind: list === "plates" ? "plate" : "inset", id: fresh.id });
        const found = session.mark;
        if (found && !player.playing) player.seek(found.whole);
        return;
      }
      if (state === "failed" || state === "cancelled" || state === "interrupted") return;
      await new Promise((go) => setTimeout(go, 250));
    }
  }

  /** Send a file, and say how far it is, or why it was refused. */
  async #bring(film: string, file: File, send: (arrival: Arrival) => Promise<unknown>): Promise<void> {
    this.#all.push({ film, name: file.name, share: 0, error: "" });
    const arrival = this.#all[this.#all.length - 1]!;
    try {
      await send(arrival);
      this.dismiss(arrival);
    } catch (error) {
      arrival.error = (error as Error).message;
    }
    await session.pulse();
  }

  /** Lay a plate by a world file that came without its picture: the plate of the same name. */
  async #placeBy(world: File, others: File[]): Promise<void> {
    const stem = world.name.replace(/\.[^.]*$/, "").toLowerCase();
    const plate = session.film?.plates.find((plate) => plate.name.toLowerCase() === stem);
    const prj = others.find((file) => /\.prj$/i.test(file.name) && file.name.toLowerCase().startsWith(`${stem}.`));
    await session.guarded(async () => {
      if (!plate) throw new Error(`“${world.name}” has no picture beside it. Drop both at once.`);
      const georeference = await told<never>(
        api.POST("/api/world-files", {
          body: { name: world.name, text: await world.text(), prj: prj ? await prj.text() : null },
        }),
      );
      await session.act({ act: "lay_by_file", plate: plate.id, georeference });
    });
  }

  dismiss(arrival: Arrival): void {
    this.#all = this.#all.filter((other) => other !== arrival);
  }

  #sound(file: File, arrival: Arrival): Promise<Job> {
    const query = new URLSearchParams({ name: file.name, frame: `${player.frame}` });
    if (session.selection?.kind === "lane") query.set("lane", session.selection.id);
    return this.#send("sounds", file, arrival, query);
  }

  async #picture(file: File, arrival: Arrival, swap: string | null, beside: File[]): Promise<Job> {
    const { x, y, width } = session.shown;
    const query = new URLSearchParams({ name: file.name });
    // Where one looks is where it goes; while there is nothing to look at, the plate below decides.
    for (const other of beside) {
      query.set(/\.prj$/i.test(other.name) ? "prj" : "world", await other.text());
      if (!/\.prj$/i.test(other.name)) query.set("world_name", other.name);
    }
    if (swap) query.set("swap", swap);
    else if (session.film?.plates.length)
      for (const [key, value] of Object.entries({ x, y, width: width / 2 })) query.set(key, `${value}`);
    return this.#send("pictures", file, arrival, query);
  }

  #clipPlate(file: File, arrival: Arrival): Promise<Job> {
    const { x, y, width } = session.shown;
    const query = new URLSearchParams({ name: file.name, frame: `${player.frame}`, as: "plate" });
    if (session.film?.plates.length)
      for (const [key, value] of Object.entries({ x, y, width: width / 2 })) query.set(key, `${value}`);
    return this.#send("clips", file, arrival, query);
  }

  #send(to: "pictures" | "sounds" | "clips", file: File, arrival: Arrival, query: URLSearchParams): Promise<Job> {
    return new Promise((done, fail) => {
      const request = new XMLHttpRequest();
      request.open("POST", `/api/films/${arrival.film}/${to}?${query}`);
      request.upload.onprogress = (event) => (arrival.share = event.loaded / Math.max(event.total, 1));
      request.onload = () => {
        if (request.status < 300) return done(JSON.parse(request.responseText) as Job);
        let detail = `“${file.name}” was refused (${request.status}).`;
        try {
          detail = JSON.parse(request.responseText).detail ?? detail;
        } catch {
          // The answer was no problem document: the sentence above stands.
        }
        fail(new Error(detail));
      };
      request.onerror = () => fail(new Error(`“${file.name}” did not arrive. Is Yaila still running?`));
      request.send(file);
    });
  }
}

export const arrivals = new Arrivals();
