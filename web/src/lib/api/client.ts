import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Film = Schemas["Film"];
export type Plate = Schemas["Plate"];
export type Placement = Exclude<Plate["placement"], { stops: unknown }>;
export type Vantage = Film["vantages"][number];
export type Passage = Vantage["passage"];
export type Manner = Passage["manner"];
export type Ease = Passage["ease"];
export type Route = Film["routes"][number];
export type Marker = Film["markers"][number];
export type Label = Film["labels"][number];
export type Inset = Film["insets"][number];
/** How a mark comes or goes. */
export type Arrival = Label["comes"];
export type Lamp = Film["lamps"][number];
export type Deck = Film["decks"][number];
export type Finish = Film["finish"];
export type Grade = Finish["grade"];
export type OfferedFarm = Schemas["OfferedFarm"];
export type OfferedReels = Schemas["OfferedReels"];
export type OfferedForm = Schemas["OfferedForm"];
export type OfferedLook = Schemas["OfferedLook"];
export type OfferedTable = Schemas["OfferedTable"];
export type HeightCodes = Schemas["HeightCodes"];
export type HeightsFound = Schemas["HeightsFound"];
export type PlaceFound = Schemas["PlaceFound"];
export type Sharpness = Schemas["Sharpness"];
export type Style = Film["styles"][number];
export type Sound = Film["sounds"][number];
export type Lane = Film["lanes"][number];
export type SoundPlan = Schemas["SoundPlan"];
export type OfferedEffect = Schemas["OfferedEffect"];
export type Wave = Schemas["Wave"];
export type Loud = Schemas["Loud"];
export type OfferedFont = Schemas["OfferedFont"];
export type OfferedSign = Schemas["OfferedSign"];
export type Moment = Marker["starts"];
export type Curves = Schemas["Curves"];
export type FlownPose = Schemas["FlownPose"];
export type Gesture = Schemas["Gesture"];
export type Grasp = Schemas["Grasp"];
export type Contents = Schemas["Contents"];
export type Tie = Schemas["Tie-Output"];
export type Fit = Schemas["Fit"];
export type Region = Film["regions"][number];
export type Tone = Schemas["Tone"];
export type Plan = Schemas["Plan"];
export type PlatePlan = Schemas["PlatePlan"];
export type CoursePlan = Schemas["CoursePlan"];
export type FieldFacts = Schemas["FieldFacts"];
export type VantagePlan = Schemas["VantagePlan"];
export type PassagePlan = Schemas["PassagePlan"];
export type Sheet = Schemas["Sheet"];
export type Trial = Schemas["Trial"];
export type Change = Schemas["Change"];
export type Card = Schemas["Card"];
export type ReelPart = NonNullable<Schemas["ReelSettings"]["part"]>;
export type NewFilm = Partial<Schemas["NewFilm"]>;
export type Shelved = Schemas["Shelved"];
export type ShelfOfFilms = Schemas["ShelfOfFilms"];
export type UnderWay = Schemas["UnderWay"];
export type Job = Schemas["Job"];
export type Source = Schemas["Source"];
export type CapturePlan = Schemas["CapturePlan"];
export type PlannedPlate = CapturePlan["plates"][number];
export type Place = Schemas["Place"];
export type Gazetteer = Schemas["Gazetteer"];
export type Finding = Schemas["Finding"];
export type Choices = Schemas["Choices"];
export type Moments = Schemas["Moments"];
export type PatchStep = { op: "add" | "remove" | "replace"; path: string; value?: unknown };
export type XY = [number, number];
export type Act = paths["/api/films/{film_id}/acts"]["post"]["requestBody"]["content"]["application/json"];

/** What the server said was wrong, in a sentence. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

async function answered(request: Request): Promise<Response> {
  try {
    return await globalThis.fetch(request);
  } catch {
    const lost = request.method === "GET" ? "" : " What you did last was not kept.";
    throw new Refusal(`Yaila does not answer. Is it still running?${lost}`, 0);
  }
}

export const api = createClient<paths>({ baseUrl: location.origin, fetch: answered });

/** The answer's data, or the problem document's sentence thrown as a Refusal. */
export async function told<T>(answer: Promise<{ data?: unknown; error?: unknown; response: Response }>): Promise<T> {
  const result = await answer;
  if (result.data !== undefined) return result.data as T;
  const detail = (result.error as { detail?: unknown } | undefined)?.detail;
  throw new Refusal(
    typeof detail === "string" ? detail : `The server answered ${result.response.status}.`,
    result.response.status,
  );
}

/** Send a file as a body, its name in the query; what is answered. */
export async function sent<T>(
  path: string,
  query: Record<string, string>,
  file: File | null,
  headers: Record<string, string> = {},
): Promise<T> {
  const address = `${location.origin}${path}?${new URLSearchParams({ ...(file && { name: file.name }), ...query })}`;
  const answer = await answered(new Request(address, { method: "POST", headers, body: file }));
  let body;
  try {
    body = await answer.json();
  } catch {
    // What is no problem document has no detail: the sentence below stands.
    body = {};
  }
  if (!answer.ok)
    throw new Refusal(
      body.detail ?? `${file ? `“${file.name}”` : "That"} was refused (${answer.status}).`,
      answer.status,
    );
  return body as T;
}

export function frameUrl(
  film: string,
  state: string,
  frame: number,
  width: number,
  quality: string,
  without: string,
  split = 1,
): string {
  const left = (without ? `&without=${without}` : "") + (split < 1 ? `&split=${split.toFixed(4)}` : "");
  return `/api/films/${film}/frames/${frame}.jpg?state=${state}&width=${width}&quality=${quality}${left}`;
}

/** What is heard of a film from a sample on. */
export function mixUrl(film: string, state: string, first: number, count: number): string {
  return `/api/films/${film}/mix?state=${state}&first=${first}&count=${count}`;
}

/** A small picture of a frame as it would be with another surface, or with a look. */
export function swatchUrl(film: string, state: string, frame: number, what: "surface" | "look", key: string): string {
  return `/api/films/${film}/swatches/${frame}.jpg?state=${state}&${what}=${key}&width=128`;
}
