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
from numba import njit
from numpy.typing import NDArray

from yaila.core.colour import encoded
from yaila.core.ground import GroundBox

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


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _hash(x, y, seed):
    h = np.uint32(
        np.uint32(x) * np.uint32(374761393) + np.uint32(y) * np.uint32(668265263) + np.uint32(seed) * np.uint32(144665)
    )
    h = np.uint32((h ^ (h >> np.uint32(13))) * np.uint32(1274126177))
    return np.uint32(h ^ (h >> np.uint32(16)))


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _share(x, y, seed):
    """An even random number 0..1 for a grid point."""
    return np.float64(_hash(x, y, seed)) / 4294967295.0


_ANGLES = np.arange(256) * (2 * math.pi / 256)
_GRADIENTS = np.stack([np.cos(_ANGLES), np.sin(_ANGLES)], axis=1) * 1.5


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _corner(ix, iy, seed, u, v):
    k = _hash(ix, iy, seed) & np.uint32(255)
    return _GRADIENTS[k, 0] * u + _GRADIENTS[k, 1] * v


@njit(cache=True, nogil=True, fastmath=True)
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


@njit(cache=True, nogil=True, fastmath=True)
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


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _step(a, b, x):
    t = min(max((x - a) / (b - a), 0.0), 1.0)
    return t * t * (3 - 2 * t)


@njit(cache=True, nogil=True, fastmath=True)
def _height(x, y, finest, islands, harbours):
    """Height above the sea in metres."""
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
    ridge = 1 - abs(_fractal(x + 900, y, 9000.0, max(finest, 60.0), 0.47, 71)) * 1.7
    peak /= weights
    edge = land + 0.27 * rough - 0.02
    if edge > 0:
        rise = edge / (edge + 0.35)
        height = peak * rise * (0.18 + 0.82 * _step(0.0, 0.6, edge) * max(ridge, 0.05)) * 1.35
        height += 46 * rough * _step(0.0, 0.2, edge) + 1.5
        height += 9 * _fractal(x, y, 420.0, max(finest, 2.0), 0.5, 91) * _step(0.0, 0.12, edge)
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


@njit(cache=True, nogil=True, fastmath=True)
def _segment(a, b, a0, b0, a1, b1):
    """Distance to a line segment."""
    da, db = a1 - a0, b1 - b0
    t = min(max(((a - a0) * da + (b - b0) * db) / (da * da + db * db), 0.0), 1.0)
    return math.hypot(a - a0 - t * da, b - b0 - t * db)


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _over(colour, r, g, b, cover):
    colour[0] += (r - colour[0]) * cover
    colour[1] += (g - colour[1]) * cover
    colour[2] += (b - colour[2]) * cover


