"""What sticks to the frame: what moves in it first (``glass.py``), then glow, the grade, the vignette, wear, grain,
what it fades from and to, and bars, all of these in one pass over the finished picture.

Grain is defined on the film's own pixels: where a frame is drawn smaller, it is the mean of the grains that a pixel
covers, so that draft and final look alike. The same moment always has the same grain, whoever draws it.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache, partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.bounded import Remembered
from yaila.core.camera import View
from yaila.core.colour import bytes_of, decoded, rgb_of
from yaila.core.colour.grading import SIDE, Cube, table_of
from yaila.core.compiling import Apart, njit
from yaila.core.film.finish import Bars, Ends, Finish, Glow, Grade, Grain
from yaila.core.picture.glass import moved
from yaila.core.picture.linear import CODES, DECODED, STEPS, on_a_grid, spread_out
from yaila.core.picture.soft import blurred
from yaila.core.picture.threads import beside, in_threads
from yaila.core.picture.wear import flickering, worn
from yaila.core.time import smoothstep

TILE = 1024
"""Film pixels of a tile of grain along each side."""

STEP = 64
"""Grain is moved from frame to frame by so many film pixels, and multiples of it."""

NO_GRAIN = np.zeros((0, 0), np.float32)
NO_GLOW = np.zeros((3, 0, 0), np.float32)

GLOW_GRID = 4
"""Pixels from one place to the next at which glow is worked out."""

SEGMENT = 64
"""Pixels of a row to which glow is added at once."""

LEAST = 1e-6
"""Light below this adds nothing."""

NO_NUMBERS = np.zeros(0, np.uint32)


PARTS = 2.0**16
"""Parts of a whole that tables count in."""


def _with_steps(values: NDArray[np.float32], most: float, steepest: float) -> NDArray[np.uint32]:
    """Values that only grow, up to ``most``, and how much it is from each to the next, up to ``steepest``, in one
    number each: to look both up is one load."""
    low, step = _in_parts(values / most), _in_parts(np.diff(values, append=values[-1:]) / steepest)
    return np.asarray(low | (step << np.uint32(16)), np.uint32)


def _in_parts(shares: NDArray[Any]) -> NDArray[np.uint32]:
    return np.asarray(np.minimum(np.round(shares * PARTS), PARTS - 1), np.uint32)


STEEPEST = 1 / 64, 1.0
"""The most light from a code to the next, and the most codes from a step of light to the next."""

DECODING, ENCODING = _with_steps(DECODED, 1.0, STEEPEST[0]), _with_steps(CODES, 256.0, STEEPEST[1])
"""Light 0..1 of codes, and codes of light in ``STEPS``, each with how much it is to the next."""


def _in_one(values: NDArray[Any]) -> NDArray[np.uint32]:
    """Three channels, (n, 3), 0..1, in one number each: red and green in 11 bits, blue in 10."""
    red, green, blue = (np.rint(values[:, k] * most).astype(np.uint32) for k, most in enumerate((2047, 2047, 1023)))
    return np.asarray(red | (green << np.uint32(11)) | (blue << np.uint32(22)), np.uint32)


_PACKED = Remembered[NDArray[np.uint32]](2**22, lambda table: table[0].nbytes)


def _packed(table: NDArray[np.float32]) -> NDArray[np.uint32]:
    """A grade's table with each colour in one number."""
    return _PACKED.of((table,), (), lambda: _in_one(table.reshape(-1, 3)))


