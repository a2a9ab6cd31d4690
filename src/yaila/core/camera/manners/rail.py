"""Rail: the camera runs along a free curve in space, and looks at what it is told to.

The eye's curve goes from where the one vantage's camera stands to where the next one's does, through points between,
each with handles if wished. What it looks at is a fixed place, or runs along a curve of its own on the ground.
"""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.camera.manners.manner import Manner, Move
from yaila.core.camera.pose import FILM_BACK, MAX_TILT
from yaila.core.camera.track import Track, even, ramp, turn_between
from yaila.core.ground.curve import Curve, smooth
from yaila.core.quantities import OFFSET, PLACE, East, Finite, Height, North, wrapped
from yaila.core.time import smoothstep

STEEP = 6.0
"""Tilts below this, degrees, in which the bearing to what is looked at gives way to the vantages' headings."""

TURNING = 0.25
"""The share of the way at either end over which the camera turns to a fixed place and away from it."""

PACED = 257
"""Places on the eye's way at which its way over the ground is taken."""


class RailPoint(BaseModel):
    """A point of a rail: ground units, ``z`` the height; ``before`` and ``after`` are handles, relative to it."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x: East
    y: North
    z: Height = Field(gt=0, le=1e9, allow_inf_nan=False)
    before: Annotated[tuple[Finite, Finite, Finite], OFFSET] | None = None
    after: Annotated[tuple[Finite, Finite, Finite], OFFSET] | None = None

    @property
    def place(self) -> tuple[float, float, float]:
        """x, y and z."""
        return self.x, self.y, self.z


class Rail(Manner):
    """Along a curve through ``points`` at even speed; ``look`` is what the camera looks at on the way: nothing given,
    as the vantages do, heading and tilt going over evenly from the one's to the other's; one place, that place; more,
    along the curve through them, at the pace of the eye over the ground."""

    kind: Literal["rail"] = "rail"
    winds: ClassVar[bool] = True
    points: tuple[RailPoint, ...] = Field((), max_length=60)
    look: tuple[Annotated[tuple[Finite, Finite], PLACE], ...] = Field((), max_length=60)

    def eye_curve(self, move: Move) -> Curve:
        """The curve of the eye, in space."""
        ends = [move.start.eye(), move.end.eye()]
        places = np.array([ends[0], *(point.place for point in self.points), ends[1]])
        handles: list[tuple[NDArray[np.float64] | None, NDArray[np.float64] | None]] = [(None, None)]
        for point in self.points:
            place = np.array(point.place)
            handles.append(
                (
                    None if point.before is None else place + point.before,
                    None if point.after is None else place + point.after,
                )
            )
        # Heights keep within those of the points, or a camera that comes from low would dip into the ground.
        return smooth(places, handles=[*handles, (None, None)], steady=2)

    def parted(self, move: Move, share: float) -> tuple[Rail, Rail]:
        """The rail in two, parted at a share of its way: each keeps the points, and what it looks at, on its side."""
        curve = self.eye_curve(move)
        ways = curve.knots[1:-1] / max(curve.length, 1e-12)
        before = sum(way < share for way in ways.tolist())
        looks = self.look, self.look
        if len(self.look) > 1:
            sight = smooth(np.array([(move.start.x, move.start.y), *self.look, (move.end.x, move.end.y)]))
            seen = sum(way / max(sight.length, 1e-12) < share for way in sight.knots[1:-1].tolist())
            looks = self.look[:seen], self.look[seen:]
        return (
            self.model_copy(update={"points": self.points[:before], "look": looks[0]}),
            self.model_copy(update={"points": self.points[before:], "look": looks[1]}),
        )

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        start, end = move.start, move.end
        curve = self.eye_curve(move)
        eye = curve.along(progress * curve.length)
        height = np.maximum(eye[:, 2], 1e-9)
        turning = start.heading + progress * turn_between(start.heading, end.heading)
        if self.look:
            heading, tilt = self._sight(move, curve, progress, eye, turning)
        else:
            heading, tilt = turning, start.tilt + progress * (end.tilt - start.tilt)
        # Too flat a sight is lowered to the flattest a camera can do, along the same bearing.
        tilt = np.clip(tilt, 0.0, MAX_TILT)
        down, across = np.radians(tilt), np.radians(heading)
        reach = height * np.tan(down)
        focal = even(start.focal, end.focal, progress)
        return Track(
            x=eye[:, 0] + reach * np.sin(across),
            y=eye[:, 1] + reach * np.cos(across),
            span=height / np.cos(down) * FILM_BACK / focal,
            tilt=tilt,
            heading=heading,
            roll=start.roll + progress * turn_between(start.roll, end.roll),
            focal=focal,
        )

    def _sight(
        self,
        move: Move,
        curve: Curve,
        progress: NDArray[np.float64],
        eye: NDArray[np.float64],
        turning: NDArray[np.float64],
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Heading and tilt, degrees, to what the camera looks at on the way."""
        start, end = move.start, move.end
        targets = np.array([[start.x, start.y], [end.x, end.y]])
        share = _over_ground(curve, progress)
        if len(self.look) > 1:
            sight = smooth(np.array([targets[0], *self.look, targets[1]]))
            target = sight.along(share * sight.length)
        else:
            there = ramp(progress, TURNING)[:, None]
            target = targets[0] + share[:, None] * (targets[1] - targets[0])
            target = target + there * (np.array(self.look[0]) - target)
        ahead = target - eye[:, :2]
        tilt = np.degrees(np.arctan2(np.linalg.norm(ahead, axis=1), np.maximum(eye[:, 2], 1e-9)))
        bearing = np.degrees(np.arctan2(ahead[:, 0], ahead[:, 1]))
        # Right below the eye there is no bearing; near there the vantages' headings take over.
        heading = turning + smoothstep(tilt / STEEP) * wrapped(bearing - turning)
        return np.degrees(np.unwrap(np.radians(heading))), tilt


def _over_ground(curve: Curve, progress: NDArray[np.float64]) -> NDArray[np.float64]:
    """How much of its way over the ground an eye has made at each progress along its curve; of its way in space, where
    it goes straight up or down."""
    from scipy.interpolate import PchipInterpolator

    at = np.linspace(0, 1, PACED)
    way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(curve.along(at * curve.length)[:, :2], axis=0).T))])
    if way[-1] < 1e-6 * curve.length:
        return progress
    return np.asarray(PchipInterpolator(at, way / way[-1])(progress))
