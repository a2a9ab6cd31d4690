"""What the interface is told of fields is what the document takes: names, limits, what may change, units."""

from __future__ import annotations

from typing import Annotated, Any

import pytest
from pydantic import TypeAdapter, ValidationError

from yaila.core.film.fields import PARTS, FieldFacts, field_facts
from yaila.core.time import Course

FACTS = [(part, fact) for part in PARTS for fact in field_facts()[part.__name__].values()]
LIMITED = [one for one in FACTS if one[1].low is not None or one[1].high is not None]


def taken(part: Any, fact: FieldFacts, value: Any) -> bool:
    """Whether a field of a part takes a value."""
    field = part.model_fields[fact.name]
    try:
        TypeAdapter(Annotated[field.annotation, *field.metadata]).validate_python(value)
    except ValidationError:
        return False
    return True


@pytest.mark.parametrize(("part", "fact"), LIMITED, ids=lambda one: getattr(one, "name", getattr(one, "__name__", "")))
def test_a_number_is_taken_up_to_its_limits_and_no_further(part: Any, fact: FieldFacts) -> None:
    beyond = max(abs(fact.low or 0), abs(fact.high or 0), 1.0) * 1e-3
    if fact.places == 0 and float(fact.low or 0).is_integer():
        beyond = max(round(beyond), 1)
    for limit, side in ((fact.low, -1), (fact.high, 1)):
        if limit is None:
            continue
        limit = int(limit) if float(limit).is_integer() else limit
        assert not taken(part, fact, limit + side * beyond), f"{fact.name} takes {limit + side * beyond}"
        # Some begin above a limit that they only come close to.
        assert taken(part, fact, limit) or taken(part, fact, limit - side * beyond)


def test_a_field_that_may_change_takes_a_course_and_no_other_does() -> None:
    at = {"on": "film", "seconds": 0.0}
    for part, fact in FACTS:
        if fact.options or fact.default is None:
            continue
        course = {"stops": [{"id": "s", "at": at, "value": fact.default}]}
        assert taken(part, fact, course) == fact.changes, f"{part.__name__}.{fact.name}"
        if fact.changes:
            assert not taken(part, fact, {"stops": []})
            assert not isinstance(fact.default, Course)


def test_names_are_words_and_colours_and_choices_say_so() -> None:
    facts = field_facts()
    for fields in facts.values():
        assert all(fact.label and "_" not in fact.label and fact.label[0].isupper() for fact in fields.values())
    assert facts["Breath"]["push"].label == "Push in"
    assert (facts["Lettering"]["opacity"].unit, facts["Lettering"]["opacity"].factor) == ("%", 0.01)
    assert facts["MarkerLook"]["colour"].colour
    assert "pin" in facts["MarkerLook"]["symbol"].options
    assert facts["MarkerLook"]["ground"].logarithmic
    assert facts["Vantage"]["focal"].unit == "mm"
    assert facts["Steps"]["count"].places == 0
