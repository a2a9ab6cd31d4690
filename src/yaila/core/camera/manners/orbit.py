"""Orbit: the camera goes round its target, which stays where it is in the frame."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from yaila.core.camera.manners.glide import glide
from yaila.core.camera.manners.manner import Manner, Move, turned
from yaila.core.camera.track import Track
from yaila.core.quantities import Count

SAME = 1e-6
"""Headings that differ by less, degrees, are the same."""


class Orbit(Manner):
    """Round the target the way chosen to the next heading, all the way round where that is the same, and ``turns``
    whole turns more.

    Between two targets the one looked at moves straight, as in a zoom without a turn.
    """

    kind: Literal["orbit"] = "orbit"
    way: Literal["clockwise", "counterclockwise"] = "clockwise"
    turns: Count = Field(0, ge=0, le=20, title="Whole turns more")

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        sign = 1 if self.way == "clockwise" else -1
        there = (sign * (move.end.heading - move.start.heading)) % 360
        if min(there, 360 - there) < SAME:
            there = 360.0
        turn = sign * (there + 360 * self.turns)
        return turned(move, progress, glide(move.start, move.end, 0.0, progress), turn)
