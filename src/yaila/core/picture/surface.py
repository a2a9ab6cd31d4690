"""A surface on the ground: paper, cloth or stone that the map lies on, wherever the camera is.

It is there in octaves, each twice as coarse as the one before, so that at any span one of them has a texel for a pixel:
of the two nearest as much is seen as the span is near to them. Within an octave tiles lie side by side, each shifted by
chance, and melt into their neighbours, so that nothing is seen to repeat. Where textures melt their contrast is kept
(E. Heitz, F. Neyret, "High-Performance By-Example Noise using a Histogram-Preserving Blending Operator", 2018, eq. 4,
the variance alone). What is far away is taken from smaller pictures of the tile.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.colour.blending import MODES, NEUTRAL, blended
from yaila.core.compiling import Apart, njit
from yaila.core.film.finish import Surface
from yaila.core.film.sunlight import Light as Sunlight
from yaila.core.picture.light import Places
from yaila.core.picture.threads import in_threads
from yaila.core.surfaces import GRAIN, SIDE, Material, SurfaceKind, TableKind, material
from yaila.core.time import smoothstep

BAND = 0.2
"""The share of a tile's side over which it melts into the next one."""

STEEP = 60.0
"""Codes of a slope of 1."""

GRID = 4
"""Pixels from one place to the next at which it is worked out how folds shift the map."""

NEAREST = 1e-6
"""What is no farther ahead than this is not in front of the camera."""

MULTIPLY = MODES.index("multiply")

RUN = 32
"""Pixels of a row that are taken from one size of the tile."""

FAINT = 6
"""An octave of which less is seen, of 256, changes colours by a code or two, and takes as long as the other."""

LEVELS = SIDE.bit_length() - 1

BITS = 3
"""A tile lies in blocks of so many bits along each side: what is near to one another is so in memory too, whichever
way the camera is turned."""

BLOCK = 1 << BITS

ACROSS, ROWS = 128, 8
"""Pixels of a row, and rows, that are worked out one after the other: what one needs of the tile the next one does."""

_LANE, _LANES = np.uint32(8), np.uint32(0x00FF00FF)
"""How wide a lane of a texel is, in bits, and every other one of its lanes."""