# What is done to a row is done in loops of their own, each of which becomes vector code: ``red``, ``green`` and
# ``blue`` are codes, 0..255, of pixels that are not premultiplied.


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _taken(n, pixels, red, green, blue, cover):
    """Take pixels apart."""
    byte, full, one = np.uint32(255), np.float32(255), np.float32(1)
    for i in range(n):
        pixel = pixels[i]
        alpha = np.float32(np.int32(pixel >> np.uint32(24)))
        by = full / max(alpha, one)
        red[i] = min(np.float32(np.int32(pixel & byte)) * by, full)
        green[i] = min(np.float32(np.int32((pixel >> np.uint32(8)) & byte)) * by, full)
        blue[i] = min(np.float32(np.int32((pixel >> np.uint32(16)) & byte)) * by, full)
        cover[i] = alpha / full


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _lit(n, codes, light, decoding, encoding):
    """Add light to codes."""
    one, most, part, high = np.float32(1), np.float32(STEPS - 1), np.uint32(0xFFFF), np.uint32(16)
    of_light, by_code = np.float32(1 / PARTS), np.float32(STEEPEST[0] / PARTS)
    of_code, by_light = np.float32(256 / PARTS), np.float32(STEEPEST[1] / PARTS)
    for i in range(n):
        code = codes[i]
        below = np.int32(code)
        both = decoding[np.uint32(below)]
        linear = np.float32(np.int32(both & part)) * of_light
        linear += np.float32(np.int32(both >> high)) * by_code * (code - np.float32(below))
        at = min(linear + light[i], one) * most
        k = np.int32(at)
        both = encoding[np.uint32(k)]
        made = np.float32(np.int32(both & part)) * of_code
        codes[i] = made + np.float32(np.int32(both >> high)) * by_light * (at - np.float32(k))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _three(number):
    """What :func:`_in_one` made of three channels, in its counts."""
    part = np.uint32(2047)
    return (
        np.float32(np.int32(number & part)),
        np.float32(np.int32((number >> np.uint32(11)) & part)),
        np.float32(np.int32(number >> np.uint32(22))),
    )


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _graded(n, table, red, green, blue):
    """Take colours through a table, laid out in a row, by the four corners of the tetrahedron that each lies in
    (J. Kasson et al., "Performing Color Space Conversions with Three-dimensional Linear Interpolation", 1995): from
    the lowest corner along the axis on which it is the furthest, then along the next one, then to the highest."""
    scale, last = np.float32((SIDE - 1) / 255.0), np.int32(SIDE - 2)
    on_r, on_g, on_b = np.int32(SIDE * SIDE), np.int32(SIDE), np.int32(1)
    across = on_r + on_g + on_b
    one, unit, of_blue = np.float32(1), np.float32(255.0 / 2047.0), np.float32(255.0 / 1023.0)
    for i in range(n):
        r, g, b = red[i] * scale, green[i] * scale, blue[i] * scale
        kr, kg, kb = min(np.int32(r), last), min(np.int32(g), last), min(np.int32(b), last)
        x, y, z = r - np.float32(kr), g - np.float32(kg), b - np.float32(kb)
        most, least = max(max(x, y), z), min(min(x, y), z)
        middle = x + y + z - most - least
        lowest = kr * on_r + kg * on_g + kb * on_b
        first = on_r if (x >= y) & (x >= z) else (on_g if y >= z else on_b)
        # All but the axis on which it is the nearest.
        second = across - (on_b if (z <= x) & (z <= y) else (on_g if y <= x else on_r))
        r0, g0, b0 = _three(table[np.uint32(lowest)])
        r1, g1, b1 = _three(table[np.uint32(lowest + first)])
        r2, g2, b2 = _three(table[np.uint32(lowest + second)])
        r3, g3, b3 = _three(table[np.uint32(lowest + across)])
        w0, w1, w2 = one - most, most - middle, middle - least
        red[i] = (r0 * w0 + r1 * w1 + r2 * w2 + r3 * least) * unit
        green[i] = (g0 * w0 + g1 * w1 + g2 * w2 + g3 * least) * unit
        blue[i] = (b0 * w0 + b1 * w1 + b2 * w2 + b3 * least) * of_blue


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _shaded(n, shade, across, down, red, green, blue):
    """Darken codes towards the frame's corners."""
    most, unit, of_blue = np.int32(shade.shape[0] - 1), np.float32(1.0 / 2047.0), np.float32(1.0 / 1023.0)
    for i in range(n):
        r, g, b = _three(shade[np.uint32(min(np.int32((across[i] + down) * np.float32(most)), most))])
        red[i] *= r * unit
        green[i] *= g * unit
        blue[i] *= b * of_blue


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _grained(n, all_of, of_red, of_green, of_blue, strength, shadows, coloured, red, green, blue):
    """Add grain to codes: of all channels, and of each."""
    one, four = np.float32(1), np.float32(4)
    for i in range(n):
        value = (red[i] + green[i] + green[i] + blue[i]) * np.float32(0.25 / 255.0)
        by = strength * (shadows + (one - shadows) * max(four * value * (one - value), np.float32(0)))
        plain, own = by * all_of[i] * (one - coloured), by * coloured
        red[i] += plain + own * of_red[i]
        green[i] += plain + own * of_green[i]
        blue[i] += plain + own * of_blue[i]


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _put(n, red, green, blue, cover, gone, fade, faded, bar, pixels):
    """Write pixels, faded to a colour, of which a bar has taken so much: what it lies on becomes as opaque as it."""
    none, half, full = np.float32(0), np.float32(0.5), np.float32(255)
    fade_r, fade_g, fade_b = fade
    bar_r, bar_g, bar_b = bar
    for i in range(n):
        edge, there = gone[i], cover[i]
        r, g, b = min(max(red[i], none), full), min(max(green[i], none), full), min(max(blue[i], none), full)
        r, g, b = r + faded * (fade_r - r), g + faded * (fade_g - g), b + faded * (fade_b - b)
        r, g, b = r * there, g * there, b * there
        r, g, b = r + edge * (bar_r - r), g + edge * (bar_g - g), b + edge * (bar_b - b)
        alpha = (there + edge * (np.float32(1) - there)) * full
        pixels[i] = (
            np.uint32(np.int32(r + half))
            | (np.uint32(np.int32(g + half)) << np.uint32(8))
            | (np.uint32(np.int32(b + half)) << np.uint32(16))
            | (np.uint32(np.int32(alpha + half)) << np.uint32(24))
        )


