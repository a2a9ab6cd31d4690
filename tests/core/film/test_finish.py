"""The finish of the document: what the lens is focused on, acts on it, and what becomes of it when the film changes."""

from __future__ import annotations

import math

import numpy as np
import pytest

from yaila.core.camera import View
from yaila.core.colour.grading import graded
from yaila.core.errors import BadEdit
from yaila.core.film import Film, choreograph
from yaila.core.film import acts as do
from yaila.core.film.fields import field_facts
from yaila.core.film.finish import FocusBetween, Grade, PlaceFocus
from yaila.core.film.focus import focus_depth
from yaila.core.film.plan import plan_of
from yaila.core.film.running import running
from yaila.core.film.sharpness import sharpness_at
from yaila.core.film.walk import changed, similarity_rules
from yaila.core.time import Course, Time, VantageMoment


def film() -> Film:
    """Two vantages, a tilted one first, with a name, a sign, and a boat on its way."""
    route = {
        "id": "r", "points": [{"x": 0, "y": 0}, {"x": 400, "y": 0}], "draws": {"shown": True, "seconds": 4},
        "traveller": {"height": 50},
    }  # fmt: skip
    return Film.model_validate(
        {
            "vantages": [
                {"id": "a", "x": 100, "y": 50, "span": 900, "tilt": 50, "hold": 2},
                {"id": "b", "x": 300, "y": 90, "span": 400, "tilt": 20, "hold": 1},
            ],
            "routes": [route],
            "markers": [{"id": "m", "x": 150, "y": 200}],
            "labels": [{"id": "l", "text": "Name", "x": 150, "y": 210, "height": 40}],
        }
    )


def depth(film: Film, frame: float) -> float:
    choreography, time = choreograph(film), Time(frame)
    view = View.of(choreography.pose(time), film.frame.size)
    lens = running(film.finish.lens, time, choreography.timeline)
    return focus_depth(film, choreography, lens.focus, view, time)


def test_the_plan_draws_the_curves_that_the_grade_is_made_by() -> None:
    points = ({"x": 0.1, "y": 0.0}, {"x": 0.4, "y": 0.7}, {"x": 1, "y": 0.9})
    one = film()
    one.finish.grade = Grade.model_validate({"on": True, "curve_red": points})
    lines = plan_of(one).grade_curves
    assert all(x == y for x, y in lines["curve"])
    red = np.array(lines["curve_red"])
    made = graded(np.column_stack([red[:, 0]] * 3), one.finish.grade.grading)
    assert made[:, 0] == pytest.approx(red[:, 1], abs=1e-3)
    assert {(point["x"], point["y"]) for point in points} <= {tuple(place) for place in red.tolist()}


def test_a_focus_is_as_far_away_as_what_it_is_on() -> None:
    plain = film()
    choreography = choreograph(plain)
    pose = choreography.pose(Time(0))
    forward, eye = pose.axes()[2], pose.eye()

    def along(x: float, y: float, z: float) -> float:
        return sum(f * (p - e) for f, p, e in zip(forward, (x, y, z), eye, strict=True)) / pose.distance

    for act, place in (
        (do.Focus(frame=0, on="target"), (100, 50, 0)),
        (do.Focus(frame=0, on="mark", mark="m"), (150, 200, 0)),
        (do.Focus(frame=0, on="mark", mark="l"), (150, 210, 40)),
        (do.Focus(frame=0, on="place", ground=(-30.0, 10.0)), (-30, 10, 0)),
    ):
        made = act.done_to(plain)
        assert made.finish.lens.on
        assert depth(made, 0) == pytest.approx(along(*place), rel=1e-9)
    # What travels is where its line has come to, as high as it flies there.
    riding = do.Focus(frame=0, on="mark", mark="r").done_to(plain)
    way = choreography.timeline.way("r", Time(25))
    view = View.of(choreography.pose(Time(25)), plain.frame.size)
    high = float(plain.routes[0].traveller.height_at([way], [0.0, 400.0])[0])
    assert high > 0
    assert depth(riding, 25) == pytest.approx(view.depth((way, 0.0), high), rel=1e-9)


