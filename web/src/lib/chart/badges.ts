import type { XY } from "../api/client";

const ROOM = 21;

/** Places for the numbered badges, moved aside for one another and kept on the chart. Those marked first have the first choice. */
export function badgePlaces(wanted: { at: XY; first: boolean }[], width: number, height: number): XY[] {
  const places: XY[] = new Array(wanted.length);
  const order = wanted.map((_, index) => index).sort((a, b) => Number(wanted[b]!.first) - Number(wanted[a]!.first));
  const taken: XY[] = [];
  for (const index of order) {
    const [x, y] = wanted[index]!.at;
    const onChart = x > -width && x < 2 * width && y > -height && y < 2 * height;
    let place: XY = onChart ? [Math.min(Math.max(x, 13), width - 13), Math.min(Math.max(y, 13), height - 13)] : [x, y];
    for (let tries = 0; tries < 12 && taken.some((t) => apart(t, place) < ROOM); tries++)
      place = [place[0] + (tries % 2 ? ROOM : 0), place[1] + (tries % 2 ? -ROOM : ROOM)];
    taken.push(place);
    places[index] = place;
  }
  return places;
}

function apart(a: XY, b: XY): number {
  return Math.max(Math.abs(a[0] - b[0]), Math.abs(a[1] - b[1]));
}

/** How high a plate's name is, and how far from one to the next below it. */
const [HIGH, LINE] = [16, 18];

/** Places for the names of plates, their upper left corners: on the chart, and below one another where they would lie on
 * one another. Those that come first have the first choice; one that has no room is left out. */
export function namePlaces(wanted: ({ at: XY; wide: number } | null)[], width: number, height: number): (XY | null)[] {
  const taken: { at: XY; wide: number }[] = [];
  return wanted.map((one) => {
    if (!one) return null;
    const { at, wide } = one;
    let place: XY = [Math.max(Math.min(at[0], width - wide - 4), 4), Math.max(Math.min(at[1], height - HIGH - 8), 4)];
    const covered = () =>
      taken.find(
        (other) =>
          Math.abs(other.at[1] - place[1]) < HIGH &&
          other.at[0] < place[0] + wide &&
          place[0] < other.at[0] + other.wide,
      );
    for (let above = covered(); above; above = covered()) place = [place[0], above.at[1] + LINE];
    if (place[1] > height - HIGH) return null;
    taken.push({ at: place, wide });
    return place;
  });
}
