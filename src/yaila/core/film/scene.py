"""What stands on the ground at a moment: how far routes are drawn, and which marks are there how much."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

import numpy as np

from yaila.core.camera import Pose
from yaila.core.film.choreography import Choreography
from yaila.core.film.finish import Ends, Finish, MarkFocus
from yaila.core.film.focus import focus_place
from yaila.core.film.marked import KINDS, UNITS, Counter, Deck, Inset, Label, Lamp, Marker, Plays, Region, Reveal, Route
from yaila.core.film.model import Film, Plate
from yaila.core.film.running import running
from yaila.core.film.sunlight import Light, light_of
from yaila.core.ground.geodesy import true_lengths
from yaila.core.marks import DeckLook, InsetLook, LampLook, Lettering, MarkerLook, RegionLook, RouteRun, Stroke
from yaila.core.stopping import go_on
from yaila.core.time import Time, smoothstep

M = TypeVar("M", Region, Marker, Label, Lamp, Deck, Inset)
L = TypeVar("L")


@dataclass(frozen=True)
class DrawnRoute:
    """A route whose line is drawn over its first ``way`` units; ``aboard``: how much its traveller is there, 0..1."""

    route: Route
    look: Stroke
    way: float
    aboard: float = 0.0
    pace: float = 0.0
    """How far it goes in a frame."""


@dataclass(frozen=True)
class Uncovered:
    """A plate or a mark that is not all there yet: ``share`` of it, 0..1; or, along ``ways``, what is within the first
    so many units of each route."""

    reveal: Reveal
    share: float
    ways: tuple[tuple[Route, float], ...] = ()


@dataclass(frozen=True)
class Present(Generic[M, L]):
    """A mark that is there, with its look: opacity 0..1, scale, height above its place in its sizes. ``came`` is how
    far it has come, 0..1, and ``gone`` how much of it is still there while it goes, 1 before. ``seconds`` have gone by
    since it came, where something goes on in it all the time; 0 for others, which rest once they have come."""

    mark: M
    look: L
    opacity: float = 1.0
    scale: float = 1.0
    lift: float = 0.0
    seconds: float = 0.0
    came: float = 1.0
    gone: float = 1.0
    coming: float = 0.0
    """Seconds that it takes to come."""
    flash: float = 0.0
    """How bright a region flashes, 0..1."""
    led: float = 1.0
    """How far the leader of a callout is drawn, 0..1."""
    route: Route | None = None
    """The route that a label runs along."""
    uncovered: Uncovered | None = None
    """What is seen of it, if not all."""

    @property
    def drawn(self) -> float:
        """How much of its line is drawn, 0..1: less than all while it comes, or goes, by being drawn."""
        coming = self.came if self.mark.comes.how == "draw" else 1.0
        return min(coming, self.gone if self.mark.goes.how == "draw" else 1.0)


@dataclass(frozen=True)
class Scene:
    """What is there at a moment: plates from the bottom of the stack up, those of light, those that float, which of
    them are uncovered in part, and the moments of the clips that they play, seconds, by their ids; marks in the order
    in which they are drawn, from the ground up; and the light."""

    plates: tuple[Plate, ...] = ()
    lights: tuple[Plate, ...] = ()
    floating: tuple[Plate, ...] = ()
    reveals: Mapping[str, Uncovered] = field(default_factory=dict)
    playing: Mapping[str, float] = field(default_factory=dict)
    regions: tuple[Present[Region, RegionLook], ...] = ()
    routes: tuple[DrawnRoute, ...] = ()
    markers: tuple[Present[Marker, MarkerLook], ...] = ()
    insets: tuple[Present[Inset, InsetLook], ...] = ()
    labels: tuple[Present[Label, Lettering], ...] = ()
    lamps: tuple[Present[Lamp, LampLook], ...] = ()
    decks: tuple[Present[Deck, DeckLook], ...] = ()
    finish: Finish = field(default_factory=Finish)
    light: Light = Light()  # noqa: RUF009 - frozen
    going: tuple[float, float] = (0.0, 0.0)
    """How far the film still is from being there, and how far it has gone, 0..1."""


def _aboard(route: Route, run: RouteRun, time: Time) -> float:
    """How much a route's traveller is there: it grows as it sets out, and is gone when it has come."""
    frame = time.frames
    if not route.traveller or not run.start <= frame <= run.end:
        return 0.0
    frames = max(route.traveller.takes_off, 1)
    return float(smoothstep(min((frame - run.start + 1) / frames, (run.end - frame + 1) / frames, 1.0)))


