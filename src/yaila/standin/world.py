"""The practice world: an invented archipelago as aerial imagery, at any scale, the same every time.

Everything is a function of ground coordinates in metres, so pictures of different scales agree wherever they
overlap. The relief is a sum of gradient noise (K. Perlin, "Improving Noise", SIGGRAPH 2002) on islands of given
place and size; sea, shore, woods, fields, streets and roofs follow from it. Sizes, colours and places are
invented.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numba import float64, int64
from numpy.typing import NDArray

from yaila.core.colour import encoded
from yaila.core.compiling import njit
from yaila.core.ground import GroundBox
from yaila.standin.carving import FILE, NORTH, STEP, WEST, receivers

Floats = NDArray[np.float64]

# x, y (km), half axes (km), turn (degrees), peak (m)
ISLANDS = np.array(
    [
        [447.0, 238.0, 30.0, 19.0, 24.0, 1500.0],
        [425.0, 224.0, 17.0, 10.0, 8.0, 620.0],
        [499.5, 251.5, 10.5, 17.0, 14.0, 1050.0],
        [507.0, 262.0, 8.0, 6.0, 40.0, 420.0],
        [533.0, 224.0, 13.0, 22.0, -22.0, 1150.0],
        [485.2, 219.2, 1.5, 1.1, 10.0, 90.0],
        [497.0, 221.5, 5.6, 4.0, -20.0, 260.0],
        [486.0, 279.0, 12.0, 7.0, -12.0, 760.0],
        [536.0, 272.0, 9.0, 11.0, 30.0, 560.0],
        [414.0, 270.0, 6.5, 8.5, 15.0, 480.0],
        [408.0, 207.0, 8.0, 5.0, -30.0, 420.0],
        [462.0, 204.0, 4.0, 2.6, 12.0, 190.0],
        [520.0, 243.0, 2.0, 1.4, 50.0, 100.0],
        [469.0, 268.0, 2.4, 1.5, -40.0, 120.0],
        [549.0, 246.0, 3.4, 2.4, 12.0, 210.0],
        [510.0, 205.0, 2.6, 1.7, 5.0, 150.0],
    ]
)


RIVER = 8.2
"""How many doublings of a place of the carved land must drain into a river: 4 square kilometres."""

WINDS, MEANDERS = 420.0, 55.0
"""How far ranges and rivers wind off the grid that they were carved on, in the large and in the small, metres."""

POOL = 8.0
"""How wide the pool of light below a lamp is, a deviation, metres."""

SODIUM, WINDOW, QUAY = (1.0, 0.55, 0.2), (1.0, 0.75, 0.42), (0.85, 0.92, 1.0)
"""Colours of lights, linear red, green and blue."""


@dataclass(frozen=True)
class Harbour:
    """A harbour town: where its quay lies (metres), which way the sea is (degrees from north), and its radius."""

    name: str
    x: float
    y: float
    seaward: float
    radius: float


# What is called with numbers that stand in the code says what it takes: it would be compiled for each of them.
@njit((int64, int64, int64), cache=True, nogil=True, fastmath=True, forceinline=True)
def _hash(x, y, seed):
    h = np.uint32(
        np.uint32(x) * np.uint32(374761393) + np.uint32(y) * np.uint32(668265263) + np.uint32(seed) * np.uint32(144665)
    )
    h = np.uint32((h ^ (h >> np.uint32(13))) * np.uint32(1274126177))
    return np.uint32(h ^ (h >> np.uint32(16)))


@njit((int64, int64, int64), cache=True, nogil=True, fastmath=True, forceinline=True)
def _share(x, y, seed):
    """An even random number 0..1 for a grid point."""
    return np.float64(_hash(x, y, seed)) / 4294967295.0


_ANGLES = np.arange(256) * (2 * math.pi / 256)
_GRADIENTS = np.stack([np.cos(_ANGLES), np.sin(_ANGLES)], axis=1) * 1.5


@njit((int64, int64, int64, float64, float64), cache=True, nogil=True, fastmath=True, forceinline=True)
def _corner(ix, iy, seed, u, v):
    k = _hash(ix, iy, seed) & np.uint32(255)
    return _GRADIENTS[k, 0] * u + _GRADIENTS[k, 1] * v


@njit((float64, float64, int64), cache=True, nogil=True, fastmath=True)
def _noise(x, y, seed):
    """Gradient noise, about -1..1, features about 1 unit apart."""
    fx, fy = math.floor(x), math.floor(y)
    ix, iy = np.int64(fx), np.int64(fy)
    u, v = x - fx, y - fy
    su, sv = u * u * u * (u * (u * 6 - 15) + 10), v * v * v * (v * (v * 6 - 15) + 10)
    n00, n10 = _corner(ix, iy, seed, u, v), _corner(ix + 1, iy, seed, u - 1, v)
    n01, n11 = _corner(ix, iy + 1, seed, u, v - 1), _corner(ix + 1, iy + 1, seed, u - 1, v - 1)
    low, high = n00 + su * (n10 - n00), n01 + su * (n11 - n01)
    return low + sv * (high - low)


@njit((float64, float64, float64, float64, float64, int64), cache=True, nogil=True, fastmath=True)
def _fractal(x, y, longest, shortest, gain, seed):
    """Octaves of noise from wavelength ``longest`` (amplitude 1) down to ``shortest``."""
    total, amplitude, wave, k = 0.0, 1.0, longest, 0
    while wave > shortest:
        fade = min(1.0, (wave / shortest - 1.0))
        total += amplitude * fade * _noise(x / wave, y / wave, seed + k)
        amplitude *= gain
        wave *= 0.5
        k += 1
    return total


@njit((float64, float64, float64), cache=True, nogil=True, fastmath=True, forceinline=True)
def _step(a, b, x):
    t = min(max((x - a) / (b - a), 0.0), 1.0)
    return t * t * (3 - 2 * t)


@njit(cache=True, nogil=True, fastmath=True)
def _edge(x, y, finest, islands):
    """How far inside the land a place is, below 0 in the sea, and how high the mountains around it are, metres."""
    wx = x + 6000 * _fractal(x, y, 34000.0, max(finest, 300.0), 0.56, 11)
    wy = y + 6000 * _fractal(x, y, 34000.0, max(finest, 300.0), 0.56, 31)
    land, peak, weights = -3.0, 0.0, 1e-12
    for i in range(islands.shape[0]):
        dx, dy = wx - islands[i, 0] * 1000, wy - islands[i, 1] * 1000
        angle = math.radians(islands[i, 4])
        a = (dx * math.cos(angle) + dy * math.sin(angle)) / (islands[i, 2] * 1000)
        b = (dy * math.cos(angle) - dx * math.sin(angle)) / (islands[i, 3] * 1000)
        e = 1 - math.sqrt(a * a + b * b)
        land = max(land, e)
        weight = math.exp(min(e, 1.0) * 14)
        peak += weight * islands[i, 5]
        weights += weight
    rough = _fractal(x, y, 16000.0, max(finest, 20.0), 0.5, 51)
    return land + 0.27 * rough - 0.02, peak / weights


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _weights(t):
    """Of four neighbours, by a cubic B-spline."""
    u = 1 - t
    return u * u * u / 6, (4 - 6 * t * t + 3 * t * t * t) / 6, (4 - 6 * u * u + 3 * u * u * u) / 6, t * t * t / 6


@njit(cache=True, nogil=True, fastmath=True)
def _winding(x, y):
    """How far a place has been moved from where it was carved, metres east and north."""
    return (
        WINDS * _noise(x / 3400, y / 3400, 801) + MEANDERS * _noise(x / 430, y / 430, 802),
        WINDS * _noise(x / 3400, y / 3400, 803) + MEANDERS * _noise(x / 430, y / 430, 804),
    )


@njit(cache=True, nogil=True, allocates=True)
def _wound(places):
    """Where places (n, 2) that were carved have come to."""
    made = places.copy()
    for k in range(len(places)):
        for _ in range(8):
            east, north = _winding(made[k, 0], made[k, 1])
            made[k, 0], made[k, 1] = places[k, 0] + east, places[k, 1] + north
    return made


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _on_grid(x, y):
    """The place of the carved land that has come to a place: column and row, and how far beyond their middles it is."""
    east, north = _winding(x, y)
    fx, fy = (x - east - WEST) / STEP - 0.5, (NORTH - y + north) / STEP - 0.5
    ix, iy = math.floor(fx), math.floor(fy)
    return ix, iy, fx - ix, fy - iy


@njit(cache=True, nogil=True, fastmath=True)
def _carved(x, y, relief):
    """The height that the land was carved to (``carving.py``), metres."""
    ix, iy, u, v = _on_grid(x, y)
    if ix < 1 or iy < 1 or ix > relief.shape[1] - 3 or iy > relief.shape[0] - 3:
        return 0.0
    across, down = _weights(u), _weights(v)
    total = 0.0
    for r in range(4):
        row = 0.0
        for c in range(4):
            row += across[c] * relief[iy + r - 1, ix + c - 1]
        total += down[r] * row
    return total


@njit(cache=True, nogil=True, fastmath=True)
def _drained(x, y, drains):
    """How much drains through about there, doublings of a place of the carved land, bilinear."""
    ix, iy, u, v = _on_grid(x, y)
    if ix < 0 or iy < 0 or ix > drains.shape[1] - 2 or iy > drains.shape[0] - 2:
        return 0.0
    upper = drains[iy, ix] + u * (drains[iy, ix + 1] - drains[iy, ix])
    lower = drains[iy + 1, ix] + u * (drains[iy + 1, ix + 1] - drains[iy + 1, ix])
    return upper + v * (lower - upper)


@njit(cache=True, nogil=True)
def _broad(out, west, north, step, islands):
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            edge, peak = _edge(west + (column + 0.5) * step, north - (row + 0.5) * step, 2 * step, islands)
            rise = max(edge, 0.0) / (max(edge, 0.0) + 0.35)
            out[row, column] = 0.9 * peak * rise * (0.18 + 0.82 * _step(0.0, 0.6, edge)) if edge > 0 else -1.0


def broad_heights(west: float, north: float, step: float, columns: int, rows: int, islands: Floats) -> Floats:
    """How high the land is in the large, before rivers carve it; below 0 in the sea."""
    out = np.empty((rows, columns))
    _broad(out, west, north, step, islands)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def _height(x, y, finest, islands, harbours, relief):
    """Height above the sea in metres."""
    edge, _ = _edge(x, y, finest, islands)
    if edge > 0:
        height = _carved(x, y, relief)
        # What is finer than rivers carve: outcrops and hollows, the rougher the higher.
        height += min(1.4 + 0.07 * height, 20.0) * _fractal(x, y, 260.0, max(finest, 2.0), 0.5, 91) + 1.5
        height = max(height * _step(-0.01, 0.04, edge) + edge * 60, 0.2)
    else:
        height = edge * 210 * (1 - 0.55 * edge) + 5 * _fractal(x, y, 2600.0, max(finest, 8.0), 0.5, 93) * min(
            1.0, -edge * 9
        )
    for i in range(harbours.shape[0]):
        dx, dy = x - harbours[i, 0], y - harbours[i, 1]
        radius = harbours[i, 3]
        far = math.sqrt(dx * dx + dy * dy)
        # A lighthouse stands on the land as it is; a town has its bay and level ground.
        if far > radius * 2 or radius < 200:
            continue
        along = dx * math.cos(harbours[i, 2]) - dy * math.sin(harbours[i, 2])
        out = dx * math.sin(harbours[i, 2]) + dy * math.cos(harbours[i, 2])
        bay = 22 * _noise(along / 240, 3.3, 7) + 0.00042 * along * along * (1 if radius > 500 else 0.3)
        shore = -out + bay + 3.5 * _fractal(x, y, 90.0, max(finest, 1.0), 0.5, 17) * _step(260.0, 420.0, abs(along))
        if shore > 0:
            flat = 0.3 + 2.3 * _step(0.0, 16.0, shore) + 0.055 * shore + 0.00006 * shore * shore
            flat += 2.5 * _noise(x / 130, y / 130, 19) * _step(40.0, 200.0, shore)
        else:
            flat = max(shore * 0.09 - 0.3, -13.0)
        blend = _step(radius * 1.9, radius * 0.95, far)
        height = height * (1 - blend) + flat * blend
    return height


@njit(cache=True, nogil=True, fastmath=True)
def _box(a, b, half_a, half_b):
    """Signed distance to a rectangle about the origin."""
    qa, qb = abs(a) - half_a, abs(b) - half_b
    return math.hypot(max(qa, 0.0), max(qb, 0.0)) + min(max(qa, qb), 0.0)


@njit((float64,) * 6, cache=True, nogil=True, fastmath=True)
def _segment(a, b, a0, b0, a1, b1):
    """Distance to a line segment."""
    da, db = a1 - a0, b1 - b0
    t = min(max(((a - a0) * da + (b - b0) * db) / (da * da + db * db), 0.0), 1.0)
    return math.hypot(a - a0 - t * da, b - b0 - t * db)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _strip(x, half, pixel):
    """How much of a pixel a strip covers whose middle is so far away, however narrow it is."""
    return max(min(x + pixel / 2, half) - max(x - pixel / 2, -half), 0.0) / pixel


@njit((float64[:], float64, float64, float64, float64), cache=True, nogil=True, fastmath=True, forceinline=True)
def _over(colour, r, g, b, cover):
    colour[0] += (r - colour[0]) * cover
    colour[1] += (g - colour[1]) * cover
    colour[2] += (b - colour[2]) * cover


@njit(cache=True, nogil=True, fastmath=True)
def _quarter(a, b, seed, out):
    """The quarter of a town that a place lies in, metres along the shore and out to sea: into ``out`` its coordinates
    in the quarter, how far the avenue is that divides it from the next, its lots' width and depth, how many of them
    make a block either way, its kind (0 old, 1 closed blocks, 2 terraces, 3 villas), and its seed."""
    # Avenues are not straight.
    wa, wb = a + 46 * _noise(a / 310, b / 310, seed + 41), b + 46 * _noise(a / 310 + 7, b / 310, seed + 42)
    side = 300.0
    ca, cb = math.floor(wa / side), math.floor(wb / side)
    best, second, ka, kb, pa, pb = 1e18, 1e18, np.int64(0), np.int64(0), 0.0, 0.0
    for na in range(-1, 2):
        for nb in range(-1, 2):
            ia, ib = np.int64(ca) + na, np.int64(cb) + nb
            qa = (ia + 0.5 + 0.74 * (_share(ia, ib, seed + 43) - 0.5)) * side
            qb = (ib + 0.5 + 0.74 * (_share(ia, ib, seed + 44) - 0.5)) * side
            far = math.hypot(wa - qa, wb - qb)
            if far < best:
                second, best = best, far
                ka, kb, pa, pb = ia, ib, qa, qb
            elif far < second:
                second = far
    middle = math.hypot(pa, pb + 110)
    chance = _share(ka, kb, seed + 45)
    kind = 3.0 if chance > 0.55 else 2.0
    if middle < 520 and chance < 0.8:
        kind = 1.0
    if middle < 230:
        kind = 0.0
    # The older a quarter is, the more it follows the shore, and the less straight it is.
    turn = (0.25 if kind == 0 else 0.5 if kind == 1 else 1.3) * (_share(ka, kb, seed + 46) - 0.5)
    bend = 15.0 if kind == 0 else 5.0 if kind == 1 else 34.0 * _share(ka, kb, seed + 47)
    wave = 95.0 if kind == 0 else 260.0
    oa, ob = a - pa, b - pb
    out[0] = oa * math.cos(turn) + ob * math.sin(turn) + bend * _noise(a / wave, b / wave, seed + 48)
    out[1] = ob * math.cos(turn) - oa * math.sin(turn) + bend * _noise(a / wave + 5, b / wave, seed + 49)
    out[2] = (second - best) / 2
    out[3] = 10.5 if kind == 0 else 13.0 if kind == 1 else 11.0 if kind == 2 else 19.0
    out[4] = 12.0 if kind == 0 else 15.0 if kind == 1 else 21.0 if kind == 2 else 24.0
    out[5] = 5.0 if kind == 0 else 6.0 if kind == 1 else 11.0 if kind == 2 else 6.0
    out[6] = 4.0 if kind == 0 else 5.0 if kind == 1 else 3.0
    out[7] = kind
    out[8] = np.float64(_hash(ka, kb, seed + 50) & np.uint32(0xFFFF))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _street(qa, qb, quarter):
    """How far the middles of the nearest streets of a quarter are, of those along it and of those across."""
    ga, gb = qa / quarter[3], qb / quarter[4]
    return (
        abs(ga - quarter[5] * math.floor(ga / quarter[5]) - 0.5) * quarter[3],
        abs(gb - quarter[6] * math.floor(gb / quarter[6]) - 0.5) * quarter[4],
    )


@njit(cache=True, nogil=True, fastmath=True)
def _roof(colour, kind, tint, lit, cover):
    """A roof's colour: tiles, slate or tin."""
    if kind < 0.6:
        r, g, b = 152.0, 94.0, 74.0
    elif kind < 0.84:
        r, g, b = 112.0, 111.0, 116.0
    else:
        r, g, b = 184.0, 158.0, 120.0
    k = (0.8 + 0.34 * tint) * lit
    _over(colour, r * k, g * k, b * k, cover)


