"""Whatever values an act is given: it is refused in words, or the film that comes of it can be worked out and kept."""

from __future__ import annotations

import random
import typing

import pytest
from pydantic import BaseModel, ValidationError

from tests.core.film.test_walk import full
from yaila.core.errors import YailaError
from yaila.core.film import Film
from yaila.core.film.acts import Act, AddInset, MatchTone, SetLoudness, TakeLook
from yaila.core.film.plan import plan_of
from yaila.store.films import checked, difference

ACTS: list[type[BaseModel]] = list(typing.get_args(typing.get_args(Act)[0]))

NUMBERS = [
    0,
    1,
    -1,
    2,
    0.5,
    1e-9,
    1e-6,
    -1e-6,
    1e9,
    -1e9,
    1e15,
    1e300,
    -1e300,
    float("nan"),
    float("inf"),
    2**70,
    360,
    10**6,
]
WORDS = ["", "a", "b", "p", "q", "r", "s", "m", "n", "l", "g", "c", "t", "gone", "x" * 200, "look/opacity", "look", "x",
         "turn", "circle/radius", "placement", "#ff0000", "starts", "size", "rest", "25", "0",
         "1e99", "\u0660"]  # fmt: skip
REST = [None, True, False, [], {}, [1, 2], [[0, 0]], {"x": 1}, [0.0, 0.0, 0.0], {"stops": []}, {"kind": "cut"}]


def some(dice: random.Random, annotation: object) -> object:
    """A value for a field: often one of its kind, sometimes anything."""
    inner = [one for one in typing.get_args(annotation) if one is not type(None)]
    origin = typing.get_origin(annotation)
    if dice.random() < 0.04:
        return dice.choice([*NUMBERS, *WORDS, *REST])
    if origin is typing.Literal:
        return dice.choice(inner)
    if origin is typing.Annotated:
        return some(dice, inner[0])
    if origin is tuple and Ellipsis not in inner:
        return [some(dice, one) for one in inner]
    if origin in (list, tuple):
        return [some(dice, inner[0]) for _ in range(dice.choice([0, 1, 2, 2, 4, 9]))]
    if origin is dict:
        return {dice.choice(WORDS): dice.choice([*NUMBERS, *WORDS]) for _ in range(dice.choice([0, 1, 2]))}
    if inner:
        return some(dice, dice.choice(inner))
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return fields(dice, annotation)
    if hasattr(annotation, "_fields"):
        return [some(dice, float) for _ in annotation._fields]  # type: ignore[attr-defined]
    if annotation is str:
        return dice.choice(WORDS) if dice.random() < 0.7 else "a" * 64
    if annotation is int:
        return dice.choice([0, 1, 2, 3, 7, 60, 104, 10**6, -1])
    if annotation is bool:
        return dice.random() < 0.5
    return dice.choice(NUMBERS) if dice.random() < 0.25 else round(dice.uniform(0, 400), 2)


def fields(dice: random.Random, part: type[BaseModel]) -> dict[str, object]:
    """A document for a part, with what it must have and some of what it may."""
    return {
        name: some(dice, field.annotation)
        for name, field in part.model_fields.items()
        if field.is_required() or dice.random() < 0.3
    }


def taken(act: BaseModel, film: Film) -> bool:
    """Whether the act does something; what comes of it is kept as the store would."""
    before = film.model_dump_json()
    try:
        after = act.done_to(film)  # type: ignore[attr-defined]
        kept = checked(after.model_dump(mode="json"))
        plan_of(kept)
        difference(film, kept)
    except YailaError as error:
        refused = str(error)
    else:
        refused = None
    assert film.model_dump_json() == before
    assert refused is None or 0 < len(refused.strip()) < 2000
    return refused is None


@pytest.mark.parametrize("kind", ACTS, ids=lambda act: act.__name__)
def test_an_act_with_any_values_is_done_or_refused_in_words(kind: type[BaseModel]) -> None:
    dice, film = random.Random(kind.__name__), full()
    tried = done = 0
    for _ in range(600):
        if tried >= 25:
            break
        try:
            act = kind.model_validate(fields(dice, kind) | {"act": kind.model_fields["act"].default})
        except ValidationError:
            continue
        tried += 1
        done += taken(act, film)
    # A test in which nothing gets as far as the film tells nothing.
    assert tried >= 5 or kind in (AddInset, MatchTone, SetLoudness, TakeLook)
