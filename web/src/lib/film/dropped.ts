import { Zip, ZipPassThrough } from "fflate";

/** Fewer numbered pictures than these are pictures by themselves. */
const FEWEST_FRAMES = 8;

/** All files that were dropped, those in folders too, without what the desktop hides there. */
export async function filesOf(dropped: DataTransfer): Promise<File[]> {
  // What was dropped can be asked for only before anything is waited for.
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry?.() ?? null);
  if (!entries.some((entry) => entry?.isDirectory)) return [...dropped.files];
  const found: File[] = [];
  for (const entry of entries) if (entry) found.push(...(await within(entry)));
  return found;
}

async function within(entry: FileSystemEntry): Promise<File[]> {
  if (entry.name.startsWith(".")) return [];
  if (entry.isFile) return [await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail))];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  // A folder is given out in parts, until one is empty.
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (!part.length) return found;
    for (const one of part) found.push(...(await within(one)));
  }
}

/** Those of some files that are the frames of clips: many pictures of one name, but for a number at its end. */
export function framesIn(files: File[]): { name: string; files: File[] }[] {
  const sets = new Map<string, { name: string; files: File[] }>();
  for (const file of files) {
    const [, name, , ending] = /^(.*?)(\d+)\.(png|jpe?g|webp|tiff?)$/i.exec(file.name) ?? [];
    if (name === undefined || ending === undefined) continue;
    const key = `${name}.${ending.toLowerCase()}`;
    const set = sets.get(key) ?? { name: name.replace(/[\s._-]+$/, "") || "Frames", files: [] };
    sets.set(key, set);
    set.files.push(file);
  }
  return [...sets.values()].filter(({ files }) => files.length >= FEWEST_FRAMES);
}

/** Files in a ZIP, as they are: pictures are packed already. */
export async function packed(files: File[], name: string): Promise<File> {
  const parts: Blob[] = [];
  let fault: Error | null = null;
  const zip = new Zip((error, data) => {
    fault ??= error;
    // A part that is a blob need not stay in memory.
    if (data) parts.push(new Blob([data as Uint8Array<ArrayBuffer>]));
  });
  for (const file of files) {
    const entry = new ZipPassThrough(file.name);
    zip.add(entry);
    entry.push(new Uint8Array(await file.arrayBuffer()), true);
    if (fault) throw fault;
  }
  zip.end();
  return new File(parts, `${name}.zip`, { type: "application/zip" });
}
