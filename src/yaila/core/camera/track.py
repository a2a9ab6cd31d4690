"""The camera over many moments."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.pose import FARTHEST, FILM_BACK, MAX_TILT, FrameSize, Pose
from yaila.core.time import smoothstep

FIELDS = ("x", "y", "span", "tilt", "heading", "roll", "focal")
LOGARITHMIC = ("span", "focal")
"""Channels that move evenly in their logarithm."""


@dataclass(frozen=True)
class Track:
    """The camera at n moments: arrays of shape (n,), in the units of :class:`Pose`. Headings run on beyond ±180, so
    that a turn has no seam."""

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    span: NDArray[np.float64]
    tilt: NDArray[np.float64]
    heading: NDArray[np.float64]
    roll: NDArray[np.float64]
    focal: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.x)

    def pose(self, index: int) -> Pose:
        """The pose at one moment."""
        return Pose(*(float(getattr(self, name)[index]) for name in FIELDS))

    def part(self, rows: slice) -> Track:
        """Some of the moments."""
        return Track(*(getattr(self, name)[rows] for name in FIELDS))

    def taken(self, which: NDArray[np.int64]) -> Track:
        """Some of the moments, by their places."""
        return Track(*(getattr(self, name)[which] for name in FIELDS))

    def turned(self, degrees: float) -> Track:
        """The same with headings counted from elsewhere."""
        return replace(self, heading=self.heading + degrees) if degrees else self

    @staticmethod
    def still(pose: Pose, count: int) -> Track:
        """The same pose, ``count`` times."""
        return Track(*(np.full(count, getattr(pose, name), dtype=np.float64) for name in FIELDS))

    @staticmethod
    def of_rows(rows: NDArray[np.float64]) -> Track:
        """From an array (n, 7), its columns as ``FIELDS``."""
        return Track(*rows.T)

    def rows(self) -> NDArray[np.float64]:
        """As an array (n, 7), its columns as ``FIELDS``."""
        return np.column_stack([getattr(self, name) for name in FIELDS])

    def axes(self) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Right, up and forward of the camera at each moment, (n, 3) each; as ``Pose.axes``."""
        tilt, heading, roll = (np.radians(angle) for angle in (self.tilt, self.heading, self.roll))
        zero, one = np.zeros(len(self)), np.ones(len(self))
        ahead = np.stack([np.sin(heading), np.cos(heading), zero], axis=1)
        level = np.stack([np.cos(heading), -np.sin(heading), zero], axis=1)
        zenith = np.stack([zero, zero, one], axis=1)
        cos_t, sin_t = np.cos(tilt)[:, None], np.sin(tilt)[:, None]
        forward, upward = sin_t * ahead - cos_t * zenith, cos_t * ahead + sin_t * zenith
        cos_r, sin_r = np.cos(roll)[:, None], np.sin(roll)[:, None]
        return cos_r * level - sin_r * upward, sin_r * level + cos_r * upward, forward

    @property
    def distances(self) -> NDArray[np.float64]:
        """From the eye to the target at each moment, ground units, (n,)."""
        return self.span * self.focal / FILM_BACK

    def eyes(self) -> NDArray[np.float64]:
        """Where the camera stands at each moment: x, y and height, (n, 3)."""
        eyes = -self.distances[:, None] * self.axes()[2]
        eyes[:, 0] += self.x
        eyes[:, 1] += self.y
        return np.asarray(eyes)

    def frame_from_ground(self, size: FrameSize) -> NDArray[np.float64]:
        """The maps from ground to frame pixels at each moment, (n, 3, 3), as ``Pose.frame_from_ground``."""
        made = self._relative(size)
        made[:, :, 2] -= made[:, :, 0] * self.x[:, None] + made[:, :, 1] * self.y[:, None]
        return made

    def ground_from_frame(self, size: FrameSize) -> NDArray[np.float64]:
        """Their inverses, (n, 3, 3), as ``Pose.ground_from_frame``."""
        made = np.asarray(np.linalg.inv(self._relative(size)), np.float64)
        made[:, 0] += self.x[:, None] * made[:, 2]
        made[:, 1] += self.y[:, None] * made[:, 2]
        return made

    def _relative(self, size: FrameSize) -> NDArray[np.float64]:
        """From ground counted from the target to frame pixels."""
        right, up, forward = self.axes()
        distance, scale = self.distances, size.width / self.span
        made = np.zeros((len(self), 3, 3))
        made[:, 2, :2] = forward[:, :2] / distance[:, None]
        made[:, 2, 2] = 1.0
        made[:, 0, :2], made[:, 1, :2] = right[:, :2] * scale[:, None], -up[:, :2] * scale[:, None]
        made[:, 0] += size.width / 2 * made[:, 2]
        made[:, 1] += size.height / 2 * made[:, 2]
        return made

    def outlines(self, size: FrameSize) -> list[NDArray[np.float64]]:
        """What the frame shows of the ground at each moment, as ``Pose.ground_outline``."""
        right, up, forward = self.axes()
        far = (self.focal / FILM_BACK)[:, None, None]
        half = size.height / size.width / 2
        across, upward = np.array([-0.5, 0.5, 0.5, -0.5]), np.array([half, half, -half, -half])
        rays = far * forward[:, None, :] + across[:, None] * right[:, None, :] + upward[:, None] * up[:, None, :]
        with np.errstate(divide="ignore"):
            # Depth along the line of sight, in distances to the target.
            depth = far[..., 0] * forward[:, 2, None] / rays[..., 2]
        cut = (rays[..., 2] >= 0) | (depth > FARTHEST)
        eye = -far[:, 0] * forward
        corners = (eye[:, None, :2] + np.where(cut, 0.0, depth)[..., None] * rays[..., :2]) * self.span[:, None, None]
        corners += np.stack([self.x, self.y], axis=1)[:, None, :]
        bent: list[bool] = np.any(cut, axis=1).tolist()
        return [self.pose(k).ground_outline(size) if bent[k] else corners[k] for k in range(len(self))]

    def channels(self) -> NDArray[np.float64]:
        """The channels as they move evenly, shape (n, 7): span and focal length in their logarithm."""
        columns = [np.log(getattr(self, name)) if name in LOGARITHMIC else getattr(self, name) for name in FIELDS]
        return np.column_stack(columns)

    @staticmethod
    def of_channels(channels: NDArray[np.float64]) -> Track:
        """The inverse of :meth:`channels`; tilt is kept to what a camera can do."""
        columns = dict(zip(FIELDS, channels.T, strict=True))
        for name in LOGARITHMIC:
            columns[name] = np.exp(columns[name])
        columns["tilt"] = np.clip(columns["tilt"], 0.0, MAX_TILT)
        return Track(**columns)


def turn_between(start: float, end: float) -> float:
    """The shorter way round from one angle to another, degrees, in -180 < turn <= 180."""
    turn = (end - start) % 360
    return turn - 360 if turn > 180 else turn


def even(start: float, end: float, progress: NDArray[np.float64]) -> NDArray[np.float64]:
    """From one positive value to another, evenly in the logarithm."""
    return np.asarray(start * (end / start) ** progress)


def ramp(progress: NDArray[np.float64], share: float) -> NDArray[np.float64]:
    """1 in the middle, falling smoothly to 0 at progress 0 and 1 over the outer ``share`` of the way."""

    return np.asarray(smoothstep(progress / share) * smoothstep((1 - progress) / share))