@njit(cache=True, nogil=True, fastmath=True)
def _kept_bright(light, first, last, least, over):
    """Keep of rows of light what is brighter than ``least``, all of it where it is so much over that."""
    for y in range(first, last):
        for x in range(light.shape[1]):
            brightest = max(max(light[y, x, 0], light[y, x, 1]), light[y, x, 2])
            t = min(max((brightest - least) / over, 0.0), 1.0)
            share = np.float32(t * t * (3.0 - 2.0 * t))
            for c in range(3):
                light[y, x, c] *= share


@njit(cache=True, nogil=True, fastmath=True)
def _spread(near, far, first, last, tint, out):
    """Rows of light that is spread over two widths, channel by channel."""
    for c in range(3):
        for y in range(first, last):
            for x in range(near.shape[1]):
                out[c, y, x] = (np.float32(0.6) * near[y, x, c] + np.float32(0.4) * far[y, x, c]) * tint[c]


@njit(cache=True, nogil=True, pipeline_class=Apart)
def _copied(n, values, out):
    for i in range(n):
        out[i] = values[i]


@njit(cache=True, nogil=True)
def _round(grain, y, x, out):
    """A row of grain from a place on, round and round."""
    size, begin = grain.shape[0], x % grain.shape[0]
    row, done = grain[y % size], 0
    while done < out.shape[0]:
        run = min(size - begin, out.shape[0] - done)
        _copied(run, row[begin:], out[done:])
        begin, done = 0, done + run


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def finish_rows(
    pixels, first, last, glow, table, shade, across, down, gain, grain, at, strength, fade, faded, bars, bar, light
):
    """Rows of finished pixels, premultiplied, as they stick to the frame.

    Args:
        pixels: (height, width) uint32, red in the lowest byte.
        glow: linear light that is added, (3, rows, columns) on a grid of which place (0, 0) is the middle of its first
            cell; or of no rows.
        table: the grade, laid out in a row, its channels in one number; or of size 0.
        shade: the vignette by the square of how far a pixel is from the middle, what is left of the encoded channels in
            one number; or of size 0. ``across`` and ``down`` are that square, of each column and row.
        gain: how many times the codes each channel has, as the light flickers.
        grain: a tile of it, with a deviation of 1, or of size 0; ``at``: where in it the frame begins; ``strength``:
            in codes at middle grey, how much of it is left in black and white, and how much of it has a colour.
        fade: the colour that it fades to, three codes, and how much of that is there (``faded``).
        bars: how far from the frame's edges they reach, in pixels of what is drawn: rows above, rows below, columns.
        bar: their colour, three codes.
        light: linear light of codes, and codes of ``STEPS`` of linear light, each with how much it is to the next.
    """
    width, size = pixels.shape[1], max(grain.shape[0], 1)
    top, bottom, left, right = bars
    sides = np.zeros(width, np.float32)
    for x in range(width):
        sides[x] = np.float32(max(min(max(left - x, x + 1 - right), 1.0), 0.0))
    rows = np.empty((4, width), np.float32)
    red, green, blue, cover = rows[0], rows[1], rows[2], rows[3]
    grains, gone, cells = np.zeros((4, width), np.float32), sides.copy(), glow.shape[2]
    # From half a cell before the first pixel to as much behind the last.
    lit, spread = np.empty(cells + 2, np.float32), np.empty((cells + 1) * GLOW_GRID, np.float32)
    for y in range(first, last):
        # A row that a bar covers by a part is covered by that.
        reach = np.float32(max(min(max(top - y, y + 1 - bottom), 1.0), 0.0))
        for x in range(width):
            gone[x] = max(sides[x], reach)
        _taken(width, pixels[y], red, green, blue, cover)
        if glow.shape[1] > 0:
            place = max((y + 0.5) / GLOW_GRID - 0.5, 0.0)
            above = min(int(place), glow.shape[1] - 1)
            under, share = min(above + 1, glow.shape[1] - 1), np.float32(place - above)
            for c in range(3):
                for k in range(cells):
                    lit[k + 1] = glow[c, above, k] + (glow[c, under, k] - glow[c, above, k]) * share
                lit[0], lit[cells + 1] = lit[1], lit[cells]
                spread_out(lit, GLOW_GRID, spread)
                # Most of a picture does not glow.
                for begin in range(0, width, SEGMENT):
                    near = begin // GLOW_GRID
                    if lit[near : near + SEGMENT // GLOW_GRID + 2].max() > LEAST:
                        part = rows[c, begin : begin + SEGMENT]
                        _lit(len(part), part, spread[begin + GLOW_GRID // 2 :], light[0], light[1])
        if table.shape[0] > 0:
            _graded(width, table, red, green, blue)
        if shade.shape[0] > 0:
            _shaded(width, shade, across, down[y], red, green, blue)
        if gain != np.float32(1):
            for c in range(3):
                for x in range(width):
                    rows[c, x] *= gain
        if grain.shape[0] > 0:
            row, column = y + at[0], at[1]
            _round(grain, row, column, grains[0])
            if strength[2] > 0:
                _round(grain, row, column + size // 3, grains[1])
                _round(grain, row + size // 3, column, grains[2])
                _round(grain, row + size // 2, column + size // 3, grains[3])
            _grained(
                width, grains[0], grains[1], grains[2], grains[3], strength[0], strength[1], strength[2],
                red, green, blue,
            )  # fmt: skip
        _put(width, red, green, blue, cover, gone, fade, faded, bar, pixels[y])


def make_ready(finish: Finish, cube: Cube | None = None) -> None:
    """Work out what :func:`finished` looks up, which needs no picture."""
    grade, vignette = finish.grade, finish.vignette
    grading = replace(grade.grading, cube=cube)
    if grade.on and grade.over == "frame" and not grading.idle:
        _packed(table_of(grading))
    if vignette.on:
        _vignette(vignette.by, vignette.soft, vignette.colour)


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
    table = NO_NUMBERS if idle else _packed(table_of(grading))
    across, down = _off_middle(view)
    shade = _vignette(vignette.by, vignette.soft, vignette.colour) if vignette.on else NO_NUMBERS
    gain = np.float32(flickering(wear, frame) ** (1 / 2.2) if wear.on and wear.flicker else 1.0)
    # Grain and bars are the film's, and stand still under whatever part of the frame is drawn.
    tile = _tile(grain.size, grain.seed, round(1 / view.scale, 4)) if grain.on else NO_GRAIN
    at = _place(grain, frame, view, len(tile)) if grain.on else np.zeros(2, np.int64)
    strength = np.array([grain.strength / 100 * 255, 1 - grain.middle, grain.coloured], np.float32)
    fade, bar = _codes(ends.colour), _codes(bars.colour)
    faded = np.float32(_faded(ends, *going))
    barred = _barred(bars, view)
    how = (light, table, shade, across, down, gain, tile, at, strength, fade, faded, barred, bar, (DECODING, ENCODING))
    whole = pixels.view(np.uint32)[..., 0]
    in_threads(lambda a, b: finish_rows(whole, a, b, *how), whole)
    return pixels


def regraded(pixels: NDArray[np.uint8], grade: Grade, cube: Cube | None, view: View) -> NDArray[np.uint8]:
    """Premultiplied pixels with a grade alone."""
    return finished(pixels, Finish(grade=grade.model_copy(update={"over": "frame"})), view, 0, cube=cube)


def mixed_pixels(below: NDArray[np.uint8], above: NDArray[np.uint8], share: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Pixels of two pictures, of which as much is seen of the second as ``share``, (height, width) uint8, says."""
    by = share[..., None].astype(np.float32) / 255
    return np.asarray(below + (above.astype(np.float32) - below) * by + 0.5, np.uint8)


def _codes(colour: str) -> tuple[np.float32, np.float32, np.float32]:
    red, green, blue = bytes_of(colour)
    return np.float32(red), np.float32(green), np.float32(blue)


def _faded(ends: Ends, opening: float, closing: float) -> float:
    """How much of the colour is there that the film comes from or goes to."""
    if not ends.on:
        return 0.0
    shares = [share for how, share in ((ends.opens, opening), (ends.closes, closing)) if how == "colour"]
    return max(shares, default=0.0)


def _glowing(pixels: NDArray[np.uint8], glow: Glow) -> NDArray[np.float32]:
    """The light that spreads, (3, rows, columns) linear, on a grid."""
    light = on_a_grid(pixels, GLOW_GRID)
    rows, columns = light.shape[:2]
    least, wide = float(decoded(np.array(glow.above))), glow.wide * columns
    # It sets in softly, over a third of what is above.
    in_threads(lambda a, b: _kept_bright(light, a, b, least, max((1 - least) / 3, 1e-3)), light, worth=2)
    farther = beside(partial(blurred, light, 2.5 * wide))
    near, far = blurred(light, wide), farther()
    tint = (decoded(np.array(rgb_of(glow.colour))) * glow.strength).astype(np.float32)
    spread = np.empty((3, rows, columns), np.float32)
    in_threads(lambda a, b: _spread(near, far, a, b, tint, spread), light, worth=2)
    return spread


def _off_middle(view: View) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The square of how far columns and rows are from the frame's middle, where a corner is 1 away."""
    width, height = view.whole
    reach = width * width + height * height
    columns = 2 * (np.arange(view.size.width) + 0.5 + view.left) - width
    rows = 2 * (np.arange(view.size.height) + 0.5 + view.top) - height
    return (columns**2 / reach).astype(np.float32), (rows**2 / reach).astype(np.float32)


@lru_cache(maxsize=16)
def _vignette(by: float, soft: float, colour: str) -> NDArray[np.uint32]:
    """What is left of encoded channels, by the square of the distance from the middle: in the corners so much less
    light, from where ``soft`` lets it begin."""
    far = np.sqrt(np.linspace(0, 1, 4096))
    begins = 1 - soft
    share = by * np.asarray(smoothstep((far - begins) / max(1 - begins, 1e-3)))
    tint = decoded(np.array(rgb_of(colour)))
    left = 1 - share[:, None] * (1 - tint)
    # A share of light is that to 1 / 2.2 of an encoded value, as good as exactly.
    return _in_one(left ** (1 / 2.2))


@lru_cache(maxsize=8)
def _tile(size: float, seed: int, apart: float) -> NDArray[np.float32]:
    """Grain with a deviation of 1 at the film's own size, so many of whose pixels are one of the tile."""
    noise = _noise(size, seed)
    side = max(round(TILE / apart), 8)
    if side == TILE:
        return noise
    how = cv2.INTER_AREA if side < TILE else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(noise, (side, side), interpolation=how), np.float32)


@lru_cache(maxsize=4)
def _noise(size: float, seed: int) -> NDArray[np.float32]:
    """The grain of a film, of which pictures of every size have the same."""
    noise = np.random.default_rng([seed, 77]).standard_normal((TILE, TILE)).astype(np.float32)
    if size > 1:
        wide = np.pad(noise, 32, mode="wrap")
        noise = np.ascontiguousarray(cv2.GaussianBlur(wide, (0, 0), size / 2)[32:-32, 32:-32])
    return np.asarray(noise / noise.std(), np.float32)


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
