"""Passages: the move from one pose to the next in a manner, over progress 0..1."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.glide import glide, glide_length, turn_between
from yaila.core.camera.hop import RHO, hop, hop_length
from yaila.core.camera.pose import Pose

Manner = Literal["glide", "hop"]


@dataclass(frozen=True)
class Track:
    """The camera at n moments: arrays of shape (n,), in the units of :class:`Pose`."""

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

    @staticmethod
    def still(pose: Pose, count: int) -> Track:
        """The same pose, ``count`` times."""
        return Track(*(np.full(count, getattr(pose, name), dtype=np.float64) for name in FIELDS))

    @staticmethod
    def joined(parts: list[Track]) -> Track:
        """Tracks one after the other."""
        return Track(*(np.concatenate([getattr(part, name) for part in parts]) for name in FIELDS))


FIELDS = ("x", "y", "span", "tilt", "heading", "roll", "focal")


def travel(start: Pose, end: Pose, manner: Manner, progress: NDArray[np.float64]) -> Track:
    """The camera along a passage.

    Target and span follow the manner; tilt and roll run evenly, heading the shorter way round, focal length
    evenly in its logarithm.
    """
    progress = np.asarray(progress, dtype=np.float64)
    x, y, span = (glide if manner == "glide" else hop)(start, end, progress).T
    return Track(
        x,
        y,
        span,
        np.clip(start.tilt + progress * (end.tilt - start.tilt), 0.0, 85.0),
        start.heading + progress * turn_between(start.heading, end.heading),
        start.roll + progress * turn_between(start.roll, end.roll),
        start.focal * (end.focal / start.focal) ** progress,
    )


def path_length(start: Pose, end: Pose, manner: Manner) -> float:
    """How much the picture changes on the way, in doublings.

    The metric of van Wijk & Nuij (eq. 4), scaled so that a plain zoom in by a factor of two measures 1. A turn
    on the spot counts a quarter turn as one doubling, a tilt likewise (common practice, no source).
    """
    length = glide_length(start, end, RHO) if manner == "glide" else hop_length(start, end)
    swing = math.hypot(turn_between(start.heading, end.heading) if manner == "hop" else 0.0, end.tilt - start.tilt)
    return math.hypot(length * RHO / math.log(2), swing / 90)
