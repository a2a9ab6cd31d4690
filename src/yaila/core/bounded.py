"""What is kept in memory because it may be asked for again, bounded in bytes: the longest unused goes first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Bounded(Generic[K, V]):
    """Values by key, of which so many are kept as fit; the newest always is. Safe to use from several threads.

    Args:
        most: bytes of all values together.
        weight: how many bytes a value takes, roughly.
    """

    def __init__(self, most: int, weight: Callable[[V], int]) -> None:
        self._most, self._weight = most, weight
        self._kept: OrderedDict[K, tuple[V, int]] = OrderedDict()
        self._lock = threading.Lock()
        self._bytes = 0

    @property
    def bytes(self) -> int:
        """How much is kept."""
        return self._bytes

    def get(self, key: K) -> V | None:
        """A value, if it is kept."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key][0]

    def put(self, key: K, value: V) -> V:
        """Keep a value."""
        weight = self._weight(value)
        with self._lock:
            self._drop(key)
            self._kept[key] = value, weight
            self._bytes += weight
            while self._bytes > self._most and len(self._kept) > 1:
                self._drop(next(iter(self._kept)))
        return value

    def _drop(self, key: K) -> None:
        if key in self._kept:
            self._bytes -= self._kept.pop(key)[1]


class Remembered(Generic[V]):
    """What was made of parts of a document, found again by these very parts and whatever else it depends on: an edit
    leaves most parts as they are. Parts of a document that has been laid out are not changed any more.

    Args:
        most: how many are kept, in the unit of ``weight``.
        weight: how much parts weigh that are kept with what was made of them.
    """

    def __init__(self, most: int, weight: Callable[[tuple[Any, ...]], int] = lambda parts: 1) -> None:
        self._known: Bounded[tuple[Hashable, ...], tuple[tuple[Any, ...], V]] = Bounded(
            most, lambda known: weight(known[0])
        )

    def of(self, parts: tuple[Any, ...], rest: tuple[Hashable, ...], make: Callable[[], V]) -> V:
        """What was made of parts, and of the rest, which is held against what it was by its value."""
        key = (*map(id, parts), *rest)
        # The parts are kept with it, so that nothing else takes their numbers.
        known = self._known.get(key) or self._known.put(key, (parts, make()))
        return known[1]
