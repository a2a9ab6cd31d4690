"""Values that change over the film: how they run, what they hang on, and the acts on them."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError

from tests.drawing import scene_at
from yaila.core.colour import oklab_of
from yaila.core.errors import BadEdit
from yaila.core.film import Film, choreograph
from yaila.core.film import acts as do
from yaila.core.film.marked import Label, LabelStyle, Marker
from yaila.core.film.plan import plan_of
from yaila.core.time import Course, FilmMoment, Stop, VantageMoment


def stop(seconds: float, value: object, key: str, **more: object) -> dict:
    """A stop at a time of the film."""
    return {"id": key, "at": {"on": "film", "seconds": seconds}, "value": value, **more}


def film(**marker: object) -> Film:
    """A film of 100 frames at 25 a second with a label and a marker."""
    return Film(
        labels=[Label(id="l", text="Quay", comes={"how": "cut"})],
        markers=[Marker(id="m", x=0, y=0, comes={"how": "cut"}, **marker)],
        vantages=[
            {"id": "a", "span": 500, "hold": 1, "passage": {"duration": {"unit": "seconds", "value": 2}}},
            {"id": "b", "x": 80, "span": 200, "hold": 1},
        ],
    )


def look_at(one: Film, frame: float) -> object:
    """How the marker looks at a frame."""
    return scene_at(one, choreograph(one), frame).markers[0].look


def test_numbers_run_evenly_sizes_in_their_logarithm_and_colours_in_oklab() -> None:
    one = film(look={
        "edge": {"stops": [stop(1, 2, "a"), stop(3, 10, "b")]},
        "size": {"stops": [stop(1, 10, "a"), stop(3, 1000, "b")]},
        "colour": {"stops": [stop(1, "#d01050", "a"), stop(3, "#0a746d", "b")]},
    })  # fmt: skip
    assert [look_at(one, frame).edge for frame in (0, 25, 50, 75, 99)] == pytest.approx([2, 2, 6, 10, 10])
    assert look_at(one, 50).size == pytest.approx(100)
    assert look_at(one, 37.5).edge == pytest.approx(4)
    ends, middle = (oklab_of(np.array([[int(text[i : i + 2], 16) for i in (1, 3, 5)] for text in texts], np.uint8))
                    for texts in (("#d01050", "#0a746d"), (look_at(one, 50).colour,)))  # fmt: skip
    assert middle[0] == pytest.approx(ends.mean(axis=0), abs=0.004)


def test_angles_take_the_short_way_and_an_ease_may_not_leave_the_limits() -> None:
    one = film(turn={"stops": [stop(1, 170, "a"), stop(3, -170, "b")]},
               look={"opacity": {"stops": [stop(1, 0.2, "a", ease={"x1": 0.3, "y1": 2, "x2": 0.4, "y2": 2}),
                                           stop(3, 1, "b")]}})  # fmt: skip
    marks = [scene_at(one, choreograph(one), frame).markers[0] for frame in (37.5, 50)]
    assert [present.mark.turn for present in marks] == pytest.approx([175, 180])
    assert max(look_at(one, frame).opacity for frame in range(25, 76)) == 1


def test_a_placement_runs_and_the_plate_goes_along() -> None:
    one = film()
    here = {"kind": "similarity", "x": 0, "y": 0, "scale": 1, "turn": 0}
    there = {"kind": "similarity", "x": 100, "y": 40, "scale": 4, "turn": 90}
    plate = {"id": "p", "name": "P", "picture": {"sha256": "a" * 64, "width": 40, "height": 20},
             "placement": {"stops": [stop(1, here, "a"), stop(3, there, "b")]},
             "opacity": {"stops": [stop(0, 0, "a"), stop(2, 1, "b")]}}  # fmt: skip
    one = Film.model_validate(one.model_dump(mode="json") | {"plates": [plate]})
    laid = scene_at(one, choreograph(one), 50).plates[0]
    assert (laid.placement.x, laid.placement.y, laid.placement.scale, laid.placement.turn) == (50, 20, 2, 45)
    assert laid.opacity == 1
    assert one.plates[0].in_film
    moved = do.GroundByPoints(points=[(0, 0, 10.0, 50.0), (100, 0, 10.01, 50.0)]).apply(one)
    factor = moved.vantages[0].span / one.vantages[0].span
    assert [at.value.scale for at in moved.plates[0].placement.stops] == pytest.approx([factor, 4 * factor])


def test_a_stop_hangs_on_an_event_as_a_mark_does_and_lets_go_with_its_time_kept() -> None:
    one = film(
        look={"edge": {"stops": [stop(0, 0, "a"), {"id": "b", "value": 10, "at": {"on": "vantage", "vantage": "b"}}]}}
    )
    assert look_at(one, 75).edge == pytest.approx(10)
    slower = do.Retime(vantage="a", passage=100).apply(one)
    assert look_at(slower, 75).edge == pytest.approx(6)
    assert look_at(slower, 125).edge == pytest.approx(10)
    alone = do.RemoveVantages(vantages=["b"]).apply(slower)
    assert alone.markers[0].look.edge.stops[1].at == FilmMoment(seconds=5)
    with pytest.raises(ValidationError, match="names a vantage that is not in the film"):
        Film.model_validate(alone.model_dump(mode="json") | {"markers": slower.model_dump(mode="json")["markers"]})


def test_a_style_may_change_over_the_film_and_so_do_those_who_use_it() -> None:
    one = film()
    one.styles = [LabelStyle(id="s", look={"size": {"stops": [stop(1, 20, "a"), stop(3, 80, "b")]}})]
    one.labels[0].style = "s"
    sizes = [scene_at(one, choreograph(one), frame).labels[0].look.size for frame in (10, 50, 99)]
    assert sizes == pytest.approx([20, 40, 80])
    (course,) = plan_of(one).courses
    assert (course.of, course.via, course.field, course.path) == ("l", "s", "look/size", "/styles/0/look/size")
    own = do.SetValue(of="l", field="look/size", frame=50, value=33).apply(one)
    assert (own.labels[0].own, own.labels[0].look.size) == (("size",), 33)
    assert plan_of(own).courses == []


def test_acts_make_move_copy_and_end_a_course() -> None:
    one = film()
    grown = do.SetValue(of="m", field="look/opacity", frame=10, change=True, id="a").apply(one)
    assert grown.markers[0].look.opacity == Course[float](
        stops=(Stop[float](id="a", at=FilmMoment(seconds=0.4), value=1),)
    )
    # From then on a value that is set is set there; at a frame that has a stop it is that one's.
    two = do.SetValue(of="m", field="look/opacity", frame=60, value=0.2, id="b").apply(grown)
    again = do.SetValue(of="m", field="look/opacity", frame=60, value=0.4, id="c").apply(two)
    assert [at.value for at in again.markers[0].look.opacity.stops] == [1, 0.4]
    before = do.SetValue(of="m", field="look/opacity", frame=0, value=0.5, id="d").apply(again)
    assert [at.id for at in before.markers[0].look.opacity.stops] == ["d", "a", "b"]
    later = do.MoveStop(of="m", field="look/opacity", stop="b", by=15, value=0.3).apply(again)
    assert later.markers[0].look.opacity.stops[1].at == FilmMoment(seconds=3)
    tied = later.model_copy(deep=True)
    stops = tied.markers[0].look.opacity.stops
    tied.markers[0].look = tied.markers[0].look.model_copy(update={"opacity": Course[float](
        stops=(stops[0], stops[1].model_copy(update={"at": VantageMoment(vantage="b")})))})  # fmt: skip
    pushed = do.MoveStop(of="m", field="look/opacity", stop="b", by=-5).apply(tied)
    assert pushed.markers[0].look.opacity.stops[1].at == VantageMoment(vantage="b", offset=-5)
    copied = do.CopyStop(of="m", field="look/opacity", stop="a", frame=90, id="e").apply(later)
    assert [at.value for at in copied.markers[0].look.opacity.stops] == [1, 0.3, 1]
    left = do.RemoveStop(of="m", field="look/opacity", stop="a").apply(later)
    assert do.RemoveStop(of="m", field="look/opacity", stop="b").apply(left).markers[0].look.opacity == 0.3
    kept = do.KeepValue(of="m", field="look/opacity", frame=42).apply(again)
    assert kept.markers[0].look.opacity == pytest.approx(look_at(again, 42).opacity)
    twin = do.DuplicateMark(mark="m", id="n").apply(one)
    both = do.CopyCourse(of="m", field="look/opacity", to=["n"]).apply(
        again.model_copy(update={"markers": [*again.markers, twin.markers[1]]})
    )
    assert both.markers[1].look.opacity == again.markers[0].look.opacity


def test_what_makes_no_sense_is_refused_in_words() -> None:
    one = film()
    for act, says in (
        (do.SetValue(of="m", field="look/opacity", frame=0, value=7), "less than or equal to 1"),
        (do.SetValue(of="m", field="look/colour", frame=0, value="red"), "look.colour|colour: String should match"),
        (do.SetValue(of="m", field="look/pulses", frame=0, change=True), "cannot change over the film"),
        (do.SetValue(of="m", field="look/nothing", frame=0), "no “look/nothing” there"),
        (do.SetValue(of="gone", field="look/opacity", frame=0), "no longer in the film"),
        (do.MoveStop(of="m", field="look/opacity", stop="a"), "does not change over the film"),
    ):
        with pytest.raises(BadEdit, match=says):
            act.apply(one)
    for value, says in (
        ({"stops": []}, "at least 1 item"),
        ({"stops": [stop(1, 2, "a")]}, "less than or equal to 1"),
        ({"stops": [stop(1, "x", "a")]}, "valid number"),
        ("x", "valid number"),
    ):
        with pytest.raises(ValidationError, match=says):
            film(look={"opacity": value})


def test_the_plan_draws_a_course_and_says_where_its_stops_are() -> None:
    one = film(
        look={"edge": {"stops": [stop(3, 10, "b"), stop(1, 2, "a")]}, "colour": {"stops": [stop(2, "#ffffff", "c")]}}
    )
    colour, edge = sorted(plan_of(one).courses, key=lambda course: course.field)
    assert [(at.id, at.frame, at.value) for at in edge.stops] == [("a", 25, 2), ("b", 75, 10)]
    assert (edge.line[0], edge.line[-1], edge.label, edge.unit) == ((25, 0), (75, 1), "Edge", "px")
    assert (colour.tints, [at.frame for at in colour.stops]) == (["#ffffff"], [50])