@njit(cache=True, nogil=True, fastmath=True)
def _blocks_of_houses(colour, quarter, pixel, density):
    """Closed blocks: houses wall to wall around a yard, with the ridge of their roofs along the street."""
    seed = np.int64(quarter[8]) + 900
    across, down = quarter[5] * quarter[3], quarter[6] * quarter[4]
    ia, ib = np.int64(math.floor(quarter[0] / across)), np.int64(math.floor(quarter[1] / down))
    # The street takes the first lot of either side.
    oa = quarter[0] - ia * across - (across + quarter[3]) / 2
    ob = quarter[1] - ib * down - (down + quarter[4]) / 2
    half_a, half_b = (across - quarter[3]) / 2 - 0.5, (down - quarter[4]) / 2 - 0.5
    deep = 10.0 if quarter[7] > 0 else 8.0
    if _share(ia, ib, seed) < 0.07:
        # A green with trees.
        inside = min(max(0.5 - _box(oa, ob, half_a, half_b) / max(pixel, 0.5), 0.0), 1.0)
        _over(colour, 92, 112, 62, 0.8 * inside)
        crowns = _step(0.05, 0.35, _fractal(quarter[0], quarter[1], 11.0, max(pixel * 2, 0.5), 0.5, seed + 1))
        _over(colour, 48, 70, 38, 0.8 * inside * crowns * _step(8.0, 1.5, pixel))
        return
    edge = _box(oa, ob, half_a, half_b)
    shadow = _box(oa - 2.4, ob + 2.9, half_a, half_b)
    yard = -_box(oa, ob, half_a - deep, half_b - deep)
    fine = max(pixel, 0.4)
    _over(colour, 42, 46, 50, 0.5 * min(max(0.5 - shadow / fine, 0.0), 1.0) * min(max(0.5 + edge / fine, 0.0), 1.0))
    built = min(max(0.5 - edge / fine, 0.0), 1.0) * min(max(0.5 - yard / fine, 0.0), 1.0)
    if yard > -fine:
        inside = min(max(0.5 + yard / fine, 0.0), 1.0)
        garden = _step(-0.3, 0.3, _noise(quarter[0] / 17, quarter[1] / 17, seed + 5))
        _over(colour, 134 - 44 * garden, 128 - 14 * garden, 112 - 48 * garden, 0.85 * inside)
        _over(colour, 56, 60, 56, 0.4 * min(max(0.5 + yard / fine, 0.0), 1.0) * _step(7.0, 0.0, yard) * (ob > oa))
        if pixel < 5:
            crowns = _step(0.2, 0.42, _fractal(quarter[0], quarter[1], 9.0, max(pixel * 2, 0.5), 0.5, seed + 7))
            _over(colour, 46, 66, 38, 0.85 * inside * crowns * garden * _step(5.0, 1.5, pixel))
        # A workshop or a shed in some of them.
        if _share(ia, ib, seed + 8) < 0.55:
            shed = _box(
                oa + 7.0 * (_share(ia, ib, seed + 12) - 0.5), ob + 6.0 * (_share(ia, ib, seed + 13) - 0.5), 5.2, 3.4
            )
            _roof(colour, _share(ia, ib, seed + 14), 0.3, 0.95, inside * min(max(0.5 - shed / fine, 0.0), 1.0))
    if built <= 0:
        return
    # Along which side it stands, and which house it is of those there.
    to_a, to_b = half_a - abs(oa), half_b - abs(ob)
    along = ob if to_a < to_b else oa
    inner = to_a if to_a < to_b else to_b
    wide = quarter[3] * 1.05
    house = (
        np.int64(math.floor(along / wide)) * 4
        + (2 if to_a < to_b else 0)
        + (1 if (oa if to_a < to_b else ob) > 0 else 0)
    )
    if _share(house, ia * 31 + ib, seed + 2) > density * 1.25:
        _over(colour, 128, 126, 96, built)
        return
    outer = inner < deep / 2
    # Slopes that look north-west are lit.
    faces = (-1.0 if oa > 0 else 1.0) if to_a < to_b else (1.0 if ob > 0 else -1.0)
    lit = 1.0 + 0.16 * faces * (1.0 if outer else -1.0)
    tiles = 1 + 0.12 * _fractal(quarter[0], quarter[1], 1.2, max(pixel * 2, 0.12), 0.6, seed + 9)
    ridge = 1 + 0.18 * _step(0.7, 0.2, abs(inner - deep / 2))
    _roof(
        colour, _share(house, ia * 31 + ib, seed + 3), _share(house, ia * 31 + ib, seed + 4), lit * tiles * ridge, built
    )
    wall = along / wide - math.floor(along / wide)
    _over(
        colour,
        70,
        62,
        58,
        0.5 * built * _step(max(0.5, pixel), 0.1, min(wall, 1 - wall) * wide) * _step(2.5, 0.5, pixel),
    )


