"""Where the camera is and how it looks at the ground.

The camera is a pinhole. Its lens is given as a focal length on a picture 36 mm wide, so the horizontal angle
of view is ``2 atan(18 / f)`` (thin-lens optics, any photographic handbook), and it looks at a *target* on the
ground from a distance at which the frame is exactly ``span`` ground units wide at the target:
``distance = span * f / 36``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yaila.core.quantities import wrapped

FILM_BACK = 36.0
"""Width of the picture behind the lens, millimetres."""

MAX_TILT = 85.0
"""The steepest tilt away from straight down, degrees."""


FARTHEST = 40.0
"""Where a frame reaches the horizon, its outline on the ground ends at so many times the distance to the target."""


class FrameSize(NamedTuple):
    """The size of a frame, pixels."""

    width: int
    height: int


@dataclass(frozen=True)
class Pose:
    """One pose of the camera.

    Attributes:
        x, y: target on the ground, ground units (east, north).
        span: ground width across the frame through the target, at right angles to the line of sight, > 0.
        tilt: degrees between straight down and the line of sight, 0 to 85.
        heading: degrees clockwise from north, the direction that is up in the frame.
        roll: degrees the camera is turned clockwise about its line of sight.
        focal: focal length, millimetres on a 36 mm wide picture.
    """

    x: float
    y: float
    span: float
    tilt: float = 0.0
    heading: float = 0.0
    roll: float = 0.0
    focal: float = 35.0

    @property
    def distance(self) -> float:
        """From the eye to the target, ground units."""
        return self.span * self.focal / FILM_BACK

    @staticmethod
    def looking(
        eye: tuple[float, float, float], target: tuple[float, float], roll: float, focal: float, heading: float
    ) -> Pose:
        """The pose that looks from an eye (x, y, height > 0) at a target on the ground; ``heading`` counts where the
        target is right below."""
        x, y = target[0] - eye[0], target[1] - eye[1]
        level = math.hypot(x, y)
        if level > 1e-9 * eye[2]:
            # The turn nearest to the heading there was, so that it does not jump by 360.
            heading += wrapped(math.degrees(math.atan2(x, y)) - heading)
        span = math.hypot(level, eye[2]) * FILM_BACK / focal
        return Pose(*target, span, math.degrees(math.atan2(level, eye[2])), heading, roll, focal)

    def axes(self) -> NDArray[np.float64]:
        """Unit vectors right, up and forward of the camera, shape (3, 3), rows in ground coordinates; not to be written
        into."""
        return self._axes

    @cached_property
    def _axes(self) -> NDArray[np.float64]:
        # Number by number: arrays of three are much slower, and a frame asks often.
        tilt, heading, roll = math.radians(self.tilt), math.radians(self.heading), math.radians(self.roll)
        sin_t, cos_t, sin_h, cos_h = math.sin(tilt), math.cos(tilt), math.sin(heading), math.cos(heading)
        sin_r, cos_r = math.sin(roll), math.cos(roll)
        upward = cos_t * sin_h, cos_t * cos_h, sin_t
        level = cos_h, -sin_h, 0.0
        right = [cos_r * flat - sin_r * steep for flat, steep in zip(level, upward, strict=True)]
        up = [sin_r * flat + cos_r * steep for flat, steep in zip(level, upward, strict=True)]
        return np.array([right, up, [sin_t * sin_h, sin_t * cos_h, -cos_t]])

    def eye(self) -> tuple[float, float, float]:
        """Where the camera stands: x, y and height above the ground, ground units."""
        forward = self.axes()[2]
        x, y, z = np.array([self.x, self.y, 0.0]) - self.distance * forward
        return float(x), float(y), float(z)

    def frame_from_ground(self, size: FrameSize) -> NDArray[np.float64]:
        """The 3x3 matrix from ground (x, y, 1) to frame pixels (u, v, w), up to the usual division by w.

        Frame pixels count from the outer corner of the top-left pixel, u right and v down. ``w`` is the depth
        along the line of sight over the distance to the target, so it is positive in front of the camera and 1
        at the target.
        """
        axes = self.axes()
        scale = size.width / self.span
        centre_u, centre_v = size.width / 2, size.height / 2
        # Relative to the target, so that no large numbers cancel however deep the zoom.
        depth = np.array([axes[2, 0] / self.distance, axes[2, 1] / self.distance, 1.0])
        right = np.array([axes[0, 0], axes[0, 1], 0.0]) * scale
        up = np.array([axes[1, 0], axes[1, 1], 0.0]) * scale
        relative = np.stack([right + centre_u * depth, -up + centre_v * depth, depth])
        shift = np.array([[1.0, 0.0, -self.x], [0.0, 1.0, -self.y], [0.0, 0.0, 1.0]])
        return relative @ shift

    def frame_from_space(self, size: FrameSize) -> NDArray[np.float64]:
        """The 3x4 matrix from places in space, (x, y) counted from the target and z above the ground, (x, y, z, 1), to
        frame pixels, as :meth:`frame_from_ground`."""
        axes, scale = self.axes(), size.width / self.span
        depth = np.append(axes[2] / self.distance, 1.0)
        right, up = np.append(axes[0] * scale, 0.0), np.append(axes[1] * scale, 0.0)
        return np.stack([right + size.width / 2 * depth, -up + size.height / 2 * depth, depth])

    def ground_from_frame(self, size: FrameSize) -> NDArray[np.float64]:
        """The inverse of :meth:`frame_from_ground`, its sign such that w > 0 below the horizon; not to be written
        into."""
        return _ground_from_frame(self, size)

    def ground_outline(self, size: FrameSize) -> NDArray[np.float64]:
        """What the frame shows of the ground: corners of a convex polygon, shape (n, 2), n from 3 to 5.

        Starts at the frame's top left and goes clockwise. Where the frame reaches the horizon, the polygon
        ends at ``FARTHEST`` times the distance to the target.
        """
        inverse = self.ground_from_frame(size)
        frame = [(0.0, 0.0), (size.width, 0.0), (size.width, size.height), (0.0, size.height)]
        corners = [inverse @ np.array([u, v, 1.0]) for u, v in frame]
        # w of ground_from_frame is 1 / depth: cut where the depth is `FARTHEST` times the target's.
        least = 1.0 / FARTHEST
        kept: list[NDArray[np.float64]] = []
        for here, after in zip(corners, corners[1:] + corners[:1], strict=True):
            if here[2] >= least:
                kept.append(here)
            if (here[2] >= least) != (after[2] >= least):
                share = (least - here[2]) / (after[2] - here[2])
                kept.append(here + share * (after - here))
        return np.array([corner[:2] / corner[2] for corner in kept])


@lru_cache(maxsize=64)
def _ground_from_frame(pose: Pose, size: FrameSize) -> NDArray[np.float64]:
    # One frame asks for it by way of several views.
    axes = pose.axes()
    scale = size.width / pose.span
    depth = np.array([axes[2, 0] / pose.distance, axes[2, 1] / pose.distance, 1.0])
    right = np.array([axes[0, 0], axes[0, 1], 0.0]) * scale
    up = np.array([axes[1, 0], axes[1, 1], 0.0]) * scale
    relative = np.stack([right + size.width / 2 * depth, -up + size.height / 2 * depth, depth])
    inverse = np.linalg.inv(relative)
    shift = np.array([[1.0, 0.0, pose.x], [0.0, 1.0, pose.y], [0.0, 0.0, 1.0]])
    return np.asarray(shift @ inverse, np.float64)
