"""When everything is: the moments that marks start and end at, worked out from what they hang on."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.bounded import Remembered
from yaila.core.camera import Timing
from yaila.core.camera.manners import Follow
from yaila.core.errors import BadEdit
from yaila.core.film.legs import Leg, timing_of
from yaila.core.film.marked import Route
from yaila.core.film.model import Film
from yaila.core.ground.geodesy import true_lengths
from yaila.core.marks import RouteRun
from yaila.core.time import (
    ZERO,
    Course,
    FilmMoment,
    MarkMoment,
    Moment,
    PassageMoment,
    RouteMoment,
    Time,
    TimeRange,
    VantageMoment,
)

Spans = Callable[[NDArray[np.float64]], NDArray[np.float64]]
"""The camera's span at times (n,), frames."""

Node = tuple[Literal["starts", "ends", "draws"], str]
"""Something that has a time of its own: the start or the end of a mark, or a route's drawing of itself."""


BLOCK, MOST_BLOCKS = 256, 512
"""Frames whose lines are worked out together, and how many such blocks are kept."""

MOST_STOPS = 2048
"""Courses whose moments are kept: while a stop is dragged, each trial has one of its own."""


class Timeline:
    """When everything is: runs of routes, ranges of the other marks, by their ids, and any moment of the document.

    ``reveals`` are the moments at which plates and marks begin to be uncovered, ``plays`` those at which the clips of
    plates begin, by their ids.
    """

    def __init__(self, film: Film, legs: tuple[Leg, ...], spans: Spans) -> None:
        self._film, self._legs, self._spans = film, legs, spans
        self._rate, self._georeferenced = film.fps, film.ground.kind == "mercator"
        self._marks = {mark.id: mark for mark in film.marks}
        self._known: dict[Node, Time] = {}
        self._ways: dict[tuple[str, int], NDArray[np.float64]] = {}
        self._stops: dict[tuple[int, str | None], tuple[Course[Any], list[float], list[Any]]] = {}
        self.frames = legs[-1].end if legs else 0
        self.runs: dict[str, RouteRun] = {}
        for route in film.routes:
            self._work_out(("draws", route.id))
        self.ranges: dict[str, TimeRange] = {}
        for mark in film.timed:
            start, end = self._work_out(("starts", mark.id)), self._work_out(("ends", mark.id))
            self.ranges[mark.id] = TimeRange(start, max(end, start))
        self.reveals = {key: self.time(reveal.starts, mark) for key, reveal, mark in film.reveals}
        self.plays = {plate.id: self.time(plate.plays.starts) for plate in film.plates if plate.plays}

    def way(self, route: str, time: Time) -> float:
        """The length of a route that is drawn at a moment of the film."""
        if time.frames != int(time.frames) or time.frames < 0:
            return float(self.runs[route].way(np.array([time.frames]))[0])
        block, place = divmod(int(time.frames), BLOCK)
        if (route, block) not in self._ways:
            if len(self._ways) > MOST_BLOCKS:
                self._ways.clear()
            frames = np.arange(block * BLOCK, (block + 1) * BLOCK, dtype=np.float64)
            self._ways[route, block] = self.runs[route].way(frames)
        return float(self._ways[route, block][place])

    def time(self, moment: Moment, holder: Any = None) -> Time:
        """The moment of the film that a moment of the document comes to, a whole frame; ``holder`` is the mark that
        hangs on it, if it is one."""
        if need := self._need(moment):
            self._work_out(need)
        return self._event(moment, holder) + Time(float(round(moment.offset)))

    def stops(self, course: Course[Any], holder: Any = None) -> tuple[list[float], list[Any]]:
        """The stops of a course as they come, and their moments, frames; ``holder`` is the mark that has it, if one
        has."""
        key = id(course), getattr(holder, "id", None)
        known = self._stops.get(key)
        if known is None:
            pairs = sorted(((self.time(stop.at, holder), stop) for stop in course.stops), key=lambda one: one[0])
            if len(self._stops) >= MOST_STOPS:
                self._stops.clear()
            # The course is kept with them, so that no other one takes its number.
            known = self._stops[key] = course, [time.frames for time, _ in pairs], [stop for _, stop in pairs]
        return known[1], known[2]

    def _need(self, moment: Moment) -> Node | None:
        """What must be known before a moment can be."""
        if isinstance(moment, RouteMoment):
            return "draws", moment.route
        if isinstance(moment, MarkMoment):
            return ("draws" if isinstance(self._mark(moment.mark), Route) else moment.edge), moment.mark
        return None

    def _mark(self, key: str) -> Any:
        if key not in self._marks:
            raise BadEdit("Something hangs on a mark that is not in the film. Let it hang on something else.")
        return self._marks[key]

    def _held(self, node: Node) -> Moment | None:
        """What a node hangs on."""
        edge, key = node
        mark = self._mark(key)
        if isinstance(mark, Route):
            return None if self._followed(mark) else mark.draws.starts
        return mark.starts if edge == "starts" else mark.ends

    def _work_out(self, node: Node) -> Time:
        """Work out a node, and before it what it hangs on, however long the chain."""
        chain = [node]
        while chain:
            at = chain[-1]
            held = None if at in self._known else self._held(at)
            need = self._need(held) if held else None
            if need is None or need in self._known:
                if at not in self._known:
                    self._known[at] = self._found(at, held)
                chain.pop()
            elif need in chain:
                around = [self._mark(key).name for _, key in [*chain[chain.index(need) :], need]]
                raise BadEdit(
                    f"These hang on one another in a circle: {' → '.join(f'“{name}”' for name in around)}. Let one of "
                    "them hang on something else."
                )
            else:
                chain.append(need)
        return self._known[node]

    def _found(self, node: Node, held: Moment | None) -> Time:
        edge, key = node
        mark = self._mark(key)
        if isinstance(mark, Route):
            start = self.time(held) if held else ZERO
            rate = float(self._rate.value)
            self.runs[key] = self._followed(mark) or run_of(mark, start.frames, rate, self._spans, self._georeferenced)
            return Time(self.runs[key].start)
        if held is None:
            return Time(self.frames)
        time = self.time(held, mark)
        return max(time, ZERO) if edge == "starts" else time

    def _followed(self, route: Route) -> RouteRun | None:
        """The run of a line that goes along with the camera; none if it does not, or no passage follows it."""
        if route.draws.pace != "camera":
            return None
        for index, vantage in enumerate(self._film.vantages[:-1]):
            manner, leg = vantage.passage.manner, self._legs[index]
            if not isinstance(manner, Follow) or manner.route != route.id or not leg.passage:
                continue
            after = self._film.vantages[index + 1]
            first, last = (route.curve.nearest(np.array([v.x, v.y])) for v in (vantage, after))
            if last > first:
                pace = _Followed(manner, timing_of(self._film, index), leg.passage)
                return RouteRun(float(leg.leaves), (first, last), (float(leg.passage),), (0.0, 0.0), pace)
        return None

    def _event(self, moment: Moment, holder: Any) -> Time:
        if isinstance(moment, FilmMoment):
            return Time.of_seconds(moment.seconds, self._rate).nearest
        if isinstance(moment, VantageMoment):
            leg = self._legs[self._film.vantage_index(moment.vantage)]
            return Time(leg.start if moment.edge == "arrives" else leg.leaves)
        if isinstance(moment, PassageMoment):
            leg = self._legs[self._film.vantage_index(moment.vantage)]
            return Time(leg.leaves + round(moment.share * leg.passage))
        if isinstance(moment, RouteMoment):
            route = self._film.route(moment.route)
            way = route.draws.done(_way_of(route, moment, holder), route.curve.length)
            return Time(self.runs[route.id].reaches(way))
        if isinstance(self._mark(moment.mark), Route):
            run = self.runs[moment.mark]
            return Time(run.reaches(0.0) if moment.edge == "starts" else run.reaches(run.whole))
        return self._known[moment.edge, moment.mark]