FAR = 7.0
"""From which size of pixel on towns are drawn by their blocks, metres: houses cannot be told apart."""


@njit(cache=True, nogil=True, fastmath=True)
def _blocks_from_afar(colour, quarter, pixel, density):
    """The same blocks from afar: the mean of their roofs, yards and gardens, where each of them is."""
    seed = np.int64(quarter[8]) + 900
    across, down = quarter[5] * quarter[3], quarter[6] * quarter[4]
    ia, ib = np.int64(math.floor(quarter[0] / across)), np.int64(math.floor(quarter[1] / down))
    oa = quarter[0] - ia * across - (across + quarter[3]) / 2
    ob = quarter[1] - ib * down - (down + quarter[4]) / 2
    half_a, half_b = (across - quarter[3]) / 2 - 0.5, (down - quarter[4]) / 2 - 0.5
    inside = _strip(oa, half_a, pixel) * _strip(ob, half_b, pixel)
    if quarter[7] >= 2:
        roofs = density * (0.42 if quarter[7] == 2 else 0.3)
        _over(colour, 92, 92, 74, 0.16 * inside * density)
        _over(colour, 140, 106, 88, roofs * inside)
        return
    if _share(ia, ib, seed) < 0.07:
        _over(colour, 84, 105, 57, 0.8 * inside)
        return
    deep = 10.0 if quarter[7] > 0 else 8.0
    yard = _strip(oa, half_a - deep, pixel) * _strip(ob, half_b - deep, pixel)
    housed = min(density * 1.25, 1.0)
    _over(
        colour,
        140 * housed + 128 * (1 - housed),
        105 * housed + 126 * (1 - housed),
        89 * housed + 96 * (1 - housed),
        inside - yard,
    )
    _over(colour, 108, 114, 86, 0.85 * yard / max(1 - inside + yard, 1e-6))