@njit(cache=True, nogil=True, fastmath=True)
def _houses(colour, a, b, pixel, density, seed):
    """Draw roofs and their shadows of a town whose streets run along ``a`` and ``b``."""
    lot_a, lot_b = 15.0, 19.0
    if pixel > 9:
        _over(colour, 150, 112, 92, 0.55 * density)
        return
    ca, cb = math.floor(a / lot_a), math.floor(b / lot_b)
    for shadow in range(2):
        for na in range(-1, 2):
            for nb in range(-1, 2):
                ia, ib = np.int64(ca) + na, np.int64(cb) + nb
                if _share(ia, ib, seed) > density or ia % 7 == 0 or ib % 5 == 0:
                    continue
                wide = 4.0 + 2.6 * _share(ia, ib, seed + 1)
                deep = 5.0 + 3.2 * _share(ia, ib, seed + 2)
                oa = a - (ia + 0.5) * lot_a - 2.0 * (_share(ia, ib, seed + 3) - 0.5)
                ob = b - (ib + 0.5) * lot_b - 2.0 * (_share(ia, ib, seed + 4) - 0.5)
                skew = 0.12 * (_share(ia, ib, seed + 5) - 0.5)
                oa, ob = oa - skew * ob, ob + skew * oa
                if shadow == 0:
                    cover = min(max(0.5 - _box(oa - 2.1, ob + 2.6, wide, deep) / max(pixel, 0.5), 0.0), 1.0)
                    if cover > 0:
                        _over(colour, 40, 44, 46, 0.55 * cover)
                    continue
                distance = _box(oa, ob, wide, deep)
                cover = min(max(0.5 - distance / pixel, 0.0), 1.0)
                if cover <= 0:
                    continue
                kind = _share(ia, ib, seed + 6)
                if kind < 0.55:
                    r, g, bl = 176.0, 98.0, 70.0
                elif kind < 0.8:
                    r, g, bl = 120.0, 118.0, 122.0
                else:
                    r, g, bl = 196.0, 164.0, 120.0
                tint = 0.82 + 0.3 * _share(ia, ib, seed + 7)
                lit = 1.1 if oa < 0 else 0.84
                tiles = 1 + 0.07 * math.sin(ob * 18) * _step(0.25, 0.06, pixel)
                tiles *= 1 + 0.12 * _fractal(a, b, 1.2, max(pixel * 2, 0.12), 0.6, seed + 9)
                ridge = 1 + 0.2 * _step(0.5, 0.2, abs(oa))
                k = tint * lit * tiles * ridge
                _over(colour, r * k, g * k, bl * k, cover)
                chimney = _box(oa - wide * 0.3, ob - deep * 0.5, 0.55, 0.55)
                _over(colour, 92, 78, 70, min(max(0.5 - chimney / pixel, 0.0), 1.0) * _step(1.2, 0.3, pixel))


