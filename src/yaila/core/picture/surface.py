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
from yaila.core.compiling import njit
from yaila.core.film.finish import Surface
from yaila.core.film.sunlight import Light as Sunlight
from yaila.core.picture.light import Places
from yaila.core.picture.threads import in_threads
from yaila.core.surfaces import GRAIN, SIDE, Material, SurfaceKind, TableKind, material
from yaila.core.time import smoothstep

BAND = 0.3
"""The share of a tile's side over which it melts into the next one."""

STEEP = 60.0
"""Codes of a slope of 1."""

GRID = 4
"""Pixels from one place to the next at which it is worked out how folds shift the map."""

RUN = 8
"""Pixels of a row that are taken from one size of the tile."""

LEVELS = SIDE.bit_length() - 1

LANE = np.uint64(0xFFFF)
_LANE, _TWO_LANES, _THREE_LANES = np.uint64(16), np.uint64(32), np.uint64(48)


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
        east, north = east / upright, north / upright
        level = np.dstack([material.colours.astype(np.float32), east, north])
        sizes = [level]
        for at in range(1, LEVELS + 1):
            half = cv2.resize(sizes[-1], (SIDE >> at, SIDE >> at), interpolation=cv2.INTER_AREA)
            sizes.append(np.asarray(half, np.float32))
        mean, (low, high) = level[..., :3].mean((0, 1)), np.percentile(level[..., :3].mean(axis=-1), [2, 98]).tolist()
        texels = np.concatenate([size.reshape(-1, 5) for size in sizes])
        return Tile(key, texels, mean.astype(np.float32), low, high)

    def packed(self, changes: NDArray[np.float32]) -> NDArray[np.uint64]:
        """The texels as numbers of four lanes of 16 bits: what ``changes``, (4, 6), makes of the five channels and
        1."""
        return _packed(self, changes.tobytes())


@lru_cache(maxsize=6)
def _packed(tile: Tile, changes: bytes) -> NDArray[np.uint64]:
    how = np.frombuffer(changes, np.float32).reshape(4, 6)
    out = np.empty(len(tile.texels), np.uint64)
    in_threads(lambda a, b: packed_texels(tile.texels, how, out, a, b), tile.texels)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def packed_texels(texels, changes, out, first, last):
    """Texels as numbers of four lanes; see :meth:`Tile.packed`."""
    none, half, full = np.float32(0), np.float32(0.5), np.float32(255)
    for i in range(first, last):
        made = np.uint64(0)
        for lane in range(4):
            value = changes[lane, 5] + half
            for c in range(5):
                value += texels[i, c] * changes[lane, c]
            made |= np.uint64(np.uint32(np.int32(min(max(value, none), full)))) << (_LANE * np.uint64(lane))
        out[i] = made


STARTS = np.cumsum([0] + [(SIDE >> level) ** 2 for level in range(LEVELS)]).astype(np.int64)
"""Where the sizes of a tile begin."""


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
def _melts(place):
    """Between which tiles a place is, in tiles: the first of two, and how much of the second is seen."""
    place -= 0.5
    first = math.floor(place)
    return np.int64(first), min(max((place - first - 0.5) * (1 / BAND) + 0.5, 0.0), 1.0)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _tap(texels, x, y, on_u, on_v, level, weight):
    """Four lanes at a place of one size of the tile, shifted, bilinear and weighted, 0..256."""
    side, mask, start = SIDE >> level, (SIDE >> level) - 1, STARTS[level]
    ix, iy = np.int64(math.floor(x)), np.int64(math.floor(y))
    dx, dy = np.float32(x - ix) * weight, np.float32(y - iy)
    w11, w01 = np.uint64(dx * dy), np.uint64(dx * (np.float32(1) - dy))
    w10 = np.uint64((weight - dx) * dy)
    w00 = np.uint64(weight) - w11 - w01 - w10
    step = SIDE // GRAIN >> level
    x0, y0 = (ix + on_u * step) & mask, (iy + on_v * step) & mask
    x1, y1 = (x0 + 1) & mask, (y0 + 1) & mask
    upper, lower = np.uint64(start + y0 * side), np.uint64(start + y1 * side)
    x0, x1 = np.uint64(x0), np.uint64(x1)
    return texels[upper + x0] * w00 + texels[upper + x1] * w01 + texels[lower + x0] * w10 + texels[lower + x1] * w11


