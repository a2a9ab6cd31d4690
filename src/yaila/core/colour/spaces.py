"""sRGB (IEC 61966-2-1) and Oklab (B. Ottosson, "A perceptual color space for image processing", 2020).

Arrays are (..., 3); encoded and linear sRGB run 0..1, Oklab's L 0..1 and its a and b about -0.4..0.4.
"""

from __future__ import annotations

from typing import cast

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_LMS_FROM_LINEAR = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_LAB_FROM_ROOTS = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_LINEAR_FROM_LMS = np.linalg.inv(_LMS_FROM_LINEAR)
_ROOTS_FROM_LAB = np.linalg.inv(_LAB_FROM_ROOTS)


def as_fine(matrix: Floats, values: Floats) -> Floats:
    """A matrix in the numbers of what goes through it: 32 bits stay 32 bits."""
    return cast("Floats", matrix.astype(np.float32) if values.dtype == np.float32 else matrix)


def decoded(values: Floats) -> Floats:
    """Linear light of encoded sRGB values; below 0 and above 1 the curve runs on, odd about 0."""
    size = np.abs(values)
    return np.sign(values) * np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)


def encoded(values: Floats) -> Floats:
    """Encoded sRGB of linear light, the inverse of :func:`decoded`."""
    size = np.abs(values)
    return np.sign(values) * np.where(size <= 0.0031308, size * 12.92, 1.055 * size ** (1 / 2.4) - 0.055)


LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
"""How much of luminance red, green and blue are (ITU-R BT.709)."""

LINEAR_OF_BYTE = decoded(np.arange(256) / 255)
"""Linear light of the 256 values of a byte."""


def oklab_from_linear(linear: Floats) -> Floats:
    """Oklab of linear sRGB."""
    return np.cbrt(linear @ as_fine(_LMS_FROM_LINEAR.T, linear)) @ as_fine(_LAB_FROM_ROOTS.T, linear)


def linear_from_oklab(lab: Floats) -> Floats:
    """Linear sRGB of Oklab; outside 0..1 where sRGB has no such colour."""
    roots = lab @ as_fine(_ROOTS_FROM_LAB.T, lab)
    return (roots * roots * roots) @ as_fine(_LINEAR_FROM_LMS.T, lab)


def oklab_of(picture: NDArray[np.uint8]) -> Floats:
    """Oklab of 8-bit sRGB."""
    return oklab_from_linear(LINEAR_OF_BYTE[picture])


def mixed(start: str, end: str, progress: float) -> str:
    """A colour between two, ``#rrggbb`` each, evenly in Oklab; what sRGB cannot show is clipped."""
    ends = np.array([bytes_of(start), bytes_of(end)], np.uint8)
    lab = oklab_of(ends)
    made = encoded(linear_from_oklab(lab[0] + (lab[1] - lab[0]) * progress))
    red, green, blue = np.clip(np.round(made * 255), 0, 255).astype(int).tolist()
    return f"#{red:02x}{green:02x}{blue:02x}"


def bytes_of(text: str) -> tuple[int, int, int]:
    """Red, green and blue 0..255 of ``#rrggbb``."""
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def rgb_of(text: str) -> tuple[float, float, float]:
    """Encoded red, green and blue, 0..1, of ``#rrggbb``."""
    red, green, blue = bytes_of(text)
    return red / 255, green / 255, blue / 255


def relative_luminance(colours: NDArray[np.uint8]) -> Floats:
    """Relative luminance, 0..1, of 8-bit sRGB (..., 3) (WCAG 2.2; the weights of ITU-R BT.709)."""
    return np.asarray(LINEAR_OF_BYTE[colours] @ LUMINANCE)


def contrast(one: float | Floats, other: Floats) -> Floats:
    """The contrast ratio of luminances, 1 to 21 (WCAG 2.2)."""
    high, low = np.maximum(one, other), np.minimum(one, other)
    return np.asarray((high + 0.05) / (low + 0.05))
