import type { Finish } from "../api/client";
import type { IconName } from "../ui/Icon.svelte";

export type EffectName = keyof Finish;

/** An effect of the finish as it is shown: what it is called, the number that says most of it, and what it sticks to. */
export interface EffectFace {
  id: EffectName;
  part: string;
  name: string;
  icon: IconName;
  headline: string;
  before?: string;
  sticks: "map" | "lens" | "frame";
  hint: string;
}

/** The effects in the order in which they come. */
export const EFFECTS: EffectFace[] = [
  { id: "relief", part: "Relief", name: "Relief", icon: "relief", headline: "times", sticks: "map", hint: "The ground raised by the heights of a plate" },
  { id: "sun", part: "Sun", name: "Sun", icon: "sun", headline: "height", sticks: "map", hint: "Where shadows fall, and how warm the light is" },
  { id: "dusk", part: "Dusk", name: "Dusk", icon: "moon", headline: "share", sticks: "map", hint: "Night falling over the ground; lamps burn by it" },
  { id: "haze", part: "Haze", name: "Haze", icon: "air", headline: "sees", sticks: "map", hint: "Air between the camera and what is far away" },
  { id: "lens", part: "Lens", name: "Depth", icon: "lens", headline: "f_number", before: "f/", sticks: "lens", hint: "Depth of field: what is out of focus melts" },
  { id: "shutter", part: "Shutter", name: "Shutter", icon: "shutter", headline: "angle", sticks: "lens", hint: "Motion blur: what moves while the shutter is open" },
  { id: "grade", part: "Grade", name: "Grade", icon: "grade", headline: "contrast", sticks: "frame", hint: "All colours of the frame: contrast, warmth, tints, black and white" },
  { id: "vignette", part: "Vignette", name: "Vignette", icon: "vignette", headline: "by", sticks: "frame", hint: "Less light towards the corners" },
  { id: "grain", part: "Grain", name: "Grain", icon: "grain", headline: "strength", sticks: "frame", hint: "Grain of the film, the same in draft and final" },
  { id: "bars", part: "Bars", name: "Bars", icon: "bars", headline: "share", sticks: "frame", hint: "Bars at the edges of the frame" },
]; // prettier-ignore

/** The name of an effect in addresses and selections. */
export const addressed = (id: EffectName) => `finish.${id}`;
