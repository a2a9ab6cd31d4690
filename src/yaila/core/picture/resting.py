"""What rests is not made again: the last of something is kept with all that it was made from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

Made = TypeVar("Made")


class Last(Generic[Made]):
    """The last that was made of something. Safe to use from several threads: each gets what is made from its own."""

    def __init__(self) -> None:
        self._kept: tuple[tuple[object, ...], Made] | None = None

    def of(
        self, given: tuple[object, ...], make: Callable[[], Made], serves: Callable[[], bool] = lambda: True
    ) -> Made:
        """What is made from something: the last again, if it was made from the same.

        Args:
            given: all that it is made from; arrays, and whatever else is the same only as itself, as :class:`Itself`.
            serves: whether what was made may serve again; asked once it is made.
        """
        kept = self._kept
        if kept and kept[0] == given:
            return kept[1]
        made = make()
        self._kept = (given, made) if serves() else None
        return made


@dataclass(frozen=True)
class Itself:
    """Something that is the same as nothing but itself."""

    what: Any

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Itself) and other.what is self.what

    def __hash__(self) -> int:
        return id(self.what)
