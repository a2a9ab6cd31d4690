"""What hangs on something, a mark's start or end, a line's start or an uncovering, hangs on it through every act."""

from __future__ import annotations

import numpy as np
import pytest

from tests.drawing import draw_scene
from yaila.core.camera import Pose
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Label, Marker, Region, Route, RoutePoint, Scene, Vantage, acts, choreograph
from yaila.core.film.marked import Draws, Reveal
from yaila.core.film.scene import Present
from yaila.core.marks import Lettering
from yaila.core.time import FilmMoment, MarkMoment, RouteMoment, VantageMoment


def film(pace: str = "whole", **draws: object) -> Film:
    """A route of four stops, and on its third: a marker's end, another line's start, and an uncovering."""
    way = [RoutePoint(x=x, y=0, stop=name) for x, name in ((0, "A"), (100, "B"), (300, "C"), (600, "D"))]
    third = RouteMoment(route="r", point=2)
    return Film(
        vantages=[Vantage(hold=12)],
        routes=[
            Route(id="r", points=way, draws=Draws(shown=True, pace=pace, seconds=6, **draws)),
            Route(id="s", points=[RoutePoint(x=0, y=9), RoutePoint(x=9, y=9)], draws=Draws(starts=third)),
        ],
        markers=[Marker(id="m", x=0, y=0, ends=third, reveal=Reveal(starts=third))],
    )


def hung(one: Film) -> list[object]:
    marker = one.mark("m")
    return [one.route("s").draws.starts, marker.ends, marker.reveal.starts]


def frames(one: Film) -> list[float]:
    timeline = choreograph(one).timeline
    return [timeline.runs["s"].start, timeline.ranges["m"].end.frame, timeline.reveals["m"].frames]


def test_all_that_hangs_on_a_point_goes_along_with_it() -> None:
    one = film()
    assert hung(acts.ReverseRoute(route="r").apply(one)) == [RouteMoment(route="r", point=1)] * 3
    assert hung(acts.SplitLeg(route="r", at=(50, 0)).apply(one)) == [RouteMoment(route="r", point=3)] * 3
    cut = acts.SplitRoute(route="r", point=1, id="t").apply(one)
    assert hung(cut) == [RouteMoment(route="t", point=1)] * 3
    assert hung(acts.JoinRoutes(route="r", other="t").apply(cut)) == hung(one)


def test_all_that_hangs_on_a_route_keeps_its_time_when_it_goes() -> None:
    one = film()
    gone = acts.RemoveMarks(marks=["r"]).apply(one)
    assert frames(gone) == frames(one)
    assert all(isinstance(moment, FilmMoment) for moment in hung(gone))


@pytest.mark.parametrize("point", [1, 2])
@pytest.mark.parametrize("pace", ["whole", "legs"])
def test_a_line_that_is_cut_in_two_and_joined_takes_its_time(pace: str, point: int) -> None:
    one = film(pace, legs=(1.0, 2.0, 3.0))
    cut = acts.SplitRoute(route="r", point=point, id="t").apply(one)
    before, behind = choreograph(one).timeline.runs["r"], choreograph(cut).timeline.runs["t"]
    assert behind.start == pytest.approx(before.edges[point - 1][1], abs=1)
    assert behind.end == pytest.approx(before.end, abs=1)
    joined = acts.JoinRoutes(route="r", other="t").apply(cut)
    assert joined.route("r").draws == one.route("r").draws
    # At a point that only shapes the line the leg itself is parted.
    shaped = acts.SplitLeg(route="r", at=(200, 0)).apply(one)
    parts = acts.SplitRoute(route="r", point=2, id="t").apply(shaped)
    assert choreograph(parts).timeline.runs["t"].end == pytest.approx(before.end, abs=1)
    back = acts.JoinRoutes(route="r", other="t").apply(parts).route("r").draws
    assert back.seconds == pytest.approx(6)
    assert back.legs == pytest.approx((1, 2, 3))


def test_what_is_uncovered_is_so_about_its_middle_and_goes_along_with_it() -> None:
    one = acts.Uncover(of="m", how="circle").apply(film())
    one = acts.ShiftMarks(marks=["m"], by=(30, 40)).apply(one)
    assert (one.mark("m").reveal.x, one.mark("m").reveal.y) == (30, 40)
    kept = acts.Uncover(of="m", how="wipe").apply(one).mark("m").reveal
    assert (kept.how, kept.starts) == ("wipe", RouteMoment(route="r", point=2))
    assert acts.Uncover(of="m", how=None).apply(one).mark("m").reveal is None
    assert acts.Uncover(of="m", how="route").apply(one).mark("m").reveal.routes == ("r",)
    with pytest.raises(BadEdit, match="Draw a route first"):
        acts.Uncover(of="m", how="route").apply(Film(markers=[Marker(id="m", x=0, y=0)]))
    with pytest.raises(ValueError, match="come by a wipe"):
        Label(text="x", stands="frame", reveal=Reveal())


def test_a_region_without_an_outline_and_a_font_that_is_gone_stop_no_frame() -> None:
    black, one = np.zeros((90, 160, 3), np.uint8), Film(frame={"width": 160, "height": 90})
    empty = Region()
    assert not draw_scene(black, Scene(regions=(Present(empty, empty.look),)), Pose(0, 0, 160), one).any()
    label = Label(text="Quay", sits="over", look=Lettering(family="f" * 64))
    assert draw_scene(black, Scene(labels=(Present(label, label.look),)), Pose(0, 0, 160), one).any()


@pytest.mark.parametrize(
    ("mark", "whole"),
    [
        (Label(text="x"), 43),
        (Label(text="x", leader={"frames": 12}), 55),
        (Label(text="x", comes={"how": "cut", "frames": 18}), 25),
        # Too short for both: as late as it can be before it goes, but never before it comes.
        (Label(text="x", ends=FilmMoment(seconds=2)), 41),
        (Label(text="x", ends=FilmMoment(seconds=1.2)), 25),
        (Marker(x=0, y=0), 35),
    ],
)
def test_a_mark_is_shown_where_all_of_it_has_come_and_none_of_it_goes_yet(mark: Label | Marker, whole: int) -> None:
    mark.starts = FilmMoment(seconds=1)
    assert mark.whole(25, 50 if mark.ends and mark.ends.seconds == 2 else 30 if mark.ends else 200) == whole


def test_what_goes_so_long_after_it_has_come_stays_that_long_wherever_it_is_moved() -> None:
    stays = MarkMoment(mark="m", edge="starts", offset=50)
    marker = Marker(id="m", x=0, y=0, starts=VantageMoment(vantage="v", edge="leaves"), ends=stays)
    one = Film(vantages=[Vantage(id="v", hold=2), Vantage(id="w", x=90, hold=4)], markers=[marker])

    def lasts(film: Film, key: str = "m") -> tuple[int, int]:
        held = choreograph(film).timeline.ranges[key]
        return held.start.frame, held.end.frame

    assert lasts(one) == (50, 100)
    for edge in ("starts", "both"):
        assert lasts(acts.MoveMark(mark="m", edge=edge, by=7).apply(one)) == (57, 107)
    assert lasts(acts.MoveMark(mark="m", edge="ends", by=7).apply(one)) == (50, 107)
    later = one.model_copy(update={"vantages": [one.vantages[0].model_copy(update={"hold": 3}), one.vantages[1]]})
    assert lasts(later) == (75, 125)
    assert lasts(acts.DuplicateMark(mark="m", id="n").apply(one), "n") == (50, 100)
    faster = acts.ChangeRate(rate="50").apply(one)
    assert lasts(faster) == (100, 200)
