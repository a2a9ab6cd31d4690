"""When everything is: the frames that marks start and end on, worked out from what they hang on."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import Timing
from yaila.core.camera.manners import Follow
from yaila.core.errors import BadEdit
from yaila.core.film.legs import Leg, timing_of
from yaila.core.film.marked import Route, Timed
from yaila.core.film.model import Film
from yaila.core.ground.geodesy import true_lengths
from yaila.core.marks import FilmMoment, MarkMoment, Moment, PassageMoment, RouteMoment, RouteRun, VantageMoment


@dataclass(frozen=True)
class Span:
    """Frames ``start`` to ``end`` - 1."""

    start: int
    end: int


@dataclass(frozen=True)
class Timeline:
    """Runs of routes and spans of the other marks, by their ids."""

    frames: int
    runs: dict[str, RouteRun]
    spans: dict[str, Span]
    reveals: dict[str, int]
    """The frames on which plates and marks begin to be uncovered, by their ids."""
    _ways: dict[str, NDArray[np.float64]] = field(default_factory=dict, init=False, compare=False, repr=False)

    def way(self, route: str, frame: int) -> float:
        """The length of a route that is drawn at a frame of the film."""
        if route not in self._ways:
            self._ways[route] = self.runs[route].way(np.arange(max(self.frames, 1), dtype=np.float64))
        return float(self._ways[route][frame])


def timeline_of(film: Film, legs: tuple[Leg, ...], spans: NDArray[np.float64]) -> Timeline:
    """Work out when everything is, from the film's stretches of time and the camera's span at each frame.

    Raises:
        BadEdit: something hangs on what is not there, or on itself by way of others; the chain is named.
    """
    return _Resolver(film, legs, spans).timeline()


class _Resolver:
    def __init__(self, film: Film, legs: tuple[Leg, ...], spans: NDArray[np.float64]) -> None:
        self.film, self.legs, self.rate, self.camera = film, legs, film.fps, spans
        self.frames = legs[-1].end if legs else 0
        self.georeferenced = film.ground.kind == "mercator"
        self.runs: dict[str, RouteRun] = {}
        self.spans: dict[str, Span] = {}
        self.chain: list[tuple[str, str]] = []

    def timeline(self) -> Timeline:
        for route in self.film.routes:
            self.run(route)
        for mark in self.film.timed:
            self.span(mark)
        reveals = {key: self.frame(reveal.starts, mark) for key, reveal, mark in self.film.reveals}
        return Timeline(self.frames, self.runs, self.spans, reveals)

    def run(self, route: Route) -> RouteRun:
        if route.id not in self.runs and (followed := self.followed(route)):
            self.runs[route.id] = followed
        if route.id not in self.runs:
            with _Link(self.chain, route.id, route.name):
                start = self.frame(route.draws.starts, None)
            self.runs[route.id] = run_of(route, start, float(self.rate.value), self.camera, self.georeferenced)
        return self.runs[route.id]

    def followed(self, route: Route) -> RouteRun | None:
        """The run of a line that goes along with the camera; none if it does not, or no passage follows it."""
        if route.draws.pace != "camera":
            return None
        for index, vantage in enumerate(self.film.vantages[:-1]):
            manner, leg = vantage.passage.manner, self.legs[index]
            if not isinstance(manner, Follow) or manner.route != route.id or not leg.passage:
                continue
            after = self.film.vantages[index + 1]
            first, last = (route.curve.nearest(np.array([v.x, v.y])) for v in (vantage, after))
            if last > first:
                pace = _Followed(manner, timing_of(self.film, index), leg.passage)
                return RouteRun(float(leg.leaves), (first, last), (float(leg.passage),), (0.0, 0.0), pace)
        return None

    def span(self, mark: Timed) -> Span:
        if mark.id not in self.spans:
            with _Link(self.chain, mark.id, mark.name):
                start = max(self.frame(mark.starts, mark), 0)
                end = self.frame(mark.ends, mark) if mark.ends else self.frames
            self.spans[mark.id] = Span(start, max(end, start))
        return self.spans[mark.id]

    def frame(self, moment: Moment, mark: Timed | None) -> int:
        return self.event(moment, mark) + round(moment.offset)

    def event(self, moment: Moment, mark: Timed | None) -> int:
        if isinstance(moment, FilmMoment):
            return self.rate.frames(moment.seconds)
        if isinstance(moment, VantageMoment):
            leg = self.legs[self.film.vantage_index(moment.vantage)]
            return leg.start if moment.edge == "arrives" else leg.leaves
        if isinstance(moment, PassageMoment):
            leg = self.legs[self.film.vantage_index(moment.vantage)]
            return leg.leaves + round(moment.share * leg.passage)
        if isinstance(moment, RouteMoment):
            route = self.film.route(moment.route)
            run = self.run(route)
            return run.reaches(route.draws.done(_way_of(route, moment, mark), route.curve.length))
        if isinstance(moment, MarkMoment):
            other = self.film.mark(moment.mark)
            if isinstance(other, Route):
                run = self.run(other)
                return run.reaches(0.0) if moment.edge == "starts" else run.reaches(run.whole)
            span = self.span(other)
            return span.start if moment.edge == "starts" else span.end
        raise AssertionError(moment)


@dataclass(frozen=True, eq=False)
class _OnScreen:
    """A pace at which a line grows by the same share of the frame's width in every frame."""

    camera: NDArray[np.float64]
    start: float
    frames: float

    def at(self, share: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at shares of the time: the span, summed up so far, of what it comes to."""
        count = max(math.ceil(self.frames), 1)
        times = np.linspace(0.0, 1.0, count + 1)
        if not len(self.camera):
            return np.clip(share, 0, 1)
        spans = np.interp(self.start + times * self.frames, np.arange(len(self.camera)), self.camera)
        done = np.concatenate([[0.0], np.cumsum((spans[1:] + spans[:-1]) / 2)])
        return np.asarray(np.interp(np.clip(share, 0, 1), times, done / done[-1]))


@dataclass(frozen=True)
class _Followed:
    """How far along its way the camera is that follows a route, as an ease."""

    manner: Follow
    timing: Timing
    frames: int

    def at(self, share: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at shares of the time."""
        return self.manner.progress(self.timing, self.frames, np.clip(share, 0, 1) * self.frames)


def _way_of(route: Route, moment: RouteMoment, mark: Timed | None) -> float:
    if moment.point is not None:
        if moment.point >= len(route.points):
            raise BadEdit(f"“{route.name}” has no point {moment.point + 1} any more. Tie what hangs on it anew.")
        return float(route.curve.knots[moment.point])
    if mark is None:
        return 0.0
    return route.curve.nearest(np.array(mark.place))


def run_of(route: Route, start: float, rate: float, camera: NDArray[np.float64], georeferenced: bool) -> RouteRun:
    """A route's line on its way from a frame on, at ``rate`` frames a second.

    Args:
        camera: the camera's span at each frame of the film.
        georeferenced: whether the ground is the Earth's, in Web Mercator metres.
    """
    if route.draws.pace == "screen":
        time = max(route.draws.seconds * rate, 1e-6)
        pace = _OnScreen(camera, start, time)
        return RouteRun(start, (0.0, route.curve.length), (time,), (0.0, 0.0), pace)
    curve, stops = route.curve, route.stops
    ways = [float(curve.knots[i]) for i in stops]
    waits = [route.points[i].wait * rate for i in stops]
    if route.closed:
        ways, waits = [*ways, curve.length], [*waits, 0.0]
    scale = None
    if georeferenced:
        # On the Earth, not on the map, whose scale changes with the latitude.
        scale = true_lengths(curve)
        ways = np.interp(ways, *scale).tolist()
    lengths = np.diff(ways)
    if route.draws.pace == "whole":
        whole = float(lengths.sum()) or 1.0
        seconds = [route.draws.seconds * float(length) / whole for length in lengths]
    else:
        given = route.draws.legs
        seconds = [given[k] if k < len(given) else route.draws.seconds for k in range(len(lengths))]
    frames = tuple(max(s * rate, 1e-6) for s in seconds)
    return RouteRun(start, tuple(ways), frames, tuple(waits), route.draws.ease, scale)


class _Link:
    """Notes what is being worked out, so that a chain that comes back to itself is named."""

    def __init__(self, chain: list[tuple[str, str]], key: str, name: str) -> None:
        self.chain, self.key, self.name = chain, key, name

    def __enter__(self) -> None:
        keys = [key for key, _ in self.chain]
        if self.key in keys:
            around = [*(name for _, name in self.chain[keys.index(self.key) :]), self.name]
            raise BadEdit(
                f"These hang on one another in a circle: {' → '.join(f'“{name}”' for name in around)}. Let one of "
                "them hang on something else."
            )
        self.chain.append((self.key, self.name))

    def __exit__(self, *_: object) -> None:
        self.chain.pop()