@dataclass(frozen=True, eq=False)
class Tile:
    """A material ready to be laid, told apart by its ``key``: ``texels`` (n, 5) float32, red, green and blue, and
    slopes to the east and to the north, of all its sizes one after the other; what it is on average, (3,); and grey
    values that are low and high."""

    key: str
    texels: NDArray[np.float32]
    mean: NDArray[np.float32]
    low: float
    high: float

    @staticmethod
    def of(key: str, material: Material) -> Tile:
        """From a material."""
        heights = np.pad(material.heights, 1, mode="wrap")
        east = (heights[1:-1, 2:] - heights[1:-1, :-2]) / 2
        north = (heights[:-2, 1:-1] - heights[2:, 1:-1]) / 2
        # What is steep is seen aslant: slopes are those of its normal.
        upright = np.sqrt(1 + east * east + north * north)
        colours = np.ascontiguousarray(material.colours, np.float32)
        grey = cv2.transform(colours, np.full((1, 3), 1 / 3, np.float32))
        low, high = np.percentile(grey, [2, 98]).tolist()
        level = np.asarray(cv2.merge([*cv2.split(colours), east / upright, north / upright]), np.float32)
        texels = np.zeros((STARTS[-1], 5), np.float32)
        for at in range(LEVELS + 1):
            side = SIDE >> at
            if at:
                level = np.asarray(cv2.resize(level, (side, side), interpolation=cv2.INTER_AREA), np.float32)
            blocks, within = max(side // BLOCK, 1), min(side, BLOCK)
            apart = level.reshape(blocks, within, blocks, within, 5).transpose(0, 2, 1, 3, 4)
            _in_blocks(texels, at)[:, :, :within, :within] = apart
        mean = np.array(cv2.mean(colours)[:3], np.float32)
        return Tile(key, texels, mean, low, high)

    @property
    def finest(self) -> NDArray[np.float32]:
        """Its texels at its own size, (SIDE, SIDE, 5)."""
        return _in_blocks(self.texels, 0).transpose(0, 2, 1, 3, 4).reshape(SIDE, SIDE, 5)

    def packed(self, changes: NDArray[np.float32]) -> NDArray[np.uint32]:
        """The texels as numbers of four lanes of 8 bits: what ``changes``, (4, 6), makes of the five channels and
        1."""
        return _packed(self, changes.tobytes())


@lru_cache(maxsize=6)
def _packed(tile: Tile, changes: bytes) -> NDArray[np.uint32]:
    how = np.frombuffer(changes, np.float32).reshape(4, 6)
    out = np.empty(len(tile.texels), np.uint32)
    in_threads(lambda a, b: packed_texels(tile.texels, how, out, a, b), tile.texels)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def packed_texels(texels, changes, out, first, last):
    """Texels as numbers of four lanes; see :meth:`Tile.packed`."""
    none, half, full = np.float32(0), np.float32(0.5), np.float32(255)
    for i in range(first, last):
        made = np.uint32(0)
        for lane in range(4):
            value = changes[lane, 5] + half
            for c in range(5):
                value += texels[i, c] * changes[lane, c]
            made |= np.uint32(np.int32(min(max(value, none), full))) << (_LANE * np.uint32(lane))
        out[i] = made


BLOCKS = [max((SIDE >> k) // BLOCK, 1) for k in range(LEVELS + 1)]
"""Blocks along a side of each size of a tile."""

ROW = np.array([(along + 1) * BLOCK * BLOCK for along in BLOCKS], np.int64)
"""Texels from a row of blocks to the next. One block in each nobody looks at: where rows are a power of two apart, a
column of them finds room in few places of the processor's cache."""

STARTS = np.cumsum([0] + [along * row for along, row in zip(BLOCKS, ROW.tolist(), strict=True)]).astype(np.int64)
"""Where the sizes of a tile begin, and the last one ends."""


def _in_blocks(texels: NDArray[np.float32], level: int) -> NDArray[np.float32]:
    """The texels of one size of a tile, (blocks, blocks, BLOCK, BLOCK, 5), down and across: a view."""
    along = BLOCKS[level]
    return texels[STARTS[level] : STARTS[level + 1]].reshape(along, along + 1, BLOCK, BLOCK, 5)[:, :along]


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _shift(i, j, octave):
    """By how much a tile is shifted: a mixture of its place's bits (T. Wang, "Integer Hash Function", 1997)."""
    h = np.uint64(i * 73856093 ^ j * 19349663 ^ octave * 83492791)
    h = (h ^ np.uint64(61)) ^ (h >> np.uint64(16))
    h = h + (h << np.uint64(3))
    h = h ^ (h >> np.uint64(4))
    h = h * np.uint64(0x27D4EB2D)
    h = h ^ (h >> np.uint64(15))
    return np.int64(h & np.uint64(GRAIN - 1)), np.int64((h >> np.uint64(8)) & np.uint64(GRAIN - 1))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _second(place):
    """How much is seen of the second of two tiles at a place, in tiles from where the first begins."""
    none, half, one = np.float32(0), np.float32(0.5), np.float32(1)
    return min(max((place - one) * np.float32(1 / BAND) + half, none), one)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _melts(place):
    """Between which tiles a place is, in tiles: the first of two, and how much of the second is seen."""
    first = math.floor(place - 0.5)
    return np.int64(first), _second(np.float32(place - first))


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _near(n, u, v, first_u, first_v, near_u, near_v):
    """Places counted from where a tile begins: there single precision is enough."""
    for i in range(n):
        near_u[i], near_v[i] = np.float32(u[i] - first_u), np.float32(v[i] - first_v)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _seen(n, u, v, right, down, weight, by):
    """How much is seen at places of one of two by two tiles, counted from where the first begins, in whole parts."""
    one, tile = np.float32(1), np.float32(1.0 / SIDE)
    for i in range(n):
        second_u, second_v = _second(u[i] * tile), _second(v[i] * tile)
        share = (second_u if right else one - second_u) * (second_v if down else one - second_v)
        by[i] = np.float32(np.int32(share * weight))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _row_at(y, row):
    """How far behind the first texel a row's first one is, where a row of blocks has ``row`` texels."""
    return (y >> np.int32(BITS)) * row + ((y & np.int32(BLOCK - 1)) << np.int32(BITS))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _column_at(x):
    """How far behind its row's first texel one is."""
    return ((x >> np.int32(BITS)) << np.int32(2 * BITS)) + (x & np.int32(BLOCK - 1))


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _tapped(n, u, v, by, texels, shift_u, shift_v, level, even, odd, weights, squares):
    """Add four lanes at places, counted from where a tile begins, of one size of it, shifted, bilinear and weighted,
    and the weights and their squares."""
    side, start, shrunk = np.int32(SIDE >> level), np.int32(STARTS[level]), np.float32(1.0 / (1 << level))
    mask, row, one = side - np.int32(1), np.int32(ROW[level]), np.int32(1)
    step = np.int32(SIDE // GRAIN >> level)
    on_u, on_v = np.int32(shift_u) * step, np.int32(shift_v) * step
    for i in range(n):
        x, y, weight = u[i] * shrunk - np.float32(0.5), v[i] * shrunk - np.float32(0.5), by[i]
        left, top = np.floor(x), np.floor(y)
        dx, dy = (x - left) * weight, y - top
        w11, w01 = np.int32(dx * dy), np.int32(dx * (np.float32(1) - dy))
        w10 = np.int32((weight - dx) * dy)
        w00 = np.int32(weight) - w11 - w01 - w10
        x0, y0 = (np.int32(left) + on_u) & mask, (np.int32(top) + on_v) & mask
        x1, y1 = (x0 + one) & mask, (y0 + one) & mask
        upper, lower = start + _row_at(y0, row), start + _row_at(y1, row)
        x0, x1 = _column_at(x0), _column_at(x1)
        t00, t01 = texels[np.uint32(upper + x0)], texels[np.uint32(upper + x1)]
        t10, t11 = texels[np.uint32(lower + x0)], texels[np.uint32(lower + x1)]
        b00, b01, b10, b11 = np.uint32(w00), np.uint32(w01), np.uint32(w10), np.uint32(w11)
        even[i] += (t00 & _LANES) * b00 + (t01 & _LANES) * b01 + (t10 & _LANES) * b10 + (t11 & _LANES) * b11
        t00, t01, t10, t11 = t00 >> _LANE, t01 >> _LANE, t10 >> _LANE, t11 >> _LANE
        odd[i] += (t00 & _LANES) * b00 + (t01 & _LANES) * b01 + (t10 & _LANES) * b10 + (t11 & _LANES) * b11
        weights[i] += weight
        squares[i] += weight * weight


@njit(cache=True, nogil=True, fastmath=True)
def _looked_up(n, u, v, ahead, covers, octave, texels, made, weights, squares, by):
    """Add what an octave has at places of a row, in texels, but for those that are not ``ahead``: four lanes, two by
    two in a number, the weights, and their squares. ``covers``: ground units of what is looked at, for each run of
    places; ``by``: room for three times as many as a run has."""
    run, long, weight = 0, 0, np.float32(octave[5])
    even, odd = made[0], made[1]
    while run + long < n:
        run += long
        long = min(RUN - run % RUN, n - run)
        if ahead[run] <= NEAREST or ahead[run + long - 1] <= NEAREST:
            continue
        # What is alike along a run: the size of the tile, and the tiles it is near to. Where those change it is cut in
        # halves.
        level = min(max(int(math.log2(max(covers[run // RUN] * octave[0], 1.0)) + 0.5), 0), LEVELS)
        tile_u, second_u = _melts(u[run] * (1.0 / SIDE))
        tile_v, second_v = _melts(v[run] * (1.0 / SIDE))
        while True:
            end_u, then_u = _melts(u[run + long - 1] * (1.0 / SIDE))
            end_v, then_v = _melts(v[run + long - 1] * (1.0 / SIDE))
            if long == 1 or (tile_u == end_u and tile_v == end_v):
                break
            long //= 2
        first_u, last_u = int(min(second_u, then_u)), math.ceil(max(second_u, then_u))
        first_v, last_v = int(min(second_v, then_v)), math.ceil(max(second_v, then_v))
        at = slice(run, run + long)
        _near(long, u[at], v[at], np.float64(tile_u * SIDE), np.float64(tile_v * SIDE), by[1], by[2])
        for down in range(first_v, last_v + 1):
            for right in range(first_u, last_u + 1):
                shift_u, shift_v = _shift(
                    tile_u + right + np.int64(octave[3]), tile_v + down + np.int64(octave[4]), np.int64(octave[6])
                )
                _seen(long, by[1], by[2], right == 1, down == 1, weight, by[0])
                at_u, at_v, seen = by[1], by[2], by[0]
                _tapped(
                    long, at_u, at_v, seen, texels, shift_u, shift_v, level, even[at], odd[at], weights[at], squares[at]
                )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _unpacked(even, odd, weights):
    share, sums, high = np.float32(1) / max(weights, np.float32(1)), np.uint32(0xFFFF), np.uint32(16)
    return (
        np.float32(np.int32(even & sums)) * share,
        np.float32(np.int32(odd & sums)) * share,
        np.float32(np.int32(even >> high)) * share,
        np.float32(np.int32(odd >> high)) * share,
    )


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _placed(n, left, at_v, inverse, octave, ahead, u, v):
    """Where pixels of a row, from one on, are in texels of an octave, and how far ahead they are."""
    scale, place_u, place_v = octave[0], octave[1], octave[2]
    for i in range(n):
        at_u = np.float64(np.int32(i)) + left
        near = inverse[2, 0] * at_u + inverse[2, 1] * at_v + inverse[2, 2]
        far = scale / max(near, NEAREST)
        ahead[i] = near
        u[i] = place_u + (inverse[0, 0] * at_u + inverse[0, 1] * at_v + inverse[0, 2]) * far
        v[i] = place_v - (inverse[1, 0] * at_u + inverse[1, 1] * at_v + inverse[1, 2]) * far


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _under(mode, pixel, even, odd, weights, squares, mean, strength, light):
    """A premultiplied pixel with what a surface has there laid on it."""
    full, half, one, none = np.float32(1.0 / 255.0), np.float32(0.5), np.float32(1), np.float32(0)
    alpha, byte = pixel >> np.uint32(24), np.uint32(255)
    contrast = weights / np.float32(math.sqrt(max(squares, one)))
    values = _unpacked(even, odd, weights)
    r = min(max(((values[0] - mean[0]) * contrast + mean[0]) * full, none), one)
    g = min(max(((values[1] - mean[1]) * contrast + mean[1]) * full, none), one)
    b = min(max(((values[2] - mean[2]) * contrast + mean[2]) * full, none), one)
    top = np.float32(np.int32(alpha))
    share = one / max(top, one)
    was_r = np.float32(np.int32(pixel & byte)) * share
    was_g = np.float32(np.int32((pixel >> np.uint32(8)) & byte)) * share
    was_b = np.float32(np.int32((pixel >> np.uint32(16)) & byte)) * share
    if mode == MULTIPLY:
        r, g, b = was_r * r, was_g * g, was_b * b
    else:
        r, g, b = blended(mode, was_r, was_g, was_b, r, g, b)
    lit = top * (one + light * (values[3] - mean[3]) * contrast)
    r = min(max((was_r + strength * (r - was_r)) * lit + half, none), top)
    g = min(max((was_g + strength * (g - was_g)) * lit + half, none), top)
    b = min(max((was_b + strength * (b - was_b)) * lit + half, none), top)
    with_it = (
        np.uint32(np.int32(r))
        | (np.uint32(np.int32(g)) << np.uint32(8))
        | (np.uint32(np.int32(b)) << np.uint32(16))
        | (alpha << np.uint32(24))
    )
    return with_it if weights > none else pixel


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _multiplied(n, pixels, even, odd, weights, squares, mean, strength, light):
    """Lay on pixels what a surface has there, in the mode that is the most used: as vector code."""
    for i in range(n):
        pixels[i] = _under(MULTIPLY, pixels[i], even[i], odd[i], weights[i], squares[i], mean, strength, light)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _blended(n, mode, pixels, even, odd, weights, squares, mean, strength, light):
    """The same in another mode."""
    for i in range(n):
        pixels[i] = _under(mode, pixels[i], even[i], odd[i], weights[i], squares[i], mean, strength, light)


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def surface_rows(pixels, first, last, inverse, octaves, texels, mean, mode, strength, light):
    """Rows of premultiplied pixels with a surface on them, as far as they cover.

    Args:
        pixels: (height, width) uint32, red in the lowest byte.
        inverse: 3x3, frame to ground, counted from the target.
        octaves: (n, 7): texels of a ground unit, the target's place in texels, east and south, and in which tile that
            is; how much of it is seen, of 256; which octave it is.
        texels: its colour, and the light on it (``Tile.packed``); ``mean``: what they are on average.
        light: how strong light and shade are.
    """
    width = pixels.shape[1]
    u, v, ahead = np.empty(ACROSS), np.empty(ACROSS), np.empty(ACROSS)
    covers, by = np.empty(ACROSS // RUN), np.empty((3, RUN), np.float32)
    made, weights, squares = (
        np.empty((2, ACROSS), np.uint32),
        np.empty(ACROSS, np.float32),
        np.empty(ACROSS, np.float32),
    )
    for top in range(first, last, ROWS):
        for left in range(0, width, ACROSS):
            n = min(ACROSS, width - left)
            for y in range(top, min(top + ROWS, last)):
                for run in range(0, n, RUN):
                    covers[run // RUN] = covered(inverse, left + run + 0.5, y + 0.5)
                made[:], weights[:], squares[:] = np.uint32(0), np.float32(0), np.float32(0)
                for k in range(octaves.shape[0]):
                    _placed(n, left + 0.5, y + 0.5, inverse, octaves[k], ahead, u, v)
                    _looked_up(n, u, v, ahead, covers, octaves[k], texels, made, weights, squares, by)
                row = pixels[y, left : left + n]
                if mode == MULTIPLY:
                    _multiplied(n, row, made[0], made[1], weights, squares, mean, strength, light)
                else:
                    _blended(n, mode, row, made[0], made[1], weights, squares, mean, strength, light)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def covered(inverse, at_u, at_v):
    """Ground units of what a pixel of the frame covers, between the longer and the mean of its sides."""
    far = 1.0 / max(inverse[2, 0] * at_u + inverse[2, 1] * at_v + inverse[2, 2], NEAREST)
    east = (inverse[0, 0] * at_u + inverse[0, 1] * at_v + inverse[0, 2]) * far
    north = (inverse[1, 0] * at_u + inverse[1, 1] * at_v + inverse[1, 2]) * far
    ax, ay = (inverse[0, 0] - east * inverse[2, 0]) * far, (inverse[1, 0] - north * inverse[2, 0]) * far
    bx, by = (inverse[0, 1] - east * inverse[2, 1]) * far, (inverse[1, 1] - north * inverse[2, 1]) * far
    one, other = math.sqrt(ax * ax + ay * ay), math.sqrt(bx * bx + by * by)
    return 0.5 * (max(one, other) + math.sqrt(one * other))


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def slope_rows(out, first, last, east, north, octaves, texels, covers):
    """Slopes to the east and north, (rows, columns, 2), at places on the ground; ``covers``: ground units of what is
    looked at there."""
    width = east.shape[1]
    u, v, ahead = np.empty(width), np.empty(width), np.empty(width)
    looked, by = np.full(width // RUN + 1, covers), np.empty((3, RUN), np.float32)
    made, weights, squares = np.empty((2, width), np.uint32), np.empty(width, np.float32), np.empty(width, np.float32)
    for r in range(first, last):
        made[:], weights[:], squares[:] = np.uint32(0), np.float32(0), np.float32(0)
        for k in range(octaves.shape[0]):
            for c in range(width):
                there = abs(east[r, c]) < 1e12 and abs(north[r, c]) < 1e12
                ahead[c] = 1.0 if there else 0.0
                u[c] = octaves[k, 1] + (east[r, c] if there else 0.0) * octaves[k, 0]
                v[c] = octaves[k, 2] - (north[r, c] if there else 0.0) * octaves[k, 0]
            _looked_up(width, u, v, ahead, looked, octaves[k], texels, made, weights, squares, by)
        for c in range(width):
            contrast = weights[c] / np.float32(math.sqrt(max(squares[c], np.float32(1))))
            values = _unpacked(made[0, c], made[1, c], weights[c])
            out[r, c, 0] = (values[0] - np.float32(128)) * contrast
            out[r, c, 1] = (values[1] - np.float32(128)) * contrast


def laid_on(
    pixels: NDArray[np.uint8], surface: Surface, tile: Tile, view: View, light: Sunlight, closest: float
) -> NDArray[np.uint8]:
    """Premultiplied pixels of the ground, as a view shows it, (height, width, 4) uint8, with a surface on them.

    Args:
        surface: with the values of a moment.
        closest: the smallest span of the film, ground units.
    """
    octaves = octaves_of(surface, view, closest)
    out = _shifted(pixels, surface, tile, view, octaves) if surface.folds else pixels.copy()
    changes = _coloured(surface, tile, light)
    texels, mean = tile.packed(changes), np.clip(changes @ np.array([*tile.mean, 0, 0, 1], np.float32), 0, 255)
    mean[3] = 128
    inverse, mode = np.linalg.inv(view.plane()), MODES.index(surface.blend)
    how = (inverse, octaves, texels, mean, mode, np.float32(surface.strength), np.float32(surface.light / STEEP))
    whole = out.view(np.uint32)[..., 0]
    in_threads(lambda a, b: surface_rows(whole, a, b, *how), out)
    return out


def _coloured(surface: Surface, tile: Tile, light: Sunlight) -> NDArray[np.float32]:
    """What a surface is made of, of its texels (``Tile.packed``): its colour, of which without any own colour nothing
    is left but light and dark about what leaves the ground as it is; and how much its slopes face the light."""
    own, changes = round(surface.own_colour * 50) / 50, np.zeros((4, 6), np.float32)
    neutral = NEUTRAL.get(surface.blend, 0.5)
    stays = tile.high if neutral == 1 else tile.low if neutral == 0 else float(tile.mean.mean())
    changes[:3, :3] = own * np.eye(3) + (1 - own) / 3
    changes[:3, 5] = 0.0 if surface.blend == "normal" else (1 - own) * (neutral * 255 - stays)
    east, north = -light.fall / max(float(np.hypot(*light.fall)), 1e-9)
    # In steps of some degrees, for which texels are kept.
    turn = round(math.atan2(north, east) * 32 / math.pi) * math.pi / 32
    changes[3, 3:] = -STEEP * math.cos(turn), -STEEP * math.sin(turn), 128
    return changes


def octaves_of(surface: Surface, view: View, closest: float) -> NDArray[np.float64]:
    """The octaves of a surface that a view shows (``surface_rows``): two, or the one that is sharp where the camera is
    closest."""
    texel = view.unit * surface.scale
    if surface.lies == "closest":
        return np.array([_octave(view, closest / max(view.pose.span, 1e-12) * texel, 1.0, 0)])
    whole = math.floor(math.log2(texel))
    share = math.log2(texel) - whole
    share = float(smoothstep((share - 0.1) / 0.8))
    made = [_octave(view, 2.0**octave, weight, octave) for octave, weight in ((whole, 1 - share), (whole + 1, share))]
    return np.array([one for one in made if one[5] >= FAINT])


def _octave(view: View, texel: float, weight: float, octave: int) -> tuple[float, ...]:
    u, v = view.pose.x / texel, -view.pose.y / texel
    cell_u, cell_v = math.floor(u / SIDE), math.floor(v / SIDE)
    return 1 / texel, u - cell_u * SIDE, v - cell_v * SIDE, float(cell_u), float(cell_v), round(weight * 256), octave


def _shifted(
    pixels: NDArray[np.uint8], surface: Surface, tile: Tile, view: View, octaves: NDArray[np.float64]
) -> NDArray[np.uint8]:
    """Pixels of the ground shifted by folds: uphill, by so many of the film's pixels where it is as steep as 1."""
    places, height, width = Places.of(view, grid=GRID), *pixels.shape[:2]
    slopes, wanted = np.zeros((*places.x.shape, 2), np.float32), np.zeros((4, 6), np.float32)
    wanted[[0, 1], [3, 4]], wanted[:2, 5] = STEEP, 128
    how = (places.x, places.y, octaves, tile.packed(wanted), 4 * view.pose.span / view.whole.width)
    in_threads(lambda a, b: slope_rows(slopes, a, b, *how), slopes)
    by = slopes.astype(np.float64) * (surface.folds * view.unit / STEEP)
    there = np.nan_to_num(np.stack([places.x + by[..., 0], places.y + by[..., 1], np.ones(places.x.shape)], axis=-1))
    u, v, depth = np.moveaxis(there @ view.plane().T, -1, 0)
    seen = (places.nearness > 1e-6) & (depth > 1e-6)
    grid_v, grid_u = np.mgrid[: u.shape[0], : u.shape[1]] * float(GRID)
    away = [
        np.where(seen, at / np.where(seen, depth, 1) - start, 0.0).astype(np.float32)
        for at, start in ((u, grid_u), (v, grid_v))
    ]
    # A place of the grid is a corner of a pixel.
    moved = np.array([[GRID, 0, -0.5], [0, GRID, -0.5]], np.float64)
    across, down = (
        np.asarray(
            cv2.warpAffine(one, moved, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE),
            np.float32,
        )
        for one in away
    )
    across += np.arange(width, dtype=np.float32)
    down += np.arange(height, dtype=np.float32)[:, None]
    return np.asarray(cv2.remap(pixels, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.uint8)


@lru_cache(maxsize=16)
def shipped(kind: SurfaceKind | TableKind) -> Tile:
    """The tile of a surface that comes with the application."""
    return Tile.of(kind, material(kind))
