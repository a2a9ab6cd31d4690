"""Texts and signs that are taken hold of in the frame."""

from __future__ import annotations

import numpy as np
import pytest

from yaila.core.camera import View
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Label, Marker, acts, choreograph
from yaila.core.film.scene import present_at
from yaila.core.picture.grasps import grasps_of
from yaila.core.picture.labels import box_of
from yaila.core.time import Course, FilmMoment, Stop, Time
from yaila.core.type import Faces

WAY = {"id": "w", "points": [{"x": 0, "y": 0}, {"x": 600, "y": 100}]}
LABELS = [
    Label(id="title", text="Title", stands="frame", comes={"how": "cut"}),
    Label(id="call", text="Callout", x=300, y=60, leader={"dx": 80, "dy": -60}, comes={"how": "cut"}),
    Label(id="name", text="Name", x=320, y=40, comes={"how": "cut"}),
    Label(id="high", text="High", x=200, y=90, height=60, comes={"how": "cut"}),
    Label(id="way", text="Way", stands="route", route="w", along=0.5, comes={"how": "cut"}),
]


@pytest.fixture
def film() -> Film:
    """A tilted view of names of every kind, and a sign."""
    sight = {"x": 300, "y": 50, "span": 700, "tilt": 50, "heading": 30, "hold": 4}
    return Film(vantages=[sight], routes=[WAY], labels=LABELS, markers=[Marker(id="sign", x=280, y=70)])


def where(film: Film, mark: str, frame: int = 40) -> np.ndarray:
    """The middle of what is seen of a mark, shares of the frame."""
    grasps = {one.mark: one for one in grasps_of(film, choreograph(film), Time(frame), Faces())}
    return grasps[mark].corners.mean(axis=0)


@pytest.mark.parametrize("mark", ["title", "call", "name", "high", "sign"])
def test_what_is_dragged_in_the_frame_comes_to_where_it_was_dragged(film: Film, mark: str) -> None:
    before = where(film, mark)
    by = np.array([0.11, -0.07])
    after = acts.DragMark(mark=mark, frame=40, start=tuple(before), to=tuple(before + by)).apply(film)
    np.testing.assert_allclose(where(after, mark) - before, by, atol=2e-3)
    # A name keeps its height, a callout its place.
    old, new = film.mark(mark), after.mark(mark)
    assert getattr(old, "height", 0) == getattr(new, "height", 0)
    assert (new.place == old.place) == (mark in ("title", "call"))


def test_a_name_along_a_route_is_dragged_along_it(film: Film) -> None:
    before = where(film, "way")
    after = acts.DragMark(mark="way", frame=40, start=tuple(before), to=(before[0] + 0.1, before[1] + 0.3)).apply(film)
    assert after.mark("way").along != film.mark("way").along
    assert after.mark("way").place == film.mark("way").place


def test_grasps_lie_around_what_is_drawn_and_what_is_not_there_has_none(film: Film) -> None:
    choreography = choreograph(film)
    present = present_at(film, choreography, film.mark("name"), Time(40))
    box, _ = box_of(present, View.of(choreography.pose(Time(40)), film.frame.size), Faces())
    (grasp,) = [one for one in grasps_of(film, choreography, Time(40), Faces()) if one.mark == "name"]
    np.testing.assert_allclose(grasp.corners * [film.frame.width, film.frame.height], box)
    late = film.model_copy(deep=True)
    late.labels[2].starts = FilmMoment(seconds=3)
    assert "name" not in {one.mark for one in grasps_of(late, choreograph(late), Time(40), Faces())}


def test_a_place_that_changes_over_the_film_changes_at_the_playhead(film: Film) -> None:
    stops = tuple(Stop(id=f"s{at}", at=FilmMoment(seconds=at), value=value) for at, value in ((0, 0.2), (4, 0.6)))
    film.labels[0].u = Course(stops=stops)
    before = where(film, "title")
    after = acts.DragMark(mark="title", frame=40, start=tuple(before), to=(before[0] + 0.1, before[1])).apply(film)
    assert where(after, "title")[0] == pytest.approx(before[0] + 0.1, abs=2e-3)
    assert [stop.value for stop in after.labels[0].u.stops] == [0.2, pytest.approx(0.46), 0.6]


def test_what_is_locked_or_would_leave_the_ground_is_refused_in_words(film: Film) -> None:
    film.labels[2].locked = True
    with pytest.raises(BadEdit, match="locked"):
        acts.DragMark(mark="name", frame=40, start=(0.5, 0.5), to=(0.6, 0.5)).apply(film)
    with pytest.raises(BadEdit, match="horizon"):
        acts.DragMark(mark="sign", frame=40, start=(0.5, 0.5), to=(0.5, -3)).apply(film)
