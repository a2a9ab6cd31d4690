"""The ground as a view sees it where it is not flat: raised by heights, or standing out as blocks.

For each pixel its ray is followed until it meets the ground: where that is, east, north and height. What the ground
shows there stands in the picture of the flat ground, at the place where the flat ground has it: so plates, lamps,
shadows and all that lies on the ground are drawn once, flat, and laid over the mountains. Nothing is a mesh, and
nothing can crack.

Rays are followed for every third pixel; between two that meet the same ground it goes on evenly, and where they do
not, along ridges and edges, each pixel has rays of its own.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import Pose, View
from yaila.core.picture import rays
from yaila.core.picture.blocks import Blocks
from yaila.core.picture.heights import Heights
from yaila.core.picture.light import GRID, Field
from yaila.core.picture.linear import Light
from yaila.core.picture.rays import GRAZED
from yaila.core.picture.threads import in_threads

FAR = 60.0
"""Rays are followed as far as so many distances to the target."""

DETAIL = 1 / 3
"""Rays for a pixel, along a side, where the ground is even."""

MOST_BESIDE = 1.0
"""How much of the flat ground beside the frame is drawn at most, in widths and heights of it."""

LOOKED_AT = 5
"""Every so many rays are looked at for how much of the flat ground is seen."""

TWO_SPOTS = np.array([[0.3, 0.3], [0.7, 0.7]])
FOUR_SPOTS = np.array([[0.375, 0.125], [0.875, 0.375], [0.125, 0.625], [0.625, 0.875]])
"""Where the rays of a pixel go through it that has some of its own: two on its diagonal, or four on a turned
square."""

ABOUT = 2
"""Rays about a place, on every side, that say whether it is seen."""

HIDDEN = 0.02
"""What is behind the ground by less than this share of its distance is not hidden by it."""

Floats = NDArray[np.float32]
NO_FLOATS = np.zeros((0, 0), np.float32)
NO_LIGHT = np.zeros((0, 0), np.uint64)


@dataclass(frozen=True)
class Slopes:
    """How the light falls on relief: how far a shadow falls for a height of 1; how strong light and shade, and cast
    shadows, are; and how wide the light is, radians."""

    fall: tuple[float, float]
    shade: float
    shadows: float
    wide: float = 0.0


@dataclass(frozen=True)
class Contours:
    """Lines of one height: every so many metres, in linear red, green and blue, so many pixels of the film's frame
    wide."""

    every: float
    colour: Floats
    width: float


@dataclass(frozen=True)
class Raised:
    """What raises the ground: heights, ``times`` ground units for a metre of them, what gives the shadows they cast,
    and lines of one height; or, as a ``drawing``, only its light and shade."""

    heights: Heights
    times: float
    shadows: Callable[[], Heights] | None = None
    drawing: bool = False
    contours: Contours | None = None

    @property
    def by(self) -> float:
        """Ground units that a metre raises the ground."""
        return 0.0 if self.drawing else self.times

    @property
    def top(self) -> float:
        """How high the ground is at most, ground units."""
        return self.heights.top * self.by


@dataclass(frozen=True)
class Terrain:
    """Ground that is not flat as a view sees it: what its rays meet, and how light falls there.

    Attributes:
        found: what rays of the level view meet, (rows, columns, 4) float32: see :func:`rays.march_columns`.
        sides: whether that is the side of a block, (rows, columns) uint8.
        turned: 3x3, from pixels of the view to places of ``found``.
        shade: how much light there is, beside the flat ground, (rows, columns) float32.
    """

    view: View
    raised: Raised | None
    blocks: Blocks | None
    found: Floats
    sides: NDArray[np.uint8]
    turned: NDArray[np.float64]
    shade: Floats
    _light: tuple[Any, ...]
    _rays: tuple[Any, ...]
    """The surface, and what follows a ray: eye, axes, the pixel that looks forward, its width, bounds."""

    @staticmethod
    def of(raised: Raised | None, blocks: Blocks | None, view: View, slopes: Slopes, detail: float = DETAIL) -> Terrain:
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
        columns, rows = (max(math.ceil(side * detail) + 1, 2) for side in (high - low))
        turned = np.eye(3)
        turned[:2, :2] = around * detail
        turned[:2, 2] = (-(around @ middle) - low) * detail
        axes = level.axes()
        eye = np.array(level.eye()) - [pose.x, pose.y, 0.0]
        wide = 36.0 / pose.focal / view.whole.width
        found, sides = np.zeros((rows, columns, 4), np.float32), np.zeros((rows, columns), np.uint8)
        surface, top, steep, finest = _surface(raised, blocks, view)
        bounds = (top, steep, finest, FAR * pose.distance, wide)
        how = (eye, axes, -low * detail, wide / detail)
        coarse = (*bounds[:4], wide / detail * 0.7)
        in_threads(
            lambda a, b: rays.march_columns(found, sides, a, b, surface, *how, coarse), found.swapaxes(0, 1), worth=4
        )
        shade = np.ones((rows, columns), np.float32)
        light = _light(raised, slopes, pose)
        if raised and (slopes.shade > 0 or slopes.shadows > 0):
            in_threads(lambda a, b: rays.shade_rows(shade, a, b, found, surface, light, wide, finest), shade)
        if blocks and blocks.dark.any():
            fall = np.array(slopes.fall)
            soft = max(slopes.wide / 2, 1e-4)
            in_threads(
                lambda a, b: rays.block_shadow_rows(shade, a, b, found, sides, surface, blocks.dark, fall, soft),
                shade,
            )
        return Terrain(view, raised, blocks, found, sides, turned, shade, light, (surface, *how, bounds))

    @cached_property
    def flat(self) -> View:
        """The view of the flat ground in which all that is seen stands: the same, with what more of it that takes."""
        some = self.found[::LOOKED_AT, ::LOOKED_AT].reshape(-1, 4)
        border = np.concatenate([self.found[[0, -1]].reshape(-1, 4), self.found[:, [0, -1]].reshape(-1, 4)])
        met = np.concatenate([some, border])
        places = met[met[:, 3] > 0, :2].astype(np.float64)
        if not len(places):
            return self.view
        through = np.column_stack([places, np.ones(len(places))]) @ self.view.plane().T
        ahead = through[:, 2] > 1e-3
        spots = through[ahead, :2] / through[ahead, 2:]
        return self.view.reaching(spots, MOST_BESIDE, 2) if len(spots) else self.view

    def height_at(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """How high the ground is at places (n, 2), ground units, as fine as it is seen about the target."""
        high = np.zeros(len(places))
        if self.raised:
            fine = self.view.pose.span / self.view.whole.width
            high += self.raised.by * self.raised.heights.at(places, fine)
        if self.blocks:
            blocks = self.blocks
            spots = blocks.view.project(places)
            ahead = spots[:, 2] > 1e-6
            columns, rows = (np.where(ahead, spots[:, k], -1.0) for k in (0, 1))
            within = (columns >= 0) & (rows >= 0)
            within &= (columns < blocks.view.size.width) & (rows < blocks.view.size.height)
            at = rows[within].astype(int), columns[within].astype(int)
            high[within] += np.where(blocks.inside[at] > 0, blocks.tall[at], 0.0)
        return high

    def seen(self, spot: tuple[float, float, float]) -> float:
        """How much of what is about a place, east, north and height, is seen and not hidden by the ground, 0..1."""
        u, v, depth = self.view.spot(spot[:2], spot[2])
        if depth <= 0:
            return 1.0
        column, row = (self.turned[:2] @ [u, v, 1.0]).astype(int).tolist()
        rows, columns = self.found.shape[:2]
        if not (0 <= column < columns and 0 <= row < rows):
            return 1.0
        around = self.found[max(row - ABOUT, 0) : row + ABOUT + 1, max(column - ABOUT, 0) : column + ABOUT + 1, 3]
        # Where it stands the ground is as near as it.
        away = depth * self.view.pose.distance * (1 - HIDDEN)
        return float(((around == 0) | (around > away)).mean())

    def over(self, light: Light, careful: bool, field: Field | None, deep: bool) -> tuple[Light, Floats | None]:
        """Light of the flat ground, in the view :attr:`flat`, as it lies over the ground in the view; and, if it is to
        be ``deep``, what each pixel shows: east and north, counted from the target, height, and how far away (0 for the
        sky), (height, width, 4) float32. ``careful`` takes more rays along edges; ``field`` is what light does to the
        flat ground."""
        width, height = self.view.size
        offset = np.array([float(self.flat.left - self.view.left), float(self.flat.top - self.view.top)])
        # To the pixels of the flat ground's picture.
        plane = self.flat.plane()
        out = np.empty((height, width), np.uint64)
        covers = light.covers if light.covers is not None else NO_LIGHT
        covered = np.empty((height, width), np.uint64) if light.covers is not None else NO_LIGHT
        places = np.zeros((height, width, 4) if deep else (0, 0, 4), np.float32)
        spots = FOUR_SPOTS if careful else TWO_SPOTS
        blocks = self.blocks
        which, tints = (
            (blocks.which, blocks.sides) if blocks else (np.zeros((0, 0), np.uint8), np.zeros((0, 3), np.float32))
        )
        nothing = np.zeros((0, 0, 3), np.float32)
        times, plus, grid = (field.times, field.plus, GRID) if field else (nothing, nothing, 0)
        surface, eye, axes, middle, across, bounds = self._rays
        nodes = np.zeros((0, 0), np.float32)
        if self.raised and self.raised.by and not blocks and light.covers is None and not self.view.pose.roll:
            nodes = np.empty((len(self.found), 8 * self.found.shape[1]), np.float32)
            in_threads(lambda a, b: rays.node_rows(nodes, a, b, self.found, self.shade, plane), self.found[..., 0])
        in_threads(
            lambda a, b: rays.laid_rows(
                light.colours, covers, out, covered, places, a, b, self.found, self.sides, self.shade, self.turned,
                plane, offset, surface, eye, axes, middle, across, bounds, spots, self._light, which, tints,
                times, plus, grid, nodes,
            ),
            out,
        )  # fmt: skip
        if self.raised and self.raised.contours:
            self._contoured(out, self.raised.heights, self.raised.contours)
        return Light(out, covered if light.covers is not None else None), places if deep else None

    def _contoured(self, out: NDArray[np.uint64], heights: Heights, contours: Contours) -> None:
        """Draw lines of one height on light of the view."""
        metres = np.empty(self.found.shape[:2], np.float32)
        inverse, bounds = _counted_from(heights, self.view.pose), self._rays[-1]
        grid = (heights.values, heights.starts, heights.sizes, heights.scales, inverse, heights.step, bounds[4])
        in_threads(lambda a, b: rays.metre_rows(metres, a, b, self.found, *grid), metres)
        colour, width = contours.colour.astype(np.float64), contours.width * self.view.scale
        how = (self.turned, float(contours.every), colour, width, GRAZED * self._rays[4])
        in_threads(lambda a, b: rays.contour_rows(out, a, b, metres, self.found, self.sides, *how), out)


def _light(raised: Raised | None, slopes: Slopes, pose: Pose) -> tuple[Any, ...]:
    """Light as ``rays`` knows it."""
    sun = np.array([-slopes.fall[0], -slopes.fall[1], 1.0])
    sun /= np.linalg.norm(sun)
    shadows, times = (raised.shadows() if raised and raised.shadows else None), float(raised.times) if raised else 0.0
    shade, cast = float(slopes.shade), float(slopes.shadows)
    if shadows is None:
        return sun, shade, np.ones(1, np.float32), np.ones((1, 2), np.int64), np.eye(3), 0.0, times
    return sun, shade, shadows.values, shadows.sizes, _counted_from(shadows, pose), cast, times


def _counted_from(heights: Heights, pose: Pose) -> NDArray[np.float64]:
    """3x3: from places counted from a pose's target to the grid of heights."""
    moved = heights.grid_from_ground.copy()
    moved[:2, 2] += moved[:2, :2] @ [pose.x, pose.y]
    return moved


def _surface(raised: Raised | None, blocks: Blocks | None, view: View) -> tuple[tuple[Any, ...], float, float, float]:
    """The ground as ``rays`` knows it, how high it is at most, how steep, and how fine its heights are."""
    finest, known = view.pose.span / view.whole.width, (NO_FLOATS, np.zeros((0, 2), np.int16), 0.0)
    if raised:
        heights = raised.heights
        relief: tuple[Any, ...] = (
            heights.values, heights.starts, heights.sizes, heights.scales, _counted_from(heights, view.pose),
            float(raised.by),
        )  # fmt: skip
        top, steep, finest = raised.top, max(heights.slope * raised.by, 0.05), heights.step
        known = (heights.clear, *heights.slopes)
    else:
        one = np.ones((1, 2))
        relief = (np.zeros(1, np.float32), np.zeros(1, np.int64), one.astype(np.int64), one, np.eye(3), 0.0)
        top, steep = 0.0, 0.0
    if blocks is None:
        return (*relief, NO_FLOATS, NO_FLOATS, np.eye(3), 0.0, *known), top, steep, finest
    surface = (*relief, blocks.inside, blocks.tall, blocks.view.plane(), float(blocks.tallest), *known)
    return surface, top + blocks.tallest, steep, finest
