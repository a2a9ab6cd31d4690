"""What sticks to the frame: the grade, the vignette, grain and bars, all in one pass over the finished picture.

Grain is defined on the film's own pixels: where a frame is drawn smaller, it is the mean of the grains that a pixel
covers, so that draft and final look alike. The same moment always has the same grain, whoever draws it.
"""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.colour import bytes_of, decoded, rgb_of
from yaila.core.colour.grading import SIDE, table_of
from yaila.core.film.finish import Bars, Finish, Grain
from yaila.core.picture.threads import in_threads

TILE = 1024
"""Film pixels of a tile of grain along each side."""

STEP = 64
"""Grain is moved from frame to frame by so many film pixels, and multiples of it."""

NO_TABLE = np.zeros(0, np.float32)
NO_GRAIN = np.zeros((0, 0), np.float32)


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _tabled(table, red, green, blue):
    """A colour, 0..255 each, through a table, laid out in a row, by the four corners of the tetrahedron that it lies in
    (J. Kasson et al., "Performing Color Space Conversions with Three-dimensional Linear Interpolation", 1995)."""
    scale = np.float32((SIDE - 1) / 255.0)
    r, g, b = red * scale, green * scale, blue * scale
    i, j, k = min(int(r), SIDE - 2), min(int(g), SIDE - 2), min(int(b), SIDE - 2)
    x, y, z = r - np.float32(i), g - np.float32(j), b - np.float32(k)
    one = np.float32(1)
    on_r, on_g, on_b = 3 * SIDE * SIDE, 3 * SIDE, 3
    a = i * on_r + j * on_g + k * on_b
    c = a + on_r + on_g + on_b
    if x >= y:
        if y >= z:
            m, n, w0, w1, w2, w3 = on_r, on_r + on_g, one - x, x - y, y - z, z
        elif x >= z:
            m, n, w0, w1, w2, w3 = on_r, on_r + on_b, one - x, x - z, z - y, y
        else:
            m, n, w0, w1, w2, w3 = on_b, on_r + on_b, one - z, z - x, x - y, y
    elif z >= y:
        m, n, w0, w1, w2, w3 = on_b, on_g + on_b, one - z, z - y, y - x, x
    elif z >= x:
        m, n, w0, w1, w2, w3 = on_g, on_g + on_b, one - y, y - z, z - x, x
    else:
        m, n, w0, w1, w2, w3 = on_g, on_r + on_g, one - y, y - x, x - z, z
    m, n = a + m, a + n
    return (
        table[a] * w0 + table[m] * w1 + table[n] * w2 + table[c] * w3,
        table[a + 1] * w0 + table[m + 1] * w1 + table[n + 1] * w2 + table[c + 1] * w3,
        table[a + 2] * w0 + table[m + 2] * w1 + table[n + 2] * w2 + table[c + 2] * w3,
    )


@njit(cache=True, nogil=True, fastmath=True)
def finish_rows(pixels, first, last, table, shade, across, down, grain, at, strength, bars, bar):
    """Rows of finished pixels, premultiplied, as they stick to the frame.

    Args:
        table: the grade, laid out in a row, in codes, or of size 0.
        shade: the vignette by the square of how far a pixel is from the middle, (n, 3): what is left of each encoded
            channel; or of size 0. ``across`` and ``down`` are that square, of each column and row.
        grain: a tile of it, with a deviation of 1, or of size 0; ``at``: where in it the frame begins; ``strength``:
            in codes at middle grey, how much of it is left in black and white, and how much of it has a colour.
        bars: how far from the frame's edges they reach, in pixels of what is drawn: rows above, rows below, columns.
        bar: their colour.
    """
    width = pixels.shape[1]
    top, bottom, left, right = bars
    graded, shaded, grained = table.shape[0] > 0, shade.shape[0] > 0, grain.shape[0] > 0
    half, full, most = np.float32(0.5), np.float32(255), np.int64(shade.shape[0] - 1)
    size = grain.shape[0] if grained else 1
    third, middle_of = size // 3, size // 2
    for y in range(first, last):
        gy = (y + at[0]) % size
        below, further = (gy + third) % size, (gy + middle_of) % size
        gx = (at[1] - 1) % size
        for x in range(width):
            gx = gx + 1 if gx + 1 < size else 0
            # A row that a bar covers by a part is covered by that.
            edge = max(
                max(min(top - y, 1.0), min(y + 1 - bottom, 1.0)), max(min(left - x, 1.0), min(x + 1 - right, 1.0))
            )
            edge = np.float32(max(edge, 0.0))
            cover = np.float32(pixels[y, x, 3]) / full
            if edge < np.float32(1) and cover > np.float32(0):
                red, green, blue = np.float32(pixels[y, x, 0]), np.float32(pixels[y, x, 1]), np.float32(pixels[y, x, 2])
                if cover < np.float32(1):
                    red, green, blue = min(red / cover, full), min(green / cover, full), min(blue / cover, full)
                if graded:
                    red, green, blue = _tabled(table, red, green, blue)
                if shaded:
                    k = min(int((across[x] + down[y]) * np.float32(most)), most)
                    red, green, blue = red * shade[k, 0], green * shade[k, 1], blue * shade[k, 2]
                if grained:
                    value = (red + green + green + blue) * np.float32(0.25 / 255.0)
                    middle = max(np.float32(4) * value * (np.float32(1) - value), np.float32(0))
                    by = strength[0] * (strength[1] + (np.float32(1) - strength[1]) * middle)
                    plain = by * grain[gy, gx] * (np.float32(1) - strength[2])
                    by *= strength[2]
                    beside = gx + third if gx + third < size else gx + third - size
                    red += plain + by * grain[gy, beside]
                    green += plain + by * grain[below, gx]
                    blue += plain + by * grain[further, beside]
                pixels[y, x, 0] = np.uint8(min(max(red, np.float32(0)), full) * cover + half)
                pixels[y, x, 1] = np.uint8(min(max(green, np.float32(0)), full) * cover + half)
                pixels[y, x, 2] = np.uint8(min(max(blue, np.float32(0)), full) * cover + half)
            if edge > np.float32(0):
                for c in range(3):
                    old = np.float32(pixels[y, x, c])
                    pixels[y, x, c] = np.uint8(old + edge * (bar[c] - old) + half)
                old = np.float32(pixels[y, x, 3])
                pixels[y, x, 3] = np.uint8(old + edge * (full - old) + half)


