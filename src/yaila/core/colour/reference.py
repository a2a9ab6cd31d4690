"""The grade that brings a picture near to another of quite something else: alike in light and colour on the whole.

What is compared are statistics of Oklab, as in E. Reinhard et al., "Color Transfer between Images", 2001: how bright
pictures are and how far that spreads, which way their colours lean, and how vivid they are.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yaila.core.colour.grading import Grading, graded
from yaila.core.colour.spaces import decoded, oklab_from_linear

Floats = NDArray[np.float64]

NUMBERS = ("exposure", "contrast", "warmth", "tint", "saturation", "black")
LOW = np.array([-4.0, -150.0, -100.0, -100.0, -100.0, 0.0])
HIGH = np.array([4.0, 150.0, 200.0, 100.0, 150.0, 0.3])
SCALE = np.array([1.0, 60.0, 60.0, 60.0, 60.0, 0.1])
"""How far each number goes for about as much to be seen of it."""

WEIGHTS = np.array([1.0, 1.0, 1.0, 1.0, 2.5, 2.5, 1.5])
HELD = 0.004
"""How strongly numbers are held to nought, so that what hardly matters stays as it is."""

PLACES = 3000


@dataclass(frozen=True)
class Likened:
    """A grade's numbers by name, and how far the statistics were apart before and are with it."""

    numbers: dict[str, float]
    before: float
    after: float


def statistics(rgb: Floats) -> Floats:
    """Of encoded colours (n, 3): a dark, a middle and a bright lightness, their spread, which way colours lean, and how
    vivid they are."""
    lightness, a, b = oklab_from_linear(decoded(np.asarray(rgb, np.float64))).T
    dark, middle, bright = np.percentile(lightness, [10, 50, 90])
    return np.array([dark, middle, bright, lightness.std(), a.mean(), b.mean(), np.hypot(a, b).mean()])


def likened(ours: NDArray[np.uint8], theirs: NDArray[np.uint8]) -> Likened:
    """The grade that makes ``ours``, (n, 3) uint8, like ``theirs``, (m, 3) uint8, each of some places at least."""
    random = np.random.default_rng(1)

    def some(colours: NDArray[np.uint8]) -> Floats:
        return random.permutation(colours)[:PLACES] / 255

    own, goal = some(ours), statistics(some(theirs))

    def away(scaled: Floats) -> Floats:
        made = graded(own, _grading(scaled * SCALE))
        return np.concatenate([WEIGHTS * (statistics(made) - goal), HELD * scaled])

    # It takes a while to load, and few films are matched to a picture.
    from scipy.optimize import least_squares

    found = least_squares(
        away, np.array([0, 0, 0, 0, 0, 0.02]), bounds=(LOW / SCALE - 1e-9, HIGH / SCALE), diff_step=0.02, max_nfev=60
    )
    numbers = dict(zip(NUMBERS, (found.x * SCALE).round(4).tolist(), strict=True))
    ends = (float(np.linalg.norm(away(one)[: len(WEIGHTS)])) for one in (np.zeros(len(NUMBERS)), found.x))
    return Likened(numbers, *ends)


def _grading(numbers: Floats) -> Grading:
    return replace(Grading(), **dict(zip(NUMBERS, numbers.tolist(), strict=True)))
