import type { PatchStep } from "../api/client";
import { session } from "../film/session.svelte";

/** The surfaces that ship, as they are called. */
export const SURFACES = [
  { key: "fine", name: "Fine paper" },
  { key: "crumpled", name: "Crumpled" },
  { key: "linen", name: "Linen" },
  { key: "parchment", name: "Parchment" },
  { key: "canvas", name: "Canvas" },
  { key: "wash", name: "Wash" },
  { key: "newsprint", name: "Newsprint" },
  { key: "blueprint", name: "Blueprint" },
  { key: "slate", name: "Slate" },
  { key: "chartcloth", name: "Chart cloth" },
] as const;

/** Lay a surface on the film's ground. */
export function laySurface(kind: string): Promise<boolean> {
  const name = SURFACES.find(({ key }) => key === kind)?.name ?? "Own picture";
  return session.patch(laid(kind), `Surface: ${name}`);
}

/** Try the next one. */
export function nextSurface(): Promise<boolean> {
  session.select({ kind: "effect", id: "finish.surface" });
  return session.patch(({ finish: { surface } }) => {
    const at = surface.on ? SURFACES.findIndex(({ key }) => key === surface.kind) : -1;
    return laid(SURFACES[(at + 1) % SURFACES.length]!.key);
  }, "Next surface");
}

function laid(kind: string): PatchStep[] {
  return [
    { op: "replace", path: "/finish/surface/kind", value: kind },
    { op: "replace", path: "/finish/surface/on", value: true },
  ];
}
