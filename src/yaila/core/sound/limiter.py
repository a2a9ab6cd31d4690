"""A limiter that looks ahead: no peak, not even between samples, comes above a ceiling."""

from __future__ import annotations

from functools import reduce

import numpy as np
from numpy.typing import NDArray

from yaila.core.sound.samples import RATE, Samples

AHEAD = round(0.004 * RATE)
"""How many samples before a peak it begins to give way, and after it goes on: 4 ms."""

OVER = 4
"""Times as many samples in which peaks are looked for, as ITU-R BS.1770-5, annex 2, does at 48 kHz."""

EDGE = AHEAD * 2 + 64
"""Samples beside a block that what comes of it depends on."""


def _louder(samples: Samples) -> NDArray[np.float32]:
    """How loud the louder channel is, (n,). NumPy takes ten times as long for a maximum along so short an axis."""
    return np.maximum(np.abs(samples[:, 0]), np.abs(samples[:, 1]))


def limited(samples: Samples, ceiling: float) -> Samples:
    """Samples (n, 2) of which no true peak is above a ceiling (a factor, 1 is full scale). What comes of a sample
    depends on ``EDGE`` samples on either side of it and nothing else, so blocks that overlap by as much fit together.

    What is quiet enough is returned as it is.
    """
    from scipy.ndimage import minimum_filter1d
    from scipy.signal import resample_poly

    if not len(samples) or float(np.abs(samples).max()) < ceiling * 0.5:
        return samples
    between = _louder(resample_poly(samples, OVER, 1, axis=0))[: len(samples) * OVER]
    peaks = reduce(np.maximum, (between[k::OVER] for k in range(OVER)), _louder(samples))
    # A peak between two samples counts for both.
    peaks = np.maximum(peaks, np.concatenate([peaks[:1], peaks[:-1]]))
    if float(peaks.max()) <= ceiling:
        return samples
    wanted = np.minimum(ceiling / np.maximum(peaks, 1e-9), 1.0)
    least = minimum_filter1d(wanted, 2 * AHEAD + 1, mode="nearest")
    # A mean, with weights, of gains each of which is low enough is low enough.
    weights = np.hanning(2 * AHEAD + 3)[1:-1]
    padded = np.pad(least, AHEAD, mode="edge")
    gain = np.convolve(padded, weights / weights.sum(), "valid")
    return np.asarray(samples * gain[:, None], np.float32)
