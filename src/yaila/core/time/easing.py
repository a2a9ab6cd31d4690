"""How progress runs over time.

An ease is ``cubic-bezier(x1, y1, x2, y2)`` of CSS Easing Functions Level 2 (W3C), or a drawn curve of speed.
"""

from __future__ import annotations

import math
from functools import lru_cache, partial
from itertools import pairwise
from typing import Annotated, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

from yaila.core.quantities import NUMBER, Number

PRESETS: dict[str, tuple[float, float, float, float]] = {
    "Even": (0.0, 0.0, 1.0, 1.0),
    "Settle": (0.3, 0.0, 0.2, 1.0),
    "Swell": (0.6, 0.0, 0.4, 1.0),
    "Set off": (0.5, 0.0, 0.9, 0.7),
    "Come in": (0.1, 0.3, 0.4, 1.0),
    "Fast then slow": (0.12, 0.0, 0.08, 1.0),
}
"""Named eases: the four numbers of the curve."""

STARTS: dict[str, tuple[float, float]] = {
    "Hard": (0.0, 0.0), "Brisk": (0.12, 0.0), "Soft": (0.3, 0.0), "Slow": (0.6, 0.0),
}  # fmt: skip
"""Named handles for how a passage sets off; mirrored, for how it comes in."""

EVEN = 1 / 3
"""A handle on the diagonal at this place starts at the even pace."""


def smoothstep(share: Any) -> Any:
    """3 t^2 - 2 t^3 of a share or an array of them, clamped to 0..1: level at both ends (Hermite)."""
    if isinstance(share, np.ndarray):
        share = np.clip(share, 0.0, 1.0)
    else:
        share = min(max(share, 0.0), 1.0)
    return share * share * (3 - 2 * share)


class SpeedPoint(NamedTuple):
    """Speed at a moment of the passage, both in shares: time 0..1, speed 0 and up, its scale of no matter."""

    time: float
    speed: float


_alike = partial(math.isclose, rel_tol=1e-5, abs_tol=1e-8)