@njit(cache=True, nogil=True, fastmath=True)
def _works(colour, a, b, x, y, height, pixel, radius):
    """Draw the stone works of a harbour: quay, walls, the light at the wall's end, boats. ``b`` runs seaward."""
    wall = min(
        min(_segment(a, b, -265, -60, -250, 150), _segment(a, b, -250, 150, -90, 262)),
        min(_segment(a, b, 235, -60, 245, 120), _segment(a, b, 245, 120, 150, 205)),
    )
    pier = min(_segment(a, b, -90, -30, -84, 120), _segment(a, b, 70, -30, 74, 95))
    stone = min(wall - 7.0, pier - 3.2)
    bay = 22 * _noise(a / 240, 3.3, 7) + 0.00042 * a * a
    quay = max(abs(b - bay + 6.0) - 9.0, abs(a) - 300.0)
    stone = min(stone, quay)
    near = (
        min(
            min(
                _segment(a - 2.5, b + 3.2, -265, -60, -250, 150),
                _segment(a - 2.5, b + 3.2, -250, 150, -90, 262),
            ),
            min(_segment(a - 2.5, b + 3.2, 235, -60, 245, 120), _segment(a - 2.5, b + 3.2, 245, 120, 150, 205)),
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
            bow = max(0.0, oa / long)
            hull = math.hypot(oa / long, ob / (long * 0.33 * (1 - 0.25 * bow))) - 1
            hull *= long * 0.33
            _over(colour, 12, 36, 46, 0.5 * min(max(0.5 - (hull - 0.9) / max(pixel, 0.6), 0.0), 1.0))
            cover = min(max(0.5 - hull / pixel, 0.0), 1.0)
            kind = _share(ia, ib, 304)
            if kind < 0.5:
                _over(colour, 238, 236, 228, cover)
            elif kind < 0.75:
                _over(colour, 58, 96, 128, cover)
            else:
                _over(colour, 168, 66, 52, cover)
            _over(colour, 186, 150, 104, min(max(0.5 - (hull + 0.5) / pixel, 0.0), 1.0))
            _over(
                colour,
                232,
                228,
                216,
                min(max(0.5 - _box(oa + long * 0.15, ob, long * 0.26, long * 0.16) / pixel, 0.0), 1.0),
            )
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


@njit(cache=True, nogil=True, fastmath=True)
def _paint(out, heights, first, last, west, north, pixel, harbours, tint):
    """Paint rows of a picture from its heights, which carry a border of one pixel."""
    colour = np.zeros(3)
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
                    colour[0], colour[1], colour[2] = 150 - 72 * t, 200 - 40 * t, 182 - 14 * t
                elif d < 38:
                    t = (d - 7) / 31
                    colour[0], colour[1], colour[2] = 78 - 38 * t, 160 - 52 * t, 168 - 34 * t
                else:
                    t = min((d - 38) / 190, 1.0)
                    colour[0], colour[1], colour[2] = 40 - 18 * t, 108 - 42 * t, 134 - 38 * t
                reef = _step(0.15, 0.5, _fractal(x, y, 340.0, max(pixel * 2, 3.0), 0.6, 421)) * _step(16.0, 3.0, d)
                _over(colour, 56, 104, 98, 0.5 * reef)
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
                grass = 0.5 + 0.5 * math.tanh(1.5 * moist)
                colour[0], colour[1], colour[2] = 158 - 48 * grass, 150 - 8 * grass, 96 - 24 * grass
                # Fields: a patchwork with hedges where the land is level enough.
                farm = _fractal(x - 4000, y, 6000.0, 300.0, 0.5, 471)
                tilled = _step(0.22, 0.1, slope) * _step(2.0, 7.0, h) * _step(230.0, 130.0, h) * _step(-0.25, 0.0, farm)
                if tilled > 0 and pixel < 60:
                    zone_x, zone_y = np.int64(math.floor(x / 1900)), np.int64(math.floor(y / 1900))
                    turn = _share(zone_x, zone_y, 481) * 1.2 - 0.6
                    fa = x * math.cos(turn) + y * math.sin(turn) + 26 * _noise(x / 300, y / 300, 482)
                    fb = y * math.cos(turn) - x * math.sin(turn) + 26 * _noise(x / 300 + 9, y / 300, 483)
                    strip = np.int64(math.floor(fb / 105))
                    fa += 190 * _share(strip, zone_x, 484)
                    plot = np.int64(math.floor(fa / 190))
                    crop, hue = _share(plot, strip, 485), _share(plot, strip, 486)
                    r, g, b = 168 + 34 * hue, 158 + 18 * hue, 92 + 24 * hue
                    if crop < 0.45:
                        r, g, b = 108 + 34 * hue, 136 + 20 * hue, 66 + 18 * hue
                    elif crop < 0.6:
                        r, g, b = 142 + 20 * hue, 112 + 16 * hue, 82 + 12 * hue
                    rows = math.sin((fb if hue > 0.4 else fa) * 2 * math.pi / 2.4)
                    furrow = 1 + 0.07 * rows * _step(1.2, 0.5, pixel) + 0.05 * _noise(fa / 30, fb / 7, 487)
                    _over(colour, r * furrow, g * furrow, b * furrow, 0.82 * tilled)
                    ea, eb = fa / 190 - plot, fb / 105 - strip
                    hedge = min(min(ea, 1 - ea) * 190, min(eb, 1 - eb) * 105)
                    hedge += 1.5 * _noise(x / 4, y / 4, 488)
                    _over(
                        colour,
                        62,
                        84,
                        48,
                        tilled * 0.85 * _step(max(3.2, pixel), 1.2, hedge) * _step(40.0, 6.0, pixel),
                    )
                # Woods, thicker where it is moist, with crowns of trees close up.
                trees = (
                    _step(
                        -0.12 - 0.2 * _step(4.0, 30.0, pixel),
                        0.24 + 0.3 * _step(4.0, 30.0, pixel),
                        wood + 0.35 * moist - 0.5 * tilled,
                    )
                    * _step(2.5, 8.0, h)
                    * _step(1.5, 0.7, slope)
                )
                trees *= _step(1050.0, 620.0, h + 220 * blot)
                if trees > 0:
                    crown = 1.0
                    if pixel < 6:
                        crown = 0.86 + 0.34 * _fractal(x, y, 7.5, max(pixel * 2, 0.3), 0.6, 491) * _step(
                            6.0, 2.0, pixel
                        )
                    crown *= 1 + 0.16 * grain
                    _over(colour, 68 * crown, 92 * crown, 52 * crown, 0.9 * trees)
                rock = _step(0.42, 0.85, slope + 0.14 * blot + 0.1 * grain) * _step(1.0, 12.0, h)
                rock = max(rock, 0.85 * _step(820.0, 1250.0, h + 260 * blot))
                strata = 1 + 0.10 * math.sin(h / 11 + 2 * blot) + 0.16 * grain
                _over(colour, 146 * strata, 134 * strata, 118 * strata, rock)
                level = 2.2 + 1.4 * _noise(x / 260, y / 260, 501)
                sand = _step(level + 1.6, level * 0.5, h) * _step(0.5, 0.16, slope)
                _over(colour, 224, 206, 162, sand * (0.94 + 0.06 * grain))
                _over(colour, 176, 160, 128, 0.8 * sand * _step(0.6, 0.15, h))
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
                    bend = 16 * _noise(a / 210, b / 210, 511)
                    sa, sb = a + bend, b + 16 * _noise(a / 190 + 5, b / 190, 513)
                    edge = far / harbours[i, 3] + 0.35 * _fractal(x, y, 320.0, 40.0, 0.5, 517)
                    dense = (0.92 if harbours[i, 3] > 200 else 0.12) * _step(1.25, 0.35, edge)
                    if dense > 0.02:
                        ga, gb = sa / 15.0, sb / 19.0
                        street = min(
                            abs(ga - 7 * math.floor(ga / 7) - 0.5) * 15,
                            abs(gb - 5 * math.floor(gb / 5) - 0.5) * 19,
                        )
                        _over(colour, 150, 146, 112, 0.5 * dense * _step(8.0, 2.0, pixel))
                        _over(
                            colour,
                            188,
                            182,
                            170,
                            min(dense * 1.6, 1.0) * min(max(0.5 - (street - 3.4) / max(pixel, 0.3), 0.0), 1.0),
                        )
                        _houses(colour, sa, sb, pixel, dense, 601 + i * 20)
                if harbours[i, 3] < 200:
                    _lighthouse(colour, a, b + 45, pixel)
                if harbours[i, 4] > 0 and far < 700:
                    _works(colour, a, b, x, y, h, pixel, harbours[i, 3])
            # Light from the north-west; wide pictures need a little more relief to read.
            lift = 1.5 + 0.6 * _step(2.0, 40.0, pixel) if h > 0 else 0.35
            light = (0.64 + 0.46 * (lift * (sx - sy))) / math.sqrt(1 + lift * lift * (sx * sx + sy * sy))
            light = min(max(light / 0.64, 0.34), 1.5)
            if h <= 0:
                light = 1 + (light - 1) * 0.35
            for c in range(3):
                out[row, column, c] = np.uint8(min(max(colour[c] * light * tint[c] + tint[3 + c], 0.0), 255.0))


@njit(cache=True, nogil=True)
def _heights_of(out, first, last, west, north, pixel, islands, harbours):
    for row in range(first, last):
        for column in range(out.shape[1]):
            out[row, column] = _height(
                west + (column - 1.5) * pixel, north - (row - 1.5) * pixel, pixel, islands, harbours
            )


@njit(cache=True, nogil=True)
def _clouds_of(out, first, last, west, north, pixel, cover):
    for row in range(first, last):
        y = north - (row + 0.5) * pixel
        for column in range(out.shape[1]):
            x = west + (column + 0.5) * pixel
            bank = _fractal(x, y, 52000.0, max(pixel * 2, 60.0), 0.58, 701)
            out[row, column] = _step(1.0 - 2.0 * cover, 1.7 - 2.0 * cover, bank + 0.5)


def _find_shore(x: float, y: float, seaward: float) -> tuple[float, float]:
    """From a point on land, go seaward until the shore."""
    empty = np.zeros((0, 5))
    step = 40.0
    for _ in range(4000):
        if _height(x, y, 30.0, ISLANDS, empty) <= 0.3:
            break
        x += step * math.sin(math.radians(seaward))
        y += step * math.cos(math.radians(seaward))
    return x, y


def _land_near(x: float, y: float) -> tuple[float, float]:
    """The land nearest to a place, kilometres."""
    empty = np.zeros((0, 5))
    grid = [(x + dx * 0.1, y + dy * 0.1) for dx in range(-60, 61) for dy in range(-60, 61)]
    land = [place for place in grid if _height(place[0] * 1000, place[1] * 1000, 60.0, ISLANDS, empty) > 12]
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
        _heights_of(out, 0, len(out), box.west + 2 * pixel, box.north - 2 * pixel, pixel, ISLANDS, self._harbours)
        return out

    @cache  # noqa: B019 (one world a process)
    def roads(self) -> list[NDArray[np.float64]]:
        """Roads as lines of places, metres: from every town inland, and between towns of one island."""
        lines = []
        for number, harbour in enumerate(self.harbours.values()):
            inland = math.radians(harbour.seaward + 180)
            for spread in (-0.9, 0.0, 0.8):
                steps = np.linspace(0, 9000, 60)
                bend = 0.35 * np.sin(steps / 1700 + number * 2 + spread * 3)
                angle = inland + spread + bend
                x = harbour.x + np.cumsum(np.sin(angle)) * steps[1]
                y = harbour.y + np.cumsum(np.cos(angle)) * steps[1]
                dry = [_height(a, b, 40.0, ISLANDS, self._harbours) > 1 for a, b in zip(x, y, strict=True)]
                end = dry.index(False, 3) if False in dry[3:] else len(dry)
                if end > 6:
                    lines.append(np.stack([x[:end], y[:end]], axis=-1))
        return lines

    def land_share(self, box: GroundBox) -> float:
        """How much of a box of ground is land, 0..1, from a grid of places."""
        xs, ys = np.linspace(box.west, box.east, 26)[1:-1], np.linspace(box.south, box.north, 26)[1:-1]
        coarse = (box.east - box.west) / 24
        return float(np.mean([_height(x, y, coarse, ISLANDS, self._harbours) > 0 for x in xs for y in ys]))

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

        for harbour in self.harbours.values():
            angle = math.radians(harbour.seaward)
            cos, sin = math.cos(angle), math.sin(angle)
            reach = harbour.radius * 1.35

            def placed(
                a: float, b: float, at: Harbour = harbour, c: float = cos, s: float = sin
            ) -> tuple[float, float]:
                return at.x + a * c + b * s, at.y - a * s + b * c

            # Streets run where the picture has them, lots in between.
            for sa in np.arange(-reach, reach, 15.0):
                for sb in np.arange(-reach, reach, 19.0):
                    ka, kb = math.floor(sa / 15.0), math.floor(sb / 19.0)
                    a, b = (ka + 0.5) * 15.0, (kb + 0.5) * 19.0
                    a, b = a - 16 * _noise(a / 210, b / 210, 511), b - 16 * _noise(a / 190 + 5, b / 190, 513)
                    x, y = placed(a, b)
                    edge = math.hypot(a, b) / harbour.radius + 0.35 * _fractal(x, y, 320.0, 40.0, 0.5, 517)
                    dense = (0.92 if harbour.radius > 200 else 0.12) * _step(1.25, 0.35, edge)
                    if dense < 0.1 or _height(x, y, 20.0, ISLANDS, self._harbours) < 1.5:
                        continue
                    if (ka % 7 == 0 and kb % 2 == 0) or (kb % 5 == 0 and ka % 2 == 0):
                        put(x, y, SODIUM, 0.4)
                    elif random.random() < 0.22 * dense:
                        put(x, y, WINDOW, 0.2)
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
        harbours, shades = self._harbours, np.asarray(tint, np.float64)
        with ThreadPoolExecutor() as threads:

            def split(rows: int) -> list[tuple[int, int]]:
                return [(start, min(start + 64, rows)) for start in range(0, rows, 64)]

            list(
                threads.map(
                    lambda r: _heights_of(coarse, r[0], r[1], box.west, box.north, pixel * 2, ISLANDS, harbours),
                    split(len(coarse)),
                )
            )
            heights = cv2.resize(coarse, (width + 8, height + 8), interpolation=cv2.INTER_CUBIC)[3:-3, 3:-3]
            heights = np.ascontiguousarray(heights)
            list(
                threads.map(
                    lambda r: _paint(out, heights, r[0], r[1], box.west, box.north, pixel, harbours, shades),
                    split(height),
                )
            )
        return out