@njit(cache=True, nogil=True, fastmath=True)
def _houses(colour, quarter, pixel, density):
    """Houses of a quarter that stand by themselves or in rows, with gardens."""
    seed = np.int64(quarter[8])
    lot_a, lot_b = quarter[3], quarter[4]
    each_a, each_b = np.int64(quarter[5]), np.int64(quarter[6])
    row = quarter[7] == 2
    ca, cb = math.floor(quarter[0] / lot_a), math.floor(quarter[1] / lot_b)
    if not row and pixel < 4:
        trees = _step(0.28, 0.6, _fractal(quarter[0], quarter[1], 13.0, max(pixel * 2, 0.6), 0.55, seed + 11))
        _over(colour, 52, 74, 42, 0.75 * trees * density * _step(4.0, 1.5, pixel))
    for shadow in range(2):
        for na in range(-1, 2):
            for nb in range(-1, 2):
                ia, ib = np.int64(ca) + na, np.int64(cb) + nb
                if _share(ia, ib, seed) > density or ia % each_a == 0 or ib % each_b == 0:
                    continue
                if row:
                    # Rows of houses whose backs meet in gardens.
                    wide, deep = lot_a * 0.5, 4.6
                    oa = quarter[0] - (ia + 0.5) * lot_a
                    ob = quarter[1] - (ib + (0.27 if ib % each_b == 1 else 0.73)) * lot_b
                else:
                    wide = 4.2 + 2.8 * _share(ia, ib, seed + 1)
                    deep = 4.8 + 3.0 * _share(ia, ib, seed + 2)
                    oa = quarter[0] - (ia + 0.5) * lot_a - 4.0 * (_share(ia, ib, seed + 3) - 0.5)
                    ob = quarter[1] - (ib + 0.5) * lot_b - 5.0 * (_share(ia, ib, seed + 4) - 0.5)
                    skew = 0.3 * (_share(ia, ib, seed + 5) - 0.5)
                    oa, ob = oa - skew * ob, ob + skew * oa
                if shadow == 0:
                    cover = min(max(0.5 - _box(oa - 1.9, ob + 2.3, wide, deep) / max(pixel, 0.5), 0.0), 1.0)
                    if cover > 0:
                        _over(colour, 40, 44, 46, 0.55 * cover)
                    continue
                distance = _box(oa, ob, wide, deep)
                cover = min(max(0.5 - distance / pixel, 0.0), 1.0)
                if cover <= 0:
                    continue
                across = ob if row or wide > deep else oa
                lit = 1.12 if (across > 0) == (row or wide > deep) else 0.84
                tiles = 1 + 0.12 * _fractal(quarter[0], quarter[1], 1.2, max(pixel * 2, 0.12), 0.6, seed + 9)
                ridge = 1 + 0.2 * _step(0.5, 0.2, abs(across))
                kind = _share(np.int64(math.floor(ia / 4)), ib, seed + 6) if row else _share(ia, ib, seed + 6)
                _roof(colour, kind, _share(ia, ib, seed + 7), lit * tiles * ridge, cover)
                chimney = _box(oa - wide * 0.3, ob - deep * 0.4, 0.55, 0.55)
                _over(colour, 92, 78, 70, min(max(0.5 - chimney / pixel, 0.0), 1.0) * _step(1.2, 0.3, pixel))


@njit(cache=True, nogil=True, fastmath=True)
def _church(colour, a, b, pixel):
    """The square of a town, and its church: a nave, two aisles, and a tower whose shadow is the longest."""
    oa, ob = a * 0.94 - (b + 112) * 0.34, (b + 112) * 0.94 + a * 0.34
    fine = max(pixel, 0.4)
    _over(colour, 150, 143, 132, min(max(0.5 - _box(oa, ob, 44.0, 34.0) / fine, 0.0), 1.0))
    trees = _step(3.2, 2.2, abs(_box(oa, ob, 38.0, 28.0))) * _step(0.0, 0.2, _noise(oa / 6, ob / 6, 733))
    _over(colour, 52, 74, 42, 0.85 * trees)
    nave, aisles = _box(oa, ob, 21.0, 5.0), _box(oa - 1, ob, 17.0, 9.5)
    tower = _box(oa + 24, ob, 5.4, 5.4)
    for k in range(8):
        fall = 2.6 * k
        shadow = min(_box(oa + 24 - fall * 0.7, ob + fall, 5.4, 5.4), min(aisles, _box(oa - 2.5, ob + 3.4, 21.0, 5.0)))
        _over(colour, 44, 46, 52, 0.16 * min(max(0.5 - shadow / fine, 0.0), 1.0))
    lit = 1.12 if ob > 0 else 0.86
    _roof(colour, 0.7, 0.5, lit, min(max(0.5 - aisles / fine, 0.0), 1.0))
    _roof(colour, 0.7, 0.75, lit * 1.04, min(max(0.5 - nave / fine, 0.0), 1.0))
    _roof(colour, 0.2, 0.9, 1.2 if ob > abs(oa + 24) else 0.8 if -ob > abs(oa + 24) else 1.0,
          min(max(0.5 - tower / fine, 0.0), 1.0))  # fmt: skip


@njit(cache=True, nogil=True, fastmath=True)
def _town(colour, a, b, pixel, density, seed, quarter):
    """A town at a place: avenues, streets, and what is built along them."""
    _quarter(a, b, seed, quarter)
    kind = quarter[7]
    old = kind < 2
    _over(
        colour,
        140.0 if old else 130.0,
        135.0 if old else 136.0,
        126.0 if old else 92.0,
        (0.92 if old else 0.5) * density,
    )
    if pixel > FAR:
        _blocks_from_afar(colour, quarter, pixel, density)
    elif kind < 2:
        _blocks_of_houses(colour, quarter, pixel, density)
    else:
        _houses(colour, quarter, pixel, density)
    half = 1.9 if kind == 0 else 3.2 if kind == 1 else 2.7
    along, across = _street(quarter[0], quarter[1], quarter)
    wide = max(pixel, 0.3)
    street = 1 - (1 - _strip(along, half, wide)) * (1 - _strip(across, half, wide))
    _over(colour, 158, 153, 144, 0.92 * min(density * 1.6, 1.0) * street)
    _over(colour, 150, 146, 132, min(density * 1.8, 1.0) * _strip(quarter[2], 8.2, wide))
    _over(colour, 128, 126, 122, min(density * 1.8, 1.0) * _strip(quarter[2], 4.0, wide))
    # Trees stand along it, on either side.
    verge = _step(2.3, 1.5, abs(quarter[2] - 6.0)) * _step(-0.05, 0.25, _noise(a / 5.0, b / 5.0, seed + 52))
    _over(colour, 52, 72, 42, 0.85 * verge * min(density * 1.6, 1.0) * _step(3.0, 1.0, pixel))
    if density > 0.8 and math.hypot(a, b + 112) < 60 and pixel < 12:
        _church(colour, a, b, pixel)


@njit(cache=True, nogil=True, fastmath=True)
def _bay(a):
    """How far out to sea a harbour's shore lies along it, metres."""
    return 22 * _noise(a / 240, 3.3, 7) + 0.00042 * a * a


@njit(cache=True, nogil=True, fastmath=True)
def _hull(oa, ob, long):
    """Signed distance to a boat about the origin, about: pointed ahead, blunt behind."""
    t = min(max(oa / long, -1.0), 1.0)
    half = 0.34 * long * (1 - t * t if t > 0 else 1 - 0.28 * t * t)
    return max(abs(ob) - half, abs(oa) - long)


