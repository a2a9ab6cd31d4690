"""Skim: parallel to the ground.

The eye goes along a straight line in space. Between vantages of one height and tilt it keeps both, so that near and
far slide by at their own even speeds; between unlike ones it climbs, evenly in the logarithm of its height.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners.manner import Manner, Move
from yaila.core.camera.pose import FILM_BACK
from yaila.core.camera.track import Track, even, ramp, turn_between
from yaila.core.quantities import wrapped

TURNING = 0.3
"""The share of the way at either end over which the camera turns to look ahead."""


class Skim(Manner):
    """Parallel to the ground; ``ahead`` turns the camera on the way to where it is going."""

    kind: Literal["skim"] = "skim"
    ahead: bool = False

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        start, end = move.start, move.end
        (x0, y0, z0), (x1, y1, z1) = start.eye(), end.eye()
        climb = np.log(z1 / z0)
        share = np.expm1(progress * climb) / np.expm1(climb) if abs(climb) > 1e-9 else progress
        height = z0 * np.exp(progress * climb)
        tilt = start.tilt + progress * (end.tilt - start.tilt)
        turn = turn_between(start.heading, end.heading)
        heading = start.heading + progress * turn
        if self.ahead and np.hypot(x1 - x0, y1 - y0) > 0:
            bearing = np.degrees(np.arctan2(x1 - x0, y1 - y0))
            off = wrapped(bearing - heading)
            heading = heading + off * ramp(progress, TURNING)
        focal = even(start.focal, end.focal, progress)
        reach = height * np.tan(np.radians(tilt))
        return Track(
            x=x0 + share * (x1 - x0) + reach * np.sin(np.radians(heading)),
            y=y0 + share * (y1 - y0) + reach * np.cos(np.radians(heading)),
            span=height / np.cos(np.radians(tilt)) * FILM_BACK / focal,
            tilt=tilt,
            heading=heading,
            roll=start.roll + progress * turn_between(start.roll, end.roll),
            focal=focal,
        )
