"""What stands on the ground at one frame: how far routes are drawn, and which marks are there how much."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

import numpy as np

from yaila.core.film.choreography import Choreography
from yaila.core.film.marked import Label, Marker, Region, Reveal, Route
from yaila.core.film.model import Film
from yaila.core.marks import Lettering, MarkerLook, RegionLook, RouteRun, Stroke

M = TypeVar("M", Region, Marker, Label)
L = TypeVar("L")


@dataclass(frozen=True)
class DrawnRoute:
    """A route whose line is drawn over its first ``way`` units; ``aboard``: how much its traveller is there, 0..1."""

    route: Route
    look: Stroke
    way: float
    aboard: float = 0.0


@dataclass(frozen=True)
class Uncovered:
    """A plate or a mark that is not all there yet: ``share`` of it, 0..1; or, along a route, what is within the first
    ``way`` units of it."""

    of: str
    reveal: Reveal
    share: float
    route: Route | None = None
    way: float = 0.0


@dataclass(frozen=True)
class Present(Generic[M, L]):
    """A mark that is there, with its look: opacity 0..1, scale, height above its place in its sizes, seconds since it
    came. ``came`` is how far it has come, 0..1, and ``gone`` how much of it is still there while it goes, 1 before."""

    mark: M
    look: L
    opacity: float = 1.0
    scale: float = 1.0
    lift: float = 0.0
    seconds: float = 0.0
    came: float = 1.0
    gone: float = 1.0
    flash: float = 0.0
    """How bright a region flashes, 0..1."""
    led: float = 1.0
    """How far the leader of a callout is drawn, 0..1."""
    route: Route | None = None
    """The route that a label runs along."""
    uncovered: Uncovered | None = None
    """What is seen of it, if not all."""


@dataclass(frozen=True)
class Scene:
    """Marks at a frame, in the order in which they are drawn: from the ground up; and the plates that are not all there
    yet."""

    reveals: tuple[Uncovered, ...] = field(default=(), kw_only=True)

    regions: tuple[Present[Region, RegionLook], ...] = ()
    routes: tuple[DrawnRoute, ...] = ()
    markers: tuple[Present[Marker, MarkerLook], ...] = ()
    labels: tuple[Present[Label, Lettering], ...] = ()


def _aboard(route: Route, run: RouteRun, frame: int) -> float:
    """How much a route's traveller is there: it grows as it sets out, and is gone when it has come."""
    if not route.traveller or not run.start <= frame <= run.end:
        return 0.0
    frames = route.traveller.takes_off
    share = min((frame - run.start + 1) / max(frames, 1), (run.end - frame + 1) / max(frames, 1), 1.0)
    return share * share * (3 - 2 * share)


def scene_at(film: Film, choreography: Choreography, frame: int) -> Scene:
    """The scene at a frame."""
    timeline = choreography.timeline
    routes = []
    for route in film.routes:
        run, look = timeline.runs[route.id], film.look_of(route)
        if route.draws.shown and (frame >= run.start or look.to_come > 0):
            way = timeline.way(route.id, frame)
            routes.append(DrawnRoute(route, look, way, _aboard(route, run, frame)))

    def there(marks: list[M]) -> tuple[Present[M, Any], ...]:
        found: list[Present[M, Any] | None] = [present_at(film, choreography, mark, frame) for mark in marks]
        return tuple(present for present in found if present)

    reveals = [_uncovered(film, choreography, plate.id, plate.reveal, frame) for plate in film.plates if plate.reveal]
    return Scene(
        there(film.regions),
        tuple(routes),
        there(film.markers),
        there(film.labels),
        reveals=tuple(one for one in reveals if one),
    )


def _uncovered(film: Film, choreography: Choreography, key: str, reveal: Reveal, frame: int) -> Uncovered | None:
    if reveal.how == "route" and reveal.route:
        run = choreography.timeline.runs[reveal.route]
        way = float(run.way(np.array([float(frame)]))[0])
        return Uncovered(key, reveal, 1.0, film.route(reveal.route), way)
    share = min(max((frame - choreography.timeline.reveals[key]) / reveal.frames, 0.0), 1.0)
    return Uncovered(key, reveal, share * share * (3 - 2 * share)) if share < 1 else None


def present_at(film: Film, choreography: Choreography, mark: M, frame: int) -> Present[M, Any] | None:
    """A mark at a frame; none if it is not there."""
    span = choreography.timeline.spans[mark.id]
    if not mark.shown or not span.start <= frame < span.end:
        return None
    since = frame - span.start
    # The line of a callout first, then the text.
    led = min((since + 1) / mark.led, 1.0) if mark.led else 1.0
    since -= mark.led
    # On its first frame it is there already; on its last it is all but gone.
    share = min(max((since + 1) / mark.comes.frames, 0.0), 1.0)
    left = min((span.end - frame) / mark.goes.frames, 1.0) if mark.ends else 1.0
    came = mark.comes.state(share)
    if isinstance(mark, Marker) and _dark(mark, since - mark.comes.frames * (mark.comes.how != "cut")):
        return None
    gone = mark.goes.state(left)
    route = film.route(mark.route) if isinstance(mark, Label) and mark.stands == "route" and mark.route else None
    return Present(
        mark=mark,
        look=film.look_of(mark),
        opacity=came[0] * gone[0],
        scale=came[1] * gone[1],
        lift=came[2] + gone[2],
        seconds=since / float(film.fps.value),
        came=1.0 if mark.comes.how == "cut" else share,
        gone=1.0 if mark.goes.how == "cut" else left,
        flash=_flash(mark, since - mark.comes.frames * (mark.comes.how != "cut")) if isinstance(mark, Region) else 0.0,
        led=led,
        route=route,
        uncovered=_uncovered(film, choreography, mark.id, mark.reveal, frame) if mark.reveal else None,
    )


def _dark(marker: Marker, since: int) -> bool:
    """Whether a marker that blinks is dark so many frames after it has come: the first half of each blink."""
    return 0 <= since < marker.blinks * marker.blink and since % marker.blink < marker.blink / 2


def _flash(region: Region, since: int) -> float:
    """How bright a region is, so many frames after it has come: each flash swells and fades."""
    if not 0 <= since < region.flashes * region.flash:
        return 0.0
    return math.sin(math.pi * ((since % region.flash) + 0.5) / region.flash) ** 2
