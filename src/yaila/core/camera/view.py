"""A view: a pose and a frame, with the projections between ground, planes at a height, space and frame."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.pose import FrameSize, Pose

Floats = NDArray[np.float64]

NEAR = 0.02
"""Nearer to the camera than this, in distances to the target, nothing is drawn."""


@dataclass(frozen=True)
class View:
    """What a camera sees.

    Attributes:
        pose: where the camera is.
        size: what is drawn, pixels.
        scale: its pixels for a pixel of the film's frame.
        whole: the size of the whole frame, of which what is drawn may be a part.
        left, top: where in it that part begins.
        step: pixels of the frame for one of it along each side, if it is drawn more coarsely.
        height: of the plane that is taken to be the ground, ground units; places and heights count from it.

    Places of "the target's plane" count east and north from the camera's target, so that no large numbers cancel.
    """

    pose: Pose
    size: FrameSize
    scale: float
    whole: FrameSize
    left: int = 0
    top: int = 0
    height: float = 0.0
    step: int = 1

    @staticmethod
    def of(pose: Pose, size: FrameSize, scale: float = 1.0, region: tuple[int, int, int, int] | None = None) -> View:
        """The view of a whole frame, or of a region of it: left, top, width and height, pixels."""
        left, top, width, height = region or (0, 0, *size)
        return View(pose, FrameSize(width, height), scale, size, left, top)

    def wider(self, margin: int) -> View:
        """The same with so many pixels more on every side."""
        size = FrameSize(self.size.width + 2 * margin, self.size.height + 2 * margin)
        return replace(self, size=size, left=self.left - margin, top=self.top - margin)

    def reaching(self, spots: Floats, most: float, more: int) -> View:
        """The same with as much more on each side as pixels (n, 2) of it take, though no more than a share of its width
        and height, and so many pixels beyond."""
        width, height = self.size
        room = most * np.array([width, height])
        before = np.ceil(np.clip(-spots.min(axis=0), 0, room)).astype(int) + more
        after = np.ceil(np.clip(spots.max(axis=0) - [width, height], 0, room)).astype(int) + more
        size = FrameSize(width + int(before[0] + after[0]), height + int(before[1] + after[1]))
        return replace(self, size=size, left=self.left - int(before[0]), top=self.top - int(before[1]))

    def coarse(self, step: int) -> View:
        """The same with a pixel for so many along each side; the last ones may reach beyond."""
        size = FrameSize(*(-(-side // step) for side in self.size))
        return replace(self, size=size, step=step)

    def posed(self, pose: Pose) -> View:
        """The same part of the frame of another pose."""
        return replace(self, pose=pose)

    def on(self, height: float) -> View:
        """The same, with a plane at a height taken to be the ground."""
        return replace(self, height=height)

    @cached_property
    def _cut(self) -> Floats:
        cut = np.array([[1.0, 0.0, -self.left], [0.0, 1.0, -self.top], [0.0, 0.0, 1.0]])
        return cut if self.step == 1 else np.diag([1 / self.step, 1 / self.step, 1.0]) @ cut

    @cached_property
    def space(self) -> Floats:
        """3x4: places in space, counted from the target, (x, y, height, 1), to frame (u, v, w); w is the depth in
        distances to the target."""
        space = self._cut @ self.pose.frame_from_space(self.whole)
        if self.height:
            space[:, 3] += space[:, 2] * self.height
        return space

    @cached_property
    def frame_from_ground(self) -> Floats:
        """3x3: the ground (x, y, 1) to frame (u, v, w)."""
        if self.height:
            return self.plane() @ np.array([[1.0, 0, -self.pose.x], [0, 1.0, -self.pose.y], [0, 0, 1.0]])
        return self._cut @ self.pose.frame_from_ground(self.whole)

    @cached_property
    def ground_from_frame(self) -> Floats:
        """3x3: the inverse of :attr:`frame_from_ground`; w > 0 below the horizon."""
        if self.height:
            back = np.array([[1.0, 0, self.pose.x], [0, 1.0, self.pose.y], [0, 0, 1.0]])
            return np.asarray(back @ np.linalg.inv(self.plane()), np.float64)
        whole = np.array([[self.step, 0.0, self.left], [0.0, self.step, self.top], [0.0, 0.0, 1.0]])
        return self.pose.ground_from_frame(self.whole) @ whole

    @cached_property
    def target(self) -> Floats:
        """The target on the ground, (2,)."""
        return np.array([self.pose.x, self.pose.y])

    @property
    def pixels_per_unit(self) -> float:
        """Frame pixels for a ground unit at the target."""
        return self.whole.width / self.pose.span

    @property
    def unit(self) -> float:
        """Ground units of a pixel of the film's frame, at the target."""
        return self.pose.span * self.scale / self.whole.width

    def plane(self, height: float = 0.0, east: float = 0.0, north: float = 0.0) -> Floats:
        """3x3: the target's plane raised by a height and moved by ground units, (x, y, 1), to frame (u, v, w)."""
        plane = self.space[:, [0, 1, 3]].copy()
        plane[:, 2] += self.space[:, 2] * height + self.space[:, 0] * east + self.space[:, 1] * north
        return plane

    def seen(self, places: Floats, heights: Floats | float = 0.0) -> Floats:
        """Places (n, 2) at heights above the ground, before the division by depth: (n, 3)."""
        away = np.empty((len(places), 4))
        away[:, :2] = places - self.target
        away[:, 2], away[:, 3] = heights, 1.0
        return np.asarray(away @ self.space.T)

    def project(self, places: Floats, heights: Floats | float = 0.0) -> Floats:
        """Frame pixels and depth, in distances to the target, of places (n, 2) at heights: (n, 3)."""
        through = self.seen(places, heights)
        with np.errstate(divide="ignore", invalid="ignore"):
            through[:, :2] /= through[:, 2:]
        return through

    def spot(self, place: Floats | tuple[float, ...], height: float = 0.0) -> tuple[float, float, float]:
        """:meth:`project` for one place, (2,), which takes a small part of the time: across, down and depth; infinite
        where it is beside the eye, neither before nor behind it."""
        x, y, z = float(place[0]) - self.pose.x, float(place[1]) - self.pose.y, float(height)
        u, v, w = (a * x + b * y + c * z + d for a, b, c, d in self._space)
        return (u / w, v / w, w) if w else (math.inf, math.inf, 0.0)

    @cached_property
    def _space(self) -> list[list[float]]:
        """:attr:`space` as numbers of Python's own."""
        return self.space.tolist()

    def depth(self, place: Floats | tuple[float, float], height: float = 0.0) -> float:
        """How far a place is, in distances to the target."""
        x, y, z = self._ahead
        return (
            1.0 + x * (float(place[0]) - self.pose.x) + y * (float(place[1]) - self.pose.y) + z * (height + self.height)
        )

    @cached_property
    def _ahead(self) -> tuple[float, float, float]:
        """By how much depth grows for a ground unit to the east, to the north and up."""
        x, y, z = (self.pose.axes()[2] / self.pose.distance).tolist()
        return x, y, z
