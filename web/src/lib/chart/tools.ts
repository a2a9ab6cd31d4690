import type { Step, Tool } from "../film/session.svelte";
import type { IconName } from "../ui/Icon.svelte";

/** A tool as it lies above the chart; `asks` is what it waits for, said below the chart. */
export interface ToolFace {
  id: Tool;
  label: string;
  icon: IconName;
  hint: string;
  asks: string;
}

/** The tools of each step, the first of them the one that picks and drags what is there. */
export const TOOLS: Partial<Record<Step, ToolFace[]>> = {
  fit: [
    {
      id: "select",
      label: "Move",
      icon: "hand",
      hint: "Drag the plate, its corners or its turning grip",
      asks: "Drag the plate; T sees through it",
    },
    {
      id: "tie",
      label: "Tie points",
      icon: "tie",
      hint: "Click a feature of the chosen plate, then the same feature below (X)",
      asks: "Click a feature of the chosen plate",
    },
    {
      id: "pin",
      label: "Pin",
      icon: "pin",
      hint: "Click the point that stays put while the plate is scaled and turned",
      asks: "Click a feature that lies right",
    },
    {
      id: "pull",
      label: "Pull",
      icon: "span",
      hint: "Drag a second feature onto its match: the plate scales and turns about the pin",
      asks: "Drag a feature onto its match",
    },
  ],
  fly: [
    {
      id: "select",
      label: "Select",
      icon: "hand",
      hint: "Pick and drag frames",
      asks: "Drag an edge for span, the far grip for heading",
    },
    {
      id: "frame",
      label: "Vantage",
      icon: "frame",
      hint: "Drag a frame where the camera should rest",
      asks: "Drag a frame",
    },
    {
      id: "route",
      label: "Route",
      icon: "fly",
      hint: "Click the points of a way; Enter or a click on the last one ends it",
      asks: "Click its points; Enter ends it, Backspace takes one back",
    },
  ],
  mark: [
    {
      id: "select",
      label: "Select",
      icon: "hand",
      hint: "Pick and drag marks",
      asks: "Double click on a route: a point; with Shift: a stop",
    },
    {
      id: "route",
      label: "Route",
      icon: "fly",
      hint: "Click the points of a way; Enter ends it",
      asks: "Click its points; Enter ends it, Backspace takes one back",
    },
    {
      id: "marker",
      label: "Marker",
      icon: "pin",
      hint: "Click where it stands; on a route it comes when the line reaches it",
      asks: "Click a place, a route, or a marker",
    },
    {
      id: "label",
      label: "Label",
      icon: "letter",
      hint: "Click where the text stands; beside a marker it comes with it",
      asks: "Click a place, a route, or a marker",
    },
    {
      id: "inset",
      label: "Inset",
      icon: "inset",
      hint: "Click where a picture or a clip belongs, then choose its file (I)",
      asks: "Click where it belongs; beside a marker it comes with that",
    },
    {
      id: "region",
      label: "Region",
      icon: "outline",
      hint: "Click its corners; Enter or a click on the first one ends it",
      asks: "Click its corners; Enter closes it",
    },
    {
      id: "circle",
      label: "Circle",
      icon: "heading",
      hint: "Drag from its middle to its rim",
      asks: "Drag from the middle to the rim",
    },
  ],
  finish: [
    {
      id: "select",
      label: "Select",
      icon: "hand",
      hint: "Pick and drag lamps",
      asks: "Drag a lamp, or its rim",
    },
    {
      id: "lamp",
      label: "Lamp",
      icon: "lamp",
      hint: "Click where it hangs; on a marker or a traveller it goes along",
      asks: "Click where the lamp hangs",
    },
    {
      id: "focus",
      label: "Focus",
      icon: "lens",
      hint: "Click what is to be sharp, here or in the viewfinder (F)",
      asks: "Click what is to be sharp",
    },
  ],
};

/** Tools of Fit that its panels hand out, and what they ask for. */
const HANDED: Partial<Record<Tool, string>> = {
  control: "Click a feature, then type where it belongs",
  outline: "Click the outline’s corners",
  pick: "Click colours that are to become see-through",
  known: "Click a place whose latitude and longitude you know",
};

/** What a tool asks for in a step; nothing if the step does not know it. */
export function asks(step: Step, tool: Tool): string | undefined {
  const face = TOOLS[step]?.find(({ id }) => id === tool);
  return face?.asks ?? (step === "fit" ? HANDED[tool] : undefined);
}
