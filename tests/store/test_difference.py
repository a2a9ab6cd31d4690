"""The patch between two states of a film leads from one to the other, as jsonpatch applies it (RFC 6902)."""

from __future__ import annotations

import json
from typing import Any

import jsonpatch
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.film.test_walk import full
from yaila.core.errors import BadEdit
from yaila.core.film import Film, Vantage
from yaila.core.film.acts import MovePlate, MoveVantages, PullVantage, RemovePlate, SetLook, SetValue, StretchTime
from yaila.core.film.marked import Reveal
from yaila.core.film.walk import found
from yaila.core.ground import Point
from yaila.core.quantities import Ref
from yaila.store.films import _steps_between, as_kept, difference, film_of

PARTS = st.lists(st.fixed_dictionaries({"id": st.sampled_from("abcd"), "x": st.integers(0, 3)}), max_size=4)
LEAVES = st.none() | st.booleans() | st.integers(0, 2) | st.sampled_from([0.0, 1.0, 2.5]) | st.sampled_from(["", "a/b"])
VALUES = st.recursive(
    LEAVES | PARTS,
    lambda inner: (
        st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(["a", "b", "c/d", "e~f", ""]), inner, max_size=4)
    ),
    max_leaves=16,
)


@settings(max_examples=300, deadline=None)
@given(VALUES, VALUES)
def test_any_value_becomes_any_other_to_its_very_kind(before: Any, after: Any) -> None:
    # A document is an object; true and 1, and 1 and 1.0, are not the same in it.
    start, end = {"film": before}, {"film": after}
    patch = list(_steps_between(start, end, ""))
    assert json.dumps(jsonpatch.apply_patch(start, patch), sort_keys=True) == json.dumps(end, sort_keys=True)
    assert bool(patch) == (json.dumps(start, sort_keys=True) != json.dumps(end, sort_keys=True))


def test_a_small_edit_is_a_small_patch_and_parts_that_move_are_moved() -> None:
    before = full()
    edited = before.model_copy(deep=True)
    edited.vantages[0].span *= 2
    edited.markers[0].name = "a/b~c"
    steps = difference(before, edited)
    assert sorted((step["op"], step["path"]) for step in steps) == [
        ("replace", "/markers/0/name"),
        ("replace", "/vantages/0/span"),
    ]
    moved = before.model_copy(deep=True)
    moved.vantages.insert(0, Vantage(id="new", x=1, y=2, span=50))
    patch = difference(before, moved)
    assert len(json.dumps(patch)) < 2000
    document = jsonpatch.apply_patch(before.model_dump(mode="json"), patch)
    assert Film.model_validate(document) == moved


@pytest.mark.parametrize("value", [True, 1, 1.0, "1", None, [1], {"id": 1}])
def test_nothing_leads_from_a_value_to_itself(value: Any) -> None:
    assert list(_steps_between({"a": [value]}, {"a": [value]}, "")) == []


def test_a_film_made_like_another_shares_what_is_the_same_and_is_what_it_would_be_without() -> None:
    before = full()
    edited = before.model_copy(deep=True)
    edited.vantages[0].span *= 2
    edited.finish.lens.f_number = 3.5
    edited.markers.reverse()
    document = edited.model_dump(mode="json")
    made = film_of(document, before)
    assert made == edited
    assert made.model_dump(mode="json") == document
    assert [one is two for one, two in zip(made.vantages, before.vantages, strict=True)] == [False, True]
    assert all(one is two for one, two in zip(made.markers, before.markers[::-1], strict=True))
    assert made.plates[0] is before.plates[0]
    assert (made.finish.sun is before.finish.sun, made.finish.lens is before.finish.lens) == (True, False)
    assert difference(before, made) == difference(before, edited)
    # An act changes its own copy, and not what others share with it.
    changed = SetLook(marks=[made.markers[0].id], look={"size": 77}).done_to(made)
    assert changed.markers[0].look.size == 77
    assert before.markers[-1].look.size != 77


def test_what_an_act_made_is_as_it_would_be_read_again() -> None:
    before = full()
    mark, plate, vantage = before.markers[0].id, before.plates[0].id, before.vantages[0].id
    for act in (
        SetLook(marks=[mark], look={"size": 77}),
        MoveVantages(vantages=[vantage], by=(12.5, -3.0)),
        RemovePlate(plate=plate),
        StretchTime(factor=1.5),
    ):
        after = act.done_to(before)
        made = as_kept(after, before)
        assert made == film_of(after.model_dump(mode="json"), before)
        same = [one for one in made.markers if one in before.markers]
        assert all(any(one is two for two in before.markers) for one in same)
    # What an act left that no film can have is found.
    for name, value in (("span", float("nan")), ("tilt", 400.0), ("name", "x" * 10_000)):
        broken = before.model_copy(deep=True)
        broken.vantages[0] = before.vantages[0].model_copy(update={name: value})
        with pytest.raises(BadEdit):
            as_kept(broken, before)


def test_names_are_looked_for_where_something_changed_or_went() -> None:
    before = full()
    assert sorted(name.value for part in before.parts for name in found(part, Ref)) == sorted(
        name.value for name in found(before, Ref)
    )
    gone = before.model_copy(update={"routes": []})
    with pytest.raises(BadEdit, match="not in the film"):
        # What names them is the very same as it was.
        as_kept(gone, before)
    lost, plate = before.one_apart("plates", 0)
    plate.reveal = Reveal(how="route", routes=("nowhere",))
    with pytest.raises(BadEdit, match="nowhere"):
        as_kept(lost, before)


def test_a_part_that_is_dragged_is_the_only_one_that_changes() -> None:
    before = full()
    whole = before.model_dump(mode="json")
    vantage, plate = before.vantages[0], before.plates[0]
    for act in (
        PullVantage(vantage=vantage.id, grip="target", to=Point(vantage.x + 5, vantage.y)),
        MovePlate(plate=plate.id, by=Point(3, 4)),
        SetValue(of=before.markers[0].id, field="x", frame=0, value=12.5),
    ):
        after = act.done_to(before)
        assert after != before
        assert before.model_dump(mode="json") == whole
        others = [one is two for one, two in zip(after.parts, before.parts, strict=True)]
        assert others.count(False) == 1


@pytest.mark.parametrize("wrong", [True, "1", None, {"id": "x"}, float("nan")])
def test_what_is_wrong_in_a_part_is_found_also_where_the_rest_is_shared(wrong: Any) -> None:
    before = full()
    for name, index in (("vantages", 0), ("markers", 0), ("plates", 0)):
        document = before.model_dump(mode="json")
        document[name][index] = document[name][index] | {"id": wrong}
        with pytest.raises(BadEdit):
            film_of(document, before)