@njit(cache=True, nogil=True, fastmath=True)
def _works(colour, a, b, x, y, height, pixel, radius):
    """Draw the stone works of a harbour: quay, walls, the light at the wall's end, boats. ``b`` runs seaward."""
    # Walls and piers begin in the quay.
    wall = min(
        min(_segment(a, b, -265, _bay(-265.0) - 6, -250, 150), _segment(a, b, -250, 150, -90, 262)),
        min(_segment(a, b, 235, _bay(235.0) - 6, 245, 120), _segment(a, b, 245, 120, 150, 205)),
    )
    pier = min(_segment(a, b, -90, _bay(-90.0) - 6, -84, 120), _segment(a, b, 70, _bay(70.0) - 6, 74, 95))
    stone = min(wall - 7.0, pier - 3.2)
    quay = max(abs(b - _bay(a) + 6.0) - 9.0, abs(a) - 300.0)
    stone = min(stone, quay)
    near = (
        min(
            min(
                _segment(a - 2.5, b + 3.2, -265, _bay(-265.0) - 6, -250, 150),
                _segment(a - 2.5, b + 3.2, -250, 150, -90, 262),
            ),
            min(
                _segment(a - 2.5, b + 3.2, 235, _bay(235.0) - 6, 245, 120),
                _segment(a - 2.5, b + 3.2, 245, 120, 150, 205),
            ),
        )
        - 7.0
    )
    if stone > 0:
        foam = _step(3.2, 0.0, stone) * (0.5 + 0.5 * _fractal(x, y, 3.0, max(pixel, 0.1), 0.6, 203))
        if height < 0.2:
            _over(colour, 232, 240, 238, 0.5 * foam * _step(4.0, 0.5, pixel))
            _over(colour, 20, 48, 58, 0.5 * _step(1.5, -1.5, near))
    # Boats, moored in rows inside the walls and some lying off.
    if height < -0.5 and pixel < 5 and abs(a) < 420 and -40 < b < 420:
        ia, ib = np.int64(math.floor(a / 17)), np.int64(math.floor(b / 13))
        inside = abs(a) < 210 and b < 150
        if _share(ia, ib, 301) < (0.34 if inside else 0.018):
            turn = 0.5 * (_share(ia, ib, 302) - 0.5) + (0.0 if inside else 1.2)
            oa, ob = a - (ia + 0.5) * 17, b - (ib + 0.5) * 13
            oa, ob = oa * math.cos(turn) - ob * math.sin(turn), oa * math.sin(turn) + ob * math.cos(turn)
            long = 3.4 + 3.2 * _share(ia, ib, 303)
            hull = _hull(oa, ob, long)
            # Its shadow lies where those of the houses do.
            east, south = 0.9, -0.9
            sa, sb = east * math.cos(turn) - south * math.sin(turn), east * math.sin(turn) + south * math.cos(turn)
            fallen = _hull(oa - sa, ob - sb, long)
            _over(colour, 14, 36, 44, 0.6 * min(max(0.5 - fallen / max(pixel, 0.7), 0.0), 1.0))
            cover = min(max(0.5 - hull / pixel, 0.0), 1.0)
            kind = _share(ia, ib, 304)
            if kind < 0.5:
                _over(colour, 238, 236, 228, cover)
            elif kind < 0.75:
                _over(colour, 58, 96, 128, cover)
            else:
                _over(colour, 168, 66, 52, cover)
            plank = 1 + 0.08 * math.sin(ob * 26) * _step(0.2, 0.05, pixel)
            deck = min(max(0.5 - (hull + 0.42) / pixel, 0.0), 1.0)
            _over(colour, 150 * plank, 128 * plank, 98 * plank, deck)
            _over(
                colour,
                96,
                84,
                70,
                deck * min(max(0.5 - _box(oa + long * 0.55, ob, long * 0.3, long * 0.2) / pixel, 0.0), 1.0),
            )
            cabin = min(max(0.5 - _box(oa - long * 0.12, ob, long * 0.2, long * 0.17) / pixel, 0.0), 1.0)
            _over(colour, 226, 224, 216, cabin)
            _over(colour, 70, 84, 92, cabin * _step(0.05, 0.2, oa / long - 0.2))
    cover = min(max(0.5 - stone / pixel, 0.0), 1.0)
    if cover > 0:
        k = 1 + 0.12 * _fractal(x, y, 9.0, max(pixel * 1.5, 0.08), 0.62, 211)
        slab_a, slab_b = math.floor(b / 1.3), 0.0
        slab_b = math.floor((a + (slab_a % 2) * 1.1) / 2.2)
        k *= 0.93 + 0.14 * _share(np.int64(slab_a), np.int64(slab_b), 221) * _step(1.2, 0.2, pixel)
        fa, fb = b / 1.3 - slab_a, (a + (slab_a % 2) * 1.1) / 2.2 - slab_b
        joint = min(min(fa, 1 - fa) * 1.3, min(fb, 1 - fb) * 2.2)
        k *= 1 - 0.42 * _step(0.07, 0.01, joint) * _step(0.3, 0.1, pixel)
        edge = _step(-1.5, -1.1, stone)
        _over(colour, 182 * k, 174 * k, 158 * k, cover)
        _over(colour, 206 * k, 200 * k, 186 * k, cover * edge)
        _over(colour, 96, 92, 84, cover * _step(0.35, 0.1, abs(stone + 1.6)) * _step(0.8, 0.15, pixel))
        # Bollards and crates on the quay.
        ia = np.int64(math.floor(a / 9))
        _over(
            colour,
            60,
            58,
            56,
            cover * min(max(0.5 - (math.hypot(a - (ia + 0.5) * 9, stone + 2.6) - 0.32) / pixel, 0.0), 1.0),
        )
        ja, jb = np.int64(math.floor(a / 3.4)), np.int64(math.floor(b / 3.4))
        if _share(ja, jb, 231) < 0.07 and stone < -3.2:
            crate = _box(a - (ja + 0.5) * 3.4, b - (jb + 0.5) * 3.4, 0.5 + 0.5 * _share(ja, jb, 232), 0.6)
            lit = 0.8 + 0.4 * _share(ja, jb, 233)
            _over(colour, 60, 56, 50, 0.6 * min(max(0.5 - (crate - 0.3) / pixel, 0.0), 1.0))
            _over(colour, 168 * lit, 120 * lit, 72 * lit, min(max(0.5 - crate / pixel, 0.0), 1.0))
    _lighthouse(colour, a + 90, b - 262, pixel)