@njit(cache=True, nogil=True, fastmath=True)
def _melted(texels, u, v, cell_u, cell_v, octave, level, weight):
    """Four lanes where tiles melt into one another, the weights, and their squares."""
    iu, tu = _melts(u * (1.0 / SIDE))
    iv, tv = _melts(v * (1.0 / SIDE))
    shrunk = 1.0 / (1 << level)
    x, y = u * shrunk - 0.5, v * shrunk - 0.5
    made, weights, squares = np.uint64(0), np.float32(0), np.float32(0)
    for b in range(2):
        for a in range(2):
            by = np.float32(math.floor((tv if b else 1.0 - tv) * (tu if a else 1.0 - tu) * weight))
            if by < np.float32(1):
                continue
            on_u, on_v = _shift(iu + a + cell_u, iv + b + cell_v, octave)
            made += _tap(texels, x, y, on_u, on_v, level, by)
            weights += by
            squares += by * by
    return made, weights, squares


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _unpacked(made, weights):
    share = np.float32(1) / max(weights, np.float32(1))
    return (
        np.float32(np.int32(made & LANE)) * share,
        np.float32(np.int32((made >> _LANE) & LANE)) * share,
        np.float32(np.int32((made >> _TWO_LANES) & LANE)) * share,
        np.float32(np.int32(made >> _THREE_LANES)) * share,
    )


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
    full, half, one, none = np.float32(1.0 / 255.0), np.float32(0.5), np.float32(1), np.float32(0)
    width, count = pixels.shape[1], octaves.shape[0]
    levels, shift_u, shift_v = np.zeros(count, np.int64), np.zeros(count, np.int64), np.zeros(count, np.int64)
    alone = np.zeros(count, np.bool_)
    # Numbers of their own, as what is written into pixels could change them otherwise.
    m00, m01, m02 = inverse[0, 0], inverse[0, 1], inverse[0, 2]
    m10, m11, m12 = inverse[1, 0], inverse[1, 1], inverse[1, 2]
    m20, m21, m22 = inverse[2, 0], inverse[2, 1], inverse[2, 2]
    mean_r, mean_g, mean_b, mean_l = mean[0], mean[1], mean[2], mean[3]
    places, byte, opaque = np.zeros((count, 6)), np.uint32(255), np.uint32(255)
    for k in range(count):
        places[k, 3] = octaves[k, 5]
        for c in range(3):
            places[k, c] = octaves[k, c]
    for y in range(first, last):
        at_v = y + 0.5
        for run in range(0, width, RUN):
            # What is alike along a run: the sizes of the tile, and whether it lies in one tile alone.
            begins, ends = run + 0.5, min(run + RUN, width) - 0.5
            near_a, near_b = m20 * begins + m21 * at_v + m22, m20 * ends + m21 * at_v + m22
            if near_a <= 1e-6 or near_b <= 1e-6:
                continue
            east_a = (m00 * begins + m01 * at_v + m02) / near_a
            north_a = (m10 * begins + m11 * at_v + m12) / near_a
            east_b, north_b = (m00 * ends + m01 * at_v + m02) / near_b, (m10 * ends + m11 * at_v + m12) / near_b
            covers = covered(inverse, east_a, north_a, 1.0 / near_a)
            for k in range(count):
                scale = octaves[k, 0]
                levels[k] = min(max(int(math.log2(max(covers * scale, 1.0)) + 0.35), 0), LEVELS)
                iu, tu = _melts((octaves[k, 1] + east_a * scale) * (1.0 / SIDE))
                iv, tv = _melts((octaves[k, 2] - north_a * scale) * (1.0 / SIDE))
                ju, su = _melts((octaves[k, 1] + east_b * scale) * (1.0 / SIDE))
                jv, sv = _melts((octaves[k, 2] - north_b * scale) * (1.0 / SIDE))
                single = (tu == 0.0 or tu == 1.0) and (tv == 0.0 or tv == 1.0)
                iu, iv, ju, jv = iu + int(tu), iv + int(tv), ju + int(su), jv + int(sv)
                alone[k] = single and (su == 0.0 or su == 1.0) and (sv == 0.0 or sv == 1.0) and iu == ju and iv == jv
                if alone[k]:
                    shift_u[k], shift_v[k] = _shift(
                        iu + np.int64(octaves[k, 3]), iv + np.int64(octaves[k, 4]), np.int64(octaves[k, 6])
                    )
            for x in range(run, min(run + RUN, width)):
                pixel = pixels[y, x]
                alpha = pixel >> np.uint32(24)
                if alpha == 0:
                    continue
                at_u = x + 0.5
                far = 1.0 / (m20 * at_u + m21 * at_v + m22)
                east, north = (m00 * at_u + m01 * at_v + m02) * far, (m10 * at_u + m11 * at_v + m12) * far
                made, weights, squares = np.uint64(0), none, none
                for k in range(count):
                    scale, weight = places[k, 0], np.float32(places[k, 3])
                    u, v = places[k, 1] + east * scale, places[k, 2] - north * scale
                    if alone[k]:
                        shrunk = 1.0 / (1 << levels[k])
                        made += _tap(
                            texels, u * shrunk - 0.5, v * shrunk - 0.5, shift_u[k], shift_v[k], levels[k], weight
                        )
                        weights += weight
                        squares += weight * weight
                    else:
                        more, by, square = _melted(
                            texels, u, v, np.int64(octaves[k, 3]), np.int64(octaves[k, 4]), np.int64(octaves[k, 6]),
                            levels[k], weight,
                        )  # fmt: skip
                        made, weights, squares = made + more, weights + by, squares + square
                contrast = weights / np.float32(math.sqrt(max(squares, one)))
                values = _unpacked(made, weights)
                r = min(max(((values[0] - mean_r) * contrast + mean_r) * full, none), one)
                g = min(max(((values[1] - mean_g) * contrast + mean_g) * full, none), one)
                b = min(max(((values[2] - mean_b) * contrast + mean_b) * full, none), one)
                top = np.float32(alpha)
                share = full if alpha == opaque else one / top
                was_r = np.float32(np.int32(pixel & byte)) * share
                was_g = np.float32(np.int32((pixel >> np.uint32(8)) & byte)) * share
                was_b = np.float32(np.int32((pixel >> np.uint32(16)) & byte)) * share
                if mode == 1:
                    r, g, b = was_r * r, was_g * g, was_b * b
                else:
                    r, g, b = blended(mode, was_r, was_g, was_b, r, g, b)
                lit = top * (one + light * (values[3] - mean_l) * contrast)
                r = min(max((was_r + strength * (r - was_r)) * lit + half, none), top)
                g = min(max((was_g + strength * (g - was_g)) * lit + half, none), top)
                b = min(max((was_b + strength * (b - was_b)) * lit + half, none), top)
                pixels[y, x] = (
                    np.uint32(np.int32(r))
                    | (np.uint32(np.int32(g)) << np.uint32(8))
                    | (np.uint32(np.int32(b)) << np.uint32(16))
                    | (alpha << np.uint32(24))
                )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def covered(inverse, east, north, far):
    """Ground units of what a pixel covers, between the longer and the mean of its sides."""
    ax, ay = (inverse[0, 0] - east * inverse[2, 0]) * far, (inverse[1, 0] - north * inverse[2, 0]) * far
    bx, by = (inverse[0, 1] - east * inverse[2, 1]) * far, (inverse[1, 1] - north * inverse[2, 1]) * far
    one, other = math.sqrt(ax * ax + ay * ay), math.sqrt(bx * bx + by * by)
    return 0.5 * (max(one, other) + math.sqrt(one * other))


