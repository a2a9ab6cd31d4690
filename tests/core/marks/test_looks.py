"""Styles are shared, properties can be a mark's own, and what marks do among themselves is one act each."""

from __future__ import annotations

from itertools import pairwise

import pytest

from tests.drawing import scene_at
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Label, Marker, Region, Route, RoutePoint, Vantage, acts, choreograph
from yaila.core.film.marked import Circle
from yaila.core.marks import Lettering
from yaila.core.time import FilmMoment, MarkMoment, RouteMoment


def film() -> Film:
    return Film(
        vantages=[Vantage(hold=8)],
        labels=[
            Label(id="a", text="A", look=Lettering(size=30, colour="#ff0000")),
            Label(id="b", text="B"),
            Label(id="c", text="C"),
        ],
        markers=[Marker(id="m", x=5, y=5, starts=FilmMoment(seconds=2))],
        regions=[Region(id="r", circle=Circle(x=0, y=0, radius=10))],
        routes=[Route(id="w", points=[RoutePoint(x=0, y=0), RoutePoint(x=100, y=0)], draws={"shown": True})],
    )


def size_of(film: Film, key: str) -> float:
    return film.look_of(film.mark(key)).size


def test_one_change_of_a_style_changes_all_but_what_is_their_own() -> None:
    one = acts.MakeStyle(mark="a", name="Towns", id="s").apply(film())
    one = acts.UseStyle(marks=["b", "c"], style="s").apply(one)
    assert [size_of(one, key) for key in "abc"] == [30, 30, 30]
    one = acts.SetLook(marks=["b"], look={"size": 80}).apply(one)
    assert one.mark("b").own == ("size",)
    one.styles[0].look = one.styles[0].look.model_copy(update={"size": 50.0, "colour": "#00ff00"})
    assert [size_of(one, key) for key in "abc"] == [50, 80, 50]
    assert {one.look_of(one.mark(key)).colour for key in "abc"} == {"#00ff00"}
    one = acts.ResetLook(mark="b", names=["size"]).apply(one)
    assert size_of(one, "b") == 50
    gone = acts.RemoveStyle(style="s").apply(acts.SetLook(marks=["c"], look={"size": 12}).apply(one))
    assert [size_of(gone, key) for key in "abc"] == [50, 50, 12]
    assert all(label.style is None and not label.own for label in gone.labels)


def test_looks_are_copied_within_a_kind_only() -> None:
    one = acts.CopyLook(mark="a", to=["b", "c"]).apply(film())
    assert [size_of(one, key) for key in "abc"] == [30, 30, 30]
    with pytest.raises(BadEdit, match="cannot look as a label"):
        acts.CopyLook(mark="a", to=["m"]).apply(one)
    styled = acts.MakeStyle(mark="a", name="Towns", id="s").apply(one)
    with pytest.raises(BadEdit, match="a style of labels"):
        acts.UseStyle(marks=["m"], style="s").apply(styled)
    with pytest.raises(BadEdit, match="size"):
        acts.SetLook(marks=["a"], look={"size": -3}).apply(one)


def test_a_label_beside_a_marker_comes_with_it_and_beside_a_line_as_it_is_reached() -> None:
    by_marker = acts.AddLabel(label=Label(id="n", text="N", x=6, y=6), reach=3).apply(film())
    assert by_marker.mark("n").starts == MarkMoment(mark="m")
    assert (by_marker.mark("n").x, by_marker.mark("n").y) == (5, 5)
    by_line = acts.AddLabel(label=Label(id="n", text="N", x=60, y=2), reach=3).apply(film())
    assert by_line.mark("n").starts == RouteMoment(route="w")
    assert choreograph(by_line).timeline.ranges["n"].start.frame == 90
    alone = acts.AddLabel(label=Label(id="n", text="N", stands="frame"), reach=3, frame=50).apply(film())
    assert alone.mark("n").starts == FilmMoment(seconds=2)


