"""Where a value of the document stands: in the mark, plate or style with an id, or in an effect of the finish such as
``finish.lens``, at a path of names such as ``look/opacity``. What is named so is found again whatever else is added or
taken away."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ValidationError

from yaila.core.errors import BadEdit, said
from yaila.core.film.finish import FINISH
from yaila.core.film.marked import KINDS
from yaila.core.film.model import Film
from yaila.core.film.walk import Slot, slots_of

LISTS = ("plates", *(kind.listed for kind in KINDS.values()), "styles", "lanes", "sounds")
"""The lists of a film whose parts are named by their ids."""


def holder(film: Film, of: str) -> tuple[str, int, Any]:
    """The list that the part with an id stands in, its place there, and the part; of an effect, nothing and 0.

    Raises:
        BadEdit: there is none.
    """
    for effect in film.finish.effects:
        if effect.id == of:
            return "", 0, effect
    for name in LISTS:
        for index, part in enumerate(getattr(film, name)):
            if part.id == of:
                return name, index, part
    raise BadEdit("What that belongs to is no longer in the film. Undo brings it back.")


def slot_at(film: Film, of: str, field: str) -> tuple[Any, Slot, BaseModel]:
    """The value at an address, what its field is, and the part that it stands in.

    Raises:
        BadEdit: there is no such field, or it holds no quantity.
    """
    part: Any = holder(film, of)[2]
    *way, last = field.split("/")
    for name in way:
        part = getattr(part, name, None) if name in getattr(type(part), "model_fields", {}) else None
    if isinstance(part, BaseModel):
        slot = next((one for one in slots_of(type(part)) if one.name == last and one.kind is not None), None)
        if slot:
            return getattr(part, last), slot, part
    raise BadEdit(f"There is no “{field}” there that could be set.")


def with_value(film: Film, of: str, field: str, value: Any) -> Film:
    """A film with another value at an address; where a mark follows its style, the property becomes its own.

    Raises:
        BadEdit: the value is not one that the field can have.
    """
    name, index, part = holder(film, of)
    slot_at(film, of, field)
    made = _put(part, field.split("/"), value)
    way = field.split("/")
    if way[0] == "look" and getattr(made, "style", None) and len(way) == 2:
        made = made.model_copy(update={"own": tuple(dict.fromkeys([*made.own, way[1]]))})
    if not name:
        return film.model_copy(update={"finish": film.finish.model_copy(update={of.removeprefix(FINISH): made})})
    parts = [*getattr(film, name)]
    parts[index] = made
    return film.model_copy(update={name: parts})


def _put(part: Any, way: list[str], value: Any) -> Any:
    first, *rest = way
    inner = _put(getattr(part, first), rest, value) if rest else value
    document = {name: getattr(part, name) for name in type(part).model_fields} | {first: inner}
    try:
        return type(part).model_validate(document)
    except ValidationError as error:
        raise BadEdit(f"{said(error)}. Nothing was changed.") from error
