"""The one walk through the document: every value of a film by the kind of quantity it is.

:func:`changed` makes a film in which each kind becomes what a rule says: places are moved, bearings turned, times
stretched, names replaced. :func:`found` lists values. Both read from the types what a value is
(``core/quantities.py``), so a new field takes part as soon as it says its kind.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Annotated, Any, TypeVar, Union, get_args, get_origin

import annotated_types
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from yaila.core.ground.mercator import stretch_at
from yaila.core.ground.placement import through
from yaila.core.quantities import (
    BEARING,
    EAST,
    GROUND_LENGTH,
    GROUND_SPEED,
    HEIGHT,
    OFFSET,
    PLACE,
    PLATE_PLACE,
    TIED_PLACE,
    TRUE_LENGTH,
    TURN,
    Quantity,
    Ref,
    quantity_of,
    wrapped,
)
from yaila.core.time import Course
from yaila.core.time.courses import MayChange

P = TypeVar("P", bound=BaseModel)
Owners = tuple[BaseModel, ...]
"""The parts that a value stands in, the innermost first."""
Rule = Callable[[Any, Owners], Any]
"""What a value becomes; rules of vectors and of pairs take and give arrays."""
PartRule = Callable[[Any, Owners], Any]
"""What a part becomes, before its own values are looked at."""

VECTORS = (PLACE, OFFSET, TIED_PLACE, PLATE_PLACE)
"""Kinds of which a value is a tuple of coordinates; their rules take and give arrays (n, 2), offsets perhaps (n, 3)."""

PAIRS = {"east": "north", "plate x": "plate y", "pulled x": "pulled y"}
"""Kinds of which two fields of a part make a place."""


@dataclass(frozen=True)
class Slot:
    """A field of a part: its kind, if it says one, how many tuples or lists lie around the values, and its limits."""

    name: str
    kind: Quantity | None
    depth: int
    low: Any
    high: Any
    whole: bool
    holds: bool
    """Whether parts stand in it."""
    label: str = ""
    """What it is called."""
    changes: bool = False
    """Whether it may hold a course."""
    parts: frozenset[type[BaseModel]] = frozenset()
    """The kinds of parts that may stand in it."""


def _read(annotation: Any, metadata: tuple[Any, ...] = ()) -> Slot:
    """What a type says of the values of a field, the field's name left out."""
    while get_origin(annotation) is Annotated:
        annotation, *more = get_args(annotation)
        metadata = (*metadata, *more)
    metadata = tuple(one for given in metadata for one in (given.metadata if isinstance(given, FieldInfo) else [given]))
    kind = quantity_of(metadata)
    low = next((one.ge for one in metadata if isinstance(one, annotated_types.Ge)), None)
    high = next((one.le for one in metadata if isinstance(one, annotated_types.Le)), None)
    inner = Slot("", None, 0, None, None, annotation is int, _is_part(annotation))
    origin = get_origin(annotation)
    if origin in (Union, types.UnionType):
        forms = [one for one in get_args(annotation) if one is not type(None)]
        read = [_read(one) for one in forms if not (isinstance(one, type) and issubclass(one, Course))]
        first = next((one for one in read if one.kind), read[0])
        changes = first.changes or len(read) < len(forms)
        inner = replace(first, holds=any(one.holds for one in read), changes=changes)
    elif origin in (tuple, list):
        first = _read(get_args(annotation)[0])
        inner = replace(first, depth=first.depth + 1)
    if kind:
        inner = replace(inner, kind=kind, depth=0)
    changes = inner.changes or any(isinstance(one, MayChange) for one in metadata)
    low, high = inner.low if low is None else low, inner.high if high is None else high
    return replace(inner, low=low, high=high, changes=changes)


def _is_part(annotation: Any) -> bool:
    return isinstance(annotation, type) and issubclass(annotation, BaseModel)


def _parts_in(annotation: Any) -> frozenset[type[BaseModel]]:
    """The kinds of parts that a type names, courses left out."""
    if _is_part(annotation):
        return frozenset() if issubclass(annotation, Course) else frozenset([annotation])
    return frozenset(one for inner in get_args(annotation) for one in _parts_in(inner))


@cache
def _leads(slot: Slot, kinds: tuple[Any, ...]) -> bool:
    """Whether values of some kinds may stand in the parts that stand in a slot."""
    seen: set[type[BaseModel]] = set()
    left = set(slot.parts)
    while left:
        part = left.pop()
        seen.add(part)
        for one in slots_of(part):
            # A course hangs on moments, which name what they hang on.
            if one.changes or (one.kind and (one.kind in kinds or type(one.kind) in kinds)):
                return True
            left |= one.parts - seen
    return False


