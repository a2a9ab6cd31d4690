import type { CoursePlan, Film } from "../api/client";
import { digits, length } from "../format";

/** A value of the document, or a course of it. */
export type Changing<T> = T | { stops: { value: T }[] };
/** Where a value stands: in the mark, plate or style with an id, at a path of names. */
export type Address = { of: string; field: string };

export function isCourse(value: unknown): value is { stops: { value: unknown }[] } {
  return typeof value === "object" && value !== null && "stops" in value;
}

/** The value where no moment is meant: the first one of a course. */
export function resting<T>(value: Changing<T>): T {
  return isCourse(value) ? (value.stops[0]!.value as T) : (value as T);
}

/** The address of what stands at a JSON Pointer such as `/labels/3/look/size`; none if that belongs to no list. */
export function addressOf(film: Film, pointer: string): Address | null {
  const [, list, place, ...names] = pointer.split("/");
  // An effect of the finish goes by its own name.
  if (list === "finish" && place && names.length) return { of: `finish.${place}`, field: names.join("/") };
  const parts = (film as unknown as Record<string, { id?: string }[]>)[list ?? ""];
  const of = Array.isArray(parts) ? parts[Number(place)]?.id : undefined;
  return of && names.length ? { of, field: names.join("/") } : null;
}

/** The course at an address, if the value there changes. */
export function courseAt(courses: CoursePlan[], { of, field }: Address): CoursePlan | null {
  return courses.find((one) => one.of === of && one.field === field) ?? null;
}

/** What the value of a stop is called; of a focus, how far away that is with it. */
export function stopSays(course: CoursePlan, stop: CoursePlan["stops"][number], ground: string): string {
  const { value, distance } = stop;
  if (typeof value === "number") return `${digits(value / course.factor, 3)} ${course.unit}`;
  return distance === null ? (value ?? "") : `${value}, ${length(distance, ground).join(" ")}`;
}

/** The line of a course in a box: points of a polyline. */
export function lineOf(course: CoursePlan, x: (frame: number) => number, top: number, bottom: number): string {
  return course.line.map(([frame, share]) => `${x(frame)},${bottom - share * (bottom - top)}`).join(" ");
}
