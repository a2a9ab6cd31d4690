"""Land from a picture: sea or borders picked by colour or by brightness, and made see-through."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.colour import LINEAR_OF_BYTE
from yaila.core.compiling import njit
from yaila.core.quantities import NUMBER, Factor, Number, Share

MOST_SAMPLES = 24

Byte = Annotated[int, NUMBER, Field(ge=0, le=255)]


class ByColour(BaseModel):
    """What is like one of the samples goes: fully within ``tolerance``, not at all ``softness`` beyond it.

    Both are distances in Oklab, in hundredths (100 from black to white; 2 is the least one sees).
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    by: Literal["colour"] = "colour"
    samples: Annotated[tuple[tuple[Byte, Byte, Byte], ...], Field(min_length=1, max_length=MOST_SAMPLES)]
    tolerance: Number = Field(6.0, ge=0, le=100)
    softness: Number = Field(2.0, ge=0, le=100)
    invert: bool = False


class ByBrightness(BaseModel):
    """Brightness (the encoded luma of ITU-R BT.709, 0..1) becomes opacity: ``lift`` + brightness ** (1 / ``gamma``).

    ``invert`` makes the dark opaque instead of the bright.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    by: Literal["brightness"] = "brightness"
    gamma: Factor = Field(1.0, ge=0.05, le=20)
    lift: Share = Field(0.0, ge=-1, le=1)
    invert: bool = False


Land = Annotated[ByColour | ByBrightness, Field(discriminator="by")]


def mask_land(page: NDArray[np.uint8], land: ByColour | ByBrightness) -> None:
    """Take from premultiplied RGBA (height, width, 4), in place, what ``land`` makes see-through."""
    if land.by == "colour":
        samples = np.array(land.samples, np.uint8)
        _by_colour(page, LINEAR_OF_BYTE, samples, land.tolerance / 100, land.softness / 100, land.invert)
    else:
        luma = np.arange(256) / 255
        value = np.clip(land.lift + (1 - luma if land.invert else luma) ** (1 / land.gamma), 0, 1)
        _by_brightness(page, value.astype(np.float32))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _scale(page, row, column, share):
    for c in range(4):
        page[row, column, c] = np.uint8(page[row, column, c] * share + 0.5)


@njit(cache=True, nogil=True, fastmath=True)
def _oklab(linear, r, g, b):
    x, y, z = linear[r], linear[g], linear[b]
    p = np.cbrt(0.4122214708 * x + 0.5363325363 * y + 0.0514459929 * z)
    q = np.cbrt(0.2119034982 * x + 0.6806995451 * y + 0.1073969566 * z)
    s = np.cbrt(0.0883024619 * x + 0.2817188376 * y + 0.6299787005 * z)
    return (
        0.2104542553 * p + 0.7936177850 * q - 0.0040720468 * s,
        1.9779984951 * p - 2.4285922050 * q + 0.4505937099 * s,
        0.0259040371 * p + 0.7827717662 * q - 0.8086757660 * s,
    )


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def _by_colour(page, linear, samples, tolerance, softness, invert):
    picked = np.empty((samples.shape[0], 3))
    for i in range(samples.shape[0]):
        picked[i, 0], picked[i, 1], picked[i, 2] = _oklab(linear, samples[i, 0], samples[i, 1], samples[i, 2])
    for row in range(page.shape[0]):
        for column in range(page.shape[1]):
            alpha = page[row, column, 3]
            if alpha == 0:
                continue
            k = np.float32(255) / np.float32(alpha)
            red = min(int(page[row, column, 0] * k + 0.5), 255)
            green = min(int(page[row, column, 1] * k + 0.5), 255)
            blue = min(int(page[row, column, 2] * k + 0.5), 255)
            light, a, b = _oklab(linear, red, green, blue)
            nearest = 1e9
            for i in range(picked.shape[0]):
                away = (light - picked[i, 0]) ** 2 + (a - picked[i, 1]) ** 2 + (b - picked[i, 2]) ** 2
                nearest = min(nearest, away)
            keep = min(max((np.sqrt(nearest) - tolerance) / max(softness, 1e-4), 0.0), 1.0)
            _scale(page, row, column, 1.0 - keep if invert else keep)


@njit(cache=True, nogil=True, fastmath=True)
def _by_brightness(page, value):
    for row in range(page.shape[0]):
        for column in range(page.shape[1]):
            alpha = page[row, column, 3]
            if alpha == 0:
                continue
            k = np.float32(255) / np.float32(alpha)
            luma = (0.2126 * page[row, column, 0] + 0.7152 * page[row, column, 1] + 0.0722 * page[row, column, 2]) * k
            _scale(page, row, column, value[min(int(luma + 0.5), 255)])