def test_a_place_is_picked_in_the_frame_and_the_sky_is_none() -> None:
    made = do.Focus(frame=0, on="place", at=(0.3, 0.7)).done_to(film())
    focus = made.finish.lens.focus
    assert isinstance(focus, PlaceFocus)
    pose = choreograph(made).pose(Time(0))
    u, v, w = pose.frame_from_ground(made.frame.size) @ [focus.x, focus.y, 1.0]
    assert (u / w / 1920, v / w / 1080) == pytest.approx((0.3, 0.7))
    steep = film()
    steep.vantages[0].tilt = 85
    with pytest.raises(BadEdit, match="above the horizon"):
        do.Focus(frame=0, on="place", at=(0.5, 0.0)).done_to(steep)


def test_the_focus_goes_over_evenly_in_one_over_the_distance() -> None:
    made = do.Focus(frame=0, on="free", distance=400.0, change=True).done_to(film())
    made = do.Focus(frame=40, on="free", distance=1600.0).done_to(made)
    course = made.finish.lens.focus
    assert isinstance(course, Course)
    assert len(course.stops) == 2
    half = running(made.finish.lens, Time(20), choreograph(made).timeline).focus
    assert isinstance(half, FocusBetween)
    distance = depth(made, 20) * choreograph(made).pose(Time(20)).distance
    assert 1 / distance == pytest.approx((1 / 400 + 1 / 1600) / 2, rel=1e-6)
    # It is a lane of the profile, as any course.
    plan = plan_of(made)
    lane = next(one for one in plan.courses if one.of == "finish.lens")
    assert (lane.field, lane.label) == ("focus", "Focus")
    assert [stop.value for stop in lane.stops] == ["a distance", "a distance"]
    assert [stop.distance for stop in lane.stops] == pytest.approx([400, 1600])
    assert lane.line[0][1] == 0.0
    assert lane.line[-1][1] == 1.0


def test_a_focus_at_a_vantage_hangs_on_it() -> None:
    made = do.FocusAtVantage(vantage="b", on="mark", mark="m").done_to(film())
    course = made.finish.lens.focus
    assert isinstance(course, Course)
    assert course.stops[0].at == VantageMoment(vantage="b")
    # When the vantage is reached later, so is the focus.
    made.vantages[0].hold = 4.0
    choreography = choreograph(made)
    assert choreography.timeline.time(course.stops[0].at) == Time(choreography.legs[1].start)


def test_what_is_taken_away_leaves_the_focus_and_the_lamp_where_they_were() -> None:
    made = do.Focus(frame=0, on="mark", mark="l").done_to(film())
    made = do.AddLamp(mark="m", frame=0, id="lamp").done_to(made)
    assert made.lamps[0].hangs == "m"
    gone = do.RemoveMarks(marks=["l", "m"]).done_to(made)
    assert gone.finish.lens.focus == PlaceFocus(x=150, y=210, height=40)
    assert (gone.lamps[0].x, gone.lamps[0].y, gone.lamps[0].hangs) == (150, 200, None)


def test_a_ground_that_moves_takes_focus_lamps_and_decks_along() -> None:
    made = do.Focus(frame=0, on="place", ground=(10.0, 20.0)).done_to(film())
    made = do.AddLamp(at=(30.0, 40.0), frame=0).done_to(made)
    made = do.AddDeck(frame=0).done_to(made)
    made.decks[0].look = made.decks[0].look.model_copy(update={"wind": 3.0})
    moved = changed(made, similarity_rules(np.array([[2.0, 0, 100], [0, 2.0, -50], [0, 0, 1]])))
    focus, lamp, deck = moved.finish.lens.focus, moved.lamps[0], moved.decks[0]
    assert isinstance(focus, PlaceFocus)
    assert (focus.x, focus.y) == (120, -10)
    assert (lamp.x, lamp.y, lamp.look.reach) == (160, 30, 2 * made.lamps[0].look.reach)
    assert (deck.height, deck.look.size, deck.look.wind) == (
        2 * made.decks[0].height, 2 * made.decks[0].look.size, 6.0,
    )  # fmt: skip


