"""Grading: what is done to the colours of a finished picture, in one stated order, worked out as one table.

1. exposure, in linear light; 2. white balance, by Bradford's adaptation (K. Lam 1985, as in ICC.1:2022 Annex E) from
daylight to another, and between green and magenta; 3. contrast about a pivot, on encoded values; 4. black, white and
middle; 5. curves, of all channels and then of each, monotone (F. Fritsch, R. Carlson, "Monotone Piecewise Cubic
Interpolation", 1980, as scipy has it); 6. saturation, vibrance, saturation by hue, and hue, in Oklab; 7. tints of
shadows and lights; 8. a wash of one colour; 9. black and white, tinted; 10. a table of one's own.
What is beyond white or black is clipped before contrast and at the end.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, fields
from functools import lru_cache
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from yaila.core.colour.spaces import LUMINANCE, as_fine, decoded, encoded, linear_from_oklab, oklab_from_linear
from yaila.core.colour.temperature import RGB_OF_XYZ, daylight

Floats = NDArray[np.float64]

SIDE = 33
"""Places along each side of a table."""

PARTS = 6
"""A table is worked out in so many, as what is made on the way then stays in the processor's cache."""

_XYZ_OF_RGB = np.linalg.inv(RGB_OF_XYZ)
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])

DAY = 6504.0
"""The light that a picture is taken to be made for, kelvin."""

VIVID = 0.3
"""The chroma, in Oklab, of a colour that is as vivid as colours are (that of sRGB's blue and magenta)."""


Curve = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Cube:
    """A table of one's own, told apart by its ``key``: (n, n, n, 3) of red, green and blue, by red, green and blue from
    ``low`` to ``high``."""

    key: str
    table: NDArray[np.float32] = field(compare=False, repr=False)
    low: tuple[float, float, float] = (0.0, 0.0, 0.0)
    high: tuple[float, float, float] = (1.0, 1.0, 1.0)

    def of(self, rgb: Floats) -> Floats:
        """Encoded colours (..., 3) through it, trilinear."""
        low, high = np.array(self.low), np.array(self.high)
        side = len(self.table)
        places = np.clip((rgb - low) / (high - low), 0, 1) * (side - 1)
        axes = (np.arange(side),) * 3
        from scipy.interpolate import RegularGridInterpolator

        return np.asarray(RegularGridInterpolator(axes, self.table.astype(np.float64))(places))


HUES = ("reds", "yellows", "greens", "cyans", "blues", "magentas")
"""The hues of which a grade makes more or less: the primaries of sRGB and what is between them."""


@dataclass(frozen=True)
class Grading:
    """Numbers of a grade, all of which leave the picture as it is by default. Colours are encoded red, green and blue,
    0..1."""

    exposure: float = 0.0
    warmth: float = 0.0
    tint: float = 0.0
    contrast: float = 0.0
    pivot: float = 0.45
    black: float = 0.0
    white: float = 1.0
    middle: float = 1.0
    curve: Curve = ()
    curve_red: Curve = ()
    curve_green: Curve = ()
    curve_blue: Curve = ()
    curves_by: float = 1.0
    saturation: float = 0.0
    vibrance: float = 0.0
    reds: float = 0.0
    yellows: float = 0.0
    greens: float = 0.0
    cyans: float = 0.0
    blues: float = 0.0
    magentas: float = 0.0
    hue: float = 0.0
    shadows: tuple[float, float, float] = (0.0, 0.0, 0.0)
    shadows_by: float = 0.0
    lights: tuple[float, float, float] = (1.0, 1.0, 1.0)
    lights_by: float = 0.0
    wash: tuple[float, float, float] = (1.0, 1.0, 1.0)
    wash_by: float = 0.0
    grey: float = 0.0
    grey_tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    table_by: float = 1.0
    cube: Cube | None = None

    @property
    def idle(self) -> bool:
        """Whether it leaves every colour as it is."""
        numbers = ("exposure", "warmth", "tint", "contrast", "black", "saturation", "vibrance", "hue", "shadows_by",
                   "lights_by", "wash_by", "grey", *HUES)  # fmt: skip
        even = all(getattr(self, name) == 0 for name in numbers) and self.white == 1 and self.middle == 1
        return even and not self._curved and not self._tabled

    @property
    def _curved(self) -> bool:
        return self.curves_by > 0 and bool(self.curve or self.curve_red or self.curve_green or self.curve_blue)

    @property
    def _tabled(self) -> bool:
        return self.cube is not None and self.table_by > 0


