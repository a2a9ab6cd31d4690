import { unzipSync } from "fflate";
import { describe, expect, it } from "vitest";
import { filesOf, framesIn, packed } from "./dropped";

const numbered = (count: number, name = "smoke_", ending = "png") =>
  Array.from({ length: count }, (_, k) => new File([`picture ${k}`], `${name}${k}.${ending}`));

const fileEntry = (file: File) => ({ name: file.name, isFile: true, file: (done: (one: File) => void) => done(file) });

/** A folder, given out two entries at a time, as browsers do with many. */
function folder(name: string, entries: unknown[]) {
  return {
    name,
    isFile: false,
    isDirectory: true,
    createReader: () => {
      const left = [...entries];
      return { readEntries: (done: (part: unknown[]) => void) => done(left.splice(0, 2)) };
    },
  };
}

describe("what is dropped", () => {
  it("is all that lies in folders, without what is hidden there", async () => {
    const [a, b, c, hidden] = ["a.png", "b.png", "c.mp4", ".DS_Store"].map((name) => new File(["x"], name)) as File[];
    const whole = folder("film", [
      fileEntry(a!),
      folder("more", [fileEntry(b!), fileEntry(c!)]),
      fileEntry(hidden!),
      folder(".cache", [fileEntry(a!)]),
    ]);
    const dropped = { items: [{ webkitGetAsEntry: () => whole }], files: [] };
    const names = (await filesOf(dropped as unknown as DataTransfer)).map((file) => file.name);
    expect(names).toEqual(["a.png", "b.png", "c.mp4"]);
    const plain = { items: [{ webkitGetAsEntry: () => fileEntry(a!) }], files: [a, b] };
    expect(await filesOf(plain as unknown as DataTransfer)).toEqual([a, b]);
  });

  it("is a clip where many pictures go by one name and a number", () => {
    const many = numbered(9);
    const others = [...numbered(7, "shot "), ...numbered(3, "smoke_", "jpg"), new File(["x"], "Harbour.png")];
    expect(framesIn([...others, ...many])).toEqual([{ name: "smoke", files: many }]);
    expect(framesIn(numbered(8, ""))[0]!.name).toBe("Frames");
  });

  it("goes into a ZIP as it is", async () => {
    const zip = await packed(numbered(3), "smoke");
    expect(zip.name).toBe("smoke.zip");
    const held = unzipSync(new Uint8Array(await zip.arrayBuffer()));
    expect(Object.keys(held)).toEqual(["smoke_0.png", "smoke_1.png", "smoke_2.png"]);
    expect(new TextDecoder().decode(held["smoke_2.png"])).toBe("picture 2");
  });
});