def test_limits_and_planes_of_focus_stand_where_the_lens_has_them() -> None:
    made = film()
    made.finish.lens.on = True
    seen = sharpness_at(made, choreograph(made), Time(0))
    pose = choreograph(made).pose(Time(0))
    assert seen.stands == "target"
    assert seen.focus.distance == pytest.approx(pose.distance)
    assert seen.near.distance < seen.focus.distance < seen.far.distance
    # The line of the plane of focus goes through the middle of the frame, level.
    (left, right) = seen.focus.frame
    assert left == pytest.approx((0, 0.5), abs=1e-6)
    assert right == pytest.approx((1, 0.5), abs=1e-6)
    # Along the ground, what is before the focus has a negative circle, what is beyond a positive one; far away it comes
    # to that of the horizon.
    signs = [math.copysign(1, size) for _, size in seen.blur]
    assert signs == sorted(signs)
    assert seen.blur[-1][1] < seen.horizon


def test_the_first_lamp_brings_the_night_and_a_deck_lies_below_the_camera() -> None:
    made = do.AddLamp(at=(1.0, 2.0), frame=0).done_to(film())
    assert made.finish.dusk.on
    made.finish.dusk.on = False
    assert not do.AddLamp(at=(1.0, 2.0), frame=0).done_to(made).finish.dusk.on
    decked = do.AddDeck(frame=0).done_to(film())
    assert 0 < decked.decks[0].height < choreograph(decked).pose(Time(0)).eye()[2]
    with pytest.raises(BadEdit, match="no camera"):
        do.AddDeck(frame=0).done_to(Film())
    with pytest.raises(BadEdit, match="over a place"):
        do.AddLamp(frame=0).done_to(film())


def test_a_plate_of_heights_raises_the_ground_and_is_let_go_of_when_it_is_taken_away() -> None:
    picture = {"sha256": "a" * 64, "width": 10, "height": 10}
    made = Film.model_validate(
        film().model_dump(mode="json") | {"plates": [{"id": "p", "name": "p", "picture": picture}]}
    )
    raised = do.RaiseGround(plate="p", codes="grey").done_to(made)
    relief = raised.finish.relief
    assert (raised.plates[0].role, relief.on, relief.plate, relief.codes) == ("heights", True, "p", "grey")
    assert not raised.plates[0].in_film
    assert do.RemovePlate(plate="p").done_to(raised).finish.relief.plate is None


@pytest.mark.parametrize("kind", ["effect", "plate", "route"])
def test_a_stop_of_what_has_no_place_may_hang_on_a_line_all_the_same(kind: str) -> None:
    # "The line reaches it": what is nowhere is reached as the line sets out.
    near = {"on": "route", "route": "r", "point": None}
    picture = {"sha256": "a" * 64, "width": 10, "height": 10}
    document = film().model_dump(mode="json") | {"plates": [{"id": "p", "name": "p", "picture": picture}]}
    course = {"stops": [{"id": "s", "at": near, "value": 0.5}]}
    if kind == "effect":
        document["finish"]["dusk"] = {"on": True, "share": course}
    elif kind == "plate":
        document["plates"][0]["opacity"] = course
    else:
        document["routes"][0]["look"]["opacity"] = course
    made = Film.model_validate(document)
    lane = plan_of(made).courses[0]
    assert lane.stops[0].frame == choreograph(made).timeline.runs["r"].start


def test_what_adds_up_over_time_does_not_change_over_the_film() -> None:
    # A wind, or a turning, that grew would carry along at once all the way that it had not gone before.
    facts = field_facts()
    assert not any(facts["DeckLook"][name].changes for name in ("wind", "towards"))
    assert not facts["LampLook"]["turns"].changes
    assert facts["DeckLook"]["cover"].changes
