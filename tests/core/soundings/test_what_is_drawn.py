"""Soundings judge what is drawn: see-through plates, outlines, plates still hidden, values that change, pale names."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.film.test_walk import Texture
from yaila.core.camera import FrameSize
from yaila.core.film import Film, choreograph
from yaila.core.film.finish import Finish
from yaila.core.film.marked import Label, Marker, Region, Reveal, Route
from yaila.core.ground import Point
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.soundings import Finding, Pieces, budget_of, soundings_of
from yaila.core.soundings.pieces import unseen
from yaila.core.time import FilmMoment, MarkMoment, Time


class Glass(Texture):
    """A picture of 600 x 400 of which a part is clear: all but a strip at the left, or nothing."""

    alpha = True

    def __init__(self, opaque: int) -> None:
        super().__init__(600, 400)
        self._pixels = self._pixels.copy()
        self._pixels[:, opaque:] = 0


def film(**plate: object) -> Film:
    """Four seconds over one plate of 600 x 400 that fills the frame."""
    return Film(
        frame={"width": 480, "height": 320},
        plates=[
            {
                "id": "p",
                "name": "Ground",
                "credit": "-",
                "picture": {"sha256": "a" * 64, "width": 600, "height": 400},
                "placement": {"kind": "similarity", "x": 300, "y": 200},
                **plate,
            }
        ],
        vantages=[{"x": 300, "y": 200, "span": 560, "hold": 4}],
    )


def told(one: Film, picture: Texture | None = None) -> dict[str, Finding]:
    """The findings of a film, the first of each kind."""
    pictures = lambda key: picture or Texture(600, 400)  # noqa: E731
    renderer = Renderer(pictures, PageStore(16))
    found = soundings_of(one, Pieces(pictures), renderer=renderer)
    return {finding.kind: finding for finding in reversed(found)}


def test_a_plate_that_is_mostly_clear_leaves_the_frame_bare() -> None:
    assert "bare" not in told(film())
    finding = told(film(), Glass(36))["bare"]
    assert finding.grave
    # As much as the renderer leaves to the background, counted in its own picture.
    drawn = Renderer(lambda key: Glass(36), PageStore(16)).render(
        Request(film(), Time(0), FrameSize(480, 320), Quality.DRAFT, clear=True)
    )
    assert finding.figure == pytest.approx(1 - (drawn.pixels[..., 3] > 127).mean(), abs=0.04)


def test_so_does_an_outline_around_a_bit_of_it_and_land_of_which_little_is_left() -> None:
    outline = {"shape": "outline", "width": 5, "outline": [[250, 150], [350, 150], [350, 250], [250, 250]]}
    assert told(film(feather=outline))["bare"].figure == pytest.approx(1 - 1e4 / (560 * 560 / 1.5), abs=0.03)
    land = {"by": "brightness", "gamma": 1, "lift": -1}
    assert told(film(land=land))["bare"].figure > 0.9


def test_so_does_a_plate_that_is_not_uncovered_yet_or_lets_its_ground_shine_through() -> None:
    hidden = film(reveal=Reveal(how="wipe", frames=10, direction=90, soft=0, starts=FilmMoment(seconds=3)))
    finding = told(hidden)["bare"]
    assert (finding.first, finding.figure) == (0, 1)
    assert 74 < finding.last <= 86
    part = budget_of(hidden, pieces=Pieces(lambda key: Texture(600, 400))).bare_share
    drawn = Renderer(lambda key: Texture(600, 400), PageStore(16)).render(
        Request(hidden, Time(80), FrameSize(480, 320), Quality.DRAFT, clear=True)
    )
    assert part[80] == pytest.approx(1 - drawn.pixels[..., 3].mean() / 255, abs=0.06)
    fading = {"stops": [{"id": "a", "at": {"on": "film", "seconds": 1}, "value": 1},
                        {"id": "b", "at": {"on": "film", "seconds": 3}, "value": 0}]}  # fmt: skip
    shares = budget_of(film(opacity=fading)).bare_share
    assert shares[[0, 50, 99]] == pytest.approx([0, 0.5, 1], abs=0.01)


def test_a_name_along_a_route_is_read_like_any_other() -> None:
    one = film()
    one.routes = [Route(id="r", points=[{"x": 150, "y": 200}, {"x": 450, "y": 210}])]
    label = Label(id="l", name="Sound", text="A name that takes a while to read", stands="route", route="r",
                  ends=FilmMoment(seconds=1), comes={"how": "cut"}, look={"size": 40})  # fmt: skip
    one.labels = [label]
    assert told(one)["read"].mark == "l"
    one.labels = [label.model_copy(update={"ends": None, "text": "Sound"})]
    assert "read" not in told(one)
    assert "small" in told(one.model_copy(update={"labels": [label.model_copy(
        update={"look": label.look.model_copy(update={"size": 5.0})})]}))  # fmt: skip


def test_a_sign_that_stands_on_a_name_is_told() -> None:
    one = film()
    one.labels = [Label(id="l", name="Quay", text="Quay", stands="board", x=300, y=200, sits="over",
                        comes={"how": "cut"}, look={"scales": "ground", "ground": 40})]  # fmt: skip
    one.markers = [Marker(id="m", name="Pin", x=300, y=200, comes={"how": "cut"}, look={"size": 60, "symbol": "dot"})]
    assert told(one)["covered"].text == "“Pin” stands on “Quay”"
    one.markers[0].x = 120
    assert "covered" not in told(one)


def test_a_pale_name_on_pale_ground_is_told_and_a_halo_mends_it() -> None:
    one = film()
    label = Label(id="l", name="Pale", text="Pale", x=300, y=200, comes={"how": "cut"},
                  look={"colour": "#9a9a9a", "halo": 0, "size": 60})  # fmt: skip
    one.labels = [label]
    finding = told(one)["pale"]
    assert finding.mark == "l"
    assert 1 <= finding.figure < 3
    for look in (
        {"halo": 10, "halo_colour": "#000000"},
        {"box": "square"},
        {"outline": 4, "outline_colour": "#101010"},
    ):
        mended = label.model_copy(update={"look": label.look.model_copy(update=look)})
        assert "pale" not in told(one.model_copy(update={"labels": [mended]}))


def test_flashes_of_several_count_together_and_so_do_signs_that_blink() -> None:
    def square(key: str, x: float, start: float) -> Region:
        ring = (Point(x, 50), Point(x + 200, 50), Point(x + 200, 350), Point(x, 350))
        return Region(id=key, name=key.upper(), rings=(ring,), starts=FilmMoment(seconds=start), flashes=2, flash=12,
                      comes={"how": "cut"})  # fmt: skip

    one = film()
    one.regions = [square("a", 40, 1), square("b", 340, 1.24)]
    finding = told(one)["flashes"]
    assert (finding.grave, finding.figure) == (True, 4)
    assert "A and B flash 4 times within a second" in finding.text
    one.regions = [square("a", 40, 0.2), square("b", 340, 2.6)]
    assert "flashes" not in told(one)
    one.regions = []
    one.markers = [Marker(id="m", x=300, y=200, blinks=8, blink=5, comes={"how": "cut"}, look={"size": 400})]
    assert told(one)["flashes"].mark == "m"
    assert choreograph(one).frames == 100
    assert np.isfinite(told(one)["flashes"].figure)


def test_what_hangs_on_a_name_or_a_sign_hinders_no_check() -> None:
    """Names are judged by a picture without names, darkness by one without marks: they are there all the same."""
    one = film()
    one.finish = Finish(dusk={"on": True, "dark": 8.0})
    one.markers = [Marker(id="m", x=300, y=200, starts=FilmMoment(seconds=1))]
    one.labels = [
        Label(id="l", name="Pale", text="Pale", x=300, y=200, starts=MarkMoment(mark="m"),
              look={"colour": "#808080", "halo": 0, "outline": 0, "box": "none"})
    ]  # fmt: skip
    circle = {"x": 300, "y": 200, "radius": 40}
    one.regions = [Region(id="r", circle=circle, starts=MarkMoment(mark="l", offset=5.0))]
    assert "night" in told(one)
    hidden = unseen(one, "label", "marker", "route")
    assert [mark.shown for mark in hidden.timed] == [True, False, False]
    assert choreograph(hidden).timeline.ranges == choreograph(one).timeline.ranges