@njit(cache=True, nogil=True, fastmath=True)
def _lighthouse(colour, a, b, pixel):
    """Draw a white tower with a red lantern, and its shadow, as seen from above."""
    shadow = _segment(a, b, 0, 0, 7, -8.5) - 2.6
    _over(colour, 60, 64, 66, 0.5 * min(max(0.5 - shadow / max(pixel, 0.4), 0.0), 1.0))
    tower = math.hypot(a, b)
    _over(colour, 120, 114, 104, min(max(0.5 - (tower - 6.2) / pixel, 0.0), 1.0))
    _over(colour, 244, 242, 236, min(max(0.5 - (tower - 4.2) / pixel, 0.0), 1.0))
    _over(colour, 204, 58, 44, min(max(0.5 - (tower - 2.4) / pixel, 0.0), 1.0))
    _over(colour, 250, 244, 214, min(max(0.5 - (tower - 0.9) / pixel, 0.0), 1.0))


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def _paint(out, heights, first, last, west, north, pixel, harbours, relief, drains, lines, tint):
    """Paint rows of a picture from its heights, which carry a border of one pixel. ``lines``: how much of each pixel
    rivers and roads cover, 0..255."""
    colour, quarter = np.zeros(3), np.zeros(9)
    zone_known, zone_turn = np.int64(-1) << np.int64(40), 0.0
    for row in range(first, last):
        y = north - (row + 0.5) * pixel
        for column in range(out.shape[1]):
            x = west + (column + 0.5) * pixel
            h = heights[row + 1, column + 1]
            sx = (heights[row + 1, column + 2] - heights[row + 1, column]) / (2 * pixel)
            sy = (heights[row, column + 1] - heights[row + 2, column + 1]) / (2 * pixel)
            slope = math.hypot(sx, sy)
            grain = _fractal(x, y, max(pixel * 10, 0.9), max(pixel * 1.6, 0.05), 0.65, 401)
            blot = _fractal(x, y, 2400.0, max(pixel * 2, 40.0), 0.55, 411)
            if h < 0:
                d = -h
                k = 1 + 0.05 * blot + 0.03 * grain
                if d < 7:
                    t = d / 7
                    colour[0], colour[1], colour[2] = 138 - 74 * t, 182 - 42 * t, 162 - 14 * t
                elif d < 38:
                    t = (d - 7) / 31
                    colour[0], colour[1], colour[2] = 64 - 36 * t, 140 - 50 * t, 148 - 34 * t
                else:
                    t = min((d - 38) / 190, 1.0)
                    colour[0], colour[1], colour[2] = 28 - 14 * t, 90 - 42 * t, 114 - 40 * t
                reef = _step(0.15, 0.5, _fractal(x, y, 340.0, max(pixel * 2, 3.0), 0.6, 421)) * _step(16.0, 3.0, d)
                _over(colour, 44, 88, 82, 0.5 * reef)
                if pixel < 3:
                    ripple = _fractal(x + y * 0.35, y * 1.7 - x * 0.3, 7.0, max(pixel * 2, 0.15), 0.66, 431)
                    k *= 1 + 0.085 * ripple * _step(3.0, 0.8, pixel)
                    _over(colour, 214, 236, 236, 0.3 * _step(0.75, 1.3, ripple) * _step(1.0, 0.3, pixel))
                else:
                    k *= 1 + 0.02 * _fractal(x, y * 2, max(pixel * 9, 60.0), pixel * 2, 0.6, 432)
                for c in range(3):
                    colour[c] *= k
                surf = _step(2.2, 0.0, d + 0.9 * _noise(x / 40, y / 40, 441)) * _step(0.0, 0.25, slope + 0.12)
                _over(colour, 236, 242, 238, 0.75 * surf * (0.55 + 0.45 * grain) * _step(12.0, 3.0, pixel))
            else:
                moist = _fractal(x + 7000, y, 5200.0, max(pixel * 2, 30.0), 0.55, 451)
                wood = _fractal(x, y + 3000, 1500.0, max(pixel * 2, 4.0), 0.58, 461)
                # Where water gathers it is green.
                wet = _step(3.0, 8.5, _drained(x, y, drains))
                grass = min(0.5 + 0.5 * math.tanh(1.5 * moist + 0.5 * blot) + 0.35 * wet, 1.0)
                colour[0], colour[1], colour[2] = 148 - 62 * grass, 138 - 34 * grass, 96 - 36 * grass
                heath = _step(-0.1, 0.5, _fractal(x + 900, y - 700, 700.0, max(pixel * 2, 6.0), 0.62, 457))
                _over(colour, 112, 100, 74, 0.5 * heath * _step(90.0, 380.0, h))
                # Fields: a patchwork with hedges where the land is level enough.
                farm = _fractal(x - 4000, y, 6000.0, 300.0, 0.5, 471)
                tilled = _step(0.22, 0.1, slope) * _step(2.0, 7.0, h) * _step(230.0, 130.0, h) * _step(-0.25, 0.0, farm)
                if tilled > 0 and pixel < 60:
                    # Fields lie along the slope, as it is around there.
                    zone_x = np.int64(math.floor((x + 420 * _noise(x / 900, y / 900, 478)) / 1500))
                    zone_y = np.int64(math.floor((y + 420 * _noise(x / 900 + 7, y / 900, 479)) / 1500))
                    if zone_known != zone_x * 4096 + zone_y:
                        zone_known = zone_x * 4096 + zone_y
                        mx, my = (zone_x + 0.5) * 1500, (zone_y + 0.5) * 1500
                        rise_x = _carved(mx + 350, my, relief) - _carved(mx - 350, my, relief)
                        rise_y = _carved(mx, my + 350, relief) - _carved(mx, my - 350, relief)
                        zone_turn = math.atan2(-rise_x, rise_y) + 0.3 * (_share(zone_x, zone_y, 481) - 0.5)
                    turn = zone_turn
                    fa = x * math.cos(turn) + y * math.sin(turn) + 26 * _noise(x / 300, y / 300, 482)
                    fb = y * math.cos(turn) - x * math.sin(turn) + 26 * _noise(x / 300 + 9, y / 300, 483)
                    strip = np.int64(math.floor(fb / 105))
                    fa += 190 * _share(strip, zone_x, 484)
                    plot = np.int64(math.floor(fa / 190))
                    crop, hue = _share(plot, strip, 485), _share(plot, strip, 486)
                    r, g, b = 158 + 32 * hue, 146 + 20 * hue, 96 + 26 * hue
                    if crop < 0.5:
                        r, g, b = 84 + 34 * hue, 106 + 24 * hue, 54 + 18 * hue
                    elif crop < 0.64:
                        r, g, b = 126 + 22 * hue, 100 + 18 * hue, 76 + 14 * hue
                    rows = math.sin((fb if hue > 0.4 else fa) * 2 * math.pi / 2.4)
                    furrow = 1 + 0.07 * rows * _step(1.2, 0.5, pixel) + 0.05 * _noise(fa / 30, fb / 7, 487)
                    _over(colour, r * furrow, g * furrow, b * furrow, 0.82 * tilled)
                    ea, eb = fa / 190 - plot, fb / 105 - strip
                    hedge = min(min(ea, 1 - ea) * 190, min(eb, 1 - eb) * 105)
                    hedge += 1.5 * _noise(x / 4, y / 4, 488)
                    _over(
                        colour,
                        50,
                        64,
                        38,
                        tilled * 0.85 * _step(max(3.2, pixel), 1.2, hedge) * _step(40.0, 6.0, pixel),
                    )
                # Woods, thicker where it is moist, with crowns of trees close up.
                # They keep to valleys and to the sides that the sun does not reach, and end where fields begin.
                shady = min(max(sx - sy, -0.6), 0.6)
                trees = (
                    _step(-0.03, 0.10, wood + 0.4 * moist - 0.85 * tilled + 0.5 * wet - 0.45 * shady - 0.05)
                    * _step(2.5, 8.0, h)
                    * _step(1.7, 0.9, slope)
                )
                trees *= _step(1050.0, 620.0, h + 220 * blot)
                if trees > 0:
                    crown = 1.0
                    if pixel < 6:
                        crown = 0.86 + 0.34 * _fractal(x, y, 7.5, max(pixel * 2, 0.3), 0.6, 491) * _step(
                            6.0, 2.0, pixel
                        )
                    crown *= 1 + 0.16 * grain
                    dark = 0.9 + 0.16 * blot
                    _over(colour, 47 * crown * dark, 63 * crown * dark, 38 * crown * dark, 0.94 * trees)
                rock = _step(0.62, 1.15, slope + 0.2 * blot + 0.12 * grain) * _step(1.0, 12.0, h)
                rock = max(rock, 0.8 * _step(780.0, 1250.0, h + 320 * blot - 500 * wet))
                strata = 1 + 0.08 * math.sin(h / 11 + 2 * blot) * _step(7.0, 2.0, pixel) + 0.16 * grain
                _over(colour, 124 * strata, 115 * strata, 102 * strata, 0.92 * rock)
                # Scree below the tops.
                _over(colour, 158, 150, 138, 0.5 * _step(1000.0, 1400.0, h + 200 * blot) * _step(0.9, 0.3, slope))
                level = 2.2 + 1.4 * _noise(x / 260, y / 260, 501)
                sand = _step(level + 1.6, level * 0.5, h) * _step(0.5, 0.16, slope)
                _over(colour, 208, 192, 154, sand * (0.94 + 0.06 * grain))
                _over(colour, 164, 150, 122, 0.8 * sand * _step(0.6, 0.15, h))
                river, road = lines[row, column, 0] / 255.0, lines[row, column, 1] / 255.0
                _over(colour, 52, 80, 84, 0.9 * river)
                _over(colour, 176, 166, 146, 0.8 * road)
                k = 1 + 0.09 * grain
                for c in range(3):
                    colour[c] *= k
            for i in range(harbours.shape[0]):
                dx, dy = x - harbours[i, 0], y - harbours[i, 1]
                far = math.sqrt(dx * dx + dy * dy)
                if far > harbours[i, 3] * 1.7:
                    continue
                a = dx * math.cos(harbours[i, 2]) - dy * math.sin(harbours[i, 2])
                b = dx * math.sin(harbours[i, 2]) + dy * math.cos(harbours[i, 2])
                if h > 1.0 and slope < 0.6:
                    # It reaches out along the roads, and ends in gardens.
                    reach = far / harbours[i, 3] + 0.42 * _fractal(x, y, 420.0, 40.0, 0.5, 517)
                    dense = (0.94 if harbours[i, 3] > 200 else 0.12) * _step(1.3, 0.55, reach)
                    if dense > 0.02:
                        _town(colour, a, b, pixel, dense, 601 + i * 97, quarter)
                if harbours[i, 3] < 200:
                    _lighthouse(colour, a, b + 45, pixel)
                if harbours[i, 4] > 0 and far < 700:
                    _works(colour, a, b, x, y, h, pixel, harbours[i, 3])
            # Light from the north-west; wide pictures need a little more relief to read.
            lift = 1.15 + 0.5 * _step(4.0, 60.0, pixel) if h > 0 else 0.35
            light = (0.64 + 0.46 * (lift * (sx - sy))) / math.sqrt(1 + lift * lift * (sx * sx + sy * sy))
            light = min(max(light / 0.64, 0.42), 1.45)
            if h <= 0:
                light = 1 + (light - 1) * 0.35
            # What the sun does not reach is lit by the sky, which is blue.
            for c in range(3):
                lit = light * (1 + (0.05 - 0.06 * c) * (light - 1)) if light < 1 else light
                out[row, column, c] = np.uint8(min(max(colour[c] * lit * tint[c] + tint[3 + c], 0.0), 255.0))


