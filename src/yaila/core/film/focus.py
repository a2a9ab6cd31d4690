"""Where the lens is focused: from what the document says to a depth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache, partial

import numpy as np

from yaila.core.camera import Aperture, View
from yaila.core.film.choreography import Choreography
from yaila.core.film.finish import AnyFocus, FocusBetween, FreeFocus, Lens, MarkFocus, PlaceFocus
from yaila.core.film.marked import Label, Route
from yaila.core.film.model import Film
from yaila.core.film.running import courses_of, running
from yaila.core.ground.curve import Curve
from yaila.core.ground.mercator import stretch_at
from yaila.core.time import Time

Ground = Callable[[float, float], float]
"""How high the ground is at a place, ground units."""

Place = tuple[float, float, float]
"""East, north and height above the ground."""

NEAREST = 1e-6
"""A focus nearer than this, in distances to the target, or behind the camera, is taken to be here."""


def level(x: float, y: float) -> float:
    """Flat ground."""
    return 0.0


@lru_cache(maxsize=4096)
def _place_along(curve: Curve, way: float) -> tuple[float, float]:
    x, y = curve.along(np.array([way]))[0].tolist()
    return x, y


def focus_place(film: Film, choreography: Choreography, focus: MarkFocus | PlaceFocus, time: Time) -> Place:
    """East, north and height above the ground of what a focus is on at a moment."""
    if isinstance(focus, PlaceFocus):
        return focus.x, focus.y, focus.height
    mark = film.mark(focus.mark)
    timeline = choreography.timeline
    if isinstance(mark, Route):
        way = timeline.way(mark.id, time)
        route = running(mark, time, timeline, mark)
        head = route.draws.heads(way, mark.curve.length)[0][0]
        x, y = _place_along(mark.curve, head)
        edges = [*mark.curve.knots[mark.stops].tolist(), *([mark.curve.length] if mark.closed else [])]
        high = float(route.traveller.height_at(np.array([head]), edges)[0]) if route.traveller else 0.0
        return x, y, high
    now = running(mark, time, timeline, mark)
    height = now.height if isinstance(now, Label) else 0.0
    return *now.place, height


def focus_depth(
    film: Film, choreography: Choreography, focus: AnyFocus, view: View, time: Time, ground: Ground = level
) -> float:
    """How far the plane of focus is along the line of sight, in distances to the target; negative behind the camera.

    While it goes over from one thing to another it goes evenly in 1 / distance, as blur does.
    """

    def depth(x: float, y: float, height: float) -> float:
        return view.depth((x, y), height + ground(x, y))

    places = partial(focus_place, film, choreography, time=time)
    return _depth(focus, view.pose.distance, depth, places)


def _depth(
    focus: AnyFocus,
    distance: float,
    depth: Callable[[float, float, float], float],
    places: Callable[[MarkFocus | PlaceFocus], Place],
) -> float:
    """The same, of a camera so far from its target, from the depths of places and where things are."""
    if isinstance(focus, FocusBetween):
        start, end = (max(_depth(one, distance, depth, places), NEAREST) for one in (focus.start, focus.end))
        return 1 / ((1 - focus.share) / start + focus.share / end)
    if isinstance(focus, FreeFocus):
        return focus.distance / distance
    return depth(*places(focus)) if isinstance(focus, MarkFocus | PlaceFocus) else 1.0


def aperture_of(
    film: Film, choreography: Choreography, lens: Lens, view: View, time: Time, ground: Ground = level
) -> Aperture:
    """The lens at work; ``lens`` with the values of the moment."""
    target = lens.nearness * 1000
    if lens.model == "scale":
        stretch = stretch_at(view.pose.y) if film.ground.kind == "mercator" else 1.0
        target = view.pose.distance / stretch * 1000 / lens.scale
    depth = max(focus_depth(film, choreography, lens.focus, view, time, ground), NEAREST)
    return Aperture(view.pose.focal, lens.f_number, depth, target)


def focus_distances(
    film: Film, choreography: Choreography, focuses: Sequence[AnyFocus], times: Sequence[Time]
) -> list[float]:
    """How far the plane of focus is from the camera along its line of sight at moments, ground units."""
    track = choreography.camera.at(np.array([time.frames for time in times], np.float64))
    distances = track.distances
    ahead = (track.axes()[2] / distances[:, None]).tolist()
    standing: dict[int, Place] = {}

    def places(focus: MarkFocus | PlaceFocus, time: Time) -> Place:
        # What stands is looked for once, and not anew for each moment.
        if id(focus) in standing:
            return standing[id(focus)]
        place = focus_place(film, choreography, focus, time)
        if _stands(film, focus):
            standing[id(focus)] = place
        return place

    found = []
    for index, (focus, time, distance) in enumerate(zip(focuses, times, distances.tolist(), strict=True)):
        depth = _depths(ahead[index], float(track.x[index]), float(track.y[index]))
        found.append(max(_depth(focus, distance, depth, partial(places, time=time)), NEAREST) * distance)
    return found


def _depths(ahead: tuple[float, float, float], x: float, y: float) -> Callable[[float, float, float], float]:
    """How far places are, as ``View.depth``, from the target and by how much depth grows for a ground unit."""
    return lambda east, north, up: 1.0 + ahead[0] * (east - x) + ahead[1] * (north - y) + ahead[2] * up


def _stands(film: Film, focus: MarkFocus | PlaceFocus) -> bool:
    """Whether what a focus is on stays where it is."""
    mark = None if isinstance(focus, PlaceFocus) else film.mark(focus.mark)
    return mark is None or (not isinstance(mark, Route) and next(courses_of(mark), None) is None)
