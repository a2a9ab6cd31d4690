"""Measure finding a fit on pairs of known truth: one line a pair, then the sums."""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np
import pyvips

from yaila.core.imagery import build_pyramid, open_pyramid
from yaila.core.imagery.fitting import Found, NotFitted, find_fit
from yaila.standin.pairs import FINE, Pair, cases, make_pair
from yaila.standin.world import World


def error_of(pair: Pair, found: Found) -> float:
    """Root mean square over the fine picture's corners and centre, pixels of the coarse one."""
    width, height = FINE
    places = np.array([[0, 0], [width, 0], [width, height], [0, height], [width / 2, height / 2]], np.float64)
    return float(np.sqrt(np.mean(np.sum((found.through(places) - pair.truth(places)) ** 2, axis=1))))


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", default="")
    parser.add_argument("--keep", type=Path, default=None, help="Keep the pictures in this folder.")
    options = parser.parse_args()
    world, errors, declined, seconds = World(), [], 0, []
    with tempfile.TemporaryDirectory() as scratch:
        folder = options.keep or Path(scratch)
        folder.mkdir(exist_ok=True)
        for number, case in enumerate(cases()):
            if options.only not in case.name:
                continue
            fine_file, coarse_file = folder / f"{number}-fine.tif", folder / f"{number}-coarse.tif"
            pair = make_pair(world, case)
            for pixels, file in ((pair.fine, fine_file), (pair.coarse, coarse_file)):
                pyvips.Image.new_from_array(pixels).write_to_file(str(file.with_suffix(".png")))
                build_pyramid(file.with_suffix(".png"), file, file.name)
            begin = time.monotonic()
            try:
                found = find_fit(open_pyramid(fine_file), open_pyramid(coarse_file), (f"f{number}", f"c{number}"))
            except NotFitted as error:
                declined += 1
                print(f"{case.name:60} declined: {error}", flush=True)
                continue
            finally:
                seconds.append(time.monotonic() - begin)
            errors.append(error_of(pair, found))
            facts = f"{found.kind:10} ±{found.unsure:.2f}  residual {found.residual:.2f}  {found.confidence:3.0f} %"
            counts = f"{found.inliers:4} features {found.patches:4} patches {seconds[-1]:.1f} s"
            print(f"{case.name:60} {errors[-1]:6.3f} px  {facts}  {counts}", flush=True)
    taken, right = len(errors), sum(error <= 0.4 for error in errors)
    print(
        f"{len(seconds)} pairs, {taken} accepted ({100 * taken / len(seconds):.0f} %), {right} of them right to 0.4 px "
        f"({100 * right / max(taken, 1):.0f} %), {sum(error > 2 for error in errors)} wrong by over 2 px; "
        f"{np.median(seconds):.1f} s each, {max(seconds):.1f} s at most"
    )


if __name__ == "__main__":
    main()
