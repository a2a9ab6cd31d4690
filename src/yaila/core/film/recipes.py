"""Recipes: whole choreographies from a list of places, for the editor to go on changing.

Times and ratios are those that read well on screen (common practice, no source).
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
import shapely
from pydantic import BaseModel, ConfigDict, Field
from shapely.geometry.base import BaseGeometry

from yaila.core.camera import AnyManner, Breath
from yaila.core.camera.manners import Follow, Glide, Hop, Orbit, Skim, Steps
from yaila.core.errors import BadEdit
from yaila.core.film.marked import Route, RoutePoint
from yaila.core.film.model import Duration, Film, Passage, Vantage
from yaila.core.film.part import new_id
from yaila.core.ground.placement import outline
from yaila.core.quantities import Finite, wrapped
from yaila.core.time import PRESETS, Ease


class Stopover(BaseModel):
    """A place that a choreography goes to, and how wide it is shown, ground units."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field("Place", max_length=100)
    x: Finite
    y: Finite
    size: float = Field(gt=0, ge=1e-3, le=1e9)


class Slider(BaseModel):
    """A number of a recipe, as it is offered: its key, what it is called, unit, range, first value and step."""

    key: str
    label: str
    unit: str
    least: float
    most: float
    start: float
    step: float
    whole: bool


