import type { Plate, PlatePlan, XY } from "../api/client";
import { buried } from "../film/plates";
import { session } from "../film/session.svelte";
import { namePlaces } from "./badges";
import { boxOf, toScreen, type View } from "./view";

/** A plate on the chart. */
type Shown = { laid: PlatePlan; plate: Plate; chosen: boolean };

/** The plates that are shown, from the bottom of the stack up; where they are fitted, also those whose picture is not
 * seen on the chart. */
export function shownPlates(fitting: boolean): Shown[] {
  return (session.plan?.plates ?? []).flatMap((laid, index) => {
    const plate = session.film?.plates[index];
    return plate?.shown && (fitting || !buried(plate))
      ? [{ laid, plate, chosen: session.selection?.id === plate.id }]
      : [];
  });
}

/** The names of plates, that of the chosen one where it belongs and the others, from the top of the stack down, where
 * there is room: places on the screen, and how wide they are. */
export function plateNames(view: View, plates: Shown[]): (Shown & { place: XY; wide: number })[] {
  const inTurn = plates.toReversed().toSorted((one, other) => Number(other.chosen) - Number(one.chosen));
  const wanted = inTurn.map(({ laid, plate, chosen }) => {
    const at = corner(view, laid.outline, chosen);
    return at && { at, wide: plate.name.length * 6.1 + 12 };
  });
  return namePlaces(wanted, view.width, view.height).flatMap((place, index) =>
    place ? [{ place, wide: wanted[index]!.wide, ...inTurn[index]! }] : [],
  );
}

/** Where a plate's name would stand: at its first corner; nowhere if the plate is out of sight or tiny. */
function corner(view: View, outline: XY[], chosen: boolean): XY | null {
  const points = outline.map((point) => toScreen(view, point));
  const [left, top, right, bottom] = boxOf(points);
  const [first, second] = points as [XY, XY];
  const across = Math.hypot(second[0] - first[0], second[1] - first[1]);
  const seen = right > 0 && bottom > 0 && left < view.width && top < view.height;
  return seen && (across > 34 || chosen) ? first : null;
}