def finished(pixels: NDArray[np.uint8], finish: Finish, view: View, frame: int) -> NDArray[np.uint8]:
    """A finished picture with all that sticks to the frame, at a frame of the film."""
    grade, vignette, grain, bars = finish.grade, finish.vignette, finish.grain, finish.bars
    idle = not grade.on or grade.grading.idle
    if idle and not vignette.on and not grain.on and not bars.on:
        return pixels
    pixels = pixels.copy()
    table = NO_TABLE if idle else table_of(grade.grading).reshape(-1) * np.float32(255)
    across, down = _off_middle(view)
    shade = _vignette(vignette.by, vignette.soft, vignette.colour) if vignette.on else np.zeros((0, 3), np.float32)
    # Grain and bars are the film's, and stand still under whatever part of the frame is drawn.
    tile = _tile(grain.size, grain.seed, round(1 / view.scale, 4)) if grain.on else NO_GRAIN
    at = _place(grain, frame, view, len(tile)) if grain.on else np.zeros(2, np.int64)
    strength = np.array([grain.strength / 100 * 255, 1 - grain.middle, grain.coloured], np.float32)
    bar = np.array(bytes_of(bars.colour), np.float32)
    how = (table, shade, across, down, tile, at, strength, _barred(bars, view), bar)
    in_threads(lambda a, b: finish_rows(pixels, a, b, *how), 0, len(pixels))
    return pixels


def _off_middle(view: View) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The square of how far columns and rows are from the frame's middle, where a corner is 1 away."""
    width, height = view.whole
    reach = width * width + height * height
    columns = 2 * (np.arange(view.size.width) + 0.5 + view.left) - width
    rows = 2 * (np.arange(view.size.height) + 0.5 + view.top) - height
    return (columns**2 / reach).astype(np.float32), (rows**2 / reach).astype(np.float32)


@lru_cache(maxsize=16)
def _vignette(by: float, soft: float, colour: str) -> NDArray[np.float32]:
    """What is left of encoded channels, by the square of the distance from the middle: in the corners so much less
    light, from where ``soft`` lets it begin."""
    far = np.sqrt(np.linspace(0, 1, 4096))
    begins = 1 - soft
    share = np.clip((far - begins) / max(1 - begins, 1e-3), 0, 1)
    share = by * share * share * (3 - 2 * share)
    tint = decoded(np.array(rgb_of(colour)))
    left = 1 - share[:, None] * (1 - tint)
    # A share of light is that to 1 / 2.2 of an encoded value, as good as exactly.
    return np.asarray(left ** (1 / 2.2), np.float32)


@lru_cache(maxsize=8)
def _tile(size: float, seed: int, apart: float) -> NDArray[np.float32]:
    """Grain with a deviation of 1 at the film's own size, so many of whose pixels are one of the tile."""
    noise = np.random.default_rng([seed, 77]).standard_normal((TILE, TILE)).astype(np.float32)
    if size > 1:
        wide = np.pad(noise, 32, mode="wrap")
        noise = np.ascontiguousarray(cv2.GaussianBlur(wide, (0, 0), size / 2)[32:-32, 32:-32])
    noise = noise / noise.std()
    side = max(round(TILE / apart), 8)
    if side == TILE:
        return noise
    how = cv2.INTER_AREA if side < TILE else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(noise, (side, side), interpolation=how), np.float32)


def _place(grain: Grain, frame: int, view: View, side: int) -> NDArray[np.int64]:
    """Where in a tile the grain of a frame begins."""
    steps = TILE // STEP
    row, column = np.random.default_rng([grain.seed, frame & 0x7FFFFFFF]).integers(0, steps, 2).tolist()
    by = side / TILE * STEP
    return np.array([round(row * by) + view.top, round(column * by) + view.left], np.int64)


def _barred(bars: Bars, view: View) -> tuple[float, float, float, float]:
    """Where the picture between bars begins and ends, in pixels of what is drawn: rows, then columns."""
    width, height = view.whole
    if not bars.on:
        return -math.inf, math.inf, -math.inf, math.inf
    rows, columns = bars.share * height, 0.0
    if bars.by == "ratio":
        rows = max(height - width / bars.ratio, 0.0) / 2
        columns = max(width - height * bars.ratio, 0.0) / 2
    return rows - view.top, height - rows - view.top, columns - view.left, width - columns - view.left
