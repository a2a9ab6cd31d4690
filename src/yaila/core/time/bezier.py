"""Where along a curve of an ease a time lies, compiled: eases are asked for a few times at a time, and often."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yaila.core.compiling import njit


@njit(cache=True, nogil=True, forceinline=True)
def _x(x1, x2, s):
    return ((1 + 3 * x1 - 3 * x2) * s + 3 * x2 - 6 * x1) * s * s + 3 * x1 * s


@njit(cache=True, nogil=True, forceinline=True)
def _halved(x1, x2, time, low, high, times):
    for _ in range(times):
        middle = (low + high) / 2
        if _x(x1, x2, middle) < time:
            low = middle
        else:
            high = middle
    return low, high


@njit(cache=True, nogil=True)
def _solved(x1, x2, times, found):
    for k in range(times.shape[0]):
        low, high = _halved(x1, x2, times[k], 0.0, 1.0, 6)
        s = (low + high) / 2
        for _ in range(5):
            slope = 3 * (1 + 3 * x1 - 3 * x2) * s * s + 2 * (3 * x2 - 6 * x1) * s + 3 * x1
            s = min(max(s - (_x(x1, x2, s) - times[k]) / max(slope, 1e-9), low), high)
        if abs(_x(x1, x2, s) - times[k]) > 1e-15:
            low, high = _halved(x1, x2, times[k], low, high, 48)
            s = (low + high) / 2
        found[k] = s


def parameters(x1: float, x2: float, times: NDArray[np.float64]) -> NDArray[np.float64]:
    """Solves x(s) = time for times (n,) within 0..1, x being the Bezier curve over 0, ``x1``, ``x2`` and 1: by Newton's
    steps from a rough bisection, where they come to the last bits, and else by bisection to the last bit of s, which is
    sure for every legal curve as x(s) never falls."""
    found = np.empty_like(times)
    _solved(float(x1), float(x2), times, found)
    return found
