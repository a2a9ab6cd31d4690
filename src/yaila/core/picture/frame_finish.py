"""What sticks to the frame: what moves in it first (``glass.py``), then glow, the grade, the vignette, wear, grain,
what it fades from and to, and bars, all of these in one pass over the finished picture.

Grain is defined on the film's own pixels: where a frame is drawn smaller, it is the mean of the grains that a pixel
covers, so that draft and final look alike. The same moment always has the same grain, whoever draws it.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.colour import bytes_of, decoded, encoded, rgb_of
from yaila.core.colour.grading import SIDE, Cube, table_of
from yaila.core.film.finish import Bars, Ends, Finish, Glow, Grade, Grain
from yaila.core.picture.glass import moved
from yaila.core.picture.linear import DECODED
from yaila.core.picture.soft import blurred
from yaila.core.picture.threads import in_threads
from yaila.core.picture.wear import flickering, worn
from yaila.core.time import smoothstep

TILE = 1024
"""Film pixels of a tile of grain along each side."""

STEP = 64
"""Grain is moved from frame to frame by so many film pixels, and multiples of it."""

NO_TABLE = np.zeros(0, np.float32)
NO_GRAIN = np.zeros((0, 0), np.float32)
NO_GLOW = np.zeros((0, 0, 3), np.float32)

GLOW_GRID = 4
"""Pixels from one place to the next at which glow is worked out."""

STEPS = 4096
_TO_CODES = (encoded(np.linspace(0, 1, STEPS)) * 255).astype(np.float32)


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


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _added(code, light):
    """A code, 0..255, with linear light added to it, above 0."""
    below = min(int(code), 254)
    linear = DECODED[below] + (DECODED[below + 1] - DECODED[below]) * (code - np.float32(below))
    place = min(linear + light, np.float32(1)) * np.float32(STEPS - 1)
    k = min(int(place), STEPS - 2)
    return _TO_CODES[k] + (_TO_CODES[k + 1] - _TO_CODES[k]) * (place - np.float32(k))


@njit(cache=True, nogil=True, fastmath=True)
def finish_rows(
    pixels, first, last, glow, table, shade, across, down, gain, grain, at, strength, fade, faded, bars, bar
):
    """Rows of finished pixels, premultiplied, as they stick to the frame.

    Args:
        pixels: (height, width) uint32, red in the lowest byte.
        glow: linear light that is added, on a grid of which place (0, 0) is the middle of its first cell; or of size 0.
        table: the grade, laid out in a row, in codes, or of size 0.
        shade: the vignette by the square of how far a pixel is from the middle, (n, 3): what is left of each encoded
            channel; or of size 0. ``across`` and ``down`` are that square, of each column and row.
        gain: how many times the codes each channel has, as the light flickers.
        grain: a tile of it, with a deviation of 1, or of size 0; ``at``: where in it the frame begins; ``strength``:
            in codes at middle grey, how much of it is left in black and white, and how much of it has a colour.
        fade: the colour that it fades to, in codes, and how much of that is there (``faded``).
        bars: how far from the frame's edges they reach, in pixels of what is drawn: rows above, rows below, columns.
        bar: their colour.
    """
    width = pixels.shape[1]
    top, bottom, left, right = bars
    barred = top > 0.0 or left > 0.0 or bottom < pixels.shape[0] or right < width
    none, one, byte = np.float32(0), np.float32(1), np.uint32(255)
    graded, shaded, grained = table.shape[0] > 0, shade.shape[0] > 0, grain.shape[0] > 0
    half, full, most = np.float32(0.5), np.float32(255), np.int64(shade.shape[0] - 1)
    size = grain.shape[0] if grained else 1
    third, middle_of = size // 3, size // 2
    glows, grows, columns = glow.shape[0] > 0, glow.shape[0], glow.shape[1]
    lit, grid = np.zeros((max(columns, 1), 3), np.float32), np.float32(1.0 / GLOW_GRID)
    for y in range(first, last):
        if glows:
            place = max((np.float32(y) + half) * grid - half, np.float32(0))
            above = min(int(place), grows - 1)
            under, share = min(above + 1, grows - 1), place - np.float32(above)
            for k in range(columns):
                for c in range(3):
                    lit[k, c] = glow[above, k, c] + (glow[under, k, c] - glow[above, k, c]) * share
        gy = (y + at[0]) % size
        below, further = (gy + third) % size, (gy + middle_of) % size
        gx = (at[1] - 1) % size
        for x in range(width):
            gx = gx + 1 if gx + 1 < size else 0
            # A row that a bar covers by a part is covered by that.
            edge = none
            if barred:
                reach = max(
                    max(min(top - y, 1.0), min(y + 1 - bottom, 1.0)), max(min(left - x, 1.0), min(x + 1 - right, 1.0))
                )
                edge = np.float32(max(reach, 0.0))
            pixel = pixels[y, x]
            alpha = pixel >> np.uint32(24)
            red, green, blue, cover = none, none, none, np.float32(np.int32(alpha)) / full
            if edge < one and alpha > 0:
                red = np.float32(np.int32(pixel & byte))
                green = np.float32(np.int32((pixel >> np.uint32(8)) & byte))
                blue = np.float32(np.int32((pixel >> np.uint32(16)) & byte))
                if alpha < 255:
                    red, green, blue = min(red / cover, full), min(green / cover, full), min(blue / cover, full)
                if glows:
                    beside = max((np.float32(x) + half) * grid - half, none)
                    here = min(int(beside), columns - 1)
                    n, share = min(here + 1, columns - 1), beside - np.float32(here)
                    red = _added(red, lit[here, 0] + (lit[n, 0] - lit[here, 0]) * share)
                    green = _added(green, lit[here, 1] + (lit[n, 1] - lit[here, 1]) * share)
                    blue = _added(blue, lit[here, 2] + (lit[n, 2] - lit[here, 2]) * share)
                if graded:
                    red, green, blue = _tabled(table, red, green, blue)
                if shaded:
                    far = min(int((across[x] + down[y]) * np.float32(most)), most)
                    red, green, blue = red * shade[far, 0], green * shade[far, 1], blue * shade[far, 2]
                red, green, blue = red * gain, green * gain, blue * gain
                if grained:
                    value = (red + green + green + blue) * np.float32(0.25 / 255.0)
                    middle = max(np.float32(4) * value * (one - value), none)
                    by = strength[0] * (strength[1] + (one - strength[1]) * middle)
                    plain = by * grain[gy, gx] * (one - strength[2])
                    by *= strength[2]
                    off = gx + third if gx + third < size else gx + third - size
                    red += plain + by * grain[gy, off]
                    green += plain + by * grain[below, gx]
                    blue += plain + by * grain[further, off]
                red, green, blue = min(max(red, none), full), min(max(green, none), full), min(max(blue, none), full)
                red = (red + faded * (fade[0] - red)) * cover
                green = (green + faded * (fade[1] - green)) * cover
                blue = (blue + faded * (fade[2] - blue)) * cover
            if edge > none:
                red, green, blue = (
                    red + edge * (bar[0] - red),
                    green + edge * (bar[1] - green),
                    blue + edge * (bar[2] - blue),
                )
                alpha = np.uint32(np.int32(cover * full + edge * (full - cover * full) + half))
            pixels[y, x] = (
                np.uint32(np.int32(red + half))
                | (np.uint32(np.int32(green + half)) << np.uint32(8))
                | (np.uint32(np.int32(blue + half)) << np.uint32(16))
                | (alpha << np.uint32(24))
            )


def finished(
    pixels: NDArray[np.uint8],
    finish: Finish,
    view: View,
    frame: int,
    going: tuple[float, float] = (0.0, 0.0),
    cube: Cube | None = None,
) -> NDArray[np.uint8]:
    """A finished picture with all that sticks to the frame, at a frame of the film.

    Args:
        going: how far the film still is from being there, and how far it has gone, 0..1.
        cube: the grade's table of one's own.
    """
    glow, grade, vignette, wear = finish.glow, finish.grade, finish.vignette, finish.wear
    grain, bars, ends = finish.grain, finish.bars, finish.ends
    grading = replace(grade.grading, cube=cube)
    idle = not grade.on or grade.over != "frame" or grading.idle
    effects = (finish.glass, glow, vignette, wear, grain, bars, ends)
    if idle and not any(effect.on for effect in effects):
        return pixels
    if finish.moves_pixels:
        pixels = moved(pixels, finish, view, frame, *going)
    pixels = pixels.copy()
    light = _glowing(pixels, glow) if glow.on and glow.strength > 0 else NO_GLOW
    if wear.on:
        worn(pixels, wear, view, frame)
    table = NO_TABLE if idle else table_of(grading).reshape(-1) * np.float32(255)
    across, down = _off_middle(view)
    shade = _vignette(vignette.by, vignette.soft, vignette.colour) if vignette.on else np.zeros((0, 3), np.float32)
    gain = np.float32(flickering(wear, frame) ** (1 / 2.2) if wear.on and wear.flicker else 1.0)
    # Grain and bars are the film's, and stand still under whatever part of the frame is drawn.
    tile = _tile(grain.size, grain.seed, round(1 / view.scale, 4)) if grain.on else NO_GRAIN
    at = _place(grain, frame, view, len(tile)) if grain.on else np.zeros(2, np.int64)
    strength = np.array([grain.strength / 100 * 255, 1 - grain.middle, grain.coloured], np.float32)
    fade, faded = np.array(bytes_of(ends.colour), np.float32), np.float32(_faded(ends, *going))
    bar = np.array(bytes_of(bars.colour), np.float32)
    barred = _barred(bars, view)
    how = (light, table, shade, across, down, gain, tile, at, strength, fade, faded, barred, bar)
    whole = pixels.view(np.uint32)[..., 0]
    in_threads(lambda a, b: finish_rows(whole, a, b, *how), 0, len(whole))
    return pixels


def regraded(pixels: NDArray[np.uint8], grade: Grade, cube: Cube | None, view: View) -> NDArray[np.uint8]:
    """Premultiplied pixels with a grade alone."""
    return finished(pixels, Finish(grade=grade.model_copy(update={"over": "frame"})), view, 0, cube=cube)


def mixed_pixels(below: NDArray[np.uint8], above: NDArray[np.uint8], share: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Pixels of two pictures, of which as much is seen of the second as ``share``, (height, width) uint8, says."""
    by = share[..., None].astype(np.float32) / 255
    return np.asarray(below + (above.astype(np.float32) - below) * by + 0.5, np.uint8)


