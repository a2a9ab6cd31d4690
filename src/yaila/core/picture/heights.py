"""Heights of the ground: a pyramid of means, and the shadows that they cast.

Heights are averaged in a pyramid (L. Williams, "Pyramidal Parametrics", 1983) and read from the two levels that suit a
pixel's size there, so that they neither shimmer nor change with a jump.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.compiling import njit
from yaila.core.picture.threads import in_threads

MOST_LEVELS = 14

CLEAR = 4
"""Places of the finest level along each side of what is known to be clear of ground that rises, or not."""

MOST_STEEP = 32_000
"""Slopes are kept as whole numbers, the steepest as this one."""

RISES = 1e-5
"""Ground rises where it is higher than this share of the highest."""

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Heights:
    """Heights on a grid: a pyramid of means in one array, with where each level starts and its size, and the map from
    the ground to places of the finest level (pixel centres at halves). ``top`` is the highest of them."""

    values: Floats
    starts: NDArray[np.int64]
    sizes: NDArray[np.int64]
    grid_from_ground: NDArray[np.float64]
    top: float
    holes: int = 0
    """Places that had no height, and were given that of the nearest that has one."""

    @staticmethod
    def of(grid: Floats, ground_from_grid: NDArray[np.float64], sea: float = 0.0, smooth: float = 0.0) -> Heights:
        """Heights above a level of the sea, metres, of a grid that may have holes (NaN), smoothed by a standard
        deviation in its places."""
        missing = ~np.isfinite(grid)
        holes = int(missing.sum())
        if holes == grid.size:
            grid = np.zeros_like(grid)
        elif holes:
            # Few heights have holes, and it takes long to load.
            from scipy.ndimage import distance_transform_edt

            nearest = distance_transform_edt(missing, return_distances=False, return_indices=True)
            grid = grid[tuple(np.asarray(nearest))]
        if smooth > 0:
            grid = np.asarray(cv2.GaussianBlur(grid, (0, 0), smooth, borderType=cv2.BORDER_REPLICATE), np.float32)
        level = np.maximum(grid - np.float32(sea), 0).astype(np.float32)
        levels = [level]
        while min(level.shape) > 2 and len(levels) < MOST_LEVELS:
            level = np.asarray(
                cv2.resize(level, (-(-level.shape[1] // 2), -(-level.shape[0] // 2)), interpolation=cv2.INTER_AREA),
                np.float32,
            )
            levels.append(level)
        starts = np.cumsum([0] + [one.size for one in levels[:-1]])
        sizes = np.array([one.shape for one in levels], np.int64)
        inverse = np.linalg.inv(ground_from_grid / ground_from_grid[2, 2])
        return Heights(
            np.concatenate([one.ravel() for one in levels]), starts, sizes, inverse, float(levels[0].max()), holes
        )

    @property
    def step(self) -> float:
        """How far places of the grid are apart, ground units."""
        return 1 / math.sqrt(abs(np.linalg.det(self.grid_from_ground[:2, :2])))

    @cached_property
    def scales(self) -> NDArray[np.float64]:
        """Places of each level for one of the finest, down and across."""
        return self.sizes / self.sizes[0]

    @cached_property
    def clear(self) -> Floats:
        """How far it is at least, for squares of ``CLEAR`` places, from anywhere in them to ground that rises, in
        places."""
        (rows, columns), rises = self.sizes[0].tolist(), self.level(0) > RISES * self.top
        whole = np.pad(rises, ((0, -rows % CLEAR), (0, -columns % CLEAR)))
        high, wide = whole.shape[0] // CLEAR, whole.shape[1] // CLEAR
        flat = np.asarray(~whole.reshape(high, CLEAR, wide, CLEAR).any(axis=(1, 3)), np.uint8)
        if flat.all():
            return np.full(flat.shape, rows + columns, np.float32)
        # Between middles of squares, of both of which it may be a corner.
        apart = cv2.distanceTransform(flat, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) - 1.5
        return np.maximum(CLEAR * apart, 0).astype(np.float32)

    @cached_property
    def slopes(self) -> tuple[NDArray[np.int16], float]:
        """By how much the ground is higher from one place of the finest level to the next, across and down, for the
        places of all levels, (n, 2); and what is 1 there."""
        made = np.empty((len(self.values), 2), np.int16)
        unit = max(float(np.abs(np.diff(self.level(0), axis=axis)).max(initial=0)) for axis in (0, 1)) / MOST_STEEP
        for number, (down, across) in enumerate(self.scales.tolist()):
            around = np.pad(self.level(number), 1, mode="edge") / np.float32(max(unit, 1e-12))
            start, (rows, columns) = int(self.starts[number]), self.sizes[number].tolist()
            out = made[start : start + rows * columns].reshape(rows, columns, 2)
            steep = (
                (around[1:-1, 2:] - around[1:-1, :-2]) * (across / 2),
                (around[2:, 1:-1] - around[:-2, 1:-1]) * (down / 2),
            )
            # Levels of odd sizes are a little uneven.
            out[:] = np.clip(np.round(np.stack(steep, axis=2)), -MOST_STEEP, MOST_STEEP)
        return made, unit

    def level(self, number: int) -> Floats:
        """The heights of a level, the finest is the first, (rows, columns)."""
        rows, columns = self.sizes[number].tolist()
        start = int(self.starts[number])
        return self.values[start : start + rows * columns].reshape(rows, columns)

    @cached_property
    def slope(self) -> float:
        """How steep the ground is, but for the steepest fiftieth of it: height for a unit of the ground."""
        if self.sizes[0].min() < 2:
            return 0.0
        steep = np.hypot(*np.gradient(self.level(0)))
        return float(np.quantile(steep, 0.98)) / self.step

    def at(self, places: NDArray[np.float64], span: float = 0.0) -> NDArray[np.float64]:
        """Heights at ground places (n, 2), metres, averaged over a span of ground."""
        level = math.log2(max(span / self.step, 1.0))
        out = np.empty(len(places))
        _heights_at(self.values, self.starts, self.sizes, self.scales, self.grid_from_ground, places, level, out)
        return out


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _four(start, high, wide, x, y):
    """The four nearest to a place of a level: the first of them, how far the next is across and down, and how far the
    place is on its way to those."""
    x, y = min(max(x, 0.0), wide - 1.0), min(max(y, 0.0), high - 1.0)
    ix, iy = min(int(x), max(wide - 2, 0)), min(int(y), max(high - 2, 0))
    return start + iy * wide + ix, min(wide - 1, 1), wide * min(high - 1, 1), x - ix, y - iy


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _of_level(values, start, high, wide, x, y):
    """The height at a place of a level, between its four nearest."""
    k, right, down, fx, fy = _four(start, high, wide, x, y)
    upper = values[k] * (1.0 - fx) + values[k + right] * fx
    lower = values[k + down] * (1.0 - fx) + values[k + down + right] * fx
    return upper * (1.0 - fy) + lower * fy


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def height_of(values, starts, sizes, scales, gx, gy, level):
    """The height at a place of the grid, from the two levels about ``level``; beyond the grid there is none."""
    rows, columns = sizes[0, 0], sizes[0, 1]
    low = min(max(int(level), 0), sizes.shape[0] - 1)
    part = level - low
    found = _of_level(
        values, starts[low], sizes[low, 0], sizes[low, 1], gx * scales[low, 1] - 0.5, gy * scales[low, 0] - 0.5
    )
    if part > 0.0 and low + 1 < sizes.shape[0]:
        n = low + 1
        upper = _of_level(values, starts[n], sizes[n, 0], sizes[n, 1], gx * scales[n, 1] - 0.5, gy * scales[n, 0] - 0.5)
        found += min(part, 1.0) * (upper - found)
    return found * _rim(gx, gy, rows, columns)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _rim(gx, gy, rows, columns):
    """How much of a height there is at a place: the ground ends gently at the edges of the grid, not as a wall."""
    rim = min(max(min(min(gx, columns - gx), min(gy, rows - gy)) / (0.02 * min(rows, columns) + 1e-9), 0.0), 1.0)
    return rim * rim * (3.0 - 2.0 * rim)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _slope_of_level(slopes, start, high, wide, x, y):
    """The same of slopes, across and down."""
    k, right, down, fx, fy = _four(start, high, wide, x, y)
    a, b, c, d = (1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy
    m, n, o = k + right, k + down, k + down + right
    return (
        a * slopes[k, 0] + b * slopes[m, 0] + c * slopes[n, 0] + d * slopes[o, 0],
        a * slopes[k, 1] + b * slopes[m, 1] + c * slopes[n, 1] + d * slopes[o, 1],
    )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def slope_of(slopes, unit, starts, sizes, scales, gx, gy, level):
    """How steep it is at a place of the grid, across and down, as :func:`height_of` (:attr:`Heights.slopes`)."""
    low = min(max(int(level), 0), sizes.shape[0] - 1)
    part = min(level - low, 1.0)
    across, down = _slope_of_level(
        slopes, starts[low], sizes[low, 0], sizes[low, 1], gx * scales[low, 1] - 0.5, gy * scales[low, 0] - 0.5
    )
    if part > 0.0 and low + 1 < sizes.shape[0]:
        n = low + 1
        far_across, far_down = _slope_of_level(
            slopes, starts[n], sizes[n, 0], sizes[n, 1], gx * scales[n, 1] - 0.5, gy * scales[n, 0] - 0.5
        )
        across, down = across + part * (far_across - across), down + part * (far_down - down)
    by = unit * _rim(gx, gy, sizes[0, 0], sizes[0, 1])
    return across * by, down * by


@njit(cache=True, nogil=True)
def _heights_at(values, starts, sizes, scales, inverse, places, level, out):
    for i in range(places.shape[0]):
        x, y = places[i, 0], places[i, 1]
        gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
        gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
        out[i] = height_of(values, starts, sizes, scales, gx, gy, level)


def cast(heights: Heights, times: float, fall: NDArray[np.float64], wide: float = 0.0) -> Heights:
    """How much of the sun reaches each place, 0..1, as heights are kept: one sweep along the light, which is ``wide``
    (radians from edge to edge).

    A place lies in shadow where the ground towards the light rises above the ray from there; along one line that is the
    running maximum of the heights, sloped as the light is. The wider the light, and the farther away what stands before
    it, the softer the edge of its shadow.
    """
    number = int(np.argmin(np.abs(heights.sizes.max(axis=1) - SWEPT)))
    rows, columns = heights.sizes[number].tolist()
    grid = heights.level(number) * np.float32(times)
    full_rows, full_columns = heights.sizes[0].tolist()
    coarse = np.diag([columns / full_columns, rows / full_rows, 1.0]) @ heights.grid_from_ground
    way = coarse[:2, :2] @ (fall / np.hypot(*fall))
    a_unit = float(np.hypot(*way))
    angle = math.degrees(math.atan2(way[1], way[0]))
    side = math.ceil(math.hypot(rows, columns)) + 2
    turn = cv2.getRotationMatrix2D(((columns - 1) / 2, (rows - 1) / 2), angle, 1.0)
    turn[:, 2] += [(side - columns) / 2, (side - rows) / 2]
    level = cv2.warpAffine(grid, turn, (side, side), flags=cv2.INTER_LINEAR)
    # Along a row the light goes to the right, and falls by so much from one place to the next; its edges are so much
    # higher and lower with each (the derivative of the tangent).
    falls = 1 / (a_unit * float(np.hypot(*fall)))
    widens = (1 + 1 / float(fall @ fall)) * wide / a_unit
    soft = max(heights.step * full_columns / columns, 1e-9) * 0.5
    dark = np.empty_like(level)
    in_threads(lambda a, b: _swept_rows(level, dark, a, b, falls, soft, widens), dark)
    back = cv2.warpAffine(dark, turn, (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    lit = 1 - cv2.GaussianBlur(back, (0, 0), 0.8)
    return Heights(
        np.ascontiguousarray(lit, dtype=np.float32).ravel(), np.array([0]), np.array([[rows, columns]]), coarse, 1.0
    )


@njit(cache=True, nogil=True, fastmath=True)
def _swept_rows(level, dark, first, last, falls, soft, widens):
    """How dark places are, 0..1, of rows along which the light goes."""
    for r in range(first, last):
        highest, place = -1e30, 0
        for c in range(level.shape[1]):
            reached = level[r, c] + falls * c
            if reached >= highest:
                highest, place = reached, c
                dark[r, c] = 0.0
            else:
                hidden = (highest - reached) / (soft + widens * (c - place))
                dark[r, c] = min(max(hidden + (0.5 if widens > 0.0 else -0.2), 0.0), 1.0)


SWEPT = 640
"""About how many places along a side shadows are worked out for."""