@njit(cache=True, nogil=True, fastmath=True)
def slope_rows(out, first, last, east, north, octaves, texels, covers):
    """Slopes to the east and north, (rows, columns, 2), at places on the ground; ``covers``: ground units of what is
    looked at there."""
    for r in range(first, last):
        for c in range(east.shape[1]):
            out[r, c, 0], out[r, c, 1] = np.float32(0), np.float32(0)
            if not (abs(east[r, c]) < 1e12 and abs(north[r, c]) < 1e12):
                continue
            made, weights, squares = np.uint64(0), np.float32(0), np.float32(0)
            for k in range(octaves.shape[0]):
                scale = octaves[k, 0]
                level = min(max(int(math.log2(max(covers * scale, 1.0)) + 0.35), 0), LEVELS)
                more, by, square = _melted(
                    texels, octaves[k, 1] + east[r, c] * scale, octaves[k, 2] - north[r, c] * scale,
                    np.int64(octaves[k, 3]), np.int64(octaves[k, 4]), np.int64(octaves[k, 6]), level,
                    np.float32(octaves[k, 5]),
                )  # fmt: skip
                made, weights, squares = made + more, weights + by, squares + square
            contrast = weights / np.float32(math.sqrt(max(squares, np.float32(1))))
            values = _unpacked(made, weights)
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
    return np.array([one for one in made if one[5] >= 1])


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