def finish_at(film: Film, choreography: Choreography, time: Time, without: Collection[str] = ()) -> Finish:
    """The finish of a scene, some effects left out."""
    return running(film.finish.without(without), time, choreography.timeline).by_look()


def light_at(film: Film, choreography: Choreography, time: Time, finish: Finish) -> Light:
    """The light of a scene, of which this is the finish."""
    pose = choreography.pose(time) if choreography.frames else Pose(0, 0, 1)
    return light_of(finish.sun, (pose.x, pose.y), film.ground.kind == "mercator")


def scene_at(
    film: Film,
    choreography: Choreography,
    time: Time,
    without: Collection[str] = (),
    kinds: Collection[str] = tuple(KINDS),
    finish: Finish | None = None,
) -> Scene:
    """The scene at a moment, some effects of the finish left out, and of the marks those of some kinds alone. Values
    that change over the film have the ones that they have then. ``finish``: that of the scene, where it is known."""
    timeline = choreography.timeline
    routes = []
    for route in film.routes if "route" in kinds else ():
        run, look = timeline.runs[route.id], running(film.look_of(route), time, timeline, route)
        if route.draws.shown and (time.frames >= run.start or look.to_come > 0):
            now = running(route, time, timeline, route)
            exposed = np.array([time.frames - 0.5, time.frames + 0.5])
            pace = float(np.diff(run.way(exposed))[0]) if film.finish.shutter.on else 0.0
            routes.append(DrawnRoute(now, look, timeline.way(route.id, time), _aboard(route, run, time), pace))

    def there(marks: list[M]) -> tuple[Present[M, Any], ...]:
        wanted = [mark for mark in marks if mark.kind in kinds]
        found: list[Present[M, Any] | None] = [present_at(film, choreography, mark, time) for mark in wanted]
        return tuple(present for present in found if present)

    finish = finish or finish_at(film, choreography, time, without)
    reveals = {plate.id: uncovered_at(film, choreography, plate.id, plate.reveal, time)
               for plate in film.plates if plate.reveal}  # fmt: skip

    playing = {plate.id: played_at(choreography, plate.id, plate.plays, time) for plate in film.plates if plate.plays}
    over = {key for key, moment in playing.items() if moment is None}

    def plates(role: str) -> tuple[Plate, ...]:
        there = [plate for plate in film.plates if plate.role == role and plate.is_seen and plate.id not in over]
        return tuple(running(plate, time, timeline) for plate in there)

    return Scene(
        plates("film"),
        plates("lights"),
        plates("floats"),
        {key: one for key, one in reveals.items() if one},
        {key: moment for key, moment in playing.items() if moment is not None},
        there(film.regions),
        tuple(routes),
        there(film.markers),
        there(film.insets),
        there(film.labels),
        there(film.lamps),
        there(film.decks),
        finish,
        light_at(film, choreography, time, finish),
        _going(finish.ends, time, choreography) if finish.ends.on else (0.0, 0.0),
    )


def _going(ends: Ends, time: Time, choreography: Choreography) -> tuple[float, float]:
    """Of the first frame nothing is there yet, and of the last nothing any more."""
    rate, last = choreography.rate, max(choreography.frames - 1, 0)
    since = time.seconds(rate)
    left = max(Time(last).seconds(rate) - since, 0.0)
    opening = 1 - since / ends.opens_over if ends.opens != "cut" else 0.0
    closing = 1 - left / ends.closes_over if ends.closes != "cut" else 0.0
    return float(smoothstep(max(opening, 0.0))), float(smoothstep(max(closing, 0.0)))


def uncovered_at(film: Film, choreography: Choreography, key: str, reveal: Reveal, time: Time) -> Uncovered | None:
    """What is uncovered at a moment of the plate or mark with an id; none if all of it is."""
    if reveal.how == "route":
        ways = tuple((film.route(key), choreography.timeline.way(key, time)) for key in reveal.routes)
        return Uncovered(reveal, 1.0, ways)
    share = (time - choreography.timeline.reveals[key]).frames / reveal.frames
    return Uncovered(reveal, float(smoothstep(share))) if share < 1 else None