@cache
def slots_of(part: type[BaseModel]) -> tuple[Slot, ...]:
    """The fields of a kind of part that hold quantities or parts."""
    fields = part.model_fields.items()
    slots = [
        replace(
            _read(field.annotation, tuple(field.metadata)),
            name=name,
            parts=_parts_in(field.annotation),
            label=field.title or name.replace("_", " ").capitalize(),
        )
        for name, field in fields
    ]
    return tuple(slot for slot in slots if slot.kind or slot.holds)


def changed(part: P, rules: Mapping[Quantity, Rule], parts: Mapping[Any, PartRule] | None = None) -> P:
    """A part in which the values of each kind, however deep, are what the rules say.

    Numbers are kept within the limits of their fields; those that count are rounded. ``parts`` gives rules for kinds
    of parts (classes); what they return is walked through in its turn, unless it is the same.
    """
    made = _changed(part, rules, parts or {}, ())
    assert isinstance(made, BaseModel)
    return made  # type: ignore[return-value]


def _changed(value: Any, rules: Mapping[Quantity, Rule], parts: Mapping[Any, PartRule], owners: Owners) -> Any:
    if isinstance(value, BaseModel):
        for kind, rule in parts.items():
            if isinstance(value, kind):
                value = rule(value, owners)
                break
        return _part(value, rules, parts, owners) if isinstance(value, BaseModel) else value
    if isinstance(value, tuple | list):
        made = [_changed(one, rules, parts, owners) for one in value]
        if all(a is b for a, b in zip(made, value, strict=True)):
            return value
        return type(value)(made) if not hasattr(value, "_fields") else type(value)(*made)
    return value


def _part(part: BaseModel, rules: Mapping[Quantity, Rule], parts: Mapping[Any, PartRule], owners: Owners) -> BaseModel:
    inside = (part, *owners)
    update: dict[str, Any] = {}
    for slot in slots_of(type(part)):
        value = getattr(part, slot.name)
        if value is None:
            continue
        rule = rules.get(slot.kind) if slot.kind else None
        if slot.kind and slot.kind.name in PAIRS:
            other = next(one for one in slots_of(type(part)) if one.kind and one.kind.name == PAIRS[slot.kind.name])
            if rule := rules.get(PLACE if slot.kind == EAST else slot.kind):
                moved = rule(np.array([[value, getattr(part, other.name)]]), inside)[0]
                update[slot.name], update[other.name] = kept(float(moved[0]), slot), kept(float(moved[1]), other)
            continue
        if isinstance(value, Course):
            made: Any = _course(value, slot, rule, rules, parts, inside)
        elif rule and not (slot.kind and slot.kind.unless and getattr(part, slot.kind.unless)):
            made = _ruled(value, slot, slot.depth, rule, inside)
        elif slot.holds:
            made = _changed(value, rules, parts, inside)
        else:
            continue
        if made is not value:
            update[slot.name] = made
    return part.model_copy(update=update) if update else part


def _course(
    course: Course[Any], slot: Slot, rule: Rule | None, rules: Mapping[Quantity, Rule],
    parts: Mapping[Any, PartRule], owners: Owners,
) -> Course[Any]:  # fmt: skip
    stops = []
    for stop in course.stops:
        value = _changed(stop.value, rules, parts, owners)
        value = _ruled(value, slot, slot.depth, rule, owners) if rule else value
        at = _changed(stop.at, rules, parts, (stop, *owners))
        stops.append(stop.model_copy(update={"value": value, "at": at}))
    return course.model_copy(update={"stops": tuple(stops)})


def _ruled(value: Any, slot: Slot, depth: int, rule: Rule, owners: Owners) -> Any:
    if value is None:
        return None
    vectors = slot.kind in VECTORS
    if vectors and depth == 1:
        # Many at once: outlines have tens of thousands.
        if not len(value):
            return value
        places = rule(np.array(value, np.float64), owners).tolist()
        form = type(value[0])
        return tuple(form(*place) if hasattr(form, "_fields") else tuple(place) for place in places)
    if depth:
        return type(value)(_ruled(one, slot, depth - 1, rule, owners) for one in value)
    if vectors:
        place = rule(np.array([value], np.float64), owners)[0].tolist()
        return type(value)(*place) if hasattr(value, "_fields") else tuple(place)
    return kept(rule(value, owners), slot)


def kept(value: Any, slot: Slot) -> Any:
    """A number within the limits of a field, rounded if that counts."""
    if isinstance(value, float | int) and not isinstance(value, bool):
        if slot.low is not None:
            value = max(value, slot.low)
        if slot.high is not None:
            value = min(value, slot.high)
        return int(np.floor(value + 0.5)) if slot.whole else float(value)
    return value