@njit(cache=True, nogil=True)
def _heights_of(out, first, last, west, north, pixel, islands, harbours, relief):
    for row in range(first, last):
        for column in range(out.shape[1]):
            out[row, column] = _height(
                west + (column - 1.5) * pixel, north - (row - 1.5) * pixel, pixel, islands, harbours, relief
            )


@njit(cache=True, nogil=True)
def _clouds_of(out, first, last, west, north, pixel, cover):
    for row in range(first, last):
        y = north - (row + 0.5) * pixel
        for column in range(out.shape[1]):
            x = west + (column + 0.5) * pixel
            bank = _fractal(x, y, 52000.0, max(pixel * 2, 60.0), 0.58, 701)
            out[row, column] = _step(1.0 - 2.0 * cover, 1.7 - 2.0 * cover, bank + 0.5)


@cache
def drained_land() -> NDArray[np.float32]:
    """How much of the land drains through each place of the carved relief, doublings of a place."""
    with np.load(FILE) as kept:
        return np.asarray(kept["drains"] / 12, np.float32)


@cache
def rivers() -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """Rivers from their springs to the sea or to a larger one, as places and how wide they are there, metres."""
    with np.load(FILE) as kept:
        places, wide, lengths = (np.asarray(kept[name], np.float64) for name in ("places", "wide", "lengths"))
    ends = np.cumsum(lengths).astype(int)[:-1]
    return list(zip(np.split(places, ends), np.split(wide, ends), strict=True))


@cache
def _river_pieces() -> tuple[list[Floats], list[float], Floats]:
    """Rivers in pieces, as they grow wider on their way: their places, how wide each is, and the boxes around them,
    (n, 4), west, south, east and north."""
    pieces, widths = [], []
    for places, wide in rivers():
        for first in range(0, len(places) - 1, 12):
            pieces.append(places[first : first + 13])
            widths.append(float(wide[first : first + 13].mean()))
    ends = np.array([[*piece.min(axis=0), *piece.max(axis=0)] for piece in pieces])
    edge = np.array(widths)[:, None] * np.array([-1, -1, 1, 1])
    return pieces, widths, ends + edge


def find_rivers(relief: Floats, drains: Floats) -> list[tuple[Floats, Floats]]:
    """The rivers of a carved land, as :func:`rivers`."""
    columns = relief.shape[1]
    to, _ = receivers(relief, relief > 0)
    flows = (drains > RIVER).ravel()
    springs = np.flatnonzero(flows & ~np.isin(np.arange(flows.size), to[flows & (to != np.arange(flows.size))]))
    # The longest first, so that what is short ends in it.
    seen = np.zeros(flows.size, bool)
    made = []
    for spring in sorted(springs.tolist(), key=lambda one: relief.flat[one], reverse=True):
        way, here = [spring], spring
        while to[here] != here and not seen[here]:
            seen[here] = True
            here = int(to[here])
            way.append(here)
        if len(way) < 4:
            continue
        row, column = np.divmod(np.array(way), columns)
        places = np.column_stack([WEST + (column + 0.5) * STEP, NORTH - (row + 0.5) * STEP])
        wide = 3.0 * np.sqrt(2.0 ** drains.flat[way] * (STEP / 1000) ** 2)
        # In the sea nothing drains any more, and it is as wide as it came.
        wide = np.maximum.accumulate(wide)
        for _ in range(3):
            # Corners cut three times (G. Chaikin, "An Algorithm for High-Speed Curve Generation", 1974).
            places, wide = _cut_corners(places), _cut_corners(wide)
        made.append((_wound(places), wide))
    return made


def _cut_corners(values: NDArray[np.float64]) -> NDArray[np.float64]:
    before, after = values[:-1], values[1:]
    cut = np.stack([0.75 * before + 0.25 * after, 0.25 * before + 0.75 * after], axis=1)
    return np.concatenate([values[:1], cut.reshape(-1, *values.shape[1:]), values[-1:]])


@cache
def carved_relief() -> NDArray[np.float32]:
    """The heights of the carved land, metres."""
    with np.load(FILE) as kept:
        return np.asarray(kept["heights"] / 20, np.float32)


def _draw_line(out: NDArray[np.uint8], places: Floats, wide: float, box: GroundBox, pixel: float) -> None:
    """Draw a line so many metres wide; one that is thinner than a pixel covers less of it."""
    points = np.column_stack([(places[:, 0] - box.west) / pixel - 0.5, (box.north - places[:, 1]) / pixel - 0.5])
    thick = max(round(wide / pixel), 1)
    cover = round(255 * min((wide / pixel) ** 0.7, 1.0))
    clipped = np.clip(points, -30_000, 30_000)
    cv2.polylines(out, [np.round(clipped * 16).astype(np.int32)], False, cover, thick, cv2.LINE_AA, 4)


def _find_shore(x: float, y: float, seaward: float) -> tuple[float, float]:
    """From a point on land, go seaward until the shore."""
    empty = np.zeros((0, 5))
    step = 40.0
    for _ in range(4000):
        if _height(x, y, 30.0, ISLANDS, empty, carved_relief()) <= 0.3:
            break
        x += step * math.sin(math.radians(seaward))
        y += step * math.cos(math.radians(seaward))
    return x, y


def _land_near(x: float, y: float) -> tuple[float, float]:
    """The land nearest to a place, kilometres."""
    empty = np.zeros((0, 5))
    grid = [(x + dx * 0.1, y + dy * 0.1) for dx in range(-60, 61) for dy in range(-60, 61)]
    land = [
        place for place in grid if _height(place[0] * 1000, place[1] * 1000, 60.0, ISLANDS, empty, carved_relief()) > 12
    ]
    return min(land, key=lambda place: math.dist(place, (x, y)))


def _settle(name: str, x: float, y: float, seaward: float, radius: float) -> Harbour:
    shore_x, shore_y = _find_shore(x * 1000, y * 1000, seaward)
    return Harbour(name, shore_x, shore_y, seaward, radius)


