"""How much of a route is drawn, by what, and what rides on it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skia import Path

from tests.drawing import centroid, draw_scene, scene_at, track_of
from tests.stopwatch import quickest
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.camera.manners import Follow
from yaila.core.film import Film, Marker, Passage, Region, Route, RoutePoint, Scene, Vantage, acts, choreograph
from yaila.core.film.marked import Draws, LegLook
from yaila.core.film.model import Duration
from yaila.core.film.scene import DrawnRoute, Present
from yaila.core.ground import Point
from yaila.core.marks import RegionLook, Stroke, Traveller
from yaila.core.picture.routes import _Part, _Pen
from yaila.core.picture.travellers import _on_leg
from yaila.core.time import FilmMoment, PassageMoment, RouteMoment, Time

WIDE = Film(frame={"width": 960, "height": 540})
PARTS = ("from_start", "from_end", "both_ends", "middle", "piece")


def straight(look: Stroke | None = None, traveller: Traveller | None = None, **draws: object) -> Route:
    points = [RoutePoint(x=-400, y=0, corner=True), RoutePoint(x=400, y=0, corner=True)]
    look = look or Stroke(colour="#ffffff", width=10, edge=0, caps="flat")
    return Route(id="r", points=points, look=look, traveller=traveller, draws=Draws(shown=True, **draws))


def drawn(route: Route, way: float, pose: Pose = Pose(0, 0, 960), aboard: float = 0.0) -> np.ndarray:  # noqa: B008
    scene = Scene(routes=(DrawnRoute(route, route.look, way, aboard),))
    return draw_scene(np.zeros((540, 960, 3), np.uint8), scene, pose, WIDE).astype(float)


@pytest.mark.parametrize("part", PARTS)
def test_what_is_drawn_is_as_long_as_the_way_that_is_done_and_where_it_should_be(part: str) -> None:
    light = drawn(straight(part=part, piece=25), 300)[..., 0]
    columns = np.flatnonzero(light[270] > 127)
    long = 200 if part == "piece" else 300
    assert len(columns) == pytest.approx(long, abs=2)
    ends = {
        "from_start": [(80, 379)], "from_end": [(580, 879)], "both_ends": [(80, 229), (730, 879)],
        "middle": [(330, 629)], "piece": [(180, 379)],
    }[part]  # fmt: skip
    breaks = np.flatnonzero(np.diff(columns) > 1)
    starts, stops = columns[np.append(0, breaks + 1)], columns[np.append(breaks, len(columns) - 1)]
    assert np.allclose(list(zip(starts, stops, strict=True)), ends, atol=1)


@settings(max_examples=40)
@given(st.sampled_from(PARTS), st.floats(0, 800))
def test_a_head_is_at_a_place_when_the_way_for_it_is_done(part: str, place: float) -> None:
    draws = Draws(part=part)
    heads = [at for at, _ in draws.heads(draws.done(place, 800), 800)]
    assert min(abs(at - place) for at in heads) < 1e-6


def test_a_marker_comes_as_the_line_reaches_it_from_whichever_end() -> None:
    for part, frame in (("from_start", 25), ("from_end", 75), ("both_ends", 50), ("middle", 50)):
        film = Film(
            routes=[straight(part=part, seconds=4)],
            markers=[Marker(id="m", x=-200, y=0, starts=RouteMoment(route="r"))],
            vantages=[Vantage(hold=8)],
        )
        assert choreograph(film).timeline.ranges["m"].start.frame == frame


def test_a_line_goes_along_with_the_camera_that_follows_it() -> None:
    def leg(seconds: float) -> Film:
        points = [RoutePoint(x=x, y=y) for x, y in ((0, 0), (300, 200), (700, -100), (1000, 0))]
        route = Route(id="r", points=points, draws=Draws(shown=True, pace="camera"))
        return Film(
            routes=[route],
            vantages=[
                Vantage(
                    x=0, y=0, span=300, hold=1,
                    passage=Passage(
                        manner=Follow(route="r", ahead=0), duration=Duration(unit="seconds", value=seconds)
                    ),
                ),
                Vantage(x=1000, y=0, span=300, hold=1),
            ],
        )  # fmt: skip

    for seconds in (2.0, 5.0):
        film = leg(seconds)
        plan = choreograph(film)
        curve = film.routes[0].curve
        for frame in range(25, 25 + int(seconds * 25), 7):
            way = scene_at(film, plan, frame).routes[0].way if frame > 25 else 0.0
            head = curve.along(np.array([way]))[0]
            pose = plan.pose(Time(frame))
            assert np.hypot(head[0] - pose.x, head[1] - pose.y) < 1.5
    # Without a passage that follows it, it draws itself in its own time.
    alone = film.model_copy(deep=True)
    alone.vantages[0].passage = Passage()
    assert choreograph(alone).timeline.runs["r"].end == pytest.approx(150)


def test_a_share_of_a_passage_is_hung_on_and_kept_when_its_vantage_goes() -> None:
    film = Film(
        vantages=[
            Vantage(id="a", hold=1, passage=Passage(duration=Duration(unit="seconds", value=4))),
            Vantage(id="b", x=500, hold=1),
        ],
        markers=[Marker(id="m", x=0, y=0, starts=PassageMoment(vantage="a", share=0.25, offset=3))],
    )
    assert choreograph(film).timeline.ranges["m"].start.frame == 25 + 25 + 3
    slower = acts.Retime(vantage="a", passage=200).apply(film)
    assert choreograph(slower).timeline.ranges["m"].start.frame == 25 + 50 + 3
    assert acts.RemoveVantages(vantages=["a"]).apply(film).markers[0].starts == FilmMoment(seconds=2.12)


def test_a_line_on_the_ground_is_so_many_units_wide_and_its_dashes_stay_there() -> None:
    look = Stroke(
        colour="#ffffff", width=10, edge=0, caps="flat", scales="ground", ground=20, dash="dashes", spacing=15
    )
    for span in (960, 480):
        light = drawn(straight(look), 800, Pose(0, 0, span))[..., 0]
        assert (light[:, 480 + 960 // span * 5] > 127).sum() in (0, 20 * 960 // span)
    # Dash and gap of 30 and 40 units, the middle of one at the route’s start, whatever the camera shows.
    for pose in (Pose(0, 0, 960), Pose(37, 11, 700), Pose(-60, 0, 500)):
        light = drawn(straight(look), 800, pose)[..., 0]
        row = round(270 + pose.y * 960 / pose.span)
        edges = np.flatnonzero(np.diff((light[row] > 127).astype(int))) + 1
        ground = (edges - 480) * pose.span / 960 + pose.x + 400
        ground = ground[(ground > 2) & (ground < 798)]
        away = np.minimum.reduce([np.abs((ground - k + 35) % 70 - 35) for k in (-15, 15)])
        assert away.max() < 1.2 * pose.span / 960


def test_a_colour_runs_over_along_the_whole_route() -> None:
    look = Stroke(colour="#ff0000", end_colour="#0000ff", width=10, edge=0, caps="flat")
    picture = drawn(straight(look), 800)
    for x, share in ((100, 0.025), (480, 0.5), (860, 0.975)):
        assert picture[270, x, 0] == pytest.approx(255 * (1 - share), abs=6)
        assert picture[270, x, 2] == pytest.approx(255 * share, abs=6)
    # Half drawn, it has the colours of its half.
    assert np.allclose(drawn(straight(look), 400)[270, 100:440], picture[270, 100:440], atol=1)


def test_what_flies_climbs_cruises_and_lands_on_each_leg() -> None:
    plane = Traveller(symbol="plane", height=100, climb=20)
    heights = plane.height_at(np.array([0, 5, 10, 20, 50, 90, 100, 110, 150, 200.0]), [0, 100, 200])
    assert heights[[0, 6, 9]] == pytest.approx([0, 0, 0])
    assert heights[[3, 4, 8]] == pytest.approx([100, 100, 100])
    assert 0 < heights[1] < heights[2] == pytest.approx(50)
    fine = plane.height_at(np.linspace(0, 200, 2001), [0, 100, 200])
    assert np.abs(np.diff(fine, 2)).max() < 0.1


def test_what_flies_is_drawn_at_its_height_and_its_shadow_where_the_light_throws_it() -> None:
    pose = Pose(0, 0, 960, 45)
    dot = Traveller(symbol="dot", size=40, edge=0, height=120, climb=10, colour="#ffffff", edge_colour="#ffffff")
    light = drawn(straight(Stroke(width=0.2, opacity=0, edge=0), dot), 400, pose, aboard=1)[..., 0]
    _, up, forward = pose.axes()
    away = np.array([0, 0, 120.0]) - np.array(pose.eye())
    v = 270 - 960 * 35 / 36 * (away @ up) / (away @ forward)
    assert centroid(light) == pytest.approx((480, v), abs=0.3)
    # What is nearer to the camera looks larger, by as much.
    assert np.sqrt((light > 127).sum() / np.pi) == pytest.approx(0.7 * 20 / (away @ forward) * pose.distance, rel=0.03)
    shaded = dot.model_copy(update={"shadow": 0.8})
    ground = np.full((540, 960, 3), 200, np.uint8)
    route = straight(Stroke(width=0.2, opacity=0, edge=0), shaded)
    picture = draw_scene(ground, Scene(routes=(DrawnRoute(route, route.look, 400, 1.0),)), pose, WIDE)
    dark = np.clip(198.0 - picture[..., 0], 0, None)
    place = pose.frame_from_ground(WIDE.frame.size) @ np.array([0.59 * 120, -0.59 * 120, 1.0])
    assert centroid(dark) == pytest.approx(tuple(place[:2] / place[2] + 2), abs=2)


def test_several_go_one_behind_the_other() -> None:
    three = Traveller(symbol="dot", size=30, edge=0, count=3, apart=10, colour="#ffffff", edge_colour="#ffffff")
    light = drawn(straight(Stroke(width=0.2, opacity=0, edge=0), three), 500, aboard=1)[270, :, 0]
    starts = np.flatnonzero(np.diff((light > 127).astype(int)) == 1)
    assert np.diff(starts) == pytest.approx([96, 96], abs=1)


def test_a_line_grows_evenly_in_the_frame_while_the_camera_dives() -> None:
    film = Film(
        routes=[straight(pace="screen", seconds=4)],
        vantages=[
            Vantage(span=4000, hold=0, passage=Passage(duration=Duration(unit="seconds", value=4))),
            Vantage(span=200, hold=1),
        ],
    )
    plan = choreograph(film)
    run = plan.timeline.runs["r"]
    frames = np.arange(2.0, 98.0)
    pace = np.diff(run.way(frames)) / track_of(plan).span[2:97]
    assert pace == pytest.approx(pace.mean(), rel=0.03)
    assert run.way(np.array([100.0]))[0] == pytest.approx(800)
    # What hangs on it comes when it is there, though that is no even share of the time.
    film.markers = [Marker(id="m", x=0, y=0, starts=RouteMoment(route="r"))]
    start = choreograph(film).timeline.ranges["m"].start.frame
    before, there = run.way(np.array([start - 1.0, float(start)]))
    assert before < 400 <= there + 1e-6


def test_a_route_of_as_many_points_as_there_can_be_and_a_self_crossing_region_are_drawn() -> None:
    angles = np.linspace(0, 30 * np.pi, 4000)
    points = [
        RoutePoint(x=x, y=y) for x, y in zip(np.cos(angles) * angles * 4, np.sin(angles) * angles * 2, strict=True)
    ]
    route = Route(points=points, look=Stroke(dash="dashes"))
    scene = Scene(routes=(DrawnRoute(route, route.look, route.curve.length),))
    ground = np.zeros((540, 960, 3), np.uint8)
    draw_scene(ground, scene, Pose(0, 0, 960), WIDE)
    assert draw_scene(ground, scene, Pose(0, 0, 960), WIDE).any()
    assert quickest(lambda: draw_scene(ground, scene, Pose(0, 0, 960), WIDE)) < 0.2
    bow = tuple(Point(x, y) for x, y in ((-100, -100), (100, 100), (100, -100), (-100, 100)))
    region = Region(rings=(bow,), look=RegionLook(fill="#ffffff"))
    picture = draw_scene(ground, Scene(regions=(Present(region, region.look),)), Pose(0, 0, 960), WIDE)[..., 0]
    # Even-odd: both lobes are filled, above and below its crossing is nothing.
    assert picture[270, 420] == picture[270, 540] == 255
    assert picture[210, 480] == picture[330, 480] == 0


def test_a_new_line_is_whole_before_the_film_ends() -> None:
    film = Film(vantages=[Vantage(hold=4)])
    after = acts.AddRoute(route=straight(), frame=25).apply(film)
    assert after.routes[0].draws.starts == FilmMoment(seconds=1)
    assert choreograph(after).timeline.runs["r"].end <= 99
    # Where there is no time left for it, it takes its own.
    late = acts.AddRoute(route=straight(), frame=90).apply(film)
    assert late.routes[0].draws.seconds == 6


def test_a_long_line_is_drawn_where_it_is_seen_and_its_dashes_go_along_with_the_ground() -> None:
    points = [RoutePoint(x=x, y=300 * np.sin(x / 4000)) for x in np.linspace(-90_000, 90_000, 40)]
    route = Route(points=points, look=Stroke(colour="#ffffff", width=6, edge=0, dash="dashes", spacing=20))
    first, second = (drawn(route, route.curve.length, Pose(x, 0, 960)) for x in (0, 50))
    assert first.any()
    # Fifty units are as many pixels: what is seen in both is the same, but for the rounding of lengths.
    assert np.abs(first[:, 50:] - second[:, :-50]).mean() < 0.4
    assert quickest(lambda: drawn(route, route.curve.length, Pose(20, 0, 960, 70))) < 0.2


def test_dashes_that_no_frame_can_show_are_not_built() -> None:
    # A stretch that passes below the camera and begins behind it: of a thousand dashes some are seen.
    look = Stroke(width=6, dash="dashes", spacing=20)
    route = Route(points=[RoutePoint(x=0, y=-40_000), RoutePoint(x=0, y=1_000)], look=look)
    view = View.of(Pose(0, 0, 960, 60), FrameSize(960, 540), 1.0)
    pen = _Pen(DrawnRoute(route, look, route.curve.length), view)
    stretch = _Part(np.array([38_000.0, 39_600]), np.array([[0.0, -2_000], [0, -400]]))
    path = pen.middle(stretch)
    assert len(pen.dashes(stretch)[0]) > 400
    assert 4 < sum(verb == Path.kMove_Verb for verb, _ in path) < 50
    # None reaches further beyond the frame than it is wide and long.
    assert path.getBounds().top() > -300
    assert path.getBounds().bottom() < 540 + 300
    dots = _Pen(DrawnRoute(route, look.model_copy(update={"dash": "dots"}), route.curve.length), view).middle(stretch)
    assert 4 < len(dots) < 100


def test_places_that_repeat_keep_a_knot_each_and_leave_the_line_as_it_is() -> None:
    plain = [(0, 0), (300, 200), (700, -100), (900, 0)]
    twice = [plain[0], plain[0], plain[1], plain[2], plain[2], plain[2], plain[3], plain[3]]
    once, again = (
        Route(points=[RoutePoint(x=x, y=y, stop="S") for x, y in places], draws=Draws(shown=True))
        for places in (plain, twice)
    )
    ways = np.linspace(-50, once.curve.length + 50, 400)
    assert np.abs(once.curve.along(ways) - again.curve.along(ways)).max() < 1e-9
    assert again.curve.knots == pytest.approx(once.curve.knots[[0, 0, 1, 2, 2, 2, 3, 3]])
    # Where it heads is known at every place, also at its ends.
    assert np.linalg.norm(again.curve.derivative(again.curve.parameter(ways)), axis=1).min() > 1
    film = Film(
        routes=[again],
        markers=[Marker(x=0, y=0, starts=RouteMoment(route=again.id, point=7))],
        vantages=[Vantage(hold=9)],
    )
    assert choreograph(film).timeline.runs[again.id].ways == pytest.approx(tuple(again.curve.knots))
    moved = acts.OffsetRoute(route=again.id, by=10).apply(film).routes[0]
    assert [math.dist((a.x, a.y), (b.x, b.y)) for a, b in zip(again.points, moved.points, strict=True)] == (
        pytest.approx([10] * 8)
    )
    # A route whose points are all one place is drawn too: as nothing.
    still = Route(points=[RoutePoint(x=5, y=5)] * 3, closed=True, look=Stroke(width=8))
    assert still.curve.length == 0
    assert len(still.curve.knots) == 4
    assert not drawn(still, 0.0).any()


def journey(closed: bool = False) -> Route:
    """Three legs, of which the second is blue dots travelled by a plane."""
    second = LegLook(colour="#2040ff", dash="dots", symbol="plane", width=12)
    points = [
        RoutePoint(x=-600, y=0, stop="A"),
        RoutePoint(x=-200, y=0, stop="B", leg=second),
        RoutePoint(x=0, y=0),
        RoutePoint(x=200, y=0, stop="C"),
        RoutePoint(x=600, y=0, stop="D"),
    ]
    look = Stroke(colour="#ff2020", edge=0, width=8)
    return Route(
        id="r", points=points, look=look, closed=closed, traveller=Traveller(symbol="boat"), draws=Draws(shown=True)
    )


def owns(route: Route) -> dict[str, bool]:
    """Which legs have a look of their own, by the stops they run between."""
    names = [route.points[stop].stop for stop in route.stops]
    names += names[:1]
    return {f"{a}{b}": own is not None for a, b, (_, _, own) in zip(names, names[1:], route.legs, strict=False)}


def test_a_leg_has_a_colour_a_line_and_a_traveller_of_its_own() -> None:
    route = journey()
    whole = DrawnRoute(route, route.look, route.curve.length, 0.0)
    seen = draw_scene(np.zeros((1080, 1920, 3), np.uint8), Scene(routes=(whole,)), Pose(0, 0, 1920), Film())
    line = seen[540].astype(int)
    red, blue = line[:, 0] > 200, line[:, 2] > 200
    # The frame's middle is at 960: the second leg runs from 760 to 1160.
    assert red[380:750].all()
    assert red[1170:1540].all()
    assert not red[770:1150].any()
    assert not blue[380:750].any()
    between = blue[770:1150]
    assert 0.2 < between.mean() < 0.8
    assert np.abs(np.diff(between.astype(int))).sum() > 10
    for way, symbol in ((100, "boat"), (500, "plane"), (900, "boat")):
        assert _on_leg(route, route.traveller, way).symbol == symbol


def test_what_a_leg_has_of_its_own_stays_on_it_through_every_act() -> None:
    film = Film(routes=[journey()])
    assert owns(film.routes[0]) == {"AB": False, "BC": True, "CD": False}
    turned = acts.ReverseRoute(route="r").apply(film)
    assert owns(turned.routes[0]) == {"DC": False, "CB": True, "BA": False}
    assert acts.ReverseRoute(route="r").apply(turned) == film
    round_ = Film(routes=[journey(closed=True)])
    assert owns(acts.ReverseRoute(route="r").apply(round_).routes[0]) == {
        "DC": False,
        "CB": True,
        "BA": False,
        "AD": False,
    }
    parted = acts.SplitLeg(route="r", at=(90, 0), stop="M").apply(film)
    assert owns(parted.routes[0]) == {"AB": False, "BM": True, "MC": True, "CD": False}
    cut = acts.SplitRoute(route="r", point=2, id="s").apply(film)
    assert [own is not None for one in cut.routes for _, _, own in one.legs] == [False, True, True, False]
    cut = acts.SplitRoute(route="r", point=1, id="s").apply(film)
    joined = acts.JoinRoutes(route="r", other="s").apply(cut)
    assert owns(joined.routes[0]) == owns(film.routes[0])
