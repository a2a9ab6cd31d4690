"""What all manners of passage have in common.

A manner is a path: the camera at each progress 0..1 from one pose to another. How progress runs over time is the
ease's affair (``easing.py``), but for manners that rest on the way.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from yaila.core.camera.pose import Pose
from yaila.core.camera.timing import Timing
from yaila.core.camera.track import Track, even, turn_between
from yaila.core.ground.curve import Curve


@dataclass(frozen=True)
class Move:
    """Where a passage starts and ends; ``route`` is the way that it follows, if it does."""

    start: Pose
    end: Pose
    route: Curve | None = None


class Manner(BaseModel, ABC):
    """A manner of passage with its settings."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    winds: ClassVar[bool] = False
    """Whether its headings are read off a way, so that full turns show only along the whole of it."""

    @abstractmethod
    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        """The camera at each progress, shape (n,). At 0 and 1 it is the move's start and end; a little beyond either
        end the path goes on as it came."""

    def progress(self, timing: Timing, frames: int, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at frames ``at`` (n,) of the passage's ``frames``."""
        return timing.at(at / frames)

    def bendable(self, frames: int) -> float:
        """The share of its time at either end that may be bent so that it runs on into its neighbour."""
        return 0.5

    @property
    def rests(self) -> int:
        """Frames that the passage rests on its way."""
        return 0


def turned(move: Move, progress: NDArray[np.float64], place: NDArray[np.float64], turn: float) -> Track:
    """A track of targets and spans (n, 3) along which tilt and roll run evenly, heading by ``turn`` degrees, focal
    length evenly in its logarithm."""
    start, end = move.start, move.end
    return Track(
        x=place[:, 0],
        y=place[:, 1],
        span=place[:, 2],
        tilt=start.tilt + progress * (end.tilt - start.tilt),
        heading=start.heading + progress * turn,
        roll=start.roll + progress * turn_between(start.roll, end.roll),
        focal=even(start.focal, end.focal, progress),
    )
