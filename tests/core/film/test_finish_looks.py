"""Looks: a finish saved from one film and laid on another."""

from __future__ import annotations

import json

import pytest
from pydantic import ValidationError

from yaila.core.errors import BadEdit
from yaila.core.film import Film, choreograph
from yaila.core.film import acts as do
from yaila.core.film.finish import EFFECTS
from yaila.core.film.looks import OF_THE_FILM, SavedLook, look_of, read_look, with_look
from yaila.core.film.running import running
from yaila.core.film.scene import scene_at
from yaila.core.film.shipped_looks import SHIPPED
from yaila.core.film.walk import found
from yaila.core.quantities import Ref
from yaila.core.time import Time


def film(hold: float = 4.0, **finish: object) -> Film:
    return Film.model_validate(
        {
            "vantages": [{"id": "a", "x": 0, "y": 0, "span": 100, "hold": hold}],
            "markers": [{"id": "m", "x": 1, "y": 2}],
            "regions": [{"id": "g", "circle": {"x": 0, "y": 0, "radius": 10}}],
            "finish": finish,
        }
    )


def course(*stops: tuple[dict, float]) -> dict:
    return {"stops": [{"id": f"s{k}", "at": at, "value": value} for k, (at, value) in enumerate(stops)]}


LEAVES = {"on": "vantage", "vantage": "a", "edge": "leaves"}


def styled() -> Film:
    """A film whose finish names things in it, and changes over it."""
    grain = course(({"on": "film", "seconds": 1}, 2.0), (LEAVES, 9.0))
    return film(
        grain={"on": True, "strength": grain},
        grade={"on": True, "contrast": 20, "over": "inside", "region": "g"},
        lens={"on": True, "focus": {"on": "mark", "mark": "m"}},
        vignette={"by": 0.9},
    )


def test_a_look_holds_what_is_on_and_nothing_of_its_film() -> None:
    look = look_of(styled(), "Mine")
    assert set(look.holds) == {"grain", "grade", "lens"}
    assert not list(found(look.finish, Ref))
    assert look.seconds == pytest.approx(4)
    stops = look.finish.grain.strength.stops
    assert [stop.at.on for stop in stops] == ["film", "film"]
    assert stops[1].at.seconds == pytest.approx(4, abs=0.05)
    with pytest.raises(BadEdit, match="No effect is on"):
        look_of(film(), "Nothing")
    assert look_of(styled(), "Some", ["grain", "bars"]).holds == ("grain",)


def test_laid_on_a_longer_film_it_changes_at_the_same_shares_of_it() -> None:
    other = film(8.0, bars={"on": True}, dusk={"on": True}, lens={"focus": {"on": "place", "x": 3, "y": 4}})
    made = do.TakeLook(look=look_of(styled(), "Mine"), strength=0.5).done_to(other)
    finish = made.finish
    assert (finish.look.on, finish.look.name, finish.look.strength) == (True, "Mine", 0.5)
    assert finish.grade.on
    assert finish.grain.on
    # What is not of the look goes, as far as it is treatment; light stays, and what is in focus.
    assert not finish.bars.on
    assert finish.dusk.on
    assert finish.lens.on
    assert finish.lens.focus.on == "place"
    assert [stop.at.seconds for stop in finish.grain.strength.stops] == pytest.approx([2, 8], abs=0.1)
    # Half as strong: half of every amount at every moment.
    timeline = choreograph(made).timeline
    for frame in (0, 60, 120, 199):
        whole, half = running(finish, Time(frame), timeline), scene_at(made, choreograph(made), Time(frame)).finish
        assert half.grain.strength == pytest.approx(whole.grain.strength / 2)
        assert half.grade.contrast == pytest.approx(10)
    made.finish.look.strength = 0.0
    assert scene_at(made, choreograph(made), Time(5)).finish.grade.grading.idle


def test_it_goes_through_its_file_and_the_files_of_others_are_refused_in_words() -> None:
    look = look_of(styled(), "Mine")
    document = json.loads(look.model_dump_json())
    assert read_look(document, "mine.look") == look
    with pytest.raises(BadEdit, match="newer Yaila"):
        read_look(document | {"version": 2}, "x.look")
    for wrong in ({}, [], None, {"format": "yaila/film"}, 7):
        with pytest.raises(BadEdit, match="is no look"):
            read_look(wrong, "x.look")
    for wrong in ({"holds": ["relief"]}, {"holds": ["nonsense"]}, {"seconds": 0}, {"name": ""}, {"more": 1}):
        with pytest.raises(ValidationError):
            read_look(document | wrong, "x.look")


def test_what_names_another_films_things_is_refused_and_nothing_is_changed() -> None:
    document = look_of(styled(), "Mine").model_dump(mode="json")
    document["finish"]["grade"] |= {"region": "gone"}
    before = film()
    from yaila.store import checked

    with pytest.raises(BadEdit, match="gone"):
        checked(do.TakeLook(look=SavedLook.model_validate(document)).done_to(before).model_dump(mode="json"))
    assert before == film()


def test_ten_looks_ship_and_each_can_be_laid() -> None:
    assert len(SHIPPED) >= 10
    assert len({look.name for look in SHIPPED.values()}) == len(SHIPPED)
    for look in SHIPPED.values():
        made = with_look(film(), look, 1.0)
        assert Film.model_validate(made.model_dump(mode="json")) == made
        assert any(getattr(made.finish, name).on for name in EFFECTS if name not in OF_THE_FILM)
        again = look_of(made, look.name)
        assert set(again.holds) == set(look.holds)