@lru_cache(maxsize=32)
def balance(warmth: float, tint: float) -> Floats:
    """The 3x3 map of linear sRGB that makes daylight warmer, or with a number below 0 cooler, by so many mired, and
    greener below 0 or more magenta above it, percent; not to be written into."""
    kelvin = 1e6 / (1e6 / DAY + warmth)
    here, there = (_XYZ_OF_RGB @ daylight(kelvin) for kelvin in (DAY, kelvin))
    gain = np.diag((_BRADFORD @ there) / (_BRADFORD @ here))
    adapted = RGB_OF_XYZ @ np.linalg.inv(_BRADFORD) @ gain @ _BRADFORD @ _XYZ_OF_RGB
    leans = np.array([1 + tint / 400, 1 - tint / 400, 1 + tint / 400])
    leans /= LUMINANCE @ leans
    made = np.asarray(np.diag(leans) @ adapted)
    made.flags.writeable = False
    return made


def graded(rgb: NDArray[np.floating], grading: Grading) -> Floats:
    """Encoded colours (..., 3), 0..1, graded."""
    light = decoded(cast("Floats", np.asarray(rgb))) * 2.0**grading.exposure
    if grading.warmth or grading.tint:
        light = light @ as_fine(balance(grading.warmth, grading.tint).T, light)
    value = np.clip(encoded(light), 0, 1)
    if grading.contrast:
        value = _contrasted(value, grading.contrast, grading.pivot)
    if grading.black or grading.white != 1 or grading.middle != 1:
        value = np.clip((value - grading.black) / max(grading.white - grading.black, 1e-3), 0, 1)
        value = value ** (1 / grading.middle)
    if grading._curved:
        value = value + grading.curves_by * (_curved(value, grading) - value)
    lab = oklab_from_linear(decoded(value))
    lab = _coloured(lab, grading)
    value = encoded(linear_from_oklab(lab))
    if grading.grey:
        grey = encoded(np.clip(decoded(np.clip(value, 0, 1)) @ as_fine(LUMINANCE, value), 0, 1))
        value = value + grading.grey * (grey[..., None] * np.array(grading.grey_tint, value.dtype) - value)
    value = np.clip(value, 0, 1)
    if grading.cube is not None and grading._tabled:
        value = np.clip(value + grading.table_by * (grading.cube.of(value) - value), 0, 1)
    return np.asarray(value)


def _curved(value: Floats, grading: Grading) -> Floats:
    if grading.curve:
        value = curved(value, grading.curve)
    each = (grading.curve_red, grading.curve_green, grading.curve_blue)
    return np.stack([curved(value[..., k], curve) if curve else value[..., k] for k, curve in enumerate(each)], axis=-1)


def curved(value: Floats, points: Curve) -> Floats:
    """Values, 0..1, along a curve through points; before the first and behind the last it is level."""
    x, y = np.array(points, np.float64).T
    from scipy.interpolate import PchipInterpolator

    return np.asarray(np.clip(PchipInterpolator(x, y)(np.clip(value, x[0], x[-1])), 0, 1))


def _contrasted(value: Floats, contrast: float, pivot: float) -> Floats:
    """Steeper, or flatter, at the pivot, and still from black to white."""
    power = 1 + contrast / 100 if contrast > 0 else 1 / (1 - contrast / 100)
    low = pivot * (np.minimum(value, pivot) / pivot) ** power
    high = 1 - (1 - pivot) * ((1 - np.maximum(value, pivot)) / (1 - pivot)) ** power
    return np.where(value <= pivot, low, high)


