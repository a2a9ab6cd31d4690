"""How marks come and go by their style."""

from __future__ import annotations

import pytest

from yaila.core.errors import BadEdit
from yaila.core.film import Film, choreograph, scene_at
from yaila.core.film.acts import MakeStyle, RemoveStyle, ResetLook, SetArrival, UseStyle
from yaila.core.film.plan import plan_of
from yaila.core.time import Time


def styled(**style: object) -> Film:
    """Two names that share a style, the first of them with its own way to come."""
    names = [
        {"id": name, "text": name, "x": 0, "y": 0, "style": "s", "comes": {"how": "typed", "frames": 30}, **own}
        for name, own in (("a", {"own": ("comes",)}), ("b", {}))
    ]
    views = [{"x": 0, "y": 0, "span": 1000, "hold": 8}]
    return Film.model_validate({"vantages": views, "labels": names, "styles": [{"id": "s", "kind": "label", **style}]})


def test_a_style_says_how_marks_come_but_for_those_with_their_own_way() -> None:
    film = styled(comes={"how": "pop", "frames": 6})
    assert [film.in_style(one).comes.how for one in film.labels] == ["typed", "pop"]
    # The scene, the plan and what hangs on them go by it.
    choreography = choreograph(film)
    plan = {one.id: one for one in plan_of(film).marks}
    assert (plan["a"].whole, plan["b"].whole) == (30, 6)
    assert plan["b"].comes.how == "pop"
    seen = scene_at(film, choreography, Time(3)).labels
    assert [one.mark.comes.how for one in seen] == ["typed", "pop"]
    # One that says nothing of it leaves them to come as they do.
    assert [one.comes.how for one in map(styled().in_style, styled().labels)] == ["typed", "typed"]


def test_how_a_style_comes_is_set_for_all_of_it_or_for_one_alone() -> None:
    film = styled(comes={"how": "pop", "frames": 6})
    all_of_it = SetArrival(marks=["a"], edge="comes", how="wipe", of_style=True).apply(film)
    assert [all_of_it.in_style(one).comes.how for one in all_of_it.labels] == ["wipe", "wipe"]
    alone = SetArrival(marks=["b"], edge="comes", frames=9).apply(film)
    assert [(one.how, one.frames) for one in (alone.in_style(label).comes for label in alone.labels)] == [
        ("typed", 30), ("pop", 9),
    ]  # fmt: skip
    again = ResetLook(mark="b", names=["comes"]).apply(alone)
    assert again.in_style(again.labels[1]).comes.frames == 6
    with pytest.raises(BadEdit, match="cannot come or go by “draw”"):
        SetArrival(marks=["b"], edge="comes", how="draw").apply(film)
    with pytest.raises(BadEdit, match="frames"):
        SetArrival(marks=["b"], edge="goes", frames=0).apply(film)


def test_a_style_that_is_made_taken_or_dropped_keeps_how_marks_come() -> None:
    film = styled()
    made = MakeStyle(mark="a", name="Typed", id="t").apply(film)
    assert made.style("t").comes.how == "typed"  # type: ignore[union-attr]
    used = UseStyle(marks=["b"], style="t").apply(SetArrival(marks=["b"], edge="comes", how="cut").apply(made))
    assert used.in_style(used.labels[1]).comes.how == "typed"
    for left in (RemoveStyle(style="t").apply(used), UseStyle(marks=["a", "b"]).apply(used)):
        assert [(one.comes.how, one.style) for one in left.labels] == [("typed", None)] * 2


def test_a_style_can_only_say_what_its_kind_can_do() -> None:
    with pytest.raises(ValueError, match="cannot come or go by “draw”"):
        styled(comes={"how": "draw", "frames": 5})
