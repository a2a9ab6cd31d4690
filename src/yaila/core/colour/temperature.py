"""Colours of light by their temperature, kelvin, as linear sRGB."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

RGB_OF_XYZ = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
"""IEC 61966-2-1."""


def _linear_of(x: float, y: float) -> NDArray[np.float64]:
    """Linear sRGB of a chromaticity (CIE 1931), its luminance 1."""
    return np.asarray(RGB_OF_XYZ @ np.array([x / y, 1.0, (1 - x - y) / y]))


def daylight(kelvin: float) -> NDArray[np.float64]:
    """Daylight of a correlated colour temperature, its luminance 1 (CIE 15:2004, 3.1; below 4000 K held there)."""
    t = max(kelvin, 4000.0)
    if t <= 7000:
        x = -4.6070e9 / t**3 + 2.9678e6 / t**2 + 0.09911e3 / t + 0.244063
    else:
        x = -2.0064e9 / t**3 + 1.9018e6 / t**2 + 0.24748e3 / t + 0.237040
    return _linear_of(x, -3.000 * x * x + 2.870 * x - 0.275)


@lru_cache(maxsize=256)
def black_body(kelvin: float) -> NDArray[np.float32]:
    """A black body, the brightest of red, green and blue 1 (the Planckian locus by Kim et al., US patent 7,024,034: a
    cubic spline from 1,667 to 25,000 K, held at its ends); not to be written into."""
    t = min(max(kelvin, 1667.0), 25000.0)
    if t <= 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t <= 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    rgb = np.clip(_linear_of(x, y), 0.0, None)
    made = np.asarray(rgb / rgb.max(), np.float32)
    made.flags.writeable = False
    return made
