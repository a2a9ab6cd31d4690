"""Measure finding a fit on pairs of known truth: one line a pair, then the sums.

With ``--real`` on pictures of the world that a package ships, and on pairs that have no fit, of which none may be
found; ``--more FILE`` takes in another picture.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray

from tests.reference import pairs as real
from yaila.core.ground.placement import through
from yaila.core.imagery import build_pyramid, open_pyramid
from yaila.core.imagery.fitting import Found, NotFitted, find_fit
from yaila.standin.pairs import FINE, Pair, cases, make_pair
from yaila.standin.world import World

Picture = NDArray[np.uint8]


def error_of(pair: Pair, found: Found) -> float:
    """Root mean square over the fine picture's corners and centre, pixels of the coarse one."""
    width, height = FINE
    places = np.array([[0, 0], [width, 0], [width, height], [0, height], [width / 2, height / 2]], np.float64)
    return float(np.sqrt(np.mean(np.sum((found.through(places) - pair.truth(places)) ** 2, axis=1))))


def measured(name: str, fine: Picture, coarse: Picture, folder: Path) -> tuple[Found | None, str, float]:
    """What was found of a pair, or why nothing was, and how long it took, s."""
    pyramids = []
    for side, pixels in (("fine", fine), ("coarse", coarse)):
        file = folder / f"{side}.png"
        pyvips.Image.new_from_array(pixels).write_to_file(str(file))
        build_pyramid(file, file.with_suffix(".tif"), file.name)
        pyramids.append(open_pyramid(file.with_suffix(".tif")))
    begin = time.monotonic()
    try:
        return find_fit(pyramids[0], pyramids[1], (f"{name} fine", f"{name} coarse")), "", time.monotonic() - begin
    except NotFitted as error:
        return None, str(error), time.monotonic() - begin


def said(name: str, error: float, found: Found, took: float) -> None:
    """A line."""
    facts = f"{found.kind:10} ±{found.unsure:.2f}  residual {found.residual:.2f}  {found.confidence:3.0f} %"
    counts = f"{found.inliers:4} features {found.patches:4} patches {took:.1f} s"
    print(f"{name:60} {error:6.3f} px  {facts}  {counts}", flush=True)


def practice(only: str, folder: Path) -> None:
    """The practice world."""
    world, errors, seconds = World(), [], []
    for case in cases():
        if only not in case.name:
            continue
        pair = make_pair(world, case)
        found, why, took = measured(case.name, pair.fine, pair.coarse, folder)
        seconds.append(took)
        if found is None:
            print(f"{case.name:60} declined: {why}", flush=True)
            continue
        errors.append(error_of(pair, found))
        said(case.name, errors[-1], found, took)
    taken, right = len(errors), sum(error <= 0.4 for error in errors)
    print(
        f"{len(seconds)} pairs, {taken} accepted ({100 * taken / len(seconds):.0f} %), {right} of them right to 0.4 px "
        f"({100 * right / max(taken, 1):.0f} %), {sum(error > 2 for error in errors)} wrong by over 2 px; "
        f"{np.median(seconds):.1f} s each, {max(seconds):.1f} s at most"
    )


def pictures(only: str, more: list[Path], each: int, folder: Path) -> None:
    """Real pictures: the worst corner of each pair, and how often it lies beyond what was stated."""
    sources = real.world_pictures() | {file.stem: real.read(file) for file in more}
    rows: dict[str, list[tuple[float, bool]]] = {}
    for pair in real.findable(sources, each=each):
        if only not in pair.name or pair.truth is None:
            continue
        group = f"{pair.name.split()[0]}, {pair.name.split(', ', 1)[-1] if ',' in pair.name else 'relief on satellite'}"
        found, why, took = measured(pair.name, pair.fine, pair.coarse, folder)
        rows.setdefault(group, [])
        if found is None:
            rows[group].append((np.inf, False))
            print(f"{pair.name:60} declined: {why}", flush=True)
            continue
        high, wide = pair.fine.shape[:2]
        at = np.array([[0, 0], [wide, 0], [wide, high], [0, high], [wide / 2, high / 2]], np.float64)
        error = float(np.linalg.norm(found.through(at) - through(pair.truth, at), axis=1).max())
        rows[group].append((error, error > found.unsure))
        said(pair.name, error, found, took)
    for group, some in rows.items():
        errors = sorted(error for error, _ in some if np.isfinite(error))
        worst = f"median {np.median(errors):.3f}, worst {errors[-1]:.2f} px" if errors else ""
        print(f"{group:40} {len(errors)} of {len(some)}  {worst}  {sum(beyond for _, beyond in some)} beyond stated")
    wrong = 0
    for number, pair in enumerate(real.hopeless(sources, each=each)):
        found, _, took = measured(f"none {number}", pair.fine, pair.coarse, folder)
        if found:
            wrong += 1
            said(f"{pair.name}: FOUND, though there is nothing", np.nan, found, took)
    print(f"{5 * each} pairs without a fit, {wrong} found")


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", default="")
    parser.add_argument("--keep", type=Path, default=None, help="Keep the pictures of the last pair in this folder.")
    parser.add_argument("--real", action="store_true", help="Real pictures instead of the practice world.")
    parser.add_argument("--more", type=Path, nargs="*", default=[], help="Further pictures.")
    parser.add_argument("--each", type=int, default=8)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder = options.keep or Path(scratch)
        folder.mkdir(exist_ok=True)
        if options.real:
            pictures(options.only, options.more, options.each, folder)
        else:
            practice(options.only, folder)


if __name__ == "__main__":
    main()