class _Recipe(BaseModel, ABC):
    model_config = ConfigDict(extra="forbid")
    label: ClassVar[str]
    says: ClassVar[str]

    @classmethod
    def sliders(cls) -> list[Slider]:
        """The numbers that can be set, in order."""
        made = []
        for key, field in cls.model_fields.items():
            if field.title is None:
                continue
            least, most = (next(getattr(m, a) for m in field.metadata if hasattr(m, a)) for a in ("ge", "le"))
            extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
            made.append(
                Slider(
                    key=key,
                    label=field.title,
                    unit=str(extra.get("unit", "")),
                    least=least,
                    most=most,
                    start=field.default,
                    step=float(str(extra.get("step", 1))),
                    whole=field.annotation is int,
                )
            )
        return made

    def made(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        """What :meth:`build` gives, its vantages kept within the film's imagery where that can be.

        Raises:
            BadEdit: there are too few places for it.
        """
        vantages, routes = self.build(places, film)
        plates = [outline(plate.matrix, *plate.extent) for plate in film.plates if plate.in_film]
        imagery = shapely.union_all([shapely.Polygon(corners) for corners in plates])
        return [_within(imagery, film, vantage) for vantage in vantages], routes

    @abstractmethod
    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        """Vantages, and routes that their passages follow.

        Raises:
            BadEdit: there are too few places for it.
        """


def _slider(start: Any, title: str, unit: str, step: float, least: float, most: float) -> Any:
    return Field(start, title=title, ge=least, le=most, json_schema_extra={"unit": unit, "step": step})


def _ease(name: str) -> Ease:
    x1, y1, x2, y2 = PRESETS[name]
    return Ease(x1=x1, y1=y1, x2=x2, y2=y2)


def _passage(manner: AnyManner, unit: Literal["seconds", "frames", "natural"], value: float, ease: str) -> Passage:
    return Passage(manner=manner, duration=Duration(unit=unit, value=value), ease=_ease(ease))


def _needs(places: list[Stopover], count: int) -> None:
    if len(places) < count:
        raise BadEdit("This needs a place to go to." if count == 1 else f"This needs {count} places: add another one.")


CLOSER = 0.95 ** np.arange(140)
"""How much closer than asked a frame may be so that nothing in it is bare."""


def _within(imagery: BaseGeometry, film: Film, vantage: Vantage) -> Vantage:
    """A vantage of its own whose frame shows nothing bare: moved, so that its place stays in the frame, and as much
    closer as it takes. As it is where that leads nowhere: without imagery, or with the horizon in the frame."""
    vantage = vantage.model_copy(deep=True)
    if imagery.is_empty:
        return vantage
    low, high = np.array(imagery.bounds).reshape(2, 2)
    for closer in CLOSER.tolist():
        pose = replace(vantage.pose, span=max(vantage.span * closer, 1e-4))
        corners = pose.ground_outline(film.frame.size)
        before, after = low - corners.min(axis=0), high - corners.max(axis=0)
        shift = np.clip(0.0, before, np.maximum(after, before))
        if np.hypot(*shift) > pose.span / 2 or not imagery.covers(shapely.Polygon(corners + shift)):
            continue
        span, x, y = pose.span, vantage.x + float(shift[0]), vantage.y + float(shift[1])
        return vantage.model_copy(update={"span": span, "x": x, "y": y})
    return vantage


def _bearing(start: Stopover, end: Stopover) -> float:
    return math.degrees(math.atan2(end.x - start.x, end.y - start.y))


def _apart(start: Stopover, end: Stopover) -> float:
    return math.hypot(end.x - start.x, end.y - start.y)


class StepAcross(_Recipe):
    """Steps out from one place, crosses fast then slow, and steps in to the next.

    ``steps`` zooms each way; ``rest`` frames between them; ``room`` is how wide it is when it crosses, in distances
    between the two places.
    """

    label = "Step across"
    says = "Steps out from a place, crosses fast then slow, steps in to the next"
    kind: Literal["step_across"] = "step_across"
    steps: int = _slider(3, "Zooms each way", "", 1, 2, 5)
    rest: int = _slider(20, "Rests", "frames", 1, 6, 60)
    room: float = _slider(1.4, "As wide as", "ways", 0.1, 0.4, 4)

    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        _needs(places, 2)
        zoom = Steps(count=self.steps, rest=self.rest)
        frames = self.steps * 15 + (self.steps - 1) * self.rest
        step, across = _passage(zoom, "frames", frames, "Settle"), _passage(Glide(), "seconds", 2.0, "Fast then slow")
        made = []
        for number, place in enumerate(places):
            close = {"x": place.x, "y": place.y}
            before = _apart(places[number - 1], place) * self.room if number else 0
            after = _apart(place, places[number + 1]) * self.room if number + 1 < len(places) else 0
            if number:
                wide = max(before, place.size * 2)
                made.append(Vantage(name=f"Above {place.name}", **close, span=wide, hold=0.5, passage=step))
            made.append(Vantage(name=place.name, **close, span=place.size, hold=1.6, passage=step))
            if after:
                wide = max(after, place.size * 2)
                made.append(Vantage(name=f"Away from {place.name}", **close, span=wide, hold=0.5, passage=across))
        return made, []


class GrandDescent(_Recipe):
    """From far above down to one place in one long push.

    ``doublings`` says how much wider it begins, as far as the imagery reaches; ``seconds`` how long it takes; ``tilt``
    how it looks at the place when it has come down.
    """

    label = "Grand descent"
    says = "One long push from far above down to a place"
    kind: Literal["grand_descent"] = "grand_descent"
    doublings: float = _slider(9.0, "Begins wider by", "doublings", 0.5, 1, 18)
    seconds: float = _slider(9.0, "Takes", "s", 0.5, 1, 60)
    tilt: float = _slider(0.0, "Tilts at the end", "°", 5, 0, 70)

    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        _needs(places, 1)
        goal = places[-1]
        begin = places[0] if len(places) > 1 else goal
        down = _passage(Glide(), "seconds", self.seconds, "Settle")
        made = [
            Vantage(
                name=f"Far above {goal.name}", x=begin.x, y=begin.y, span=goal.size * 2**self.doublings, hold=1.4,
                passage=down,
            ),
            Vantage(name=goal.name, x=goal.x, y=goal.y, span=goal.size, hold=1.2 if self.tilt else 2.0),
        ]  # fmt: skip
        if self.tilt:
            made[-1].passage = _passage(Orbit(), "seconds", 4.0, "Swell")
            made.append(
                Vantage(
                    name=f"{goal.name}, tilted", x=goal.x, y=goal.y, span=goal.size * 0.9, tilt=self.tilt, heading=24,
                    hold=1.6,
                )
            )  # fmt: skip
        return made, []


class IslandHops(_Recipe):
    """Hops from place to place. ``height`` of the arcs in percent, ``pace`` in doublings a second, ``hold`` seconds at
    each place, in which the camera pushes in a little."""

    label = "Island hops"
    says = "Hops from place to place and breathes at each"
    kind: Literal["island_hops"] = "island_hops"
    height: float = _slider(100.0, "Arcs", "%", 10, 25, 300)
    pace: float = _slider(2.2, "Pace", "doublings/s", 0.1, 0.5, 6)
    hold: float = _slider(1.6, "Rests", "s", 0.2, 0, 10)

    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        _needs(places, 2)
        hop = _passage(Hop(height=self.height), "natural", self.pace, "Swell")
        breath = Breath(push=5) if self.hold >= 0.8 else None
        return [
            Vantage(name=place.name, x=place.x, y=place.y, span=place.size, hold=self.hold, breath=breath, passage=hop)
            for place in places
        ], []


class RouteFollow(_Recipe):
    """Follows a way through the places, or a route that is there already, at one speed.

    ``closeness`` is how many frame widths the whole way is long; ``tilt`` of the camera; ``speed`` in frame widths a
    second; the camera looks a little ahead, and rests ``hold`` seconds at each stop.
    """

    label = "Along a route"
    says = "Follows a way through the places at one speed"
    kind: Literal["route_follow"] = "route_follow"
    closeness: float = _slider(6.0, "Way is as long as", "frames", 0.5, 1, 60)
    tilt: float = _slider(45.0, "Tilt", "°", 5, 0, 75)
    speed: float = _slider(0.5, "Speed", "frames/s", 0.05, 0.05, 3)
    hold: float = Field(0.6, ge=0, le=10)
    route: str | None = None

    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        routes = []
        if self.route:
            route = film.route(self.route)
        else:
            _needs(places, 2)
            points = tuple(RoutePoint(x=place.x, y=place.y, stop=place.name) for place in places)
            route = Route(id=new_id(), name=f"{places[0].name} to {places[-1].name}"[:120], points=points)
            routes = [route]
        curve = route.curve
        knots = curve.knots
        stops = [
            (point.stop or route.name, float(knots[i]))
            for i, point in enumerate(route.points)
            if point.stop or i in (0, len(route.points) - 1)
        ]
        if route.closed:
            stops.append((stops[0][0], curve.length))
        span = curve.length / self.closeness
        made = []
        for number, (name, way) in enumerate(stops):
            onward = max(stops[min(number + 1, len(stops) - 1)][1] - way, 0)
            (x, y), (nx, ny) = curve.along(np.array([way, way + span * 0.05])).tolist()
            follow = Follow(route=route.id, heading="along", ahead=18, lag=60, lean=5)
            seconds = max(onward / span / self.speed, 0.5)
            made.append(
                Vantage(
                    name=name[:120], x=x, y=y, span=span, tilt=self.tilt,
                    heading=math.degrees(math.atan2(nx - x, ny - y)), hold=self.hold,
                    passage=_passage(follow, "seconds", round(seconds, 3), "Settle" if self.hold else "Even"),
                    flow=self.hold == 0,
                )
            )  # fmt: skip
        made[0].hold, made[-1].hold = max(self.hold, 1.0), max(self.hold, 1.0)
        made[0].flow = made[-1].flow = False
        return made, routes


class TableTop(_Recipe):
    """Straight above a place, then down to its side while the ground turns: a model on a table.

    ``tilt`` at the end, ``turn`` in degrees, ``seconds`` for it.
    """

    label = "Table top"
    says = "From straight above down to the side while the ground turns"
    kind: Literal["table_top"] = "table_top"
    tilt: float = _slider(58.0, "Tilt", "°", 5, 10, 80)
    turn: float = _slider(50.0, "Turn", "°", 5, -360, 360)
    seconds: float = _slider(5.0, "Takes", "s", 0.5, 1, 60)

    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        _needs(places, 1)
        made = []
        for place in places:
            way: Literal["clockwise", "counterclockwise"] = "clockwise" if self.turn >= 0 else "counterclockwise"
            tilt = _passage(Orbit(way=way), "seconds", self.seconds, "Swell")
            across = _passage(Hop(), "natural", 2.0, "Swell")
            close = {"x": place.x, "y": place.y}
            made += [
                Vantage(name=f"{place.name} from above", **close, span=place.size * 1.25, hold=1.2, passage=tilt),
                Vantage(
                    name=place.name, **close, span=place.size, tilt=self.tilt, heading=wrapped(self.turn),
                    hold=1.6, breath=Breath(push=3), passage=across,
                ),
            ]  # fmt: skip
        return made, []


class LowSkim(_Recipe):
    """Low over the ground from place to place, and at the end up to straight above.

    ``span`` is how wide the frame is, in shares of the first way; ``tilt``; ``speed`` in frame widths a second.
    """

    label = "Low skim"
    says = "Low over the ground, looking ahead, then up to straight above"
    kind: Literal["low_skim"] = "low_skim"
    span: float = _slider(0.3, "Frame", "ways wide", 0.02, 0.02, 2)
    tilt: float = _slider(68.0, "Tilt", "°", 2, 30, 80)
    speed: float = _slider(0.8, "Speed", "frames/s", 0.05, 0.1, 4)

    def build(self, places: list[Stopover], film: Film) -> tuple[list[Vantage], list[Route]]:
        _needs(places, 2)
        span = max(_apart(places[0], places[1]) * self.span, 1e-3)
        made = []
        for number, place in enumerate(places):
            leaving = min(number, len(places) - 2)
            heading = _bearing(places[leaving], places[leaving + 1])
            onward = _apart(place, places[number + 1]) if number + 1 < len(places) else 0.0
            seconds = round(max(onward / span / self.speed, 0.8), 3)
            skim = _passage(Skim(ahead=True), "seconds", seconds, "Settle")
            ends = number in (0, len(places) - 1)
            made.append(
                Vantage(
                    name=place.name, x=place.x, y=place.y, span=span, tilt=self.tilt, heading=heading,
                    hold=0.8 if ends else 0.0, flow=not ends, passage=skim,
                )
            )  # fmt: skip
        last = made[-1]
        last.passage = _passage(Glide(), "seconds", 4.0, "Swell")
        made.append(
            Vantage(
                name=f"Above {places[-1].name}", x=last.x, y=last.y, span=max(span * 1.6, places[-1].size),
                heading=last.heading, hold=1.6,
            )
        )  # fmt: skip
        return made, []


Recipe = Annotated[
    StepAcross | GrandDescent | IslandHops | RouteFollow | TableTop | LowSkim, Field(discriminator="kind")
]

RECIPES = (StepAcross, GrandDescent, IslandHops, RouteFollow, TableTop, LowSkim)
"""All of them, in the order in which they are offered."""
