import type { Plate } from "../api/client";

/** Whether a plate is seen on the chart only while it is laid itself: its picture would hide the others. */
export const buried = (plate: Plate) => plate.role === "heights" || plate.role === "lights";

/** What a plate is, in a word, where it does not lie on the ground. */
export const ROLES: Record<Plate["role"], string> = {
  film: "",
  floats: "floats",
  lights: "lights",
  heights: "heights",
  reference: "chart",
};
