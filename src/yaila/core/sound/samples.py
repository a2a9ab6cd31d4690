"""Samples: stereo, float32, full scale at 1, 48,000 a second, as films are given sound (SMPTE ST 299, AES5-2018)."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

RATE = 48_000
"""Samples a second."""

Samples = NDArray[np.float32]
"""(n, 2): left and right."""

Read = Callable[[int, int], Samples]
"""Samples of a sound from one on, so many; beyond its end fewer."""


def sample_of(frame: float, rate: Fraction) -> int:
    """The sample at which a frame of a film begins, the nearest there is; ``rate`` in frames a second."""
    return round(Fraction(frame) * RATE / rate)


def gain_of(decibels: Any) -> Any:
    """What samples are multiplied by for so many decibels, a number or an array."""
    return 10.0 ** (np.asarray(decibels) / 20.0)
