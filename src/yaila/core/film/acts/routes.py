"""Acts on routes."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import Field

from yaila.core.camera.manners import Follow, Glide
from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.handles import opposite
from yaila.core.film.acts.ties import at_frame, hooks, settle
from yaila.core.film.choreography import choreograph
from yaila.core.film.marked import LEAST_LEG, MOST_POINTS, Draws, Route, RoutePoint
from yaila.core.film.model import Film
from yaila.core.film.part import new_id
from yaila.core.ground import Point
from yaila.core.ground.geodesy import shortest_way
from yaila.core.marks import MarkMoment, RouteMoment
from yaila.core.marks.simplify import simplified


class AddRoute(FilmAct):
    """Lay a route over the ground. With ``frame`` its line sets out then, and is whole before the film ends, if there
    is a second for that at least."""

    act: Literal["add_route"] = "add_route"
    route: Route
    frame: int | None = Field(None, ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = self.route.model_copy(deep=True)
        if self.frame is not None:
            starts = at_frame(film, self.frame)
            left = float(film.fps.seconds(max(choreograph(film).frames - self.frame - 1, 0)))
            seconds = min(route.draws.seconds, left) if left >= 1 else route.draws.seconds
            route.draws = route.draws.model_copy(update={"starts": starts, "seconds": round(seconds, 2)})
        film.routes.append(route)
        return film


class ImportRoute(FilmAct):
    """Lay a recorded way as a route. It keeps its stops, and of the other points those that are needed for it to stray
    by no more than ``tolerance`` ground units; if none is given, a two-thousandth of its extent."""

    act: Literal["import_route"] = "import_route"
    name: str
    points: list[Point] = Field(min_length=2, max_length=2_000_000)
    stops: dict[int, str] = Field(default_factory=dict)
    tolerance: float | None = Field(None, gt=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        places = np.array(self.points)
        extent = float(np.ptp(places, axis=0).max())
        if extent == 0:
            raise BadEdit(f"“{self.name}” stays in one place: all its points are the same.")
        kept = simplified(places, self.tolerance or extent / 2000, list(self.stops))
        if len(kept) > MOST_POINTS:
            raise BadEdit(f"“{self.name}” has {len(kept):,} points left. Bring it with a larger tolerance.")
        points = tuple(RoutePoint(x=float(places[k, 0]), y=float(places[k, 1]), stop=self.stops.get(k)) for k in kept)
        film.routes.append(Route(id=self.id, name=self.name[:120] or "Route", points=points, draws=Draws(shown=True)))
        return film


def without_route(film: Film, route_id: str) -> Film:
    """The film without a route. Passages that follow it become Glides of the same time, what it uncovers is all there,
    labels along it stand where they were, and what hangs on its line stays where it is in time."""
    film = film.model_copy(deep=True)
    route = film.route(route_id)
    for vantage in film.vantages:
        manner = vantage.passage.manner
        if isinstance(manner, Follow) and manner.route == route_id:
            vantage.passage.manner = Glide()
    settle(
        film,
        lambda moment: (
            (isinstance(moment, RouteMoment) and moment.route == route_id)
            or (isinstance(moment, MarkMoment) and moment.mark == route_id)
        ),
    )
    for one in (*film.plates, *film.timed):
        if one.reveal and one.reveal.route == route_id:
            one.reveal = None
    for label in film.labels:
        if label.route == route_id:
            label.x, label.y = route.curve.along(np.array([label.along * route.curve.length]))[0].tolist()
            label.stands, label.route = "facing", None
    film.routes.remove(route)
    return film


class ReverseRoute(FilmAct):
    """Let a route run the other way."""

    act: Literal["reverse_route"] = "reverse_route"
    route: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        last = len(route.points) - 1
        route.points = tuple(
            point.model_copy(update={"before": point.after, "after": point.before}) for point in reversed(route.points)
        )
        route.draws = route.draws.model_copy(update={"legs": tuple(reversed(route.draws.legs))})
        _rehang(film, route.id, lambda point: (route.id, last - point))
        return film


class SplitLeg(FilmAct):
    """Put a point into a route where it comes nearest to a place; with a name it is a stop."""

    act: Literal["split_leg"] = "split_leg"
    route: str
    at: Point
    stop: str | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        curve = route.curve
        way = curve.nearest(np.array(self.at))
        index = min(int(np.searchsorted(curve.knots, way, side="right")), len(route.points))
        x, y = curve.along(np.array([way]))[0].tolist()
        points = list(route.points)
        points.insert(index, RoutePoint(x=x, y=y, stop=self.stop))
        route.points = tuple(points)
        _rehang(film, route.id, lambda point: (route.id, point + (point >= index)))
        return film


class ShortestWay(FilmAct):
    """Let a route take the shortest way over the Earth from stop to stop, where it may turn sharply; what shaped it
    between them is dropped."""

    act: Literal["shortest_way"] = "shortest_way"
    route: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        if film.ground.kind != "mercator":
            raise BadEdit("A plain ground knows nothing of the Earth: georeference it, then there is a shortest way.")
        stops = route.stops
        points: list[RoutePoint] = []
        places: dict[int, int] = {}
        for k, (here, there) in enumerate(pairwise(stops)):
            places[here] = len(points)
            start, end = route.points[here], route.points[there]
            points.append(_bare(start))
            try:
                between = shortest_way((start.x, start.y), (end.x, end.y))
            except ValueError as error:
                raise BadEdit(f"The shortest way of leg {k + 1} leads off the ground: {error}") from error
            points += [RoutePoint(x=x, y=y) for x, y in between]
        places[stops[-1]] = len(points)
        points.append(_bare(route.points[stops[-1]]))
        if len(points) > MOST_POINTS:
            raise BadEdit(f"“{route.name}” has too many stops for that.")
        route.points = tuple(points)
        # A point that only shaped the line gives way to the nearest stop.
        _rehang(film, route.id, lambda p: (route.id, places[min(stops, key=lambda stop: abs(stop - p))]))
        return film


def _bare(point: RoutePoint) -> RoutePoint:
    return point.model_copy(update={"before": None, "after": None, "corner": True})


class JoinRoutes(FilmAct):
    """Put another route on at the end of one, turned so that it goes on where that ends; what hangs on it hangs on the
    whole then, and passages that follow it follow the whole."""

    act: Literal["join_routes"] = "join_routes"
    route: str
    other: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route, other = film.route(self.route), film.route(self.other)
        if route is other:
            raise BadEdit("A route cannot be joined to itself. Close it instead.")
        if route.closed or other.closed:
            raise BadEdit("A closed route has no end to join at. Open it first.")
        end, first, last = route.points[-1], other.points[0], other.points[-1]
        if math.hypot(last.x - end.x, last.y - end.y) < math.hypot(first.x - end.x, first.y - end.y):
            film = ReverseRoute(route=self.other).apply(film)
            route, other = film.route(self.route), film.route(self.other)
        added = list(other.points)
        size = max(abs(end.x - added[-1].x), abs(end.y - added[-1].y), 1e-9)
        shared = math.hypot(added[0].x - end.x, added[0].y - end.y) < 1e-6 * size
        points = list(route.points)
        if shared:
            points[-1] = end.model_copy(update={"after": added[0].after, "stop": end.stop or added[0].stop})
            added = added[1:]
        offset = len(points) - len(other.points) + len(added)
        if len(points) + len(added) > MOST_POINTS:
            raise BadEdit(f"Together they have more than {MOST_POINTS:,} points.")
        legs = [*_legs(route), *_legs(other)]
        if shared and not points[-1].stop:
            # It does not halt there: two legs have become one.
            joint = len(_legs(route))
            legs[joint - 1 : joint + 1] = [legs[joint - 1] + legs[joint]]
        seconds = route.draws.seconds + other.draws.seconds
        route.draws = route.draws.model_copy(update={"seconds": seconds, "legs": tuple(legs)})
        route.points = (*points, *added)
        _rehang(film, self.other, lambda point: (self.route, point + offset))
        for label in film.labels:
            if label.route == self.other:
                label.route = self.route
        for _, reveal, _ in film.reveals:
            if reveal.route == self.other:
                reveal.route = self.route
        for vantage in film.vantages:
            manner = vantage.passage.manner
            if isinstance(manner, Follow) and manner.route == self.other:
                vantage.passage.manner = manner.model_copy(update={"route": self.route})
        return without_route(film, self.other)


class SplitRoute(FilmAct):
    """Cut a route in two at one of its points. What hangs on the part behind hangs on the new route."""

    act: Literal["split_route"] = "split_route"
    route: str
    point: int
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        if route.closed:
            raise BadEdit("A closed route cannot be cut in two. Open it first.")
        if not 0 < self.point < len(route.points) - 1:
            raise BadEdit("A route is cut at a point between its first and its last.")
        at = self.point
        knots, legs = route.curve.knots, _legs(route)
        # Which leg it lies in or at the end of, and how much of that, and of the whole, is before it.
        leg = sum(stop < at for stop in route.stops) - 1
        first, last = (float(knots[stop]) for stop in route.stops[leg : leg + 2])
        inside = (float(knots[at]) - first) / max(last - first, 1e-12)
        share = float(knots[at]) / max(route.curve.length, 1e-12)
        rest = [legs[leg] * (1 - inside)] if at not in route.stops else []
        behind = route.model_copy(deep=True, update={"id": self.id, "name": f"{route.name[:110]}, on"})
        behind.points = route.points[at:]
        behind.draws = route.draws.model_copy(
            update={
                "starts": MarkMoment(mark=route.id, edge="ends", offset=route.points[at].wait * float(film.fps.value)),
                "seconds": max(route.draws.seconds * (1 - share), LEAST_LEG),
                "legs": tuple(max(one, LEAST_LEG) for one in [*rest, *legs[leg + 1 :]]),
            }
        )
        route.points = route.points[: at + 1]
        route.draws = route.draws.model_copy(
            update={
                "seconds": max(route.draws.seconds * share, LEAST_LEG),
                "legs": tuple(max(one, LEAST_LEG) for one in [*legs[:leg], legs[leg] * inside]),
            }
        )
        film.routes.insert(film.routes.index(route) + 1, behind)
        _rehang(film, route.id, lambda point: (self.id, point - at) if point > at else (route.id, point))
        return film


def _legs(route: Route) -> list[float]:
    """The seconds of each leg between stops, those that are not given too."""
    given, count = route.draws.legs, len(route.stops) - 1 + route.closed
    return [*given[:count], *[route.draws.seconds] * (count - len(given))]


class OffsetRoute(FilmAct):
    """Move a route sideways, to the right of its way by ground units (to the left if negative): each of its points at
    right angles to the line there."""

    act: Literal["offset_route"] = "offset_route"
    route: str
    by: float = Field(allow_inf_nan=False)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        curve = route.curve
        # At a corner both sides count.
        knots, near = curve.knots[: len(route.points)], curve.length * 1e-9
        sides = np.stack([curve.derivative(curve.parameter(knots + side)) for side in (-near, near)])
        sides /= np.maximum(np.linalg.norm(sides, axis=2, keepdims=True), 1e-12)
        ahead = sides.sum(axis=0)
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-12)
        route.points = tuple(
            point.model_copy(update={"x": point.x + self.by * dy, "y": point.y - self.by * dx})
            for point, (dx, dy) in zip(route.points, ahead.tolist(), strict=True)
        )
        return film


class RouteHandles(FilmAct):
    """Give a point of a route handles of its own, as the line runs there, or take them away again."""

    act: Literal["route_handles"] = "route_handles"
    route: str
    point: int = Field(ge=0)
    on: bool

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        point = _point_of(route, self.point)
        control, count = route.curve.control, len(route.curve.control)
        at = np.array([point.x, point.y])
        before = after = None
        if self.on and len(control) >= len(route.points) - 1:
            k = self.point
            into = control[k - 1, 2] - at if k > 0 else (control[-1, 2] - at if route.closed else at - control[0, 1])
            onto = control[k, 1] - at if k < count else at - control[-1, 2]
            before, after = (float(into[0]), float(into[1])), (float(onto[0]), float(onto[1]))
        _put(route, self.point, point.model_copy(update={"before": before, "after": after}))
        return film


class PullRouteHandle(FilmAct):
    """Drag a handle of a route's point to a place; unless the point is a corner, the other one turns with it in its own
    length."""

    act: Literal["pull_route_handle"] = "pull_route_handle"
    route: str
    point: int = Field(ge=0)
    which: Literal["before", "after"]
    to: Point

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        point = _point_of(route, self.point)
        if point.before is None or point.after is None:
            raise BadEdit("That point of the route has no handles. Tick “Handles” first.")
        mine = (self.to.x - point.x, self.to.y - point.y)
        theirs = point.after if self.which == "before" else point.before
        theirs = theirs if point.corner else opposite(mine, theirs)
        before, after = (mine, theirs) if self.which == "before" else (theirs, mine)
        _put(route, self.point, point.model_copy(update={"before": before, "after": after}))
        return film


def _point_of(route: Route, index: int) -> RoutePoint:
    if index >= len(route.points):
        raise BadEdit(f"“{route.name}” has no point {index + 1} any more.")
    return route.points[index]


def _put(route: Route, index: int, point: RoutePoint) -> None:
    route.points = (*route.points[:index], point, *route.points[index + 1 :])


def _rehang(film: Film, route: str, to: Callable[[int], tuple[str, int]]) -> None:
    """Let all that hangs on a route, or on its points, hang on the route and point that ``to`` gives for a point."""
    for hook in hooks(film):
        moment = hook.moment
        if isinstance(moment, RouteMoment) and moment.route == route:
            other, point = to(moment.point or 0)
            changes = {"route": other, "point": None if moment.point is None else point}
            hook.hang(moment.model_copy(update=changes))
