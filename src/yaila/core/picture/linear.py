"""Linear light: pictures on their way through lens and shutter.

Averages over the lens and over time are averages of light, not of encoded values. A pixel is one 64-bit number that
holds red, green and blue in 21 bits each, of which 13 count up to white and three more above it, for what glows. So a
sample is one load and one addition, and 32 of them add up before anything overflows.

The functions here are compiled by Numba, release the interpreter lock, and know only arrays.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yaila.core.colour import decoded, encoded
from yaila.core.compiling import Apart, njit
from yaila.core.picture.threads import in_threads

WHITE = 8191
"""What white counts, per channel."""

MOST = 65535
"""The brightest that a pixel holds, eight times white."""

RUN = 32
"""Samples that can be added up before the sums are taken out."""

GREEN, BLUE = np.uint64(21), np.uint64(42)
CHANNEL = np.uint64((1 << 21) - 1)

Packed = NDArray[np.uint64]
"""(height, width) uint64."""


def _decoding() -> NDArray[np.float32]:
    values = decoded(np.arange(256) / 255)
    return np.asarray(values, np.float32)


def _encoding() -> NDArray[np.float32]:
    return np.asarray(encoded(np.arange(WHITE + 1) / WHITE) * 255, np.float32)


DECODED = _decoding()
"""Light 0..1 of encoded values 0..255 (IEC 61966-2-1)."""

ENCODED = _encoding()
"""Encoded values 0..255 of light 0..``WHITE``."""

STEPS = 4096
CODES = np.asarray(encoded(np.linspace(0, 1, STEPS)) * 255, np.float32)
"""Encoded values 0..255 of light 0..1 in so many steps, to be gone on evenly between."""

_BAYER = np.array(
    [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]],
    np.float32,
)
THRESHOLDS = (_BAYER + np.float32(0.5)) / np.float32(16)
"""Where in the frame a value between two is rounded up (ordered dither, B. Bayer, "An Optimum Method for Two-level
Rendition of Continuous-tone Pictures", 1973): smooth light has no terraces."""


@njit(cache=True, nogil=True, forceinline=True)
def packed_of(red, green, blue):
    """A pixel of three channels 0..``MOST``."""
    return np.uint64(red) | (np.uint64(green) << GREEN) | (np.uint64(blue) << BLUE)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def channels_of(value):
    """Red, green and blue of a pixel, 0..``MOST``."""
    return (
        np.float32(np.int32(value & CHANNEL)),
        np.float32(np.int32((value >> GREEN) & CHANNEL)),
        np.float32(np.int32(value >> BLUE)),
    )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def held(red, green, blue):
    """A pixel of three channels, cut down to whole counts and to what it can hold."""
    none, most = np.float32(0), np.float32(MOST)
    return (
        np.uint64(np.uint32(np.int32(min(max(red, none), most))))
        | (np.uint64(np.uint32(np.int32(min(max(green, none), most)))) << GREEN)
        | (np.uint64(np.uint32(np.int32(min(max(blue, none), most)))) << BLUE)
    )


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _spread_by_four(n, values, out):
    for k in range(n):
        here = values[k]
        more = values[k + 1] - here
        for i in range(4):
            out[k * 4 + i] = here + more * np.float32((i + 0.5) / 4)


@njit(cache=True, nogil=True, fastmath=True)
def spread_out(values, grid, out):
    """Spread a row of places, of which each is so many pixels from the next, evenly over pixels."""
    width, step, whole = out.shape[0], np.float32(1) / np.float32(grid), 0
    if grid == 4:
        whole = width // 4
        _spread_by_four(whole, values, out)
    for place in range(whole, (width + grid - 1) // grid):
        here, more = values[place], (values[place + 1] - values[place]) * step
        for i in range(min(grid, width - place * grid)):
            out[place * grid + i] = here + more * np.float32(i + 0.5)


COUNTS = np.round(DECODED * WHITE).astype(np.uint64)
"""What encoded values count as light."""


@njit(cache=True, nogil=True, pipeline_class=Apart)
def add(n, source, sums):
    """Add ``n`` pixels to sums."""
    for i in range(n):
        sums[i] += source[i]


@njit(cache=True, nogil=True, pipeline_class=Apart)
def take_out(n, run, red, green, blue):
    """Add what ``n`` pixels have summed up to the sums of their channels, and begin anew."""
    for i in range(n):
        red[i] += np.float32(np.int32(run[i] & CHANNEL))
        green[i] += np.float32(np.int32((run[i] >> GREEN) & CHANNEL))
        blue[i] += np.float32(np.int32(run[i] >> BLUE))
        run[i] = np.uint64(0)


@njit(cache=True, nogil=True, pipeline_class=Apart)
def put_mean(n, share, red, green, blue, out):
    """Write the means of ``n`` pixels, of which ``share`` is one over how many were added up, and begin anew."""
    half = np.float32(0.5)
    for i in range(n):
        r = np.uint64(np.uint32(np.int32(red[i] * share + half)))
        g = np.uint64(np.uint32(np.int32(green[i] * share + half)))
        b = np.uint64(np.uint32(np.int32(blue[i] * share + half)))
        out[i] = r | (g << GREEN) | (b << BLUE)
        red[i] = green[i] = blue[i] = np.float32(0)


@njit(cache=True, nogil=True)
def pack_rows(pixels, out, first, last, table):
    """Rows of premultiplied pixels, (height, width, 4) uint8, into light; ``table`` holds what encoded values count."""
    for y in range(first, last):
        for x in range(pixels.shape[1]):
            out[y, x] = packed_of(table[pixels[y, x, 0]], table[pixels[y, x, 1]], table[pixels[y, x, 2]])


@njit(cache=True, nogil=True)
def painted_rows(colours, before, after, pixels, out, first, last, table):
    """Rows of light, in which pixels that changed are as they are now."""
    for y in range(first, last):
        for x in range(out.shape[1]):
            if before[y, x] == after[y, x]:
                out[y, x] = colours[y, x]
            else:
                out[y, x] = packed_of(table[pixels[y, x, 0]], table[pixels[y, x, 1]], table[pixels[y, x, 2]])


@njit(cache=True, nogil=True)
def pack_clear_rows(pixels, out, alpha, first, last, decoded_values):
    """As :func:`pack_rows`, of pixels that shine through: their light premultiplied, and how much they cover."""
    for y in range(first, last):
        for x in range(pixels.shape[1]):
            cover = np.float32(pixels[y, x, 3]) / np.float32(255)
            alpha[y, x] = np.uint64(np.int64(cover * np.float32(WHITE) + np.float32(0.5)))
            made = np.uint64(0)
            if cover > np.float32(0):
                for c in range(3):
                    value = min(np.int64(np.float32(pixels[y, x, c]) / cover + np.float32(0.5)), 255)
                    light = np.int64(decoded_values[value] * cover * np.float32(WHITE) + np.float32(0.5))
                    made |= np.uint64(light) << np.uint64(21 * c)
            out[y, x] = made


@njit(cache=True, nogil=True, pipeline_class=Apart)
def _unpacked(n, light, table, thresholds, out):
    white, full, opaque = np.uint64(WHITE), np.float32(255), np.uint32(0xFF000000)
    for i in range(n):
        value = light[i]
        r = table[np.uint32(min(value & CHANNEL, white))]
        g = table[np.uint32(min((value >> GREEN) & CHANNEL, white))]
        b = table[np.uint32(min(value >> BLUE, white))]
        r, g, b = min(r + thresholds[i], full), min(g + thresholds[i], full), min(b + thresholds[i], full)
        out[i] = (
            np.uint32(np.int32(r))
            | (np.uint32(np.int32(g)) << np.uint32(8))
            | (np.uint32(np.int32(b)) << np.uint32(16))
            | opaque
        )


@njit(cache=True, nogil=True)
def unpack_rows(light, out, first, last, table, thresholds):
    """Rows of light into opaque pixels, (height, width) uint32; ``thresholds``: of four rows and all columns."""
    for y in range(first, last):
        _unpacked(light.shape[1], light[y], table, thresholds[y & 3], out[y])


@njit(cache=True, nogil=True)
def unpack_clear_rows(light, alpha, out, first, last, table, thresholds, left, top):
    """Rows of light into premultiplied pixels, (height, width, 4) uint8, of what shines through; ``left`` and ``top``
    are where in the frame they begin."""
    for y in range(first, last):
        for x in range(light.shape[1]):
            cover = min(np.float32(alpha[y, x] & CHANNEL) / np.float32(WHITE), np.float32(1))
            out[y, x, 3] = np.uint8(cover * np.float32(255) + np.float32(0.5))
            threshold = thresholds[(y + top) & 3, (x + left) & 3]
            for c in range(3):
                k = np.float32((light[y, x] >> np.uint64(21 * c)) & CHANNEL) / max(cover, np.float32(1e-4))
                value = table[min(np.int64(k), np.int64(WHITE))] * cover
                out[y, x, c] = min(np.uint8(min(value + threshold, np.float32(255))), out[y, x, 3])


@njit(cache=True, nogil=True, fastmath=True)
def over_rows(colours, covers, above, hides, out, covered, first, last, share):
    """Rows of light with premultiplied light over it, of which a share is there; ``hides``: how much that covers."""
    clear = covers.shape[0] > 0
    white, half, most = np.float32(WHITE), np.float32(0.5), np.float32(MOST)
    for y in range(first, last):
        for x in range(out.shape[1]):
            cover = np.float32(np.int32(hides[y, x] & CHANNEL)) * share / white
            if cover <= np.float32(0):
                out[y, x] = colours[y, x]
                if clear:
                    covered[y, x] = covers[y, x]
                continue
            left = max(np.float32(1) - cover, np.float32(0))
            below, value, made = colours[y, x], above[y, x], np.uint64(0)
            for k in range(3):
                by = np.uint64(21 * k)
                old, new = np.float32(np.int32((below >> by) & CHANNEL)), np.float32(np.int32((value >> by) & CHANNEL))
                made |= np.uint64(np.uint32(np.int32(min(old * left + new * share + half, most)))) << by
            out[y, x] = made
            if clear:
                was = np.float32(np.int32(covers[y, x] & CHANNEL))
                covered[y, x] = np.uint64(np.int64(min(was * left + cover * white, white) + half))


@njit(cache=True, nogil=True, fastmath=True)
def mean_rows(pixels, cell, out, first, last, table):
    """Rows of a grid with the mean light of the pixels, (height, width, 4) uint8, in each of its cells; those at the
    edges may be smaller."""
    height, width = pixels.shape[0], pixels.shape[1]
    for row in range(first, last):
        top, bottom = row * cell, min(row * cell + cell, height)
        out[row] = 0
        for y in range(top, bottom):
            for column in range(out.shape[1]):
                red, green, blue = np.float32(0), np.float32(0), np.float32(0)
                for x in range(column * cell, min(column * cell + cell, width)):
                    red += table[pixels[y, x, 0]]
                    green += table[pixels[y, x, 1]]
                    blue += table[pixels[y, x, 2]]
                out[row, column, 0] += red
                out[row, column, 1] += green
                out[row, column, 2] += blue
        for column in range(out.shape[1]):
            count = (bottom - top) * (min(column * cell + cell, width) - column * cell)
            for c in range(3):
                out[row, column, c] /= np.float32(count)


def on_a_grid(pixels: NDArray[np.uint8], cell: int) -> NDArray[np.float32]:
    """The mean light, 0..1, of pixels, (height, width, 4) uint8, in cells of so many along each side, (rows, columns,
    3)."""
    height, width = pixels.shape[:2]
    out = np.empty((-(-height // cell), -(-width // cell), 3), np.float32)
    in_threads(lambda a, b: mean_rows(pixels, cell, out, a, b, DECODED), out, worth=max(cell * cell // 4, 1))
    return out


@dataclass(frozen=True)
class Light:
    """A picture in linear light: its colours, and, where it shines through, how much it covers, each packed."""

    colours: Packed
    covers: Packed | None = None

    @staticmethod
    def of(pixels: NDArray[np.uint8], clear: bool) -> Light:
        """The light of premultiplied pixels, (height, width, 4) uint8; ``clear`` ones may shine through."""
        height, width = pixels.shape[:2]
        colours = np.empty((height, width), np.uint64)
        if not clear:
            in_threads(lambda a, b: pack_rows(pixels, colours, a, b, COUNTS), colours)
            return Light(colours)
        covers = np.empty((height, width), np.uint64)
        in_threads(lambda a, b: pack_clear_rows(pixels, colours, covers, a, b, DECODED), colours)
        return Light(colours, covers)

    def with_marks(self, before: NDArray[np.uint8], after: NDArray[np.uint8], clear: bool) -> Light:
        """The same with what was painted on it: ``before`` is the light as pixels, ``after`` those with the paint. What
        nothing was painted on stays as bright as it is, above white too."""
        colours = np.empty_like(self.colours)
        was, now = (one.view(np.uint32)[..., 0] for one in (before, after))
        if self.covers is None:
            in_threads(lambda a, b: painted_rows(self.colours, was, now, after, colours, a, b, COUNTS), colours)
            return Light(colours)
        painted, same = Light.of(after, clear), was == now
        assert painted.covers is not None
        return Light(np.where(same, self.colours, painted.colours), np.where(same, self.covers, painted.covers))

    def over(self, below: Light, share: float) -> Light:
        """A share of it laid over what is below ("over", W3C Compositing and Blending Level 1)."""
        assert self.covers is not None
        above, hides, out = self.colours, self.covers, np.empty_like(below.colours)
        covers = below.covers if below.covers is not None else np.zeros((0, 0), np.uint64)
        covered, by = np.empty_like(covers), np.float32(share)
        in_threads(lambda a, b: over_rows(below.colours, covers, above, hides, out, covered, a, b, by), out)
        return Light(out, covered if below.covers is not None else None)

    def each(self, change: Callable[[Packed], Packed]) -> Light:
        """The same with both planes changed."""
        return Light(change(self.colours), None if self.covers is None else change(self.covers))

    def into(self, out: NDArray[np.uint8], left: int = 0, top: int = 0) -> None:
        """Write it as pixels, (height, width, 4) uint8; ``left`` and ``top`` are where in the frame it begins."""
        colours, covers = self.colours, self.covers
        if covers is None:
            whole, width = out.view(np.uint32)[..., 0], colours.shape[1]
            here = np.ascontiguousarray(THRESHOLDS[(np.arange(4) + top) % 4][:, (np.arange(width) + left) % 4])
            in_threads(lambda a, b: unpack_rows(colours, whole, a, b, ENCODED, here), colours)
        else:
            place = (ENCODED, THRESHOLDS, left, top)
            in_threads(lambda a, b: unpack_clear_rows(colours, covers, out, a, b, *place), colours)
