"""Follow: along a route.

What is followed runs along the route at the ease's pace; with an even ease, at constant ground speed. The vantages at
either end need not lie on the route: the camera comes onto it in the first part of the way and leaves it in the last.
How far their heading is from the route's goes over from the one to the other on the way.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from yaila.core.camera.manners.glide import Glide
from yaila.core.camera.manners.manner import Manner, Move
from yaila.core.camera.track import Track, even, ramp, turn_between
from yaila.core.ground.curve import Curve
from yaila.core.quantities import Angle, Percent, RouteRef, wrapped
from yaila.core.time import smoothstep

ENDS = 0.18
"""The share of the way at either end over which looking ahead and leaning come and go."""

JOINS = 0.35
"""The share of the way at either end over which a camera that is not on the route comes onto it, or leaves it."""

CHORDS = 12
"""Chords that a bearing is averaged from; in this way a corner of the route does not jerk the camera."""


class Follow(Manner):
    """Along a route from the place nearest to the one vantage to that nearest to the other.

    Attributes:
        ahead: how far in front of what is followed the camera looks, percent of the frame's width.
        lag: over how long a way the heading is averaged, percent of the frame's width.
        lean: how far the camera leans into a turn of one radian a frame width, degrees.
        heading: along the route, or turning evenly from the one vantage's to the other's.
    """

    kind: Literal["follow"] = "follow"
    winds: ClassVar[bool] = True
    route: RouteRef
    ahead: Percent = Field(0.0, ge=0, le=100, title="Looks ahead")
    lag: Percent = Field(30.0, ge=1, le=300, title="Lags by")
    lean: Angle = Field(0.0, ge=-45, le=45, title="Leans")
    heading: Literal["along", "kept"] = "kept"

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        start, end, route = move.start, move.end, move.route
        if route is None or route.length == 0:
            return Glide().path(move, progress)
        first, last = (route.nearest(np.array([pose.x, pose.y])) for pose in (start, end))
        way = first + progress * (last - first)
        sign = 1.0 if last >= first else -1.0
        span = even(start.span, end.span, progress)
        among = ramp(progress, ENDS)
        place = route.along(way + sign * self.ahead / 100 * span * among)
        edges = route.along(np.array([first, last]))
        off = np.array([[start.x, start.y], [end.x, end.y]]) - edges
        before, after = np.clip(progress / JOINS, 0, 1), np.clip((progress - 1 + JOINS) / JOINS, 0, 1)
        place += (1 - smoothstep(before))[:, None] * off[0] + smoothstep(after)[:, None] * off[1]
        turn = turn_between(start.heading, end.heading)
        heading = start.heading + progress * turn
        lag = self.lag / 100 * span
        roll = start.roll + progress * turn_between(start.roll, end.roll)
        if self.heading == "along":
            bearing = _bearing(route, way, sign, lag)
            ends = _bearing(route, np.array([first, last]), sign, self.lag / 100 * np.array([start.span, end.span]))
            # The same way round all along, whatever full turns the route makes in between.
            bearing = bearing + 360 * np.round((ends[0] - bearing[:1]) / 360) if len(bearing) else bearing
            first_off = turn_between(ends[0], start.heading)
            last_off = turn_between(ends[1], end.heading)
            heading = bearing + first_off + progress * (last_off - first_off)
            heading += 360 * np.round((start.heading - ends[0] - first_off) / 360)
        if self.lean:
            reach = np.maximum(lag, 0.05 * span)
            turning = _bearing(route, way + sign * reach / 2, sign, lag) - _bearing(
                route, way - sign * reach / 2, sign, lag
            )
            sharp = np.radians(wrapped(turning)) * span / reach
            roll = roll + self.lean * np.tanh(sharp) * among
        return Track(
            x=place[:, 0],
            y=place[:, 1],
            span=span,
            tilt=start.tilt + progress * (end.tilt - start.tilt),
            heading=heading,
            roll=roll,
            focal=even(start.focal, end.focal, progress),
        )


def _bearing(route: Curve, way: NDArray[np.float64], sign: float, lag: NDArray[np.float64]) -> NDArray[np.float64]:
    """Degrees clockwise from north in which a route runs, averaged over the way ``lag`` behind; without jumps of 360.

    A chord is the mean of the tangents over it, and the mean of chords that slide along is smoother still.
    """
    total = np.zeros((len(way), 2))
    half = lag / 2
    for k in range(CHORDS):
        front = way - sign * half * (k / CHORDS)
        total += route.along(front) - route.along(front - sign * half)
    return np.degrees(np.unwrap(np.arctan2(total[:, 0], total[:, 1])))