class Ease(BaseModel):
    """How a passage's progress runs over its time: two free handles of a cubic Bezier curve, or a drawn curve of speed.

    Progress at the ends is 0 and 1. ``x1`` and ``x2`` lie in 0..1; ``y1`` and ``y2`` may overshoot by up to 1. Where
    ``speed`` has points it counts instead of the handles: speed runs smoothly through them without overshoot.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x1: Number = Field(0.3, ge=0, le=1)
    y1: Number = Field(0.0, ge=-1, le=2)
    x2: Number = Field(0.2, ge=0, le=1)
    y2: Number = Field(1.0, ge=-1, le=2)
    speed: Annotated[tuple[SpeedPoint, ...], NUMBER] = Field((), max_length=24)

    @field_validator("speed")
    @classmethod
    def _runs_on(cls, points: tuple[SpeedPoint, ...]) -> tuple[SpeedPoint, ...]:
        if not points:
            return points
        times = [point.time for point in points]
        if len(points) < 2 or times[0] != 0 or times[-1] != 1:
            raise ValueError("A speed curve begins at time 0 and ends at time 1.")
        if any(not b - a > 1e-4 for a, b in pairwise(times)):
            raise ValueError("The points of a speed curve must follow one another in time.")
        if any(not 0 <= point.speed <= 1000 for point in points):
            raise ValueError("Speeds lie between 0 and 1000; a camera that goes back needs a vantage of its own.")
        if all(point.speed == 0 for point in points):
            raise ValueError("A speed curve of nothing but zeros never arrives. Lift a point.")
        return points

    @property
    def name(self) -> str:
        """The preset this is, ``Speed curve`` or ``Free``."""
        if self.speed:
            return "Speed curve"
        mine = (self.x1, self.y1, self.x2, self.y2)
        return next((name for name, preset in PRESETS.items() if all(map(_alike, preset, mine))), "Free")

    @property
    def hard(self) -> tuple[bool, bool]:
        """Whether it asks for a sudden start, and for a sudden stop: a handle that lies right on its end."""
        if self.speed:
            return self.speed[0].speed > 0, self.speed[-1].speed > 0
        return (self.x1, self.y1) == (0.0, 0.0), (self.x2, self.y2) == (1.0, 1.0)

    def at(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at times 0..1 (clamped), same shape, float64."""
        time = np.clip(np.asarray(time, dtype=np.float64), 0.0, 1.0)
        if self.speed:
            value = _way(self.speed)(time)
        elif self.x1 == self.y1 and self.x2 == self.y2:
            return time
        else:
            value = _bezier_at(self.x1, self.y1, self.x2, self.y2, time)
        return np.where(time <= 0, 0.0, np.where(time >= 1, 1.0, value))

    def opened(self, start: bool, end: bool) -> Ease:
        """The ease without a stop at its start or its end, so that a passage can run on from or into another."""
        if self.speed:
            points = list(self.speed)
            mean = _way(self.speed).total
            if start:
                points[0] = SpeedPoint(0.0, max(points[0].speed, mean))
            if end:
                points[-1] = SpeedPoint(1.0, max(points[-1].speed, mean))
            return self.model_copy(update={"speed": tuple(points)})
        change = ({"x1": EVEN, "y1": EVEN} if start else {}) | ({"x2": 1 - EVEN, "y2": 1 - EVEN} if end else {})
        return self.model_copy(update=change)

    def parted(self, time: float) -> tuple[Ease, Ease]:
        """The ease in two, parted at a time within 0..1: each runs from 0 to 1 over its part as the whole did there."""
        from scipy.interpolate import PchipInterpolator

        if self.speed:
            speed = PchipInterpolator(*np.array(self.speed).T)
            at = [point.time for point in self.speed]
            first = [*(t for t in at if t < time - 1e-3), time]
            second = [time, *(t for t in at if t > time + 1e-3)]

            def run(times: list[float]) -> tuple[SpeedPoint, ...]:
                low, high = times[0], times[-1]
                speeds = np.maximum(speed(times), 0)
                return tuple(
                    SpeedPoint(float((t - low) / (high - low)), float(v)) for t, v in zip(times, speeds, strict=True)
                )

            parts = run(first), run(second)
            if all(len(part) > 1 and any(point.speed for point in part) for part in parts):
                return tuple(self.model_copy(update={"speed": part}) for part in parts)  # type: ignore[return-value]
            return Ease(x1=0.0, y1=0.0, x2=1.0, y2=1.0), self
        # De Casteljau at the parameter of that time.
        from yaila.core.time.bezier import parameters

        s = float(parameters(self.x1, self.x2, np.array([time]))[0])
        a, b, c, d = np.array([[0, 0], [self.x1, self.y1], [self.x2, self.y2], [1, 1]], np.float64)
        ab, bc, cd = a + s * (b - a), b + s * (c - b), c + s * (d - c)
        abc, bcd = ab + s * (bc - ab), bc + s * (cd - bc)
        middle = abc + s * (bcd - abc)
        return _boxed(a, ab, abc, middle), _boxed(middle, bcd, cd, d)


def _boxed(
    start: NDArray[np.float64], one: NDArray[np.float64], two: NDArray[np.float64], end: NDArray[np.float64]
) -> Ease:
    """The ease of a Bezier curve between any two places."""
    size = np.where(np.abs(end - start) > 1e-9, end - start, 1.0)
    (x1, y1), (x2, y2) = (one - start) / size, (two - start) / size
    x1, x2 = np.clip([x1, x2], 0, 1)
    y1, y2 = np.clip([y1, y2], -1, 2)
    return Ease(x1=float(x1), y1=float(y1), x2=float(x2), y2=float(y2))


class _Way:
    """Progress as the integral of a speed curve, scaled to end at 1."""

    def __init__(self, points: tuple[SpeedPoint, ...]) -> None:
        from scipy.interpolate import PchipInterpolator

        times, speeds = np.array(points).T
        self._integral = PchipInterpolator(times, speeds).antiderivative()
        self.total = float(self._integral(1.0) - self._integral(0.0))

    def __call__(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray((self._integral(time) - self._integral(0.0)) / self.total)


@lru_cache(maxsize=256)
def _way(points: tuple[SpeedPoint, ...]) -> _Way:
    return _Way(points)


def _bezier_at(x1: float, y1: float, x2: float, y2: float, time: NDArray[np.float64]) -> NDArray[np.float64]:
    from yaila.core.time.bezier import parameters

    value = time.copy()
    # Over a film most times lie before or after what is eased.
    within = (time > 0) & (time < 1)
    value[within] = _bezier(y1, y2, parameters(x1, x2, time[within]))
    return value


def _bezier(p1: float, p2: float, s: NDArray[np.float64]) -> NDArray[np.float64]:
    return ((1 + 3 * p1 - 3 * p2) * s + 3 * p2 - 6 * p1) * s * s + 3 * p1 * s
