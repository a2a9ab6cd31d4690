"""Adjustments of a plate's tone. They are kept beside the picture and worked in when it is drawn.

First the match to what lies below, an affine map in Oklab taken at its strength; then the adjustments by hand:
white balance and exposure in linear light, then contrast, saturation and hue in Oklab.
"""

from __future__ import annotations

import math
from functools import lru_cache
from threading import Lock
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.colour.spaces import LUMINANCE, decoded, encoded, linear_from_oklab, oklab_from_linear
from yaila.core.colour.temperature import daylight
from yaila.core.compiling import njit
from yaila.core.quantities import NUMBER, Angle, Kelvin, Number, Percent, Share, Stops
from yaila.core.time import Changes

GREY = 0.569
"""Oklab lightness of middle grey (linear 0.184), about which contrast turns."""

Coefficient = Annotated[float, Field(allow_inf_nan=False, ge=-1e3, le=1e3)]


class _Value(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)


class ToneMatch(_Value):
    """What makes a plate's tone that of the plates below: Oklab' = ``gain`` Oklab + ``shift``.

    ``gain`` is a 3x3 matrix, row by row. ``before`` and ``after`` are the mean CIEDE2000 over the overlap, without
    the match and with the whole of it; ``share`` is how much of the overlap was of use (the rest differs too much
    to be the same ground: cloud, say).
    """

    gain: Annotated[tuple[Coefficient, ...], NUMBER, Field(min_length=9, max_length=9)]
    shift: Annotated[tuple[Coefficient, ...], NUMBER, Field(min_length=3, max_length=3)]
    before: Number = Field(ge=0)
    after: Number = Field(ge=0)
    share: Share = Field(ge=0, le=1)


class Tone(_Value):
    """Adjustments of tone. All zeros leave the picture as it is.

    ``strength`` is how much of ``match`` is taken, percent. ``exposure`` is in stops; ``contrast`` and
    ``saturation`` in percent more or less; ``hue`` in degrees; ``temperature`` in kelvin warmer (the correction of
    a light that much bluer than 6504 K), ``tint`` in percent towards magenta.
    """

    match: ToneMatch | None = None
    strength: Changes[Percent] = Field(85.0, ge=0, le=100, title="Strength of the match")
    exposure: Changes[Stops] = Field(0.0, ge=-4, le=4)
    contrast: Changes[Percent] = Field(0.0, ge=-100, le=100)
    saturation: Changes[Percent] = Field(0.0, ge=-100, le=100)
    hue: Changes[Angle] = Field(0.0, ge=-180, le=180)
    temperature: Changes[Kelvin] = Field(0.0, ge=-3000, le=3000)
    tint: Changes[Percent] = Field(0.0, ge=-100, le=100)

    @property
    def idle(self) -> bool:
        """Whether it changes nothing."""
        by_hand = (self.exposure, self.contrast, self.saturation, self.hue, self.temperature, self.tint)
        return not any(by_hand) and (self.match is None or self.strength == 0)

    def of(self, colours: NDArray[np.float64]) -> NDArray[np.float64]:
        """Adjusted encoded sRGB, 0..1, of encoded sRGB (..., 3)."""
        return self.of_linear(decoded(colours))

    def of_linear(self, linear: NDArray[np.float64]) -> NDArray[np.float64]:
        """The same of linear light."""
        if self.match and self.strength:
            share = self.strength / 100
            gain = np.eye(3) * (1 - share) + np.reshape(self.match.gain, (3, 3)) * share
            lab = oklab_from_linear(linear) @ gain.T + np.multiply(self.match.shift, share)
            linear = linear_from_oklab(lab)
        if self.temperature or self.tint or self.exposure:
            linear = linear * (white_balance(self.temperature, self.tint) * 2.0**self.exposure)
        linear = np.maximum(linear, 0)
        if self.contrast or self.saturation or self.hue:
            lab = oklab_from_linear(linear)
            lab[..., 0] = GREY + (lab[..., 0] - GREY) * (1 + self.contrast / 100)
            turn, chroma = math.radians(self.hue), 1 + self.saturation / 100
            a, b = lab[..., 1].copy(), lab[..., 2].copy()
            lab[..., 1] = chroma * (a * math.cos(turn) - b * math.sin(turn))
            lab[..., 2] = chroma * (a * math.sin(turn) + b * math.cos(turn))
            linear = linear_from_oklab(lab)
        return np.clip(encoded(linear), 0, 1)


