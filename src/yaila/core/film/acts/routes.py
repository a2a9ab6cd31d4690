"""Acts on routes."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import chain, pairwise
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from yaila.core.camera.manners import Follow
from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.handles import opposite
from yaila.core.film.acts.ties import at_time, holder_of, renamed
from yaila.core.film.choreography import choreograph
from yaila.core.film.marked import LEAST_LEG, MOST_POINTS, Draws, Label, LegLook, Reveal, Route, RoutePoint
from yaila.core.film.model import Film
from yaila.core.film.part import new_id
from yaila.core.film.walk import Owners, changed
from yaila.core.ground import Point
from yaila.core.ground.geodesy import shortest_way, true_lengths
from yaila.core.marks import Stroke
from yaila.core.marks.simplify import simplified
from yaila.core.time import Course, Hung, MarkMoment, RouteMoment, Time


class AddRoute(FilmAct):
    """Lay a route over the ground. With ``frame`` its line sets out then, and is whole before the film ends, if there
    is a second for that at least. ``follower`` is a vantage whose passage onward follows it from now on."""

    act: Literal["add_route"] = "add_route"
    route: Route
    frame: int | None = Field(None, ge=0)
    follower: str | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = self.route.model_copy(deep=True)
        if self.frame is not None:
            starts = at_time(film, Time(self.frame))
            left = float(film.fps.seconds(max(choreograph(film).frames - self.frame - 1, 0)))
            seconds = min(route.draws.seconds, left) if left >= 1 else route.draws.seconds
            route.draws = route.draws.model_copy(update={"starts": starts, "seconds": round(seconds, 2)})
        film.routes.append(route)
        return _following(film, self.follower, route.id) if self.follower else film


class FollowRoute(FilmAct):
    """Have the passage onward from a vantage follow a route: with the heading along it where the camera is tilted, as
    there is a way ahead to be seen; seen from straight above, the heading is kept."""

    act: Literal["follow_route"] = "follow_route"
    vantage: str
    route: str

    def apply(self, film: Film) -> Film:
        film.route(self.route)
        return _following(film.model_copy(deep=True), self.vantage, self.route)


def _following(film: Film, vantage: str, route: str) -> Film:
    index = film.vantage_index(vantage)
    tilted = any(one.tilt for one in film.vantages[index : index + 2])
    passage = film.vantages[index].passage
    passage.manner = Follow(route=route, heading="along" if tilted else "kept")
    return film


class ImportRoute(FilmAct):
    """Lay a recorded way as a route. It keeps its stops, and of the other points those that are needed for it to stray
    by no more than ``tolerance`` ground units; if none is given, a two-thousandth of its extent. It runs straight from
    each to the next; one that comes back to where it began is closed."""

    act: Literal["import_route"] = "import_route"
    name: str
    points: list[Point] = Field(min_length=2, max_length=2_000_000)
    stops: dict[int, str] = Field(default_factory=dict)
    tolerance: float | None = Field(None, gt=0, le=1e9, allow_inf_nan=False)
    colour: str | None = Field(None, pattern="^#[0-9a-f]{6}$")
    group: str = Field("", max_length=60)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.routes.append(self.made())
        return film

    def made(self) -> Route:
        """The route."""
        places = np.array(self.points)
        extent = float(np.ptp(places, axis=0).max())
        if extent == 0:
            raise BadEdit(f"“{self.name}” stays in one place: all its points are the same.")
        kept = simplified(places, self.tolerance or extent / 2000, list(self.stops))
        if len(kept) > MOST_POINTS:
            raise BadEdit(f"“{self.name}” has {len(kept):,} points left. Bring it with a larger tolerance.")
        # A curve through the points that are left would leave the way between them.
        closed = len(kept) > 3 and bool((places[kept[0]] == places[kept[-1]]).all())
        points = tuple(
            RoutePoint(x=float(places[k, 0]), y=float(places[k, 1]), corner=True, stop=self.stops.get(k))
            for k in (kept[:-1] if closed else kept)
        )
        look = Stroke(colour=self.colour) if self.colour else Stroke()
        return Route(
            id=self.id, name=self.name[:120] or "Route", points=points, closed=closed, look=look, group=self.group,
            draws=Draws(shown=True),
        )  # fmt: skip


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
        # What a leg has of its own stands where it begins: now at its other end.
        stops = route.stops
        theirs = dict(zip(stops, [route.points[stop].leg for stop in [*stops[1:], stops[0]]], strict=True))
        if not route.closed:
            theirs[stops[-1]] = None
        route.points = tuple(point.model_copy(update={"leg": theirs.get(k)}) for k, point in enumerate(route.points))
        route.draws = route.draws.model_copy(update={"legs": tuple(reversed(route.draws.legs))})
        length = route.curve.length
        return _rerouted(
            film, self.route, lambda way: (self.route, length - way), lambda point: (self.route, last - point)
        )


class SplitLeg(FilmAct):
    """Put a point into a route where it comes nearest to a place; with a name it is a stop."""

    act: Literal["split_leg"] = "split_leg"
    route: str
    at: Point
    stop: str | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        way = route.curve.nearest(np.array(self.at))
        index, points = _with_point(route, way, self.stop)
        legs = _legs(route)
        if self.stop and legs:
            # A stop parts its leg in two that take what it took, each its share of the way.
            leg = max(sum(stop < index for stop in route.stops) - 1, 0)
            share = _share_of_leg(film, route, leg, way)
            legs[leg : leg + 1] = [legs[leg] * share, legs[leg] * (1 - share)]
            if route.draws.pace == "legs":
                route.draws = route.draws.model_copy(update={"legs": tuple(max(one, LEAST_LEG) for one in legs)})
        if self.stop:
            leg_look = _leg_at(route, index - 1)
            points = tuple(
                point.model_copy(update={"leg": leg_look}) if k == index else point for k, point in enumerate(points)
            )
        route.points = points
        return _rerouted(film, self.route, None, lambda point: (self.route, point + (point >= index)))


def _leg_at(route: Route, point: int) -> LegLook | None:
    """What the leg has of its own that begins at a point, or in which it lies."""
    return route.points[max(stop for stop in route.stops if stop <= point)].leg


def _with_point(route: Route, way: float, stop: str | None) -> tuple[int, tuple[RoutePoint, ...]]:
    """The points of a route with another at a length along it, and which that is. The line stays the very same: the
    piece is parted in two (de Casteljau), and the points at its ends get handles that hold it."""
    curve, points, count = route.curve, list(route.points), len(route.points)
    t = float(curve.parameter(np.array([way]))[0])
    piece = min(int(t), len(curve.control) - 1)
    share = t - piece
    a, b, c, d = curve.control[piece]
    ab, bc, cd = a + share * (b - a), b + share * (c - b), c + share * (d - c)
    abc, bcd = ab + share * (bc - ab), bc + share * (cd - bc)
    middle = abc + share * (bcd - abc)

    if count > 2 or points[0].after or points[1].before:
        points[piece] = _held(route, piece, after=ab)
        points[(piece + 1) % count] = _held(route, (piece + 1) % count, before=cd)
        new = RoutePoint(
            x=float(middle[0]), y=float(middle[1]), stop=stop,
            before=tuple((abc - middle).tolist()), after=tuple((bcd - middle).tolist()),
        )  # fmt: skip
    else:
        new = RoutePoint(x=float(middle[0]), y=float(middle[1]), stop=stop)
    points.insert(piece + 1, new)
    return piece + 1, tuple(points)


def _held(
    route: Route, index: int, before: NDArray[np.float64] | None = None, after: NDArray[np.float64] | None = None
) -> RoutePoint:
    """A point of a route with handles that hold the line as it runs there, or those given."""
    point, control = route.points[index], route.curve.control
    at, pieces = np.array([point.x, point.y]), len(control)
    into = control[(index - 1) % pieces, 2] if index or route.closed else None
    onto = control[index % pieces, 1] if index < pieces or route.closed else None
    before, after = into if before is None else before, onto if after is None else after
    # At an end the other handle only mirrors the one that counts.
    before = 2 * at - after if before is None and after is not None else before
    after = 2 * at - before if after is None and before is not None else after
    handles = {"before": tuple((before - at).tolist()), "after": tuple((after - at).tolist())}
    return point.model_copy(update=handles)


def _share_of_leg(film: Film, route: Route, leg: int, way: float) -> float:
    """Which share of a leg lies before a length along a route, on the Earth where the ground is its."""
    knots = route.curve.knots
    ends = [float(knots[stop]) for stop in route.stops] + ([route.curve.length] if route.closed else [])
    at = np.array([ends[leg], way, ends[leg + 1]])
    if film.ground.kind == "mercator":
        at = np.interp(at, *true_lengths(route.curve))
    return float(np.clip((at[1] - at[0]) / max(at[2] - at[0], 1e-12), 0, 1))


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
        return _rerouted(
            film, self.route, None, lambda p: (self.route, places[min(stops, key=lambda stop: abs(stop - p))])
        )


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
            first = added[0]
            points[-1] = end.model_copy(update={"after": first.after, "stop": end.stop or first.stop, "leg": first.leg})
            added = added[1:]
        offset = len(points) - len(other.points) + len(added)
        if len(points) + len(added) > MOST_POINTS:
            raise BadEdit(f"Together they have more than {MOST_POINTS:,} points.")
        legs = [*_legs(route), *_legs(other)]
        if shared and not points[-1].stop:
            # It does not halt there: two legs have become one.
            joint = len(_legs(route))
            legs[joint - 1 : joint + 1] = [legs[joint - 1] + legs[joint]]
        seconds, own, theirs = route.draws.seconds + other.draws.seconds, route.curve.length, other.curve.length
        route.draws = route.draws.model_copy(update={"seconds": seconds, "legs": tuple(legs)})
        route.points = (*points, *added)
        whole = route.curve.length
        film = _rerouted(film, self.route, lambda way: (self.route, way), None, own)
        film = _rerouted(
            film, self.other, lambda way: (self.route, whole - theirs + way),
            lambda point: (self.route, point + offset), theirs,
        )  # fmt: skip
        # Whatever else named the other names the whole.
        film = renamed(film, self.other, self.route)
        film.routes = [one for one in film.routes if one.id != self.other]
        return _reveals_once(film)


def _reveals_once(film: Film) -> Film:
    """A film whose reveals name each of their routes once."""
    return changed(
        film, {}, {Reveal: lambda one, _: one.model_copy(update={"routes": tuple(dict.fromkeys(one.routes))})}
    )


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
        inside = _share_of_leg(film, route, leg, float(knots[at]))
        length, way = route.curve.length, float(knots[at])
        lengths = np.array([way, length])
        if film.ground.kind == "mercator":
            lengths = np.interp(lengths, *true_lengths(route.curve))
        share = float(lengths[0] / max(lengths[1], 1e-12))
        rest = [legs[leg] * (1 - inside)] if at not in route.stops else []
        behind = route.model_copy(deep=True, update={"id": self.id, "name": f"{route.name[:110]}, on"})
        # Cut, it is the same line: what follows no longer bends what comes before.
        cut = _held(route, at).model_copy(update={"leg": _leg_at(route, at)})
        behind.points = (cut, *route.points[at + 1 :])
        behind.draws = route.draws.model_copy(
            update={
                "starts": MarkMoment(mark=route.id, edge="ends", offset=route.points[at].wait * float(film.fps.value)),
                "seconds": max(route.draws.seconds * (1 - share), LEAST_LEG),
                "legs": tuple(max(one, LEAST_LEG) for one in [*rest, *legs[leg + 1 :]]),
            }
        )
        route.points = (*route.points[:at], cut)
        route.draws = route.draws.model_copy(
            update={
                "seconds": max(route.draws.seconds * share, LEAST_LEG),
                "legs": tuple(max(one, LEAST_LEG) for one in [*legs[:leg], legs[leg] * inside]),
            }
        )
        film.routes.insert(film.routes.index(route) + 1, behind)
        film = _rerouted(
            film, self.route, lambda at_way: (self.route, at_way) if at_way <= way else (self.id, at_way - way),
            lambda point: (self.id, point - at) if point > at else (self.route, point), length, by=self._nearest,
        )  # fmt: skip

        def both(one: Reveal, _: Owners) -> Reveal:
            if self.route not in one.routes:
                return one
            routes = tuple(chain(*((key, self.id) if key == self.route else (key,) for key in one.routes)))
            return one.model_copy(update={"routes": routes})

        return changed(film, {}, {Reveal: both})

    def _nearest(self, film: Film, place: tuple[float, float]) -> str:
        """Which half of the route is the nearer to a place."""
        halves = (film.route(self.route), film.route(self.id))
        near = [(curve.along(np.array([curve.nearest(np.array(place))]))[0], key)
                for curve, key in ((half.curve, half.id) for half in halves)]  # fmt: skip
        return min(near, key=lambda one: float(np.hypot(*(one[0] - place))))[1]


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
        held = _held(route, self.point) if self.on else point.model_copy(update={"before": None, "after": None})
        _put(route, self.point, held)
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


def _rerouted(
    film: Film,
    route: str,
    way_to: Callable[[float], tuple[str, float]] | None,
    point_to: Callable[[int], tuple[str, int]] | None,
    length: float | None = None,
    by: Callable[[Film, tuple[float, float]], str] | None = None,
) -> Film:
    """A film in which all that hangs on a route, or lies along it, does so where it did.

    Args:
        way_to: the route and the length along it for a length along the route as it was; none if that stays.
        point_to: the route and the point for one of its points; none if these stay.
        length: the length that the route had, if that has changed.
        by: which route is meant by what hangs on the place that is nearest to it; none if that stays.
    """
    had = film.route(route).curve.length if length is None else length

    def moment(one: Hung, owners: Owners) -> Hung:
        if not isinstance(one, RouteMoment) or one.route != route:
            return one
        if one.point is not None and point_to:
            other, point = point_to(one.point)
            return one.model_copy(update={"route": other, "point": point})
        holder = holder_of(owners)
        if one.point is None and by and holder is not None:
            return one.model_copy(update={"route": by(film, holder.place)})
        return one

    def label(one: Any, owners: Owners) -> Any:
        if not isinstance(one, Label) or one.route != route or way_to is None:
            return one
        if isinstance(one.along, Course):
            stops = tuple(
                stop.model_copy(update={"value": _along(film, way_to(stop.value * had))[1]}) for stop in one.along.stops
            )
            return one.model_copy(update={"along": one.along.model_copy(update={"stops": stops})})
        key, along = _along(film, way_to(one.along * had))
        return one.model_copy(update={"route": key, "along": along})

    return changed(film, {}, {Hung: moment, Label: label})


def _along(film: Film, place: tuple[str, float]) -> tuple[str, float]:
    """A length along a route as a share of it."""
    key, way = place
    return key, min(max(way / max(film.route(key).curve.length, 1e-12), 0.0), 1.0)
