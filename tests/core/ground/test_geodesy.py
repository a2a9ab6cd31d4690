"""Lengths and shortest ways over the Earth, against geographiclib, which is an implementation of its own."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from geographiclib.geodesic import Geodesic
from hypothesis import given, settings
from hypothesis import strategies as st

from yaila.core.errors import BadEdit
from yaila.core.film import Film, Label, Route, RoutePoint, acts, choreograph
from yaila.core.ground.geodesy import metres_along, shortest_way
from yaila.core.ground.mercator import lonlat_of, mercator_of
from yaila.core.time import MarkMoment, RouteMoment

degrees = st.tuples(st.floats(-170, 170), st.floats(-70, 70))


@settings(max_examples=60)
@given(degrees, degrees)
def test_the_shortest_way_is_that_of_geographiclib(start: tuple[float, float], end: tuple[float, float]) -> None:
    line = Geodesic.WGS84.InverseLine(start[1], start[0], end[1], end[0])
    if not 1000 < line.s13 < 19_000_000:
        return
    try:
        between = shortest_way(mercator_of(*start), mercator_of(*end))
    except ValueError:
        assert any(abs(line.Position(line.s13 * k / 200)["lat2"]) > 84.9 for k in range(201))
        return
    for k, place in enumerate(between, 1):
        theirs = line.Position(line.s13 * k / (len(between) + 1))
        lon, lat = lonlat_of(*place)
        assert lat == pytest.approx(theirs["lat2"], abs=1e-7)
        assert (lon - theirs["lon2"] + 180) % 360 - 180 == pytest.approx(0, abs=1e-7)
    # No jump at the antimeridian.
    xs = [mercator_of(*start)[0], *(x for x, _ in between)]
    assert max(abs(b - a) for a, b in pairwise(xs)) < 2e7


def test_lengths_are_geodesic_and_not_those_of_the_projection() -> None:
    places = [(10.0, 60.0), (12.0, 61.0), (11.0, 62.5)]
    theirs = sum(Geodesic.WGS84.Inverse(a[1], a[0], b[1], b[0])["s12"] for a, b in pairwise(places))
    assert metres_along(np.array([mercator_of(*place) for place in places])) == pytest.approx(theirs, rel=1e-9)


def film(**more: object) -> Film:
    places = [mercator_of(lon, lat) for lon, lat in ((-20, 40), (0, 45), (30, 50), (60, 55))]
    points = [RoutePoint(x=x, y=y, stop=name) for (x, y), name in zip(places, ("A", None, "C", "D"), strict=True)]
    marks = [Label(id=f"l{k}", text="x", starts=RouteMoment(route="r", point=k)) for k in (0, 2, 3)]
    return Film.model_validate(
        {"ground": {"kind": "mercator"}, "routes": [Route(id="r", points=points, draws={"shown": True})],
         "labels": marks} | more
    )  # fmt: skip


def test_a_route_takes_the_shortest_way_from_stop_to_stop_and_ties_stay_on_their_stops() -> None:
    after = acts.ShortestWay(route="r").apply(film())
    route = after.route("r")
    assert [route.points[k].stop for k in route.stops] == ["A", "C", "D"]
    assert [route.points[label.starts.point].stop for label in after.labels] == ["A", "C", "D"]
    whole = sum(
        Geodesic.WGS84.Inverse(*a, *b)["s12"] for a, b in pairwise([(40, -20), (50, 30), (55, 60)])
    )  # fmt: skip
    at = np.linspace(0, len(route.points) - 1, 4000)
    assert metres_along(route.curve.position(at)) == pytest.approx(whole, rel=2e-5)
    with pytest.raises(BadEdit, match="plain ground"):
        acts.ShortestWay(route="r").apply(film(ground={"kind": "plain"}))


def test_a_line_grows_at_one_pace_on_the_earth_however_far_north_it_goes() -> None:
    """Against lengths by geographiclib; the map's scale is a sphere's, so half a percent is left."""
    places = [mercator_of(lon, lat) for lon, lat in ((0, 0), (5, 40), (20, 75))]
    route = Route(id="r", points=[RoutePoint(x=x, y=y) for x, y in places], draws={"shown": True, "seconds": 8})
    one = Film.model_validate({"ground": {"kind": "mercator"}, "routes": [route], "vantages": [{"hold": 12}]})
    run = choreograph(one).timeline.runs["r"]
    heads = [lonlat_of(*place) for place in route.curve.along(run.way(np.arange(0, 201, 10.0))).tolist()]
    steps = [Geodesic.WGS84.Inverse(a[1], a[0], b[1], b[0])["s12"] for a, b in pairwise(heads)]
    assert steps == pytest.approx([np.mean(steps)] * len(steps), rel=6e-3)
    assert run.whole == pytest.approx(route.curve.length)


def test_cut_in_two_and_joined_again_is_the_same_way_with_the_same_ties() -> None:
    before = film()
    cut = acts.SplitRoute(route="r", point=2, id="s").apply(before)
    assert [len(route.points) for route in cut.routes] == [3, 2]
    assert cut.labels[2].starts == RouteMoment(route="s", point=1)
    assert cut.route("s").draws.starts == MarkMoment(mark="r", edge="ends")
    joined = acts.JoinRoutes(route="r", other="s").apply(cut)
    assert joined.route("r").points[:2] == before.route("r").points[:2]
    # The place where it was cut keeps the tangents that held the line there: nothing of the way has moved.
    knots = np.linspace(0, 1, 400)
    assert np.allclose(joined.route("r").curve.along(knots), before.route("r").curve.along(knots), atol=1e-3)
    assert [label.starts for label in joined.labels] == [label.starts for label in before.labels]
    # The other way round it is turned first.
    turned = acts.JoinRoutes(route="r", other="s").apply(acts.ReverseRoute(route="s").apply(cut))
    assert [point.stop for point in turned.route("r").points] == ["A", None, "C", "D"]


def test_a_line_moved_sideways_stays_as_far_away() -> None:
    points = [RoutePoint(x=x, y=0) for x in (0, 100, 200, 300)]
    after = acts.OffsetRoute(route="r", by=10).apply(Film(routes=[Route(id="r", points=points)]))
    # To the right of a way to the east is south.
    moved = [(point.x, point.y) for point in after.route("r").points]
    assert np.allclose(moved, [(x, -10) for x in (0, 100, 200, 300)])
