"""The camera of whole films: what is continuous, what is exact, and what time does."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import Phase, assume, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.drawing import motion, track_of
from yaila.core.camera import Breath, FrameSize, Opening, Settle, Shake, Spin
from yaila.core.camera.manners import Cut, Follow, Glide, Hop, Orbit, Rail, RailPoint, Skim, Steps
from yaila.core.camera.track import FIELDS
from yaila.core.errors import BadEdit
from yaila.core.film import Duration, Film, Marker, Passage, Route, RoutePoint, Vantage, choreograph
from yaila.core.film.acts import StretchTime
from yaila.core.film.marked import Draws
from yaila.core.time import Ease, FilmMoment, MarkMoment, RouteMoment, VantageMoment

HD = FrameSize(1920, 1080)
WHOLE = (Phase.explicit, Phase.generate)
"""Films take long to shrink, and a failing one says as much as it is."""

ROUTE = Route(id="r", points=[RoutePoint(x=x, y=y) for x, y in ((0, 0), (4000, 900), (5000, -2500), (9000, 0))])
MANNERS = [
    Glide(), Hop(), Hop(height=220), Steps(count=4, rest=6), Orbit(turns=1), Orbit(way="counterclockwise"), Skim(),
    Skim(ahead=True), Follow(route="r"), Follow(route="r", heading="along", ahead=20, lean=12),
    Rail(points=(RailPoint(x=2000, y=1500, z=2500),)),
]  # fmt: skip
EVEN = Ease(x1=0, y1=0, x2=1, y2=1)
SETTLED = Ease(x1=0.3, y1=0.0, x2=0.2, y2=1.0)

vantages = st.builds(
    Vantage,
    x=st.floats(-5000, 5000), y=st.floats(-5000, 5000), span=st.floats(2, 16).map(math.exp), tilt=st.floats(0, 70),
    heading=st.floats(-180, 180), roll=st.floats(-30, 30), focal=st.floats(20, 80), hold=st.floats(0, 1),
    flow=st.booleans(), tension=st.floats(0, 1),
    passage=st.builds(
        Passage, manner=st.sampled_from(MANNERS), ease=st.just(SETTLED),
        duration=st.builds(Duration, unit=st.just("seconds"), value=st.integers(9, 14)),
        settle=st.none() | st.just(Settle(amount=2)),
    ),
)  # fmt: skip
films = st.builds(
    Film, rate=st.just("240"), vantages=st.lists(vantages, min_size=2, max_size=4), routes=st.just([ROUTE])
)


def two(
    manner: object, frames: float = 100, start: dict | None = None, end: dict | None = None, **more: object
) -> Film:
    passage = Passage(manner=manner, ease=more.pop("ease", SETTLED), duration=Duration(unit="frames", value=frames))
    first = Vantage(**{"x": 0, "y": 0, "span": 4000, "hold": 0} | (start or {}), passage=passage)
    return Film(vantages=[first, Vantage(**{"x": 9000, "y": 0, "span": 2500, "hold": 0} | (end or {}))],
                routes=[ROUTE], **more)  # fmt: skip


@settings(max_examples=12, phases=WHOLE)
@given(films)
def test_every_channel_is_continuous_and_so_is_its_velocity(film: Film) -> None:
    plan = choreograph(film)
    track = track_of(plan)
    assert (track.span > 0).all()
    for name in FIELDS:
        assert np.isfinite(getattr(track, name)).all()
    # Looked at as finely as it takes, the velocity of the picture is the same on both sides of a vantage, however
    # steeply it changes there.
    speed = motion(track, HD)[:, 0]
    for leg in plan.legs[1:]:
        if leg.start >= plan.frames:
            continue
        near = speed[max(leg.start - 500, 0) : leg.start + 500]
        beside = plan.camera.at(leg.start + np.array([-0.03, -0.01, 0.01, 0.03]))
        before, _, after = motion(beside, HD)[:, 0] / 0.02
        assert abs(after - before) < 0.02 * near.max(initial=0) + 1e-3
    assert (track.tilt <= 85).all()


@settings(max_examples=25, phases=WHOLE)
@given(films)
def test_a_vantage_is_reached_exactly_whatever_the_manner(film: Film) -> None:
    plan = choreograph(film)
    for leg, vantage in zip(plan.legs, film.vantages, strict=True):
        if leg.start >= plan.frames:
            continue
        for name in ("x", "y", "span", "tilt", "roll", "focal"):
            value = getattr(track_of(plan), name)[leg.start]
            assert value == pytest.approx(getattr(vantage, name), rel=1e-6, abs=1e-6 * vantage.span)
        turn = (track_of(plan).heading[leg.start] - vantage.heading) % 360
        assert min(turn, 360 - turn) < 1e-6


@settings(max_examples=25, phases=WHOLE)
@given(
    st.lists(st.floats(0.5, 12), min_size=3, max_size=6),
    st.floats(0, 0.6),
    st.lists(st.integers(40, 140), min_size=6, max_size=6),
)
def test_a_vantage_in_flow_is_passed_without_stop_or_overshoot(logs: list[float], tension: float, times: list) -> None:
    assume(min(abs(a - b) for a, b in pairwise(logs)) > 0.05)
    film = Film(
        rate="240",
        vantages=[
            Vantage(
                x=1000 * k, span=math.exp(log), hold=0, flow=True, tension=tension,
                passage=Passage(duration=Duration(unit="seconds", value=time / 20)),
            )
            for k, (log, time) in enumerate(zip(logs, times, strict=False))
        ]
    )  # fmt: skip
    plan = choreograph(film)
    spans = np.log(track_of(plan).span)
    for k, leg in enumerate(plan.legs[:-1]):
        some = spans[leg.start : leg.end + 1]
        low, high = sorted(logs[k : k + 2])
        assert some.min() >= low - 1e-9
        assert some.max() <= high + 1e-9
        # Between two vantages it goes one way only.
        steps = np.diff(some) * np.sign(logs[k + 1] - logs[k])
        assert steps.min() > -1e-9
    # No stop: the target goes on moving through each of them, as fast as before.
    speed = np.hypot(np.diff(track_of(plan).x), np.diff(track_of(plan).y))
    for leg in plan.legs[1:-1]:
        assert speed[leg.start] > 0
        assert speed[leg.start - 1] == pytest.approx(speed[leg.start], rel=0.1)


STEEP = Rail(points=(RailPoint(x=5000, y=1500, z=60_000),))


@pytest.mark.parametrize("before", [*MANNERS, STEEP], ids=lambda manner: str(manner)[:30])
def test_passing_a_vantage_leaves_every_channel_within_what_its_passages_have(before: object) -> None:
    for after in [*MANNERS, STEEP]:
        found = []
        for flow in (False, True):
            middle = {"x": 9000, "y": 0, "span": 600, "tilt": 30, "heading": 60, "roll": 5, "hold": 0, "flow": flow}
            film = two(before, 500, {"tilt": 20, "focal": 50}, middle)
            film.vantages[1].passage = Passage(manner=after, duration=Duration(unit="frames", value=400))
            film.vantages.append(Vantage(x=3000, y=4000, span=900, tilt=10, heading=-20, hold=0))
            plan = choreograph(film)
            track = track_of(plan)
            found.append([track.part(slice(leg.start, leg.end + 1)) for leg in plan.legs[:2]])
        for stopped, passed in zip(*found, strict=True):
            for name in ("span", "tilt", "heading", "roll", "focal"):
                own, now = getattr(stopped, name), getattr(passed, name)
                slack = 0.01 * np.ptp(own) + 1e-3
                assert own.min() - slack < now.min(), (before, after, name)
                assert now.max() < own.max() + slack, (before, after, name)


def test_a_rail_over_a_high_point_turns_as_its_vantages_do() -> None:
    rail = Rail(points=(RailPoint(x=2000, y=100, z=6000),))
    track = track_of(choreograph(two(rail, 100, {"tilt": 30}, {"tilt": 40, "heading": 45})))
    assert np.abs(np.diff(track.heading)).max() < 1.5
    assert np.abs(np.diff(track.tilt)).max() < 0.5
    # Told what to look at, it runs along that as fast as over the ground: nothing is whipped past while it rises.
    told = Rail(points=(RailPoint(x=0, y=0, z=6000), RailPoint(x=9000, y=0, z=6000)), look=((100, 900), (8000, 900)))
    track = track_of(choreograph(two(told, 300, {"tilt": 30, "heading": 0}, {"tilt": 30, "heading": 0})))
    assert np.abs(np.diff(track.heading)).max() < 3


def test_steps_rest_on_whole_frames_and_zoom_by_equal_ratios() -> None:
    film = two(Steps(count=3, rest=20), 85, end={"x": 0, "span": 500})
    span = track_of(choreograph(film)).span
    steps = np.flatnonzero(np.abs(np.diff(np.log(span))) < 1e-12)
    rests = [(first, last) for first, last in ((15, 34), (50, 69))]
    assert set(steps) >= {frame for first, last in rests for frame in range(first, last)}
    assert span[15] == pytest.approx(2000)
    assert span[69] == pytest.approx(1000)
    short = choreograph(two(Steps(count=6, rest=200), 10, end={"span": 10}))
    assert short.frames == 11


def test_a_change_of_lens_with_the_span_kept_leaves_the_ground_and_stretches_the_rest() -> None:
    track = track_of(
        choreograph(
            two(Glide(), 50, {"tilt": 60, "focal": 20}, {"x": 0, "span": 4000, "tilt": 60, "focal": 90}, ease=EVEN)
        )
    )
    assert track.span == pytest.approx(np.full(51, 4000))
    heights = [track.pose(k).eye()[2] for k in (0, 25, 50)]
    assert heights == pytest.approx([1111.1, 2357.0, 5000.0], rel=1e-3)


def test_skim_keeps_height_and_tilt_and_orbit_keeps_its_target_and_turns_as_told() -> None:
    same = {"span": 800, "tilt": 70}
    skim = track_of(choreograph(two(Skim(), 80, same, same)))
    assert np.ptp([skim.pose(k).eye()[2] for k in range(0, 81, 8)]) < 1e-9
    assert np.ptp(skim.tilt) == 0
    turn = track_of(
        choreograph(two(Orbit(way="counterclockwise", turns=1), 60, {"heading": 10}, {"x": 0, "heading": 40}))
    )
    assert turn.heading[0] == 10
    assert turn.heading[-1] == 40 - 720
    assert turn.heading[-2] == pytest.approx(10 - 330 - 360, abs=1)
    assert np.ptp(np.hypot(turn.x, turn.y)) == 0


def test_a_rail_from_low_to_high_and_back_never_dips_below_where_it_came_from() -> None:
    rail = Rail(points=(RailPoint(x=2000, y=1500, z=2500),))
    track = track_of(choreograph(two(rail, 120, {"span": 8, "tilt": 20}, {"span": 8, "tilt": 40})))
    heights = track.eyes()[:, 2]
    assert heights.min() >= min(heights[0], heights[-1]) - 1e-9
    assert heights.max() == pytest.approx(2500, rel=0.01)


def test_headings_run_on_over_whole_turns_without_a_seam() -> None:
    film = two(Orbit(turns=2), 60, {"heading": 0}, {"x": 0, "heading": 90, "hold": 1})
    film.vantages.append(Vantage(x=0, span=2000, heading=100, hold=0))
    heading = track_of(choreograph(film)).heading
    assert np.abs(np.diff(heading)).max() < 40
    assert heading[-1] == pytest.approx(820)


def test_a_roll_over_the_top_runs_on_without_a_seam() -> None:
    film = two(Glide(), 60, {"roll": 170}, {"roll": -170, "hold": 1})
    film.vantages.append(Vantage(x=0, span=2000, roll=-150, hold=0))
    roll = track_of(choreograph(film)).roll
    assert np.abs(np.diff(roll)).max() < 3
    assert roll[-1] == pytest.approx(210)


def test_a_cut_takes_no_time_and_shows_each_side_for_a_frame_at_least() -> None:
    film = two(Cut(), 100)
    plan = choreograph(film)
    assert [leg.passage for leg in plan.legs] == [0, 0]
    assert track_of(plan).span.tolist() == [4000, 2500]


def test_a_breath_moves_through_the_hold_and_the_passage_leaves_from_where_it_came_to() -> None:
    film = two(Glide(), 50, {"hold": 2, "breath": Breath(push=10, across=5, turn=3)}, {"heading": 3})
    track = track_of(choreograph(film))
    assert track.span[50] == pytest.approx(3600)
    assert track.x[50] == pytest.approx(200)
    assert track.heading[50] == pytest.approx(3)
    assert (np.diff(track.span[:100]) < 1e-9).all()
    assert np.abs(np.diff(track.span)[[0, 48, 49, 50]]).max() < 3


def test_a_settling_camera_runs_past_its_goal_by_what_was_asked_and_comes_to_rest() -> None:
    film = two(Glide(), 200, {"span": 4000}, {"x": 1000, "span": 4000})
    film.vantages[0].passage.settle = Settle(amount=4, swings=1, share=40)
    x = track_of(choreograph(film)).x
    assert x.max() == pytest.approx(1040, abs=1)
    assert abs(x[-1] - x[-2]) < 0.5
    assert np.abs(np.diff(x, 2)).max() < 1.5


def test_shake_stays_within_its_amplitude_and_is_the_same_every_time() -> None:
    shake = Shake(position=1.5, roll=0.8, frequency=3, seed=7)
    film = Film(vantages=[Vantage(span=1000, hold=20, shake=shake)])
    track = track_of(choreograph(film))
    assert np.abs(track.x).max() <= 15
    assert np.abs(track.x).max() > 7
    assert np.abs(track.roll).max() <= 0.8
    assert (track.x == track_of(choreograph(film)).x).all()
    crossings = np.count_nonzero(np.diff(np.sign(track.x)))
    assert 1 < crossings / 2 / 20 < 6
    # A longer film begins as the shorter one does.
    longer = track_of(choreograph(Film(vantages=[Vantage(span=1000, hold=40, shake=shake)])))
    assert (longer.x[:400] == track.x[:400]).all()


def test_an_opening_snaps_straight_and_a_spin_ends_the_film() -> None:
    film = Film(
        vantages=[Vantage(span=1000, hold=4)], opening=Opening(turn=12, enlarge=1.25, frames=10),
        closing=Spin(turns=2, frames=25),
    )  # fmt: skip
    track = track_of(choreograph(film))
    assert (track.roll[0], track.span[0]) == pytest.approx((12, 800))
    assert (track.roll[10], track.span[10]) == (0, 1000)
    assert track.heading[74] == 0
    assert track.heading[-1] == pytest.approx(720, abs=3)


def test_a_locked_length_is_kept_to_the_frame() -> None:
    film = two(Glide(), 73, {"hold": 1}, {"hold": 1}, length=7.0)
    film.vantages.insert(1, Vantage(x=50, span=30, hold=0.5, passage=Passage(duration=Duration(value=3))))
    assert choreograph(film).frames == 175
    film.vantages[1].span = 3000
    assert choreograph(film).frames == 175
    film.vantages[0].hold = 9
    with pytest.raises(BadEdit, match="holds alone"):
        choreograph(film)


def test_a_passage_can_take_the_pace_of_the_one_before() -> None:
    film = two(Glide(), 50, {"span": 4000}, {"x": 0, "span": 1000})
    film.vantages.append(Vantage(x=0, span=125, hold=0))
    film.vantages[1].passage = Passage(duration=Duration(unit="before", value=1))
    assert [leg.passage for leg in choreograph(film).legs] == [50, 75, 0]
    film.vantages[1].passage.duration.value = 2
    assert choreograph(film).legs[1].passage == 38


@settings(max_examples=40, phases=WHOLE)
@given(films, st.lists(st.floats(0, 60).map(lambda t: round(t, 3)), max_size=6))
def test_stretched_and_stretched_back_the_document_is_the_same(film: Film, beats: list[float]) -> None:
    for vantage in film.vantages:
        vantage.hold = round(vantage.hold, 3)
    boat = ROUTE.model_copy(
        update={
            "draws": Draws(shown=True, starts=VantageMoment(vantage=film.vantages[1].id, offset=7), legs=(1.3, 2.25)),
            "points": tuple(point.model_copy(update={"wait": 0.7}) for point in ROUTE.points),
        }
    )
    marks = [
        Marker(id="m", x=0, y=0, starts=RouteMoment(route="r", offset=-3), ends=MarkMoment(mark="n", edge="ends")),
        Marker(id="n", x=0, y=0, starts=FilmMoment(seconds=2.4)),
    ]
    film = film.model_copy(update={"beats": tuple(sorted(set(beats))), "routes": [boat], "markers": marks})
    there = StretchTime(factor=0.8).apply(film)
    assert there != film
    assert StretchTime(factor=1.25).apply(there) == film


def test_what_makes_no_sense_is_refused_in_words() -> None:
    for fields, says in (
        ({"hold": -1}, "greater than or equal to 0"),
        ({"tilt": 90}, "less than or equal to 85"),
        ({"span": 1e-9}, "greater than or equal to 0.0001"),
        ({"x": float("nan")}, "finite"),
        ({"passage": {"duration": {"unit": "frames", "value": 0}}}, "greater than or equal to 0.01"),
        ({"passage": {"manner": {"kind": "steps", "count": 9}}}, "less than or equal to 6"),
        ({"passage": {"ease": {"speed": [[0, 0], [1, 0]]}}}, "never arrives"),
    ):
        with pytest.raises(ValidationError, match=says):
            Vantage.model_validate(fields)
    with pytest.raises(ValidationError, match="names a route that is not in the film"):
        Film(vantages=[Vantage(passage=Passage(manner=Follow(route="gone"))), Vantage()])


@settings(max_examples=15, phases=WHOLE)
@given(films)
def test_outlines_and_eyes_of_a_track_are_those_of_its_poses(film: Film) -> None:
    track = track_of(choreograph(film)).part(slice(0, None, 97))
    for k, (outline, eye) in enumerate(zip(track.outlines(HD), track.eyes(), strict=True)):
        pose = track.pose(k)
        assert eye == pytest.approx(pose.eye(), rel=1e-9, abs=1e-9 * pose.span + 1e-6)
        assert outline == pytest.approx(pose.ground_outline(HD), rel=1e-6, abs=1e-5 * pose.span)
