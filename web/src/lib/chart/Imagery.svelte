<script lang="ts">
  import { session } from "../film/session.svelte";
  import { buried } from "../film/plates";
  import type { Painter } from "./painter.svelte";
  import type { View } from "./view";

  let { view, painter, plates, wipe }: { view: View; painter: Painter; plates: boolean; wipe: number } = $props();

  let canvas: HTMLCanvasElement;
  let asked = false;

  /** What the plates look like and where they lie, in short: the sheet is painted anew only when this changes. */
  const imagery = $derived(
    (session.film?.plates ?? [])
      .map((plate, index) => {
        const laid = session.plan?.plates[index];
        const { shape, width } = plate.feather;
        return [laid?.look, laid?.matrix, plate.shown, plate.opacity, plate.role, plate.contrast, shape, width].join();
      })
      .join(";"),
  );
  $effect(() => {
    void [imagery, view, plates, session.judging, wipe, painter.arrived];
    if (["fit", "gather"].includes(session.step)) void session.selection;
    void session.step;
    if (asked) return;
    asked = true;
    requestAnimationFrame(() => {
      asked = false;
      if (canvas && view.width > 1) paint();
    });
  });

  function paint() {
    const ratio = devicePixelRatio || 1;
    const [w, h] = [Math.round(view.width * ratio), Math.round(view.height * ratio)];
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    const context = canvas.getContext("2d")!;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.globalAlpha = 1;
    context.fillStyle = "#dfe4df";
    context.fillRect(0, 0, w, h);
    const { film, plan } = session;
    if (!film || !plan || !plates) return;
    context.imageSmoothingQuality = "high";
    const chosen = film.plates.findIndex((plate) => plate.id === session.selection?.id);
    const judged = session.step === "fit" && chosen >= 0 ? session.judging : "laid";
    film.plates.forEach((plate, index) => {
      if (!plate.shown || !plan.plates[index] || (judged !== "laid" && index > chosen)) return;
      if (buried(plate) && !(index === chosen && ["fit", "gather"].includes(session.step))) return;
      painter.plate(context, view, index, index === chosen ? judged : "laid", wipe);
    });
    // The chart is slightly muted, so that what is drawn over it reads; the viewfinder never is.
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = "rgba(246,247,243,0.13)";
    context.fillRect(0, 0, w, h);
  }
</script>

<canvas bind:this={canvas}></canvas>

<style>
  canvas {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
  }
</style>
