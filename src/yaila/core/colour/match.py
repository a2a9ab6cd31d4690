"""Finding the tone of the plates below, from places that both show."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yaila.core.colour.difference import ciede2000
from yaila.core.colour.spaces import encoded, linear_from_oklab, oklab_of
from yaila.core.colour.tone import ToneMatch

LEAST_PLACES = 200
"""Fewer places than these say too little of a tone."""

TUKEY = 4.685
"""Residuals beyond this many standard deviations have no say (Beaton & Tukey 1974: 95 % efficiency)."""

KEEP = 0.003
"""How strongly the map is held to the identity, against the places' own spread of lightness (0.055 squared)."""


def match_tone(above: NDArray[np.uint8], below: NDArray[np.uint8]) -> ToneMatch | None:
    """The affine map in Oklab that gives ``above`` the tone of ``below``.

    Args:
        above, below: (n, 3) 8-bit sRGB of the same n places.

    Iteratively reweighted least squares with Tukey's biweight, so that what only one of the two shows (clouds,
    names, a ship) has no say. Returns None if there are too few places, or no two thirds of a tone in common.
    """
    if len(above) < LEAST_PLACES:
        return None
    source, goal = oklab_of(above), oklab_of(below)
    middle = np.median(source, axis=0)
    basis = np.column_stack([source - middle, np.ones(len(source))])
    # To begin with, what is about as far from its fellow as most are; what differs wildly waits.
    offset = np.median(goal - source, axis=0)
    away = np.linalg.norm(goal - source - offset, axis=1)
    weight = _biweight(away)
    hold = np.diag([KEEP, KEEP, KEEP, 0]) * len(source) * 0.055**2
    start = np.vstack([np.eye(3), middle])
    solution = start
    for _ in range(30):
        weighted = basis * weight[:, None]
        solution = np.linalg.solve(basis.T @ weighted + hold, weighted.T @ goal + hold @ start)
        residual = np.linalg.norm(goal - basis @ solution, axis=1)
        renewed = _biweight(residual)
        settled = np.abs(renewed - weight).max() < 1e-3
        weight = renewed
        if settled:
            break
    useful = weight > 0.1
    if useful.sum() < LEAST_PLACES:
        return None
    gain = solution[:3].T
    shift = solution[3] - gain @ middle
    matched = np.clip(encoded(linear_from_oklab(source @ gain.T + shift)) * 255 + 0.5, 0, 255).astype(np.uint8)
    return ToneMatch(
        gain=tuple(gain.ravel().tolist()),
        shift=tuple(shift.tolist()),
        before=float(ciede2000(above[useful], below[useful]).mean()),
        after=float(ciede2000(matched[useful], below[useful]).mean()),
        share=float(useful.mean()),
    )


def _biweight(distances: NDArray[np.float64]) -> NDArray[np.float64]:
    # 0.6745: the median of a normal distribution's absolute deviations; a floor of half a code of lightness.
    scale = max(float(np.median(distances)) / 0.6745, 0.002)
    return np.clip(1 - (distances / (TUKEY * scale)) ** 2, 0, None) ** 2