@dataclass(frozen=True)
class Found:
    """A value of the document: its kind, where it is (names and places in lists from the film down), and its owners."""

    kind: Quantity
    path: tuple[str | int, ...]
    value: Any
    owners: Owners


def found(part: BaseModel, *kinds: Quantity | type[Ref]) -> Iterator[Found]:
    """All values of some kinds, in the order of the document; values in lists one by one. ``Ref`` finds all names."""
    there: list[Found] = []
    _find(part, kinds, (), (), there)
    return iter(there)


PLAIN = (float, int, str, bool, type(None))
"""What most values are: neither parts nor courses."""


@cache
def _ways(part: type[BaseModel], kinds: tuple[Any, ...]) -> tuple[tuple[Slot, bool, bool], ...]:
    """The fields of a kind of part that hold values of some kinds, and those that lead to them."""
    ways = []
    for slot in slots_of(part):
        meant = bool(slot.kind and (slot.kind in kinds or type(slot.kind) in kinds))
        leads = slot.holds and _leads(slot, kinds)
        if meant or leads or slot.changes:
            ways.append((slot, meant, leads))
    return tuple(ways)


def _find(value: Any, kinds: tuple[Any, ...], path: tuple[str | int, ...], owners: Owners, there: list[Found]) -> None:
    if isinstance(value, tuple | list):
        for index, one in enumerate(value):
            if type(one) not in PLAIN:
                _find(one, kinds, (*path, index), owners, there)
        return
    if not isinstance(value, BaseModel):
        return
    inside = (value, *owners)
    for slot, meant, leads in _ways(type(value), kinds):
        held = getattr(value, slot.name)
        if held is None:
            continue
        if meant:
            there.extend(_each(held, slot, slot.depth, (*path, slot.name), inside))
        if type(held) not in PLAIN and (leads or isinstance(held, Course)):
            _find(held, kinds, (*path, slot.name), inside, there)


def _each(value: Any, slot: Slot, depth: int, path: tuple[str | int, ...], owners: Owners) -> Iterator[Found]:
    if depth:
        for index, one in enumerate(value):
            yield from _each(one, slot, depth - 1, (*path, index), owners)
    elif isinstance(value, Course):
        for index, stop in enumerate(value.stops):
            yield Found(slot.kind, (*path, "stops", index, "value"), stop.value, owners)  # type: ignore[arg-type]
    else:
        assert slot.kind
        yield Found(slot.kind, path, value, owners)


def parts_of(part: BaseModel, kind: type[P]) -> Iterator[tuple[P, Owners]]:
    """All parts of a kind, however deep, with what they stand in."""
    yield from _parts(part, kind, ())


def _parts(value: Any, kind: type[P], owners: Owners) -> Iterator[tuple[P, Owners]]:
    if isinstance(value, tuple | list):
        if value and not isinstance(value[0], float | int | str):
            for one in value:
                yield from _parts(one, kind, owners)
    elif isinstance(value, BaseModel):
        if isinstance(value, kind):
            yield value, owners
        for slot in slots_of(type(value)):
            held = getattr(value, slot.name)
            if slot.holds or isinstance(held, Course):
                yield from _parts(held, kind, (value, *owners))


def similarity_rules(change: NDArray[np.float64], metres: bool = False) -> dict[Quantity, Rule]:
    """Rules that take a film's ground through a similarity (3x3): places, lengths, heights and bearings; ``metres``:
    what was in ground units becomes metres of the Earth, for the lengths that are given in these."""
    scale = float(np.sqrt(abs(np.linalg.det(change[:2, :2]))))
    turn = float(np.degrees(np.arctan2(-change[1, 0], change[0, 0])))

    def true(length: float, owners: Owners) -> float:
        y = float(through(change, np.array([[owners[0].x, owners[0].y]]))[0, 1])  # type: ignore[attr-defined]
        return length * scale / (stretch_at(y) if metres else 1.0)

    def turned(bearing: float, owners: Owners) -> float:
        return wrapped(bearing + turn)

    def longer(length: float, owners: Owners) -> float:
        return length * scale

    return {
        PLACE: lambda places, _: through(change, places),
        OFFSET: lambda offsets, _: np.column_stack([offsets[:, :2] @ change[:2, :2].T, offsets[:, 2:] * scale]),
        GROUND_LENGTH: longer,
        GROUND_SPEED: longer,
        HEIGHT: longer,
        TRUE_LENGTH: true,
        BEARING: turned,
        TURN: turned,
    }