def timeline_of(film: Film, legs: tuple[Leg, ...], spans: Spans) -> Timeline:
    """Work out when everything is, from the film's stretches of time and the camera's span at any time.

    Raises:
        BadEdit: something hangs on what is not there, or on itself by way of others; the chain is named.
    """
    return Timeline(film, legs, spans)


MOST_LOOKED = 4096
"""Moments of a line's time at which the camera is asked how wide it looks."""


class _OnScreen:
    """A pace at which a line grows by the same share of the frame's width in every frame."""

    def __init__(self, spans: Spans, start: float, frames: float) -> None:
        self._spans, self._start, self._frames = spans, start, frames

    @cached_property
    def _run(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        count = min(max(math.ceil(self._frames), 1), MOST_LOOKED)
        times = np.linspace(0.0, 1.0, count + 1)
        spans = self._spans(self._start + times * self._frames)
        done = np.concatenate([[0.0], np.cumsum((spans[1:] + spans[:-1]) / 2)])
        return times, done / done[-1]

    def at(self, share: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at shares of the time: the span, summed up so far, of what it comes to."""
        return np.asarray(np.interp(np.clip(share, 0, 1), *self._run))


@dataclass(frozen=True)
class _Followed:
    """How far along its way the camera is that follows a route, as an ease."""

    manner: Follow
    timing: Timing
    frames: int

    def at(self, share: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at shares of the time."""
        return self.manner.progress(self.timing, self.frames, np.clip(share, 0, 1) * self.frames)


def _way_of(route: Route, moment: RouteMoment, mark: Any) -> float:
    if moment.point is not None:
        if moment.point >= len(route.points):
            raise BadEdit(f"“{route.name}” has no point {moment.point + 1} any more. Tie what hangs on it anew.")
        return float(route.curve.knots[moment.point])
    # What is nowhere, such as a plate or an effect, is reached as the line sets out.
    place = getattr(mark, "place", None)
    return 0.0 if place is None else route.curve.nearest(np.array(place))


def run_of(route: Route, start: float, rate: float, spans: Spans, georeferenced: bool) -> RouteRun:
    """A route's line on its way from a frame on, at ``rate`` frames a second.

    Args:
        spans: the camera's span at any time.
        georeferenced: whether the ground is the Earth's, in Web Mercator metres.
    """
    if route.draws.pace == "screen":
        time = max(route.draws.seconds * rate, 1e-6)
        pace = _OnScreen(spans, start, time)
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
    # What is known of a run holds for as long as it is the same, whatever else of the film changes.
    run = start, tuple(ways), frames, tuple(waits), route.draws.ease
    return _RUNS.of((curve,), (georeferenced, *run), lambda: RouteRun(*run, scale))


_RUNS = Remembered[RouteRun](256)