def played_at(choreography: Choreography, key: str, plays: Plays, time: Time) -> float | None:
    """The moment, seconds, of the clip that the plate with an id plays; none when it is over and gone."""
    return plays.clip.at((time - choreography.timeline.plays[key]).seconds(choreography.rate))


def present_at(film: Film, choreography: Choreography, mark: M, time: Time) -> Present[M, Any] | None:
    """A mark at a moment; none if it is not there."""
    go_on()
    timeline = choreography.timeline
    range_ = timeline.ranges[mark.id]
    if not mark.shown or time not in range_:
        return None
    mark = film.in_style(mark)
    since = (time - range_.start).frames
    # The line of a callout first, then the text.
    led = min((since + 1) / mark.led, 1.0) if mark.led else 1.0
    since -= mark.led
    # On its first frame it is there already; on its last it is all but gone.
    share = min(max((since + 1) / mark.comes.frames, 0.0), 1.0)
    left = min((range_.end - time).frames / mark.goes.frames, 1.0) if mark.ends else 1.0
    came = mark.comes.state(share)
    whole = since - mark.comes.frames * (mark.comes.how != "cut")
    if isinstance(mark, Marker) and _dark(mark, whole):
        return None
    gone = mark.goes.state(left)
    route = film.route(mark.route) if isinstance(mark, Label) and mark.stands == "route" and mark.route else None
    now, look = running(mark, time, timeline, mark), running(film.look_of(mark), time, timeline, mark)
    if isinstance(now, Lamp) and now.hangs:
        x, y, height = focus_place(film, choreography, MarkFocus(mark=now.hangs), time)
        now = now.model_copy(update={"x": x, "y": y, "height": height + now.height})
    if isinstance(now, Label) and now.counter:
        now = now.model_copy(update={"text": counted(film, choreography, now, now.counter, time)})
    return Present(
        mark=now,
        look=look,
        opacity=came[0] * gone[0],
        scale=came[1] * gone[1],
        lift=came[2] + gone[2],
        seconds=since / float(film.fps.value) if _goes_on(now, look) else 0.0,
        came=1.0 if mark.comes.how == "cut" else share,
        gone=1.0 if mark.goes.how == "cut" else left,
        coming=0.0 if mark.comes.how == "cut" else mark.comes.frames / float(film.fps.value),
        flash=_flash(mark, whole) if isinstance(mark, Region) else 0.0,
        led=led,
        route=route,
        uncovered=uncovered_at(film, choreography, mark.id, mark.reveal, time) if mark.reveal else None,
    )


def _goes_on(mark: M, look: Any) -> bool:
    """Whether something goes on in a mark as long as it is there."""
    if isinstance(mark, Inset):
        return mark.shows.kind == "clip"
    return isinstance(look, MarkerLook) and bool(look.spin or look.pulses)


def length_in(film: Film, route: str, way: float, unit: str) -> float:
    """How long a route is up to a length along it: over the Earth in a unit; on a plain ground as it is."""
    if film.ground.kind != "mercator":
        return way
    return float(np.interp(way, *true_lengths(film.route(route).curve))) / UNITS[unit]


def counted(film: Film, choreography: Choreography, label: Label, counter: Counter, time: Time) -> str:
    """The text of a label that counts, at a moment."""
    number = float(counter.value)
    if counter.route:
        number = length_in(film, counter.route, choreography.timeline.way(counter.route, time), counter.unit)
    # Nothing is counted backwards past nought by rounding.
    shown = f"{round(number, counter.places) + 0.0:,.{counter.places}f}"
    return label.text.replace("#", shown) if "#" in label.text else f"{shown} {label.text}"


def _dark(marker: Marker, since: float) -> bool:
    """Whether a marker that blinks is dark so many frames after it has come: the first half of each blink."""
    return 0 <= since < marker.blinks * marker.blink and since % marker.blink < marker.blink / 2


def _flash(region: Region, since: float) -> float:
    """How bright a region is, so many frames after it has come: each flash swells and fades."""
    if not 0 <= since < region.flashes * region.flash:
        return 0.0
    return math.sin(math.pi * ((since % region.flash) + 0.5) / region.flash) ** 2