def white_balance(temperature: Changes[Kelvin], tint: Changes[Percent]) -> NDArray[np.float64]:
    """Factors of linear red, green and blue; their luminance (ITU-R BT.709) is 1.

    A daylight of 6504 K + ``temperature`` (CIE 15, the D illuminants) is made white by scaling red, green and blue;
    ``tint`` percent takes as much as a fifth from green.
    """
    white, light = daylight(6504.0), daylight(6504.0 + temperature)
    factors = white / light
    factors[1] *= 1 - 0.002 * tint
    return np.asarray(factors / (factors @ LUMINANCE))


_MAKING = Lock()


def tone_table(tone: Tone) -> NDArray[np.uint64]:
    """A tone as a table, :func:`_table_of`; of several threads that want it one makes it."""
    with _MAKING:
        return _table_of(tone)


@lru_cache(maxsize=64)
def _table_of(tone: Tone) -> NDArray[np.uint64]:
    """(33, 33, 33) uint64, indexed by encoded red, green and blue in steps of 8 of 0..256.

    An entry holds the three results side by side in lanes of 21 bits, in eighths of 0..255, so that one multiplication
    weighs all three.
    """
    steps = decoded(np.append(np.arange(0, 249, 8), 255) / 255)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    values = tone.of_linear(grid) * 255
    for axis in range(3):
        # The last node stands at 256: straight on from the two before.
        inner, last = values.take(31, axis), values.take(32, axis)
        index = [slice(None)] * 3
        index[axis] = slice(32, 33)
        values[tuple(index)] = np.expand_dims(inner + (last - inner) * 8 / 7, axis)
    lanes = np.clip(np.rint(values * 8), 0, 2**12 - 1).astype(np.uint64)
    return np.ascontiguousarray(lanes[..., 0] | lanes[..., 1] << np.uint64(21) | lanes[..., 2] << np.uint64(42))


@njit(cache=True, nogil=True, allocates=True)
def apply_table(page: Any, table: Any) -> None:
    """Change the colours of premultiplied RGBA (height, width, 4) uint8 in place, by trilinear interpolation."""
    flat = table.reshape(-1)
    three, eight, seven = np.uint64(3), np.uint64(8), np.uint64(7)
    lane, half = np.uint64(0x1FFFFF), np.uint64(2**11)
    shift, green, blue = np.uint64(12), np.uint64(21), np.uint64(42)
    most = np.uint64(255)
    for row in range(page.shape[0]):
        for column in range(page.shape[1]):
            alpha = np.uint64(page[row, column, 3])
            if alpha == 0:
                continue
            r, g, b = np.uint64(page[row, column, 0]), np.uint64(page[row, column, 1]), np.uint64(page[row, column, 2])
            if alpha != most:
                r = min((r * most + alpha // np.uint64(2)) // alpha, most)
                g = min((g * most + alpha // np.uint64(2)) // alpha, most)
                b = min((b * most + alpha // np.uint64(2)) // alpha, most)
            at = ((r >> three) * np.uint64(33) + (g >> three)) * np.uint64(33) + (b >> three)
            u, v, w = r & seven, g & seven, b & seven
            p, q, o = eight - u, eight - v, eight - w
            # Sums of weights are 512, of values in eighths at most 2**12: no lane runs over into the next.
            low = (flat[at] * o + flat[at + np.uint64(1)] * w) * q
            low += (flat[at + np.uint64(33)] * o + flat[at + np.uint64(34)] * w) * v
            at += np.uint64(1089)
            high = (flat[at] * o + flat[at + np.uint64(1)] * w) * q
            high += (flat[at + np.uint64(33)] * o + flat[at + np.uint64(34)] * w) * v
            packed = low * p + high * u
            red = min(((packed & lane) + half) >> shift, most)
            mid = min((((packed >> green) & lane) + half) >> shift, most)
            end = min(((packed >> blue) + half) >> shift, most)
            if alpha != most:
                red = (red * alpha + np.uint64(127)) // most
                mid = (mid * alpha + np.uint64(127)) // most
                end = (end * alpha + np.uint64(127)) // most
            page[row, column, 0] = red
            page[row, column, 1] = mid
            page[row, column, 2] = end
