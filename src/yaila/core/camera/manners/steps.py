"""Steps: a zoom in several equal ones with short rests between, as cutting to wider or closer pictures used to give.

Each step is a Glide by the same ratio, eased by itself; the rests begin and end on whole frames.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from yaila.core.camera.manners.glide import Glide
from yaila.core.camera.manners.manner import Manner, Move
from yaila.core.camera.timing import Timing
from yaila.core.camera.track import Track
from yaila.core.quantities import Count, FramesOfTime


class Steps(Manner):
    """``count`` zooms of equal ratio with ``rest`` frames between (a fraction of a frame is rounded).

    About 15 frames for a zoom and 20 for a rest read well at 25 frames a second; rests of 5 are too short (common
    practice, no source).
    """

    kind: Literal["steps"] = "steps"
    count: Count = Field(3, ge=2, le=6, title="Zooms")
    rest: FramesOfTime = Field(20.0, ge=0, le=500, title="Rests between")

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        return Glide().path(move, progress)

    @property
    def rests(self) -> int:
        return round(self.rest) * (self.count - 1)

    def bendable(self, frames: int) -> float:
        first, last = self.edges(frames)[0]
        return (last - first) / frames

    def edges(self, frames: int) -> list[tuple[int, int]]:
        """First frame of each zoom, and the frame on which it is over. Where a passage is too short for its rests,
        they are shortened so that every zoom still takes a frame."""
        rest = min(round(self.rest), max((frames - self.count) // (self.count - 1), 0))
        moving = max(frames - rest * (self.count - 1), self.count)
        return [
            (k * moving // self.count + k * rest, (k + 1) * moving // self.count + k * rest) for k in range(self.count)
        ]

    def progress(self, timing: Timing, frames: int, at: NDArray[np.float64]) -> NDArray[np.float64]:
        edges = self.edges(frames)
        done = np.zeros_like(at)
        for k, (first, last) in enumerate(edges):
            ends = Timing(
                timing.ease,
                open_start=timing.open_start and k == 0,
                open_end=timing.open_end and k == self.count - 1,
                settle=timing.settle if k == self.count - 1 else None,
            )
            after = at >= first
            done[after] = (k + ends.at((at[after] - first) / (last - first))) / self.count
        return done
