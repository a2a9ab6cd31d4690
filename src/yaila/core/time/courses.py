"""Courses: values that change over the film.

A field that may change is written ``Changes[FrameLength]``. In the document it holds a value, or a course: stops with a
value each, the moment they are reached, and the ease towards the next. Type checkers see the plain value: that is what
whoever draws is given, since courses are worked out once, when the scene of a moment is made (``film/running.py``).
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import Annotated, Any, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, Field, GetCoreSchemaHandler
from pydantic_core import CoreSchema, SchemaValidator
from pydantic_core import core_schema as build

from yaila.core.quantities import Id, quantity_of
from yaila.core.time.easing import Ease
from yaila.core.time.moments import Moment

T = TypeVar("T")

MOST_STOPS = 200

VALUE, COURSE = "·value", "·course"
"""How the two forms of a field are told apart in errors; ``said`` in ``errors.py`` leaves them out."""


class Stop(BaseModel, Generic[T]):
    """A value, the moment at which it is reached, and how it runs on from there to the next stop's."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    id: Id
    at: Moment
    value: T
    ease: Ease = Ease(x1=0.0, y1=0.0, x2=1.0, y2=1.0)


class Course(BaseModel, Generic[T]):
    """A value over time: before the first stop it is that one's, after the last the last one's."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    stops: tuple[Stop[T], ...] = Field(min_length=1, max_length=MOST_STOPS)

    @classmethod
    def model_parametrized_name(cls, params: tuple[Any, ...]) -> str:
        kind = quantity_of(getattr(params[0], "__metadata__", ()))
        names = {"float": "Number", "int": "Count", "str": "Colour", "focus": "Focus"}
        return names.get(kind.name if kind else getattr(params[0], "__name__", ""), "Placement") + "Course"

    # Within a limit is a course all of whose values are.
    def _all(self, limit: Any, holds: Callable[[Any, Any], bool]) -> bool:
        return all(holds(stop.value, limit) for stop in self.stops)

    def __ge__(self, limit: Any) -> bool:
        return self._all(limit, operator.ge)

    def __gt__(self, limit: Any) -> bool:
        return self._all(limit, operator.gt)

    def __le__(self, limit: Any) -> bool:
        return self._all(limit, operator.le)

    def __lt__(self, limit: Any) -> bool:
        return self._all(limit, operator.lt)


class MayChange:
    """Makes of a field's type one that also takes courses of it."""

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        inner = handler(source)
        course = handler.generate_schema(Course[source])
        check: list[SchemaValidator] = []

        def each_within(made: Course[Any]) -> Course[Any]:
            if inner["type"] in ("float", "int", "str"):
                if not check:
                    check.append(SchemaValidator(inner))
                for stop in made.stops:
                    check[0].validate_python(stop.value)
            return made

        checked = build.no_info_after_validator_function(each_within, course)
        return build.union_schema([(inner, VALUE), (checked, COURSE)], mode="left_to_right")


Changes = Annotated[T, MayChange()]
"""A value, or a course of it."""
