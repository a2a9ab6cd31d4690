"""What is sent of a film while a hand moves something in it: only what is another value than before. The page puts it
into what it has, so whatever stays is the very same there too, and need not be drawn anew."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel


class Change(BaseModel):
    """A value that is another one now: where it stands (a JSON Pointer, RFC 6901), and what it has become."""

    path: str
    value: Any


def changes(before: BaseModel, after: BaseModel, path: str = "") -> Iterator[Change]:
    """What leads from one value to another of its kind. Of a list whose parts are as many as before, the parts that
    changed are told; of any other that did, all of it."""
    for name in type(after).model_fields:
        one, other, place = getattr(before, name), getattr(after, name), f"{path}/{name}"
        if one is other:
            continue
        if isinstance(one, BaseModel) and type(one) is type(other):
            yield from changes(one, other, place)
        elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
            parts = [(k, now) for k, (was, now) in enumerate(zip(one, other, strict=True)) if not _same(was, now)]
            # Plain numbers are told all together.
            if parts and not isinstance(other[0], BaseModel):
                yield Change.model_construct(path=place, value=other)
            else:
                yield from (Change.model_construct(path=f"{place}/{k}", value=now) for k, now in parts)
        elif one != other:
            yield Change.model_construct(path=place, value=other)


def _same(one: Any, other: Any) -> bool:
    return one is other or bool(one == other)
