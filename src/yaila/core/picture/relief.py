"""Relief: the ground raised by heights, as a camera sees it.

For each pixel its ray is followed until it meets the ground: where that is, east, north and height. What the ground
shows there stands in the picture of the flat ground, at the place where the flat ground has it: so plates, lamps,
shadows and all that lies on the ground are drawn once, flat, and laid over the mountains. Nothing is a mesh, and
nothing can crack.

A ray begins where the one below it ended, as what is seen higher up in the frame is, on the whole, farther away (T.
Wright, "A Two-Space Solution to the Hidden Line Problem", 1973), goes on by steps that no slope can hide in, and ends
by secants. Heights are averaged in a pyramid (L. Williams 1983) and read from the two levels that suit a pixel's size
there, so that they neither shimmer nor change with a jump. With a rolled camera the rays are followed level, and their
picture is turned.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from yaila.core.camera import FrameSize, Pose, View
from yaila.core.picture.linear import CHANNEL, MOST, Light
from yaila.core.picture.threads import in_threads

FAR = 60.0
"""Rays are followed as far as so many distances to the target."""

MOST_LEVELS = 14

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
            nearest = distance_transform_edt(missing, return_distances=False, return_indices=True)
            grid = grid[tuple(nearest)]
        if smooth > 0:
            grid = np.asarray(cv2.GaussianBlur(grid, (0, 0), smooth, borderType=cv2.BORDER_REPLICATE), np.float32)
        level = np.maximum(grid - np.float32(sea), 0).astype(np.float32)
        levels = [level]
        while min(level.shape) > 2 and len(levels) < MOST_LEVELS:
            level = np.asarray(
                cv2.resize(level, (-(-level.shape[1] // 2), -(-level.shape[0] // 2)), interpolation=cv2.INTER_AREA)
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
    def slope(self) -> float:
        """How steep the ground is, but for the steepest fiftieth of it: height for a unit of the ground."""
        rows, columns = self.sizes[0].tolist()
        grid = self.values[: rows * columns].reshape(rows, columns)
        if min(rows, columns) < 2:
            return 0.0
        steep = np.hypot(*np.gradient(grid))
        return float(np.quantile(steep, 0.98)) / self.step

    def at(self, places: NDArray[np.float64], span: float = 0.0) -> NDArray[np.float64]:
        """Heights at ground places (n, 2), metres, averaged over a span of ground."""
        level = math.log2(max(span / self.step, 1.0))
        out = np.empty(len(places))
        _heights_at(self.values, self.starts, self.sizes, self.scales, self.grid_from_ground, places, level, out)
        return out


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _height(values, starts, sizes, scales, gx, gy, level):
    """The height at a place of the grid, from the two levels about ``level``; beyond the grid there is none."""
    rows, columns = sizes[0, 0], sizes[0, 1]
    if gx < 0.0 or gy < 0.0 or gx >= columns or gy >= rows:
        return 0.0
    low = min(max(int(level), 0), sizes.shape[0] - 1)
    found = 0.0
    part = min(max(level - low, 0.0), 1.0)
    for k in range(2):
        n = min(low + k, sizes.shape[0] - 1)
        share = part if k == 1 else 1.0 - part
        if share <= 0.01:
            continue
        high, wide = sizes[n, 0], sizes[n, 1]
        x = gx * scales[n, 1] - 0.5
        y = gy * scales[n, 0] - 0.5
        x, y = min(max(x, 0.0), wide - 1.0), min(max(y, 0.0), high - 1.0)
        ix, iy = min(int(x), max(wide - 2, 0)), min(int(y), max(high - 2, 0))
        fx, fy = x - ix, y - iy
        jx, jy = min(ix + 1, wide - 1), min(iy + 1, high - 1)
        base = starts[n]
        upper = values[base + iy * wide + ix] * (1.0 - fx) + values[base + iy * wide + jx] * fx
        lower = values[base + jy * wide + ix] * (1.0 - fx) + values[base + jy * wide + jx] * fx
        found += share * (upper * (1.0 - fy) + lower * fy)
    # It ends gently at its edges, not as a wall.
    rim = min(min(gx, columns - gx), min(gy, rows - gy)) / (0.02 * min(rows, columns) + 1e-9)
    if rim < 1.0:
        found *= rim * rim * (3.0 - 2.0 * rim)
    return found


@njit(cache=True, nogil=True)
def _heights_at(values, starts, sizes, scales, inverse, places, level, out):
    for i in range(places.shape[0]):
        x, y = places[i, 0], places[i, 1]
        gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
        gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
        out[i] = _height(values, starts, sizes, scales, gx, gy, level)


@njit(cache=True, nogil=True, fastmath=True)
def march_columns(
    found, first, last, values, starts, sizes, scales, inverse, times, eye, axes, middle, wide, top, steep, finest, far
):  # fmt: skip
    """Follow the rays of columns of a level view, from the lowest row up.

    Args:
        found: what they meet: east and north, counted from the target, height, and how far away (along the line of
            sight); (rows, columns, 4). 0 away is the sky.
        inverse: from the ground, counted from the target, to the grid.
        times: ground units for a metre of height.
        eye: counted from the target; axes: right, up, forward; middle: the pixel that looks straight forward.
        wide: how much of right a pixel is, at a distance of 1.
        top: the highest ground, ground units; steep: its steepest slope; finest: ground units of a place of the grid.
        far: how far rays are followed.
    """
    rows = found.shape[0]
    for c in range(first, last):
        across = (c + 0.5 - middle[0]) * wide
        begun = 0.0
        for r in range(rows - 1, -1, -1):
            above = (middle[1] - r - 0.5) * wide
            dx = axes[2, 0] + across * axes[0, 0] + above * axes[1, 0]
            dy = axes[2, 1] + across * axes[0, 1] + above * axes[1, 1]
            dz = axes[2, 2] + across * axes[0, 2] + above * axes[1, 2]
            level_way = math.sqrt(dx * dx + dy * dy)
            # Where it comes down to the highest ground.
            enters = 0.0
            if eye[2] > top:
                if dz >= -1e-12:
                    found[r, c, 3] = 0.0
                    continue
                enters = (top - eye[2]) / dz
            t = max(enters, begun * 0.992)
            level = math.log2(max(t * wide / finest, 1.0))
            # No step back goes behind where it came in.
            for _ in range(40):
                z, ground = _both(t, dx, dy, dz, eye, values, starts, sizes, scales, inverse, times, level)
                if z >= ground or t <= enters:
                    break
                t = max(enters, t * 0.97)
            z, ground = _both(t, dx, dy, dz, eye, values, starts, sizes, scales, inverse, times, level)
            before, over = t, z - ground
            hit = over <= 0.0
            for _ in range(4000):
                if hit or t > far:
                    break
                if dz > 0.0 and z > top:
                    break
                pixel = t * wide
                # No slope hides in such a step, but those that are steeper than nearly all.
                step = max(over / (steep * level_way - min(dz, 0.0) + 1e-9) * 0.9, 0.6 * max(pixel, 0.25 * finest))
                before, was = t, over
                t += step
                if step > 0.05 * t:
                    level = math.log2(max(t * wide / finest, 1.0))
                z, ground = _both(t, dx, dy, dz, eye, values, starts, sizes, scales, inverse, times, level)
                over = z - ground
                if over <= 0.0:
                    hit = True
                    a, b, fa, fb = before, t, was, over
                    for _ in range(5):
                        m = a + (b - a) * min(max(fa / (fa - fb + 1e-12), 0.05), 0.95)
                        z, ground = _both(m, dx, dy, dz, eye, values, starts, sizes, scales, inverse, times, level)
                        fm = z - ground
                        if fm > 0.0:
                            a, fa = m, fm
                        else:
                            b, fb = m, fm
                    t = b
            if not hit and dz < 0.0:
                # Beyond all that is followed the ground is flat.
                flat = -eye[2] / dz
                if flat > 0.0:
                    t, hit = flat, True
            if hit:
                x, y = eye[0] + t * dx, eye[1] + t * dy
                found[r, c, 0], found[r, c, 1] = x, y
                found[r, c, 2] = max(eye[2] + t * dz, 0.0)
                found[r, c, 3] = t
                begun = t
            else:
                found[r, c, 3] = 0.0


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _both(t, dx, dy, dz, eye, values, starts, sizes, scales, inverse, times, level):
    """The height of a ray after a way, and that of the ground below it."""
    x, y = eye[0] + t * dx, eye[1] + t * dy
    gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
    gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
    return eye[2] + t * dz, times * _height(values, starts, sizes, scales, gx, gy, level)


@njit(cache=True, nogil=True, fastmath=True)
def laid_rows(source, out, first, last, found, turned, flat, offset, shade):
    """Rows of the ground laid over the relief.

    Args:
        source: light of the flat ground; ``flat`` takes the ground, counted from the target, to the frame, and
            ``offset`` is where the source begins in it.
        found: what rays meet (see :func:`march_columns`); ``turned`` takes pixels of the frame to its places.
        shade: how much light there is at each of its places, beside the flat ground.
    """
    height, width = source.shape
    rows, columns = found.shape[0], found.shape[1]
    most = np.float32(MOST)
    for y in range(first, last):
        for x in range(out.shape[1]):
            u = turned[0, 0] * (x + 0.5) + turned[0, 1] * (y + 0.5) + turned[0, 2]
            v = turned[1, 0] * (x + 0.5) + turned[1, 1] * (y + 0.5) + turned[1, 2]
            c, r = min(max(int(u), 0), columns - 1), min(max(int(v), 0), rows - 1)
            fx, fy = x + 0.5 - offset[0], y + 0.5 - offset[1]
            lit = np.float32(1.0)
            if found[r, c, 3] > 0.0:
                # Between neighbours that lie on one slope places run evenly; over an edge the nearest counts.
                a, b = u - 0.5, v - 0.5
                c0, r0 = min(max(math.floor(a), 0), columns - 1), min(max(math.floor(b), 0), rows - 1)
                c1, r1 = min(c0 + 1, columns - 1), min(r0 + 1, rows - 1)
                wa, wb = min(max(a - c0, 0.0), 1.0), min(max(b - r0, 0.0), 1.0)
                far = found[r, c, 3]
                gx, gy, weight, light = 0.0, 0.0, 0.0, 0.0
                for k in range(4):
                    rr, cc = (r1 if k >= 2 else r0), (c1 if k & 1 else c0)
                    share = (wb if k >= 2 else 1.0 - wb) * (wa if k & 1 else 1.0 - wa)
                    depth = found[rr, cc, 3]
                    if depth > 0.0 and abs(depth - far) < 0.06 * far:
                        gx += share * found[rr, cc, 0]
                        gy += share * found[rr, cc, 1]
                        light += share * shade[rr, cc]
                        weight += share
                if weight < 1e-6:
                    gx, gy, light, weight = found[r, c, 0], found[r, c, 1], shade[r, c], 1.0
                gx, gy = gx / weight, gy / weight
                lit = np.float32(light / weight)
                w = flat[2, 0] * gx + flat[2, 1] * gy + flat[2, 2]
                if w > 1e-6:
                    fx = (flat[0, 0] * gx + flat[0, 1] * gy + flat[0, 2]) / w - offset[0]
                    fy = (flat[1, 0] * gx + flat[1, 1] * gy + flat[1, 2]) / w - offset[1]
            fx, fy = min(max(fx - 0.5, 0.0), width - 1.001), min(max(fy - 0.5, 0.0), height - 1.001)
            ix, iy = int(fx), int(fy)
            jx, jy = min(ix + 1, width - 1), min(iy + 1, height - 1)
            tx, ty = np.float32(fx - ix), np.float32(fy - iy)
            one = np.float32(1.0)
            a00, a10 = (one - tx) * (one - ty) * lit, tx * (one - ty) * lit
            a01, a11 = (one - tx) * ty * lit, tx * ty * lit
            p00, p10, p01, p11 = source[iy, ix], source[iy, jx], source[jy, ix], source[jy, jx]
            made = np.uint64(0)
            for k in range(3):
                by = np.uint64(21 * k)
                value = (
                    np.float32((p00 >> by) & CHANNEL) * a00
                    + np.float32((p10 >> by) & CHANNEL) * a10
                    + np.float32((p01 >> by) & CHANNEL) * a01
                    + np.float32((p11 >> by) & CHANNEL) * a11
                )
                made |= np.uint64(np.int64(min(value + np.float32(0.5), most))) << by
            out[y, x] = made


@njit(cache=True, nogil=True, fastmath=True)
def shade_rows(shade, first, last, found, values, starts, sizes, scales, inverse, times, wide, finest, sun, strength):
    """How much light falls on what rays met, beside flat ground (Lambert's cosine): ``sun`` points to the light, east,
    north and up."""
    for r in range(first, last):
        for c in range(found.shape[1]):
            shade[r, c] = 1.0
            t = found[r, c, 3]
            if t <= 0.0:
                continue
            x, y = found[r, c, 0], found[r, c, 1]
            reach = max(finest, t * wide)
            level = math.log2(max(reach / finest, 1.0))
            gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
            gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
            ax, ay = inverse[0, 0] * reach, inverse[1, 0] * reach
            bx, by = inverse[0, 1] * reach, inverse[1, 1] * reach
            east = _height(values, starts, sizes, scales, gx + ax, gy + ay, level)
            east -= _height(values, starts, sizes, scales, gx - ax, gy - ay, level)
            north = _height(values, starts, sizes, scales, gx + bx, gy + by, level)
            north -= _height(values, starts, sizes, scales, gx - bx, gy - by, level)
            nx, ny = -times * east / (2.0 * reach), -times * north / (2.0 * reach)
            facing = (nx * sun[0] + ny * sun[1] + sun[2]) / math.sqrt(nx * nx + ny * ny + 1.0)
            lit = min(max(facing / max(sun[2], 0.2), 0.15), 1.8)
            shade[r, c] = 1.0 + strength * (lit - 1.0)


def cast(heights: Heights, times: float, fall: NDArray[np.float64]) -> Heights:
    """How much of the sun reaches each place, 0 or 1, as heights are kept: one sweep along the light.

    A place lies in shadow where the ground towards the light rises above the ray from there; along one line that is the
    running maximum of the heights, sloped as the light is.
    """
    number = int(np.argmin(np.abs(heights.sizes.max(axis=1) - SWEPT)))
    rows, columns = heights.sizes[number].tolist()
    begin = int(heights.starts[number])
    grid = heights.values[begin : begin + rows * columns].reshape(rows, columns) * np.float32(times)
    full_rows, full_columns = heights.sizes[0].tolist()
    coarse = np.diag([columns / full_columns, rows / full_rows, 1.0]) @ heights.grid_from_ground
    way = coarse[:2, :2] @ (fall / np.hypot(*fall))
    a_unit = float(np.hypot(*way))
    angle = math.degrees(math.atan2(way[1], way[0]))
    side = math.ceil(math.hypot(rows, columns)) + 2
    turn = cv2.getRotationMatrix2D(((columns - 1) / 2, (rows - 1) / 2), angle, 1.0)
    turn[:, 2] += [(side - columns) / 2, (side - rows) / 2]
    level = cv2.warpAffine(grid, turn, (side, side), flags=cv2.INTER_LINEAR)
    # Along a row the light goes to the right, and falls by so much from one place to the next.
    falls = np.arange(side, dtype=np.float32) / np.float32(a_unit * np.hypot(*fall))
    above = np.maximum.accumulate(level + falls, axis=1) - falls
    soft = np.float32(max(heights.step * full_columns / columns, 1e-9) * 0.5)
    dark = np.clip((above - level) / soft - 0.2, 0, 1)
    back = cv2.warpAffine(dark, turn, (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    lit = 1 - cv2.GaussianBlur(back, (0, 0), 0.8)
    return Heights(
        np.ascontiguousarray(lit, dtype=np.float32).ravel(), np.array([0]), np.array([[rows, columns]]), coarse, 1.0
    )


SWEPT = 1024
"""About how many places along a side shadows are worked out for."""


@njit(cache=True, nogil=True, fastmath=True)
def shadow_rows(shade, first, last, found, values, starts, sizes, inverse, strength):
    """Darken what lies in cast shadow."""
    rows, columns = sizes[0, 0], sizes[0, 1]
    for r in range(first, last):
        for c in range(found.shape[1]):
            if found[r, c, 3] <= 0.0:
                continue
            x, y = found[r, c, 0], found[r, c, 1]
            gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2] - 0.5
            gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2] - 0.5
            if gx < 0.0 or gy < 0.0 or gx >= columns - 1 or gy >= rows - 1:
                continue
            ix, iy = int(gx), int(gy)
            fx, fy = gx - ix, gy - iy
            k = iy * columns + ix
            upper = values[k] * (1.0 - fx) + values[k + 1] * fx
            lower = values[k + columns] * (1.0 - fx) + values[k + columns + 1] * fx
            shade[r, c] *= 1.0 - strength * (1.0 - (upper * (1.0 - fy) + lower * fy))


@dataclass(frozen=True)
class Slopes:
    """How the light falls on relief: how far a shadow falls for a height of 1, and how strong light and shade, and cast
    shadows, are."""

    fall: tuple[float, float]
    shade: float
    shadows: float


@dataclass(frozen=True)
class Terrain:
    """Relief as a view sees it: what its rays meet, and how light falls there.

    Attributes:
        view: the view; ``times``: ground units for a metre of height.
        found: what rays of the level view meet, (rows, columns, 4) float32: see :func:`march_columns`.
        turned: 3x3, from pixels of the view to places of ``found``.
        shade: (rows, columns) float32.
    """

    view: View
    heights: Heights
    times: float
    found: Floats
    turned: NDArray[np.float64]
    shade: Floats

    @staticmethod
    def of(
        heights: Heights, times: float, view: View, detail: float, slopes: Slopes, shadows: Heights | None
    ) -> Terrain:
        """Follow the rays of a view; ``detail`` of them for each pixel, along a side."""
        pose = view.pose
        level = Pose(pose.x, pose.y, pose.span, pose.tilt, pose.heading, 0.0, pose.focal)
        # The frame turned level, about the middle of the whole of it.
        middle = np.array([view.whole.width / 2 - view.left, view.whole.height / 2 - view.top])
        roll = math.radians(pose.roll)
        cos, sin = math.cos(roll), math.sin(roll)
        around = np.array([[cos, -sin], [sin, cos]])
        width, height = view.size
        corners = np.array([[0, 0], [width, 0], [width, height], [0, height]]) - middle
        level_corners = corners @ around.T
        low = np.floor(level_corners.min(axis=0))
        high = np.ceil(level_corners.max(axis=0))
        columns, rows = (max(math.ceil(side * detail), 2) for side in (high - low))
        turned = np.eye(3)
        turned[:2, :2] = around * detail
        turned[:2, 2] = (-(around @ middle) - low) * detail
        axes = level.axes()
        eye = np.array(level.eye()) - [pose.x, pose.y, 0.0]
        wide = 36.0 / pose.focal / view.whole.width / detail
        found = np.zeros((rows, columns, 4), np.float32)
        shift = heights.grid_from_ground.copy()
        shift[:2, 2] += shift[:2, :2] @ [pose.x, pose.y]
        settings = (
            heights.values, heights.starts, heights.sizes, heights.scales, shift, times, eye, axes, -low * detail, wide,
            heights.top * times, max(heights.slope * times, 0.05), heights.step, FAR * pose.distance,
        )  # fmt: skip
        in_threads(lambda a, b: march_columns(found, a, b, *settings), 0, columns)
        shade = np.ones((rows, columns), np.float32)
        if slopes.shade > 0 and times > 0:
            light = np.array([-slopes.fall[0], -slopes.fall[1], 1.0])
            light /= np.linalg.norm(light)
            grid = (heights.values, heights.starts, heights.sizes, heights.scales)
            how = (*grid, shift, times, wide, heights.step, light, slopes.shade)
            in_threads(lambda a, b: shade_rows(shade, a, b, found, *how), 0, rows)
        if shadows is not None and slopes.shadows > 0:
            moved = shadows.grid_from_ground.copy()
            moved[:2, 2] += moved[:2, :2] @ [pose.x, pose.y]
            how2 = (shadows.values, shadows.starts, shadows.sizes, moved, slopes.shadows)
            in_threads(lambda a, b: shadow_rows(shade, a, b, found, *how2), 0, rows)
        return Terrain(view, heights, times, found, turned, shade)

    @cached_property
    def flat(self) -> View:
        """The view of the flat ground in which all that is seen stands: the same, with what more of it that takes."""
        seen = self.found[..., 3] > 0
        if not seen.any():
            return self.view
        places = self.found[seen][::7, :2].astype(np.float64)
        through = np.column_stack([places, np.ones(len(places))]) @ self.view.plane().T
        ahead = through[:, 2] > 1e-3
        spots = through[ahead, :2] / through[ahead, 2:]
        width, height = self.view.size
        if not len(spots):
            return self.view
        low, high = spots.min(axis=0), spots.max(axis=0)
        most = MOST_BESIDE * np.array([width, height])
        before = np.clip(np.ceil(-low), 0, most).astype(int) + 2
        after = np.clip(np.ceil(high - [width, height]), 0, most).astype(int) + 2
        size = FrameSize(width + int(before[0] + after[0]), height + int(before[1] + after[1]))
        view = self.view
        return View(view.pose, size, view.scale, view.whole, view.left - int(before[0]), view.top - int(before[1]))

    def height_at(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """How high the ground is at places (n, 2), ground units, as fine as it is seen about the target."""
        return self.times * self.heights.at(places, self.view.pose.span / self.view.whole.width)

    def over(self, light: Light) -> Light:
        """Light of the flat ground, in the view :attr:`flat`, as it lies over the relief, in the view."""
        width, height = self.view.size
        offset = np.array([float(self.flat.left - self.view.left), float(self.flat.top - self.view.top)])
        plane = self.view.plane()

        def laid(source: NDArray[np.uint64], shade: Floats) -> NDArray[np.uint64]:
            out = np.empty((height, width), np.uint64)
            in_threads(
                lambda a, b: laid_rows(source, out, a, b, self.found, self.turned, plane, offset, shade), 0, height
            )
            return out

        covers = None if light.covers is None else laid(light.covers, np.ones_like(self.shade))
        return Light(laid(light.colours, self.shade), covers)

    @cached_property
    def places(self) -> Floats:
        """What each pixel of the view shows: east and north, counted from the target, height, and how far away; 0 for
        the sky. (height, width, 4) float32."""
        width, height = self.view.size
        out = np.empty((height, width, 4), np.float32)
        in_threads(lambda a, b: place_rows(out, a, b, self.found, self.turned), 0, height)
        return out


@njit(cache=True, nogil=True)
def place_rows(out, first, last, found, turned):
    """What pixels of a view show, from what its rays met."""
    rows, columns = found.shape[0], found.shape[1]
    for y in range(first, last):
        for x in range(out.shape[1]):
            u = turned[0, 0] * (x + 0.5) + turned[0, 1] * (y + 0.5) + turned[0, 2]
            v = turned[1, 0] * (x + 0.5) + turned[1, 1] * (y + 0.5) + turned[1, 2]
            c, r = min(max(int(u), 0), columns - 1), min(max(int(v), 0), rows - 1)
            for k in range(4):
                out[y, x, k] = found[r, c, k]


MOST_BESIDE = 1.0
"""How much of the flat ground beside the frame is drawn at most, in widths and heights of it."""
