"""What cannot be read, seen or borne is found, and what can is not."""

from __future__ import annotations

import pytest

from yaila.core.film import Film, Label, Marker, Region, Route, RoutePoint, Vantage, choreograph
from yaila.core.film.marked import Circle, Reveal
from yaila.core.marks import Arrival, Lettering, RegionLook, Traveller
from yaila.core.soundings.findings import soundings_of
from yaila.core.soundings.marks import MarkFault, mark_faults
from yaila.core.time import FilmMoment
from yaila.core.type import Faces

GOOD = {"text": "Quillhaven", "sits": "over", "comes": Arrival(how="cut")}


def faults(*labels: Label, **more: object) -> dict[str, MarkFault]:
    film = Film(labels=list(labels), vantages=[Vantage(hold=8, span=1920)], **more)
    return {fault.kind: fault for fault in mark_faults(film, choreograph(film), Faces())}


def test_a_good_label_is_not_found() -> None:
    assert faults(Label(**GOOD)) == {}


def test_a_text_must_be_there_for_as_long_as_it_takes_to_read() -> None:
    text = "A place of some sixteen letters and yet some more"
    letters = len(text.replace(" ", ""))
    short = Label(**GOOD | {"text": text}, ends=FilmMoment(seconds=1.4))
    fault = faults(short)["read"]
    assert fault.figure == pytest.approx(1.4, abs=0.21)
    film = Film(labels=[short], vantages=[Vantage(hold=8, span=1920)])
    finding = next(one for one in soundings_of(film) if one.kind == "read")
    assert finding.remedy is not None
    longer = finding.remedy.act.apply(film)
    assert choreograph(longer).timeline.ranges[short.id].end.frame / 25 >= letters / 16 + 0.5 - 0.25
    assert "read" not in {one.kind for one in soundings_of(longer)}


def test_small_letters_and_the_edge_of_the_frame() -> None:
    assert set(faults(Label(**GOOD, look=Lettering(size=20)))) == {"small"}
    assert faults(Label(**GOOD, look=Lettering(size=27))) == {}
    # 5 % of 1920 is 96 pixels.
    assert set(faults(Label(**GOOD, stands="frame", u=0.09, v=0.5))) == {"unsafe"}
    assert faults(Label(**GOOD, stands="frame", u=0.15, v=0.5)) == {}
    assert faults(Label(**GOOD, stands="frame", u=0.0, v=0.5))["unsafe"].grave


def test_labels_that_cover_each_other() -> None:
    assert set(faults(Label(**GOOD), Label(**GOOD, x=60, y=10))) == {"covered"}
    assert faults(Label(**GOOD), Label(**GOOD, y=80)) == {}


def test_marks_that_are_never_seen() -> None:
    found = faults(markers=[Marker(id="far", x=5000, y=0), Marker(x=0, y=0)])
    assert found["unseen"].mark == "far"
    assert faults(regions=[Region(circle=Circle(x=1500, y=0, radius=900))]) == {}


def test_letters_that_no_font_has_are_named() -> None:
    fault = faults(Label(**GOOD | {"text": "港 Quay"}))["letters"]
    assert "港" in fault.text


def test_travellers_that_nobody_can_follow() -> None:
    way = [RoutePoint(x=-900, y=0), RoutePoint(x=900, y=0)]
    for seconds, found in ((0.5, {"fleet"}), (3, set())):
        route = Route(points=way, draws={"shown": True, "seconds": seconds}, traveller=Traveller())
        assert set(faults(routes=[route])) == found


def test_flashes_over_a_large_part_of_the_picture() -> None:
    # ITU-R BT.1702: no more than three within a second where they are large.
    def flashing(radius: float, flashes: int, frames: int) -> set[str]:
        region = Region(
            circle=Circle(x=0, y=0, radius=radius), look=RegionLook(filled=0), flashes=flashes, flash=frames
        )
        return set(faults(regions=[region]))

    assert flashing(500, 6, 5) == {"flashes"}
    assert flashing(500, 3, 5) == set()
    assert flashing(500, 6, 12) == set()
    assert flashing(200, 6, 5) == set()


def test_a_font_that_is_gone_is_told_and_an_uncovering_along_a_route_stops_nothing() -> None:
    gone = Label(**GOOD, look=Lettering(family="f" * 64))
    assert "is not here" in faults(gone)["letters"].text
    way = Route(id="r", points=[RoutePoint(x=-400, y=0), RoutePoint(x=400, y=0)])
    assert faults(Label(**GOOD, reveal=Reveal(how="route", routes=("r",))), routes=[way]) == {}
