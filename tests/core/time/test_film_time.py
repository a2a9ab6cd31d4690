"""Moments and ranges as values, and a camera that is asked at any of them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yaila.core.camera.manners import Cut, Follow, Glide, Rail, RailPoint
from yaila.core.film import Duration, Film, Passage, Route, RoutePoint, Vantage, choreograph
from yaila.core.film.choreography import Camera
from yaila.core.film.marked import Label, Marker
from yaila.core.film.plan import plan_of
from yaila.core.film.scene import scene_at
from yaila.core.soundings import soundings_of
from yaila.core.time import FilmMoment, Rate, RouteMoment, Time, TimeRange

FRAMES = st.integers(0, 10**7)


@given(FRAMES, FRAMES)
def test_moments_add_up_and_ranges_hold_what_begins_in_them(a: int, b: int) -> None:
    first, second = Time(a), Time(b)
    assert (first + second) - second == first
    assert (first < second) == (a < b)
    range_ = TimeRange(min(first, second), max(first, second))
    assert (range_.start in range_) == (a != b)
    assert range_.end not in range_
    assert range_.share(range_.start) == (0 if a != b else 1)
    assert range_.shifted(Time(7)).length == range_.length
    assert range_.common(range_.shifted(range_.length)).length == Time(0)


def test_seconds_are_exact_at_every_rate() -> None:
    rate = Rate.parse("30000/1001")
    assert Time.of_seconds(1001 / 1000, rate).frames == pytest.approx(30)
    assert Time(30 * 3600).seconds(rate) == pytest.approx(3603.6)
    assert (Time(2.5).nearest, Time(2.4999).frame, Time(2.0001).first_frame) == (Time(3), 2, 3)


def film(**more: object) -> Film:
    """A passage by each of some manners, a cut among them."""
    way = [RoutePoint(x=0, y=0), RoutePoint(x=300, y=500), RoutePoint(x=-200, y=900), RoutePoint(x=900, y=300)]
    manners = [
        Glide(),
        Rail(points=(RailPoint(x=300, y=400, z=700),)),
        Cut(),
        Follow(route="r", heading="along"),
        Glide(),
    ]
    places = [(0, 0, 500), (400, 300, 200), (0, 0, 300), (10, 5, 250), (880, 310, 400), (0, 0, 900)]
    return Film(
        routes=[Route(id="r", points=way)],
        vantages=[
            Vantage(x=x, y=y, span=span, hold=0.4, tilt=30 * (k % 2), heading=50 * k, flow=k in (1, 4),
                    passage=Passage(manner=manners[min(k, 4)], duration=Duration(unit="frames", value=30)))
            for k, (x, y, span) in enumerate(places)
        ],
        **more,
    )  # fmt: skip


def test_between_frames_the_camera_is_between_them() -> None:
    plan = choreograph(film())
    whole = np.arange(plan.frames - 1, dtype=np.float64)
    # Asked one by one, and asked together, it is the same.
    track = plan.camera.at(whole + 0.37)
    for k in (3, 17, 44, 70, 120, 140):
        one = plan.pose(Time(k + 0.37))
        assert (one.x, one.y, one.span) == pytest.approx((track.x[k], track.y[k], track.span[k]), rel=1e-9, abs=1e-9)
        assert (one.heading - track.heading[k]) % 360 == pytest.approx(0, abs=1e-6)
    before, after = plan.camera.at(whole), plan.camera.at(whole + 1)
    cuts = [leg.end - 1 for leg in plan.legs[:-1] if not leg.passage]
    for name in ("x", "y", "span", "tilt", "heading"):
        low, high = (f(getattr(before, name), getattr(after, name)) for f in (np.minimum, np.maximum))
        inside = (getattr(track, name) >= low - 0.08 * (high - low) - 1e-6) & (
            getattr(track, name) <= high + 0.08 * (high - low) + 1e-6
        )
        assert np.delete(inside, cuts).mean() > 0.97


def test_nothing_is_blended_across_a_cut() -> None:
    plan = choreograph(film())
    (cut,) = [leg.end for leg in plan.legs[:-1] if not leg.passage]
    before, after = plan.pose(Time(cut - 1e-6)), plan.pose(Time(cut))
    assert (before.x, before.span) == (0, 300)
    assert (after.x, after.span) == (10, 250)
    assert plan.shot(Time(cut - 0.5)) == TimeRange.of_frames(0, cut)
    assert plan.shot(Time(cut)) == TimeRange.of_frames(cut, plan.frames)


def test_marks_come_and_lines_grow_between_frames_too() -> None:
    one = film()
    one.routes[0].draws = one.routes[0].draws.model_copy(update={"shown": True, "seconds": 4})
    one.labels = [Label(id="l", text="x", comes={"how": "fade", "frames": 10}, starts=FilmMoment(seconds=0.4))]
    plan = choreograph(one)
    ways = [scene_at(one, plan, Time(time)).routes[0].way for time in (20, 20.5, 21)]
    assert ways[1] == pytest.approx((ways[0] + ways[2]) / 2)
    there = [scene_at(one, plan, Time(time)).labels[0].opacity for time in (12, 12.5, 13)]
    assert there[0] < there[1] < there[2]


class Asked:
    """Counts the moments at which a camera is worked out."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.moments = 0
        at = Camera.at

        def counted(camera: Camera, times: np.ndarray) -> object:
            self.moments += len(times)
            return at(camera, times)

        monkeypatch.setattr(Camera, "at", counted)


def test_a_day_of_film_opens_seeks_and_is_checked_like_a_minute(monkeypatch: pytest.MonkeyPatch) -> None:
    def worked(seconds: float) -> int:
        asked = Asked(monkeypatch)
        one = Film(
            rate="60",
            routes=[Route(id="r", points=[RoutePoint(x=0, y=0), RoutePoint(x=90, y=900)],
                          draws={"shown": True, "seconds": seconds / 3, "pace": "screen"})],
            markers=[Marker(id="m", x=60, y=500, starts=RouteMoment(route="r"))],
            vantages=[Vantage(id="a", span=400, hold=seconds / 3, shake={"seed": 3},
                              passage=Passage(duration=Duration(unit="seconds", value=seconds / 3))),
                      Vantage(id="b", span=100, hold=seconds / 3, breath={"push": 5})],
        )  # fmt: skip
        plan = choreograph(one)
        assert plan.frames == seconds * 60
        laid = plan_of(one)
        assert len(laid.model_dump_json()) < 600_000
        for time in (0, plan.frames // 2, plan.frames - 1):
            scene_at(one, plan, Time(time))
            plan.pose(Time(time))
        soundings_of(one)
        return asked.moments

    short, day = worked(60), worked(86_400)
    assert day < 130_000
    assert day < 12 * short
