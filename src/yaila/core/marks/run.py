"""How far a route's line is drawn at every frame: legs and waits, one after the other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

MOST_LOOKED = 20_000
"""Frames of a line's time that are looked at together."""

MOST_REACHED = 4096
"""Lengths of which it is known when they are reached."""


class Pace(Protocol):
    """How the way of a leg runs over its time, both 0..1; an ease is one."""

    def at(self, time: NDArray[np.float64], /) -> NDArray[np.float64]:
        """Progress at shares of the time."""


@dataclass(frozen=True)
class RouteRun:
    """A line on its way along a route.

    Attributes:
        start: the frame at which it sets out.
        ways: length of the route up to each stop, first and last point included; shape (n,).
        frames: frames that each leg takes; shape (n - 1,), fractions allowed.
        waits: frames that it waits at each stop; those of the first and last do not count; shape (n,).
        ease: how its way runs over each leg.
        scale: where ``ways`` are not lengths of the route but true lengths on the Earth: both, at places of the route
            in order, shape (n,) each.
    """

    start: float
    ways: tuple[float, ...]
    frames: tuple[float, ...]
    waits: tuple[float, ...]
    ease: Pace
    scale: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None

    @cached_property
    def whole(self) -> float:
        """The length of the route up to which it is drawn in the end."""
        return float(self.way(np.array([self.end]))[0])

    @cached_property
    def edges(self) -> list[tuple[float, float]]:
        """When each leg begins and ends, frames."""
        found, now = [], self.start
        for leg, frames in enumerate(self.frames):
            if leg:
                now += self.waits[leg]
            found.append((now, now + frames))
            now += frames
        return found

    @property
    def end(self) -> float:
        """When the line is whole, frames."""
        return self.edges[-1][1]

    def way(self, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """Length drawn at frames (n,): 0 before it sets out, the whole when it has come."""
        drawn = np.zeros_like(at)
        for leg, (first, last) in enumerate(self.edges):
            share = self.ease.at((at - first) / max(last - first, 1e-9))
            length = self.ways[leg + 1] - self.ways[leg]
            drawn = np.where(at >= first, self.ways[leg] + share * length, drawn)
        if self.scale:
            drawn = np.interp(drawn, self.scale[1], self.scale[0])
        return np.asarray(np.where(at < self.start, 0.0, drawn))

    @cached_property
    def _reached(self) -> dict[float, int]:
        return {}

    def reaches(self, way: float) -> int:
        """The first whole frame at which the line is drawn up to a length of the route."""
        if way <= 0:
            return int(np.ceil(self.start - 1e-9))
        found = self._reached.get(way)
        if found is None:
            # Several threads may ask at once.
            if len(self._reached) >= MOST_REACHED:
                self._reached.clear()
            found = self._reached[way] = self._reaching(way)
        return found

    def _reaching(self, way: float) -> int:
        last = int(np.ceil(self.end - 1e-9))
        low = int(np.floor(self.start))
        slack = 1e-9 * max(self.whole, 1.0)
        # An ease may overshoot and come back; what counts is when it is there first. Long lines are looked at in steps.
        step = max((last - low) // MOST_LOOKED, 1)
        while True:
            frames = np.arange(low, last + step, step, dtype=np.float64)
            there = np.flatnonzero(self.way(frames) >= way - slack)
            if not len(there):
                return last
            if step == 1:
                return min(low + int(there[0]), last)
            low, last = int(frames[max(there[0] - 1, 0)]), int(frames[there[0]])
            step = max((last - low) // MOST_LOOKED, 1)
