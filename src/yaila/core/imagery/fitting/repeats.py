"""What repeats in a picture, and says nothing of where it lies: a watermark in every tile of a survey, a printed
pattern, rows of the same roof.

A picture's autocorrelation (by the fast Fourier transform; Wiener & Khinchin) has peaks at the periods of what repeats
in it. What lies a period away is averaged: the part that repeats stays, and all else fades.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[Any]

LEAST_PERIOD = 64
"""The shortest period looked for, pixels: tiles of surveys are larger, rows of houses or furrows smaller, and these do
say where they lie."""

CLEAR = 12.0
"""How many times a peak must stand out of the others (median absolute deviations) to be a period."""

LEAST_PEAK = 0.04
"""The least share of a picture's contrast that a period explains."""

SURELY = 0.3
"""The share of a picture's contrast that no chance explains."""

STANDS = 2.2
"""How many times the energy that chance leaves in the average of places a period apart what repeats must have."""


LEAST_SHARED = 0.35
"""How much of a picture must lie on the other at a place elsewhere for that to count."""


def repeating(grey: Floats, there: NDArray[np.bool_]) -> NDArray[np.bool_] | None:
    """Where a picture (height, width) shows what it shows elsewhere at a fixed distance again and again; none if that
    is nowhere. ``there`` says where it is opaque."""
    lit = _whitened(grey, there)
    rows, columns = lit.shape
    peaks = _periods(lit, there)
    if not peaks:
        return None
    total, count = lit.copy(), there.astype(np.float32)
    for dx, dy in peaks:
        for sign in (1, -1):
            x, y = sign * dx, sign * dy
            to = np.s_[max(y, 0) : rows + min(y, 0), max(x, 0) : columns + min(x, 0)]
            of = np.s_[max(-y, 0) : rows + min(-y, 0), max(-x, 0) : columns + min(-x, 0)]
            total[to] += lit[of]
            count[to] += there[of]
    mean = total / np.maximum(count, 1)
    energy = cv2.GaussianBlur(mean * mean, (0, 0), 5)
    chance = cv2.GaussianBlur(lit * lit, (0, 0), 5) / np.maximum(count, 1)
    mask = (energy > STANDS * chance + 0.01) & (count >= 3)
    return np.asarray(cv2.dilate(mask.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0)


def _whitened(grey: Floats, there: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Fine detail alone, of even strength, so that no part of a picture outweighs the others."""
    fine = grey.astype(np.float32) - cv2.GaussianBlur(grey.astype(np.float32), (0, 0), 4)
    spread = np.sqrt(cv2.GaussianBlur(fine * fine, (0, 0), 24)) + 1.5
    return np.asarray(np.clip(fine / spread, -3, 3) * there, np.float32)


def _periods(lit: NDArray[np.float32], there: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Distances (x, y) at which a picture agrees with itself."""
    from scipy import fft

    rows, columns = lit.shape
    shape = tuple(fft.next_fast_len(side * 3 // 2, real=True) for side in (rows, columns))
    spectrum, cover = fft.rfft2(lit, shape), fft.rfft2(there.astype(np.float32), shape)
    alike = fft.irfft2(np.abs(spectrum) ** 2, shape)
    shared = fft.irfft2(np.abs(cover) ** 2, shape)
    alike = alike / np.maximum(shared, 1) / max(float((lit * lit).sum() / max(there.sum(), 1)), 1e-9)
    half = shape[0] // 2
    alike, shared = np.roll(alike, half, axis=0), np.roll(shared, half, axis=0)
    # Distances up to half the picture: beyond, too little of it is shared. To the left they are those to the right.
    high, wide = min(rows // 2, half - 1), columns // 2
    part, enough = alike[half - high : half + high + 1, : wide + 1], shared[half - high : half + high + 1, : wide + 1]
    y, x = np.mgrid[-high : high + 1, 0 : wide + 1]
    far = (np.hypot(x, y) >= LEAST_PERIOD) & (enough > 0.15 * rows * columns)
    if not far.any():
        return []
    middle = float(np.median(part[far]))
    spread = float(np.median(np.abs(part[far] - middle))) + 1e-6
    top = cv2.dilate(part.astype(np.float32), np.ones((9, 9), np.uint8))
    peaks = far & (part >= top) & (part - middle > min(max(CLEAR * spread, LEAST_PEAK), SURELY))
    found = sorted(zip(part[peaks].tolist(), x[peaks].tolist(), y[peaks].tolist(), strict=True), reverse=True)
    return [(dx, dy) for _, dx, dy in found[:12]]


def runner_up(mine: Floats, other: Floats, there: Floats, at: tuple[int, int], apart: float) -> float:
    """How well a picture agrees with another elsewhere, against how well it does in its place: 0 and less for not at
    all, 1 for as well.

    Args:
        mine: (h, w), 0 where it does not count.
        other: (H, W), at least as large; ``there`` is 1 where it shows something, else 0.
        at: column and row of ``other`` where the first of ``mine`` lies.
        apart: nearer than this is the same place, pixels.
    """
    from scipy import fft

    rows, columns = mine.shape
    shape = tuple(fft.next_fast_len(side, real=True) for side in other.shape)

    def spectrum(one: Floats) -> Floats:
        return np.asarray(fft.rfft2(one.astype(np.float32), shape))

    def correlated(a: Floats, b: Floats) -> Floats:
        """Of every place of the smaller in the larger one, by their spectra."""
        made = fft.irfft2(a * np.conj(b), shape)
        return np.asarray(made[: other.shape[0] - rows + 1, : other.shape[1] - columns + 1])

    own = float((mine * mine).sum())
    product = correlated(spectrum(other), spectrum(mine))
    theirs, shared = (
        correlated(spectrum(other * other), spectrum(mine != 0)),
        correlated(spectrum(there), spectrum(mine * mine)),
    )
    likeness = product / np.sqrt(np.maximum(theirs, 0.1 * own) * np.maximum(shared, 0.1 * own) + 1e-9)
    x, y = np.meshgrid(np.arange(likeness.shape[1]) - at[0], np.arange(likeness.shape[0]) - at[1])
    near = np.hypot(x, y) < apart
    # Where too little of it lies on the other, chance has a say.
    far = ~near & (shared > LEAST_SHARED * own)
    if not (far.any() and near.any()):
        return 0.0
    return float(likeness[far].max() / max(float(likeness[near].max()), 1e-6))