class World:
    """The practice world."""

    def __init__(self) -> None:
        self.harbours = {
            harbour.name: harbour
            for harbour in (
                _settle("Marrowick", 430.0, 226.0, 160.0, 900.0),
                _settle("Tolvane", 452.0, 238.0, 100.0, 520.0),
                _settle("Quillhaven", 500.0, 250.0, 235.0, 680.0),
                _settle("Sarnish Point", 531.0, 226.0, 300.0, 420.0),
                _settle("Ebbing Light", *_land_near(485.2, 219.2), 215.0, 160.0),
            )
        }
        self._harbours = np.array(
            [
                [h.x, h.y, math.radians(h.seaward), h.radius, 1.0 if h.radius > 500 else 0.0]
                for h in self.harbours.values()
            ]
        )

    def heights(self, box: GroundBox, width: int) -> NDArray[np.float64]:
        """Heights above the sea over a box of ground, metres (below it negative), (height, width)."""
        pixel = (box.east - box.west) / width
        out = np.empty((round((box.north - box.south) / pixel), width))
        # That loop carries a border of one and a half pixels.
        _heights_of(
            out,
            0,
            len(out),
            box.west + 2 * pixel,
            box.north - 2 * pixel,
            pixel,
            ISLANDS,
            self._harbours,
            carved_relief(),
        )
        return out

    @cache  # noqa: B019 (one world a process)
    def roads(self) -> list[NDArray[np.float64]]:
        """Roads as lines of places, metres: from the quay of every town inland, three of them, or one from a hamlet."""
        lines = []
        for number, harbour in enumerate(self.harbours.values()):
            inland = math.radians(harbour.seaward + 180)
            for spread in (-0.9, 0.0, 0.8) if harbour.radius > 200 else (-0.3,):
                steps = np.linspace(0, 9000, 250)
                bend = 0.35 * np.sin(steps / 1700 + number * 2 + spread * 3)
                bend += 0.3 * np.sin(steps / 260 + number + spread * 5) * np.minimum(steps / 400, 1)
                angle = inland + spread + bend
                x = harbour.x + np.cumsum(np.sin(angle)) * steps[1]
                y = harbour.y + np.cumsum(np.cos(angle)) * steps[1]
                dry = [
                    _height(a, b, 40.0, ISLANDS, self._harbours, carved_relief()) > 1 for a, b in zip(x, y, strict=True)
                ]
                end = dry.index(False, 12) if False in dry[12:] else len(dry)
                if end > 25:
                    lines.append(np.stack([x[:end], y[:end]], axis=-1))
        return lines

    def _lines(self, box: GroundBox, pixel: float, height: int, width: int) -> NDArray[np.uint8]:
        """How much of each pixel of a picture rivers and roads cover, (height, width, 2) uint8."""
        out = np.zeros((2, height, width), np.uint8)
        if pixel < 160:
            pieces, wide, bounds = _river_pieces()
            west, south, east, north = bounds.T
            near = (east > box.west) & (west < box.east) & (north > box.south) & (south < box.north)
            for number in np.flatnonzero(near).tolist():
                _draw_line(out[0], pieces[number], wide[number], box, pixel)
        if pixel < 60:
            for road in self.roads():
                _draw_line(out[1], road, 6.5, box, pixel)
        return np.ascontiguousarray(out.transpose(1, 2, 0))

    def land_share(self, box: GroundBox) -> float:
        """How much of a box of ground is land, 0..1, from a grid of places."""
        xs, ys = np.linspace(box.west, box.east, 26)[1:-1], np.linspace(box.south, box.north, 26)[1:-1]
        coarse = (box.east - box.west) / 24
        return float(
            np.mean([_height(x, y, coarse, ISLANDS, self._harbours, carved_relief()) > 0 for x in xs for y in ys])
        )

    def cloud(self, box: GroundBox, width: int, cover: float = 0.3) -> NDArray[np.float32]:
        """How thick cloud lies over a box of ground, 0..1, (height, width); ``cover`` 0..1 says how much of it."""
        pixel = (box.east - box.west) / width
        out = np.empty((round((box.north - box.south) / pixel), width), np.float32)
        _clouds_of(out, 0, len(out), box.west, box.north, pixel, cover)
        return out

    def lights(self, box: GroundBox, width: int) -> NDArray[np.uint8]:
        """What burns at night in a box of ground: lamps along streets, roads and quays, windows, lighthouses, over
        nothing; (height, width, 3) uint8. As much light falls on a wide picture as on a close one."""
        pixel = (box.east - box.west) / width
        height = round((box.north - box.south) / pixel)
        places, colours = self._lamps()
        x, y = (places[:, 0] - box.west) / pixel - 0.5, (box.north - places[:, 1]) / pixel - 0.5
        out = np.zeros((height, width, 3), np.float32)
        inside = (x >= 0) & (y >= 0) & (x < width - 1) & (y < height - 1)
        x, y, colours = x[inside], y[inside], colours[inside]
        ix, iy = x.astype(int), y.astype(int)
        for dx in (0, 1):
            for dy in (0, 1):
                share = np.abs(1 - dx - (x - ix)) * np.abs(1 - dy - (y - iy))
                np.add.at(out, (iy + dy, ix + dx), (colours * share[:, None]).astype(np.float32))
        # Some of a pool lights what is around it. From far away one sees the lamps themselves, which are brighter.
        wide = max(POOL / pixel, 0.7)
        out *= np.float32(2 * math.pi * (POOL / pixel) ** 2 * (1 + pixel / POOL))
        made = cv2.GaussianBlur(out, (0, 0), wide) + 0.6 * cv2.GaussianBlur(out, (0, 0), max(4 * POOL / pixel, 1.0))
        return np.round(encoded(np.clip(made, 0, 1)) * 255).astype(np.uint8)

    @cache  # noqa: B019 (one world a process)
    def _lamps(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Places of lights, metres, and how bright they are, linear red, green and blue."""
        random = np.random.default_rng(77)
        places, bright = [], []

        def put(x: float, y: float, colour: tuple[float, float, float], strength: float) -> None:
            places.append((x, y))
            bright.append(np.array(colour) * strength * random.uniform(0.6, 1.15))

        for number, harbour in enumerate(self.harbours.values()):
            angle = math.radians(harbour.seaward)
            cos, sin = math.cos(angle), math.sin(angle)
            reach = harbour.radius * 1.35
            quarter, seed = np.zeros(9), 601 + number * 97

            def placed(
                a: float, b: float, at: Harbour = harbour, c: float = cos, s: float = sin
            ) -> tuple[float, float]:
                return at.x + a * c + b * s, at.y - a * s + b * c

            # Lamps stand where the picture has streets and avenues, windows are lit between them.
            for a in np.arange(-reach, reach, 11.0):
                for b in np.arange(-reach, reach, 11.0):
                    a1, b1 = a + random.uniform(-5, 5), b + random.uniform(-5, 5)
                    x, y = placed(a1, b1)
                    out = math.hypot(a1, b1) / harbour.radius + 0.42 * _fractal(x, y, 420.0, 40.0, 0.5, 517)
                    dense = (0.94 if harbour.radius > 200 else 0.12) * _step(1.3, 0.55, out)
                    if dense < 0.1 or _height(x, y, 20.0, ISLANDS, self._harbours, carved_relief()) < 1.5:
                        continue
                    _quarter(a1, b1, seed, quarter)
                    if quarter[2] < 8.0:
                        put(x, y, SODIUM, 0.06)
                    elif min(_street(quarter[0], quarter[1], quarter)) < 4.0:
                        put(x, y, SODIUM, 0.016 * dense)
                    elif random.random() < 0.06 * dense:
                        put(x, y, WINDOW, 0.13)
            if harbour.radius > 500:
                for a in np.arange(-290, 291, 29.0):
                    put(*placed(a, 22 * _noise(a / 240, 3.3, 7) + 0.00042 * a * a - 9.0), QUAY, 0.3)
                for t in np.linspace(0, 1, 6):
                    put(*placed(-250 + 160 * t, 150 + 112 * t), QUAY, 0.3)
            elif harbour.radius < 200:
                put(*placed(0.0, -45.0), QUAY, 1.5)
        for road in self.roads():
            ways = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(road, axis=0).T))])
            for way in np.arange(400, ways[-1] * 0.7, 90.0):
                put(float(np.interp(way, ways, road[:, 0])), float(np.interp(way, ways, road[:, 1])), SODIUM, 0.4)
        return np.array(places), np.array(bright)

    def picture(self, box: GroundBox, width: int, tint: tuple[float, ...] = (1, 1, 1, 0, 0, 0)) -> NDArray[np.uint8]:
        """Aerial imagery of a box of ground in metres, (height, width, 3) uint8.

        Args:
            box: of such a shape that its height comes to an even number of pixels, as ``width`` must be.
            tint: factors for red, green and blue, then amounts added: how another season or camera saw it.
        """
        pixel = (box.east - box.west) / width
        height = round((box.north - box.south) / pixel)
        # The relief has nothing finer than two pixels, so every second pixel is enough to reckon.
        coarse = np.empty((height // 2 + 4, width // 2 + 4), np.float64)
        out = np.empty((height, width, 3), np.uint8)
        harbours, relief, shades = self._harbours, carved_relief(), np.asarray(tint, np.float64)
        drains, lines = drained_land(), self._lines(box, pixel, height, width)
        with ThreadPoolExecutor() as threads:

            def split(rows: int) -> list[tuple[int, int]]:
                return [(start, min(start + 64, rows)) for start in range(0, rows, 64)]

            list(
                threads.map(
                    lambda r: _heights_of(
                        coarse, r[0], r[1], box.west, box.north, pixel * 2, ISLANDS, harbours, relief
                    ),
                    split(len(coarse)),
                )
            )
            heights = cv2.resize(coarse, (width + 8, height + 8), interpolation=cv2.INTER_CUBIC)[3:-3, 3:-3]
            heights = np.ascontiguousarray(heights)
            list(
                threads.map(
                    lambda r: _paint(
                        out, heights, r[0], r[1], box.west, box.north, pixel, harbours, relief, drains, lines, shades
                    ),
                    split(height),
                )
            )
        return out