def _coloured(lab: Floats, grading: Grading) -> Floats:
    lightness, a, b = np.moveaxis(lab, -1, 0)
    if grading.saturation or grading.vibrance:
        chroma = np.hypot(a, b)
        by = (1 + grading.saturation / 100) * (1 + grading.vibrance / 100 * (1 - np.minimum(chroma / VIVID, 1)))
        a, b = a * by, b * by
    by_hue = np.array([getattr(grading, name) for name in HUES])
    if by_hue.any():
        at = np.degrees(np.arctan2(b, a))
        more = np.interp(at, *_around(_HUE_ANGLES, by_hue))
        a, b = a * (1 + more / 100), b * (1 + more / 100)
    if grading.hue:
        turn = math.radians(grading.hue)
        a, b = a * math.cos(turn) - b * math.sin(turn), a * math.sin(turn) + b * math.cos(turn)
    share = np.clip(lightness, 0, 1)
    for colour, by, weight in (
        (grading.shadows, grading.shadows_by, (1 - share) ** 2),
        (grading.lights, grading.lights_by, share**2),
    ):
        if by:
            to_a, to_b = _leaning(colour)
            # Nothing is tinted where there is no light.
            weight = by * weight * np.minimum(share * 4, 1)
            a, b = a + weight * to_a, b + weight * to_b
    if grading.wash_by:
        to_a, to_b = _leaning(grading.wash)
        by = grading.wash_by * np.minimum(share * 4, 1)
        a, b = a + by * (to_a - a), b + by * (to_b - b)
    return np.stack([lightness, a, b], axis=-1)


@lru_cache(maxsize=32)
def _leaning(colour: tuple[float, float, float]) -> tuple[float, float]:
    """To which hue a colour leans, and how much: Oklab's a and b."""
    _, a, b = oklab_from_linear(decoded(np.array(colour))).tolist()
    return a, b


_PRIMARIES = np.array([[1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 1, 1], [0, 0, 1], [1, 0, 1]], np.float64)
_HUE_ANGLES = np.degrees(np.arctan2(*oklab_from_linear(_PRIMARIES)[:, :0:-1].T))


def _around(angles: Floats, values: Floats) -> tuple[Floats, Floats]:
    """Values by angle, degrees, in order and going on beyond a whole turn."""
    order = np.argsort(angles)
    angles, values = angles[order], values[order]
    return np.concatenate([angles - 360, angles, angles + 360]), np.tile(values, 3)


def table_of(grading: Grading) -> NDArray[np.float32]:
    """The grade as a table: (33, 33, 33, 3) float32 encoded values 0..1 of red, green and blue.

    While a grade changes it is worked out anew for every step that can be told apart, not for every frame."""
    return _table(tuple(_stepped(name, getattr(grading, name)) for name in FIELDS))


FIELDS = tuple(one.name for one in fields(Grading))

IN_HUNDREDS = ("warmth", "tint", "contrast", "saturation", "vibrance", "hue", *HUES)


def _stepped(name: str, value: Any) -> Any:
    """A number of a grade to a step that makes less than a code of 255: a quarter of a percent, mired or degree, or 1 /
    512 of what runs from 0 to 1."""
    if isinstance(value, tuple) or name == "cube":
        return value
    steps = 4 if name in IN_HUNDREDS else 512
    return round(value * steps) / steps


@lru_cache(maxsize=32)
def _table(numbers: tuple[Any, ...]) -> NDArray[np.float32]:
    steps = np.linspace(0, 1, SIDE, dtype=np.float32)
    rgb = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    grading = Grading(*numbers)
    parts = [graded(part, grading) for part in np.array_split(rgb, PARTS)]
    made = np.concatenate(parts, dtype=np.float32, casting="same_kind").reshape(SIDE, SIDE, SIDE, 3)
    made.flags.writeable = False
    return made
