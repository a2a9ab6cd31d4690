"""Marks stay on the ground and come on the very frame: ties, runs of routes, and what is drawn of them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from tests.drawing import centroid, draw_scene, scene_at
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.errors import BadEdit
from yaila.core.film import Duration, Film, Marker, Passage, Route, RoutePoint, Scene, Vantage, acts, choreograph
from yaila.core.film.marked import Circle, Draws, Region
from yaila.core.film.scene import DrawnRoute, Present
from yaila.core.ground import GroundBox
from yaila.core.imagery import PageStore
from yaila.core.marks import Arrival, MarkerLook, Stroke
from yaila.core.marks.travellers import PATHS, UPRIGHT, Traveller
from yaila.core.picture import Kit, Renderer, Request
from yaila.core.time import Ease, FilmMoment, MarkMoment, RouteMoment, Time, VantageMoment
from yaila.standin.night_post import mail_boat, night_post
from yaila.standin.world import World

PLACES = ((0, 0), (900, 300), (1000, -600), (2400, 200), (2500, 1500))
FULL, HALF = Film(), Film(frame={"width": 960, "height": 540})
EVEN = Ease(x1=0, y1=0, x2=1, y2=1)


def route(wait: float = 0.0, **draws: object) -> Route:
    points = [
        RoutePoint(x=x, y=y, stop="Quay" if k == 2 else None, wait=wait if k == 2 else 0.0)
        for k, (x, y) in enumerate(PLACES)
    ]
    return Route(id="r", name="Mail", points=points, draws=Draws(shown=True, **draws))


def film(*markers: Marker, way: Route | None = None, rate: str = "25") -> Film:
    passage = Passage(duration=Duration(unit="seconds", value=8))
    return Film(
        rate=rate,
        vantages=[
            Vantage(id="a", x=1200, y=200, span=4000, hold=1, passage=passage),
            Vantage(id="b", x=1200, y=200, span=3000, hold=30),
        ],
        routes=[way or route()],
        markers=list(markers),
    )


def test_the_line_runs_at_one_pace_on_the_ground_waits_at_stops_and_is_whole_at_its_end() -> None:
    way = route(wait=2.0, seconds=5.0)
    run = choreograph(film(way=way)).timeline.runs["r"]
    curve = way.curve
    drawn = run.way(np.arange(0, 200, dtype=float))
    stop = curve.knots[2]
    at_stop = np.flatnonzero(np.abs(drawn - stop) < 1e-6)
    assert len(at_stop) in (50, 51)
    steps = np.diff(drawn)
    moving = steps[(steps > 0) & (np.roll(steps, 1) > 0) & (np.roll(steps, -1) > 0)]
    assert np.ptp(moving) / moving.mean() < 1e-6
    assert drawn[-1] == pytest.approx(curve.length)
    # The same length by scipy's quadrature.
    whole = sum(
        quad(lambda t: float(np.linalg.norm(curve.derivative(np.array([t]))[0])), k, k + 1, limit=200)[0]
        for k in range(4)
    )
    assert curve.length == pytest.approx(whole, rel=1e-6)


@settings(max_examples=60)
@given(
    st.floats(0, 1),
    st.sampled_from(["24", "25", "29.97", "50"]),
    st.floats(1, 9),
    st.floats(0, 2),
    st.sampled_from([EVEN, Ease(), Ease(x1=0.6, y1=0, x2=0.4, y2=1)]),
    st.floats(0.5, 12),
)
def test_a_marker_comes_on_the_very_frame_on_which_the_line_reaches_it(
    share: float, rate: str, seconds: float, wait: float, ease: Ease, passage: float
) -> None:
    way = route(wait=wait, seconds=seconds, ease=ease, starts=VantageMoment(vantage="a", edge="leaves"))
    place = way.curve.along(np.array([share * way.curve.length]))[0]
    mark = Marker(id="m", x=float(place[0]), y=float(place[1]), starts=RouteMoment(route="r"))
    one = film(mark, way=way, rate=rate)
    # Whatever else is retimed afterwards.
    one.vantages[0].passage.duration.value = passage
    plan = choreograph(one)
    start = plan.timeline.ranges["m"].start.frame
    run, near = plan.timeline.runs["r"], way.curve.nearest(place)
    before, on = run.way(np.array([start - 1.0, float(start)]))
    assert on >= near - 1e-6 * way.curve.length
    assert before < near + 1e-6 or near < 1e-6
    scene = scene_at(one, plan, start)
    assert [present.mark.id for present in scene.markers] == ["m"]
    if start:
        assert not scene_at(one, plan, start - 1).markers


def test_ties_follow_what_they_hang_on_with_their_offset() -> None:
    one = film(
        Marker(id="m", x=0, y=0, starts=VantageMoment(vantage="b", offset=6)),
        Marker(id="n", x=0, y=0, starts=MarkMoment(mark="m", offset=-2), ends=MarkMoment(mark="m", edge="ends")),
        Marker(id="p", x=0, y=0, starts=RouteMoment(route="r", point=2, offset=3)),
        way=route(starts=MarkMoment(mark="m")),
    )
    before = choreograph(one).timeline
    assert (before.ranges["m"].start.frame, before.ranges["n"].start.frame) == (231, 229)
    one.vantages[0].passage.duration.value = 5
    after = choreograph(one).timeline
    assert [(after.ranges[key].start - before.ranges[key].start).frames for key in "mnp"] == [-75] * 3


def test_a_circle_of_ties_is_refused_and_its_chain_named() -> None:
    one = film(
        Marker(id="m", name="Ring", x=0, y=0, starts=RouteMoment(route="r", point=0)),
        way=route(starts=MarkMoment(mark="m")),
    )
    with pytest.raises(BadEdit, match="“Mail” → “Ring” → “Mail”"):
        choreograph(one)


def test_what_hung_on_something_taken_away_keeps_its_time() -> None:
    one = film(
        Marker(id="m", x=0, y=0, starts=RouteMoment(route="r", point=2, offset=4), ends=VantageMoment(vantage="b")),
        Marker(id="n", x=0, y=0, starts=MarkMoment(mark="m", offset=1)),
    )
    before = choreograph(one).timeline.ranges
    for act in (acts.RemoveMarks(marks=["r"]), acts.RemoveVantages(vantages=["b"])):
        one = act.apply(one)
        after = choreograph(one).timeline.ranges
        assert {key: span.start for key, span in after.items()} == {key: span.start for key, span in before.items()}
        assert after["m"].end == before["m"].end
    one = acts.RemoveMarks(marks=["m"]).apply(one)
    assert choreograph(one).timeline.ranges["n"].start == before["n"].start


def test_a_route_is_reversed_and_split_in_one_act_and_keeps_its_line() -> None:
    one = film(Marker(id="m", x=0, y=0, starts=RouteMoment(route="r", point=1)))
    length = one.routes[0].curve.length
    back = acts.ReverseRoute(route="r").apply(one)
    assert back.routes[0].curve.length == pytest.approx(length)
    assert back.markers[0].starts.point == 3
    split = acts.SplitLeg(route="r", at=(1500, -300), stop="Half way").apply(one)
    assert [point.stop for point in split.routes[0].points] == [None, None, "Quay", "Half way", None, None]
    assert split.routes[0].curve.length == pytest.approx(length, rel=0.02)
    assert split.markers[0].starts.point == 1


def test_a_mark_is_moved_in_time_and_goes_on_hanging_on_what_it_did() -> None:
    one = film(
        Marker(id="m", x=0, y=0, starts=FilmMoment(seconds=4), ends=MarkMoment(mark="m2", edge="starts")),
        Marker(id="m2", x=0, y=0, starts=VantageMoment(vantage="b")),
    )
    moved = acts.MoveMark(mark="m", by=10, edge="both").apply(one)
    assert (choreograph(moved).timeline.ranges["m"].start.frame, choreograph(moved).timeline.ranges["m"].end.frame) == (
        110,
        235,
    )
    assert moved.markers[0].ends == MarkMoment(mark="m2", edge="starts", offset=10)
    line = acts.MoveMark(mark="r", by=25).apply(one)
    assert choreograph(line).timeline.runs["r"].start == 25


def test_a_marker_set_beside_a_route_stands_on_it_and_waits_for_the_line() -> None:
    one = acts.AddMarker(marker=Marker(id="m", x=930, y=290), reach=60, frame=70).apply(film())
    assert one.markers[0].starts == RouteMoment(route="r")
    away = acts.AddMarker(marker=Marker(id="m", x=930, y=9000), reach=60, frame=70).apply(film())
    assert away.markers[0].starts == FilmMoment(seconds=2.8)


def test_what_is_set_at_the_films_end_is_seen_there() -> None:
    one = film()
    last = choreograph(one).frames - 1
    for comes, takes in ((Arrival(how="fade", frames=10), 10), (Arrival(how="cut"), 0)):
        made = acts.AddMarker(marker=Marker(id="m", x=0, y=0, comes=comes), frame=last).apply(one)
        assert choreograph(made).timeline.ranges["m"].start.frame == last - takes
        circle = Region(id="c", circle=Circle(x=0, y=0, radius=9), comes=comes)
        made = acts.AddRegion(region=circle, frame=last).apply(one)
        assert choreograph(made).timeline.ranges["c"].start.frame == last - takes
    # A film that is shorter than it takes shows as much of it as it can.
    short = film().model_copy(update={"vantages": film().vantages[:1]})
    slow = Marker(id="m", x=0, y=0, comes=Arrival(how="fade", frames=500))
    assert acts.AddMarker(marker=slow, frame=3).apply(short).markers[0].starts == FilmMoment(seconds=0)


@settings(max_examples=40)
@given(
    st.floats(-700, 700), st.floats(-350, 350), st.floats(0, 60), st.floats(-180, 180), st.floats(-20, 20),
    st.sampled_from(["ring", "dot", "square", "target"]),
)  # fmt: skip
def test_a_marker_is_drawn_where_the_ground_is(
    x: float, y: float, tilt: float, heading: float, roll: float, symbol: str
) -> None:
    pose, size = Pose(40, -30, 2000, tilt, heading, roll, 35), FrameSize(1920, 1080)
    u, v, w = pose.frame_from_ground(size) @ np.array([x, y, 1.0])
    if w <= 0.1 or not (40 < u / w < 1880 and 40 < v / w < 1040):
        return
    look = MarkerLook(symbol=symbol, colour="#ffffff", edge=0, size=40)
    scene = Scene(markers=(Present(Marker(x=x, y=y, look=look), look),))
    drawn = draw_scene(np.zeros((1080, 1920, 3), np.uint8), scene, pose, FULL)[..., 0].astype(float)
    assert centroid(drawn) == pytest.approx((u / w, v / w), abs=0.25)


def test_a_line_is_drawn_as_far_as_it_has_come_and_along_its_ground() -> None:
    way = Route(
        points=[RoutePoint(x=-800, y=100, corner=True), RoutePoint(x=800, y=100, corner=True)],
        look=Stroke(colour="#ffffff", width=20, edge=0), draws=Draws(shown=True),
    )  # fmt: skip
    pose = Pose(0, 0, 1920)
    drawn = draw_scene(
        np.zeros((1080, 1920, 3), np.uint8), Scene(routes=(DrawnRoute(way, way.look, 600.0),)), pose, FULL
    )[..., 0]  # fmt: skip
    rows, columns = np.nonzero(drawn > 127)
    # From x = -800 to -200, that is pixels 160 to 760, with round caps of 10; 100 units up is row 440.
    assert (columns.min(), columns.max() + 1) == pytest.approx((150, 770), abs=1)
    assert (rows.min() + rows.max() + 1) / 2 == pytest.approx(440, abs=0.5)
    assert rows.max() - rows.min() == pytest.approx(19, abs=1)


def test_a_line_that_passes_below_the_camera_and_behind_it_is_drawn_once() -> None:
    way = Route(
        points=[RoutePoint(x=0, y=y, corner=True) for y in (-9000, 9000)],
        look=Stroke(colour="#ffffff", width=8, edge=0), draws=Draws(shown=True),
    )  # fmt: skip
    for tilt, roll in ((0, 0), (60, 0), (75, 0)):
        pose = Pose(0, 0, 1000, tilt, 0, roll)
        scene = Scene(routes=(DrawnRoute(way, way.look, 18000.0),))
        drawn = draw_scene(np.zeros((540, 960, 3), np.uint8), scene, pose, HALF)[..., 0]
        _, columns = np.nonzero(drawn > 60)
        assert len(columns)
        assert (columns.min(), columns.max()) == pytest.approx((476, 483), abs=2)


@pytest.mark.parametrize("how", ["cut", "fade", "pop", "grow", "drop"])
def test_every_arrival_ends_whole_and_begins_on_its_first_frame(how: str) -> None:
    arrival = Arrival(how=how, frames=12)
    assert arrival.state(1) == pytest.approx((1, 1, 0), abs=1e-9)
    assert arrival.state(0)[0] == 0
    assert arrival.state(1 / 12)[0] > 0
    if how == "pop":
        assert max(arrival.state(k / 50)[1] for k in range(51)) == pytest.approx(1.1, abs=0.01)


def test_the_mail_boat_of_the_demo_stays_at_sea_and_calls_as_the_camera_arrives() -> None:
    world = World()
    boat = mail_boat(world)
    stops = np.array([[point.x, point.y] for point in boat.points if point.stop])
    for x, y in boat.curve.position(np.linspace(0, len(boat.points) - 1, 400)):
        if np.hypot(*(stops - [x, y]).T).min() > 300:
            assert world.heights(GroundBox(x - 30, y - 30, x + 30, y + 30), 3)[1, 1] < 0
    plan = choreograph(night_post(world, []))
    calls = [plan.timeline.ranges[f"m{k}"].start.frame for k in (2, 3, 4)]
    assert calls == [leg.start for leg in plan.legs[3:6]]


@pytest.mark.parametrize("symbol", [*PATHS])
def test_a_traveller_rides_at_the_head_of_the_line_and_never_hangs_upside_down(symbol: str) -> None:
    def seen(dx: float) -> np.ndarray:
        way = Route(
            points=[RoutePoint(x=-300 * dx, y=0), RoutePoint(x=300 * dx, y=0)],
            look=Stroke(width=0.2, edge=0, opacity=0),
            traveller=Traveller(symbol=symbol, colour="#ffffff", edge=0, edge_colour="#000000", size=100),
        )
        scene = Scene(routes=(DrawnRoute(way, way.look, 400.0, 1.0),))
        return draw_scene(np.zeros((540, 960, 3), np.uint8), scene, Pose(0, 0, 960), HALF)[..., 0].astype(float)

    right, left = seen(1), seen(-1)
    for drawn, at in ((right, 580), (left, 380)):
        assert centroid(drawn) == pytest.approx((at, 270), abs=18)
    # To the left it is the mirror image (upright) or turned round (from above, which is alike above and below).
    turned = right[:, ::-1] if symbol in UPRIGHT else right[::-1, ::-1]
    assert np.abs(left - turned).mean() < 0.4


def test_all_stops_of_a_route_are_marked_in_one_act_and_come_as_the_line_reaches_them() -> None:
    points = [RoutePoint(x=0, y=0, stop="Quay"), RoutePoint(x=500, y=80), RoutePoint(x=900, y=0, stop="Head")]
    route = Route(id="w", points=points, draws=Draws(shown=True, seconds=4))
    film = Film(routes=[route], vantages=[Vantage(x=450, span=1200, hold=8)])
    made = acts.MarkStops(route="w").apply(film)
    assert [(one.name, one.x) for one in made.markers] == [("Quay", 0), ("Head", 900)]
    assert [one.text for one in made.labels] == ["Quay", "Head"]
    timeline = choreograph(made).timeline
    reached = [timeline.ranges[one.id].start.frame for one in (*made.markers, *made.labels)]
    assert reached == [0, 100, 0, 100]
    # Once more there is nothing left to mark.
    again = acts.MarkStops(route="w", places="labels").apply(made)
    assert again == made
    film.routes[0].points = (RoutePoint(x=0, y=0), RoutePoint(x=9, y=0))
    with pytest.raises(BadEdit, match="no stops"):
        acts.MarkStops(route="w").apply(film)


@pytest.mark.parametrize("tilt", [0.0, 55.0])
@pytest.mark.parametrize("height", [0.0, 60.0])
def test_a_traveller_that_lies_is_a_part_of_the_ground_or_of_the_air_above_it(tilt: float, height: float) -> None:
    def extent(span: float, **more: object) -> np.ndarray:
        way = Route(
            points=[RoutePoint(x=-300, y=-100), RoutePoint(x=300, y=100)],
            look=Stroke(width=0.2, edge=0, opacity=0),
            traveller=Traveller(symbol="ring", colour="#ffffff", edge=0, ground=150, height=height, climb=1, **more),
        )
        pose = Pose(0, 0, span, tilt=tilt, heading=20)
        scene = Scene(routes=(DrawnRoute(way, way.look, way.curve.length / 2, 1.0),))
        seen = draw_scene(np.zeros((540, 960, 3), np.uint8), scene, pose, HALF)[..., 0] > 127
        rows, columns = np.nonzero(seen)
        return np.array([columns.min(), columns.max() + 1, rows.min(), rows.max() + 1], float)

    around = np.linspace(0, 2 * np.pi, 200)
    for span in (900.0, 450.0):
        # A ring of its outline: 0.85 of half its length about the middle of the route.
        circle = 0.85 * 75 * np.column_stack([np.cos(around), np.sin(around)])
        view = View.of(Pose(0, 0, span, tilt=tilt, heading=20), FrameSize(960, 540), 0.5)
        u, v, _ = view.project(circle, np.full(200, height)).T
        wanted = [u.min(), u.max(), v.min(), v.max()]
        assert extent(span, lies=True, scales="ground") == pytest.approx(wanted, abs=1.2)
    # In the frame it keeps its size, lying or not; tilted, one that lies is flatter.
    one, other = extent(900, lies=True, size=200), extent(450, lies=True, size=200)
    assert one[1] - one[0] == pytest.approx(other[1] - other[0], rel=0.15)
    upright = extent(900, size=200)
    assert (one[3] - one[2]) / (upright[3] - upright[2]) == pytest.approx(np.cos(np.radians(tilt)), abs=0.12)


def seen_of(sign: dict, azimuth: float = 180.0) -> np.ndarray:
    """What a sign of white in the middle of 400 by 400 grey pixels looks like, from straight above, the sun at 45."""
    made = Film.model_validate(
        {
            "ground": {"kind": "plain"},
            "background": "#808080",
            "frame": {"width": 400, "height": 400},
            "vantages": [{"id": "a", "name": "A", "x": 0, "y": 0, "span": 400, "hold": 1}],
            "markers": [{"id": "m", "name": "M", "x": 0, "y": 0, **sign}],
            "finish": {"sun": {"on": True, "azimuth": azimuth, "height": 45, "tints": 0}},
        }
    )
    renderer = Renderer(lambda key: pytest.fail(key), PageStore(1), Kit())
    return renderer.render(Request(made, Time(20), FrameSize(400, 400))).pixels[..., 0]


LOOK = {"size": 60, "edge": 0, "colour": "#ffffff"}


@pytest.mark.parametrize(("turn", "right", "down"), [(0, 1, -1), (90, 1, 1), (180, -1, 1), (270, -1, -1)])
def test_a_sign_that_lies_on_the_ground_has_north_at_its_head(turn: float, right: int, down: int) -> None:
    look = {**LOOK, "symbol": "flag", "scales": "ground", "ground": 60}
    rows, columns = np.nonzero(seen_of({"turn": turn, "look": look}) > 200)
    # A flag flies to the right of its pole, above its place.
    assert (columns.mean() - 200) * right > 5
    assert (rows.mean() - 200) * down > 5


def test_what_stands_throws_its_shadow_as_far_as_it_is_high_and_what_lies_a_little_aside() -> None:
    """By hand: at 45 degrees a shadow is as long as what throws it; a pin is 2.2 halves of its width high."""
    pin = {**LOOK, "symbol": "pin", "shadow": 0.8}
    rows, columns = np.nonzero(seen_of({"look": pin}, 0) < 70)
    assert rows.max() - 200 == pytest.approx(2.2 * 30, abs=4)
    assert rows.min() >= 198
    assert np.abs(columns - 200).max() == pytest.approx(0.75 * 30, abs=4)
    dot = {**LOOK, "symbol": "dot", "shadow": 0.8}
    rows, columns = np.nonzero(seen_of({"look": dot}, 270) < 90)
    assert columns.max() - 200 == pytest.approx((0.8 + 0.3) * 30, abs=3)
    assert columns.min() > 200
    assert np.array_equal(seen_of({"look": {**dot, "shadow": 0.0}}), seen_of({"look": {**dot, "shadow": 0.0}}, 90))
