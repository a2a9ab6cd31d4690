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
  { id: "surface", part: "Surface", name: "Surface", icon: "surface", headline: "strength", sticks: "map", hint: "Paper, cloth or stone that the map lies on; it sticks to the ground" },
  { id: "backdrop", part: "Backdrop", name: "Backdrop", icon: "backdrop", headline: "thick", sticks: "map", hint: "What the map lies on: a colour or a table; and the sky" },
  { id: "relief", part: "Relief", name: "Relief", icon: "relief", headline: "times", sticks: "map", hint: "The ground raised by the heights of a plate" },
  { id: "sun", part: "Sun", name: "Sun", icon: "sun", headline: "height", sticks: "map", hint: "Where shadows fall, and how warm the light is" },
  { id: "dusk", part: "Dusk", name: "Dusk", icon: "moon", headline: "share", sticks: "map", hint: "Night falling over the ground; lamps burn by it" },
  { id: "haze", part: "Haze", name: "Haze", icon: "air", headline: "sees", sticks: "map", hint: "Air between the camera and what is far away" },
  { id: "lens", part: "Lens", name: "Depth", icon: "lens", headline: "f_number", before: "f/", sticks: "lens", hint: "Depth of field: what is out of focus melts" },
  { id: "shutter", part: "Shutter", name: "Shutter", icon: "shutter", headline: "angle", sticks: "lens", hint: "Motion blur: what moves while the shutter is open" },
  { id: "glow", part: "Glow", name: "Glow", icon: "glow", headline: "strength", sticks: "frame", hint: "Light that spreads from what is bright" },
  { id: "grade", part: "Grade", name: "Grade", icon: "grade", headline: "contrast", sticks: "frame", hint: "All colours of the frame: contrast, warmth, tints, black and white" },
  { id: "glass", part: "Glass", name: "Glass", icon: "glass", headline: "distortion", sticks: "frame", hint: "What an old lens does: it bends, parts colours, melts edges" },
  { id: "vignette", part: "Vignette", name: "Vignette", icon: "vignette", headline: "by", sticks: "frame", hint: "Less light towards the corners" },
  { id: "wear", part: "Wear", name: "Wear", icon: "wear", headline: "dust", sticks: "frame", hint: "Film that was shown often: dust, scratches, flicker, weave" },
  { id: "grain", part: "Grain", name: "Grain", icon: "grain", headline: "strength", sticks: "frame", hint: "Grain of the film, the same in draft and final" },
  { id: "ends", part: "Ends", name: "Ends", icon: "ends", headline: "opens_over", sticks: "frame", hint: "How the film comes from the scene before it, and goes over to the next" },
  { id: "bars", part: "Bars", name: "Bars", icon: "bars", headline: "share", sticks: "frame", hint: "Bars at the edges of the frame" },
  { id: "look", part: "Look", name: "Look", icon: "look", headline: "strength", sticks: "frame", hint: "A whole finish by its name, and how strong all of it is" },
]; // prettier-ignore

/** The name of an effect in addresses and selections. */
export const addressed = (id: EffectName) => `finish.${id}`;