def _faded(ends: Ends, opening: float, closing: float) -> float:
    """How much of the colour is there that the film comes from or goes to."""
    if not ends.on:
        return 0.0
    shares = [share for how, share in ((ends.opens, opening), (ends.closes, closing)) if how == "colour"]
    return max(shares, default=0.0)


def _glowing(pixels: NDArray[np.uint8], glow: Glow) -> NDArray[np.float32]:
    """The light that spreads, (rows, columns, 3) linear, on a grid."""
    height, width = pixels.shape[:2]
    rows, columns = -(-height // GLOW_GRID), -(-width // GLOW_GRID)
    light = cv2.LUT(np.ascontiguousarray(pixels[..., :3]), DECODED)
    light = cv2.copyMakeBorder(
        light, 0, rows * GLOW_GRID - height, 0, columns * GLOW_GRID - width, cv2.BORDER_REPLICATE
    )
    small = np.asarray(cv2.resize(light, (columns, rows), interpolation=cv2.INTER_AREA), np.float32)
    least = float(decoded(np.array(glow.above)))
    bright = small.max(axis=-1, keepdims=True)
    # It sets in softly, over a third of what is above.
    share = smoothstep((bright - least) / max((1 - least) / 3, 1e-3))
    bright_light, wide = np.asarray(small * share, np.float32), glow.wide * columns
    spread = 0.6 * blurred(bright_light, wide) + 0.4 * blurred(bright_light, 2.5 * wide)
    tint = decoded(np.array(rgb_of(glow.colour))) * glow.strength
    return np.ascontiguousarray(spread * tint, np.float32)


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
    share = by * np.asarray(smoothstep((far - begins) / max(1 - begins, 1e-3)))
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
