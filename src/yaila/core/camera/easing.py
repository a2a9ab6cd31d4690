"""How progress runs over the time of a passage.

An ease is ``cubic-bezier(x1, y1, x2, y2)`` of CSS Easing Functions Level 2 (W3C), or a drawn curve of speed.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator
from scipy.interpolate import PchipInterpolator

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


class SpeedPoint(NamedTuple):
    """Speed at a moment of the passage, both in shares: time 0..1, speed 0 and up, its scale of no matter."""

    time: float
    speed: float


class Ease(BaseModel):
    """How a passage's progress runs over its time: two free handles of a cubic Bezier curve, or a drawn curve of speed.

    Progress at the ends is 0 and 1. ``x1`` and ``x2`` lie in 0..1; ``y1`` and ``y2`` may overshoot by up to 1. Where
    ``speed`` has points it counts instead of the handles: speed runs smoothly through them without overshoot.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x1: float = Field(0.3, ge=0, le=1)
    y1: float = Field(0.0, ge=-1, le=2)
    x2: float = Field(0.2, ge=0, le=1)
    y2: float = Field(1.0, ge=-1, le=2)
    speed: tuple[SpeedPoint, ...] = Field((), max_length=24)

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
        return next((name for name, preset in PRESETS.items() if np.allclose(preset, mine)), "Free")

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


class _Way:
    """Progress as the integral of a speed curve, scaled to end at 1."""

    def __init__(self, points: tuple[SpeedPoint, ...]) -> None:
        times, speeds = np.array(points).T
        self._integral = PchipInterpolator(times, speeds).antiderivative()
        self.total = float(self._integral(1.0) - self._integral(0.0))

    def __call__(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray((self._integral(time) - self._integral(0.0)) / self.total)


@lru_cache(maxsize=256)
def _way(points: tuple[SpeedPoint, ...]) -> _Way:
    return _Way(points)


def _bezier_at(x1: float, y1: float, x2: float, y2: float, time: NDArray[np.float64]) -> NDArray[np.float64]:
    """Solves x(s) = time by bisection to the last bit of s, which is sure for every legal curve as x(s) never falls,
    then gives y(s)."""
    low, high = np.zeros_like(time), np.ones_like(time)
    for _ in range(54):
        middle = (low + high) / 2
        below = _bezier(x1, x2, middle) < time
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    return _bezier(y1, y2, (low + high) / 2)


def _bezier(p1: float, p2: float, s: NDArray[np.float64]) -> NDArray[np.float64]:
    return ((1 + 3 * p1 - 3 * p2) * s + 3 * p2 - 6 * p1) * s * s + 3 * p1 * s


class Settle(BaseModel):
    """A small damped overshoot at the end: the camera runs past its goal by ``amount`` percent of the passage and
    swings back ``swings`` times within the last ``share`` percent of the passage's time."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    amount: float = Field(2.0, gt=0, le=20)
    swings: int = Field(1, ge=1, le=5)
    share: float = Field(35.0, ge=10, le=70)


@dataclass(frozen=True)
class Timing:
    """An ease as it is used in a passage: where the passage runs on without a stop, and how it settles."""

    ease: Ease
    open_start: bool = False
    open_end: bool = False
    settle: Settle | None = None

    def at(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at times 0..1, same shape."""
        ease = self.ease.opened(self.open_start, self.open_end)
        if not self.settle or self.open_end:
            return ease.at(time)
        # It arrives early and at speed, and the rest of the time is a swing that dies away: a sine under a window
        # whose value and slope are 0 at the end.
        amount, share = self.settle.amount / 100, self.settle.share / 100
        arrives = 1 - share
        before = np.clip(time / arrives, 0, 1)
        after = np.clip((time - arrives) / share, 0, 1)
        turns = 2 * np.pi * self.settle.swings

        def swing(u: NDArray[np.float64]) -> NDArray[np.float64]:
            return np.asarray(np.sin(turns * u) * (1 - u) ** 2)

        peak = float(swing(np.linspace(0, 0.5 / self.settle.swings, 101)).max())
        size = amount / peak
        speed = size * turns / share
        bump = speed * arrives * bend(before, 0.5)
        return np.where(time < arrives, ease.at(before) + bump, 1 + size * swing(after))


def bend(time: NDArray[np.float64], width: float) -> NDArray[np.float64]:
    """A curve over times 0..1 whose value and slope are 0 up to ``1 - width``, and whose value is 0 but slope 1 at 1.

    Added to a motion it changes the speed of its arrival and nothing else.
    """
    u = np.clip((time - 1) / width + 1, 0, 1)
    return np.asarray(width * (u**3 - u**2))