def test_what_hangs_on_a_mark_stays_in_time_when_it_goes() -> None:
    tied = acts.AddLabel(label=Label(id="n", text="N", x=6, y=6), reach=3).apply(film())
    gone = acts.RemoveMarks(marks=["m"]).apply(tied)
    assert gone.mark("n").starts == FilmMoment(seconds=2)
    along = tied.model_copy(deep=True)
    along.labels[0].stands, along.labels[0].route = "route", "w"
    bare = acts.RemoveMarks(marks=["w"]).apply(along)
    assert (bare.labels[0].stands, bare.labels[0].x) == ("facing", 50)


@pytest.mark.parametrize("key", ["a", "m", "r", "w"])
def test_duplicates_keep_their_times_and_lie_beside(key: str) -> None:
    one = acts.DuplicateMark(mark=key, by=(10, -5), id="copy").apply(film())
    before, after = one.mark(key), one.mark("copy")
    same = set(type(before).model_fields) - {"id", "name", "x", "y", "points", "rings", "circle"}
    assert all(getattr(before, name) == getattr(after, name) for name in same)
    back = acts.ShiftMarks(marks=["copy"], by=(-10, 5)).apply(one).mark("copy")
    assert back.model_dump(exclude={"id", "name"}) == before.model_dump(exclude={"id", "name"})


def test_marks_are_restacked_among_their_kind() -> None:
    one = acts.RestackMark(mark="a", to=2).apply(film())
    assert [label.id for label in one.labels] == ["b", "c", "a"]


def test_the_rim_of_a_circle_follows_the_hand() -> None:
    one = acts.PullRim(region="r", to=(30, 40)).apply(film())
    assert one.mark("r").circle.radius == 50
    with pytest.raises(BadEdit, match="needs an outline or a circle"):
        acts.AddRegion(region=Region(id="x")).apply(one)


def test_a_group_is_moved_and_hidden_together_but_what_is_locked_stays() -> None:
    one = film()
    for key in ("a", "b", "m"):
        one.mark(key).group = "harbour"
    one.mark("b").locked = True
    moved = acts.ShiftMarks(marks=["a"], by=(3, 4)).apply(one)
    assert [(moved.mark(key).x, moved.mark(key).y) for key in ("a", "b", "m", "c")] == [(3, 4), (0, 0), (8, 9), (0, 0)]
    with pytest.raises(BadEdit, match="is locked"):
        acts.ShiftMarks(marks=["b"], by=(3, 4)).apply(one)
    hidden = acts.ShowGroup(group="harbour", shown=False).apply(one)
    assert [hidden.mark(key).shown for key in ("a", "b", "m", "c")] == [False, False, False, True]


def test_handles_start_as_the_line_runs_and_turn_together_but_at_a_corner() -> None:
    points = [RoutePoint(x=0, y=0), RoutePoint(x=100, y=50), RoutePoint(x=200, y=0), RoutePoint(x=300, y=80)]
    one = Film(routes=[Route(id="w", points=points)])
    before = one.route("w").curve.control.copy()
    for k in range(4):
        one = acts.RouteHandles(route="w", point=k, on=True).apply(one)
        assert one.route("w").curve.control == pytest.approx(before, abs=1e-9)
    pulled = acts.PullRouteHandle(route="w", point=1, which="after", to=(100, 150)).apply(one).route("w").points[1]
    assert pulled.after == (0, 100)
    assert pulled.before[0] == pytest.approx(0, abs=1e-12)
    assert pulled.before[1] < 0
    one = acts.RouteHandles(route="w", point=1, on=False).apply(one)
    with pytest.raises(BadEdit, match="Tick “Handles”"):
        acts.PullRouteHandle(route="w", point=1, which="after", to=(0, 0)).apply(one)


def test_a_marker_blinks_so_often_and_stays() -> None:
    one = Film(
        vantages=[Vantage(hold=4)],
        markers=[Marker(id="m", x=0, y=0, comes={"how": "cut"}, blinks=3, blink=10)],
    )  # fmt: skip
    plan = choreograph(one)
    seen = [bool(scene_at(one, plan, frame).markers) for frame in range(60)]
    assert seen[30:] == [True] * 30
    assert sum(a and not b for a, b in pairwise([True, *seen])) == 3
