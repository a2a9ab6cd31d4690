"""Pages: the tiles of pyramids that drawing has at hand, in one bounded block of memory.

Every page is ``PAGE`` pixels square and carries a border of one pixel from its neighbours (at the edge of the
plate, its own edge again), so that bilinear samples never need a second page. Pages hold premultiplied RGBA.
Drawing pins the pages it needs, draws, and lets go; the ones longest unused make room for new ones.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

PAGE = 256
"""Pixels along a page's side, without its border."""

PADDED = PAGE + 2

PageKey = tuple[str, int, int, int]
"""Plate picture, level, column, row."""


def level_sizes(width: int, height: int) -> list[tuple[int, int]]:
    """Width and height of the levels of a picture: each half of the one before, down to a single page."""
    sizes = [(width, height)]
    while max(sizes[-1]) > PAGE:
        sizes.append((max(sizes[-1][0] // 2, 1), max(sizes[-1][1] // 2, 1)))
    return sizes


class Pyramid(Protocol):
    """What pages are read from."""

    alpha: bool

    @property
    def sizes(self) -> tuple[tuple[int, int], ...]:
        """Width and height of every level, the full picture first; level L is scaled by 2**-L."""
        ...

    def page(self, level: int, column: int, row: int, out: NDArray[np.uint8]) -> None:
        """Fill ``out``, shape (258, 258, 4), with a page and its border: premultiplied RGBA."""
        ...

    def window(self, level: int, x: int, y: int, width: int, height: int) -> NDArray[np.uint8]:
        """Part of a level, (height, width, 4) premultiplied RGBA."""
        ...


class PagesFull(Exception):
    """More pages are asked for at once than the store can hold."""


class PageStore:
    """A bounded store of pages, shared by everything that draws in a process."""

    def __init__(self, megabytes: int = 384, readers: int = 2) -> None:
        count = max(16, megabytes * 2**20 // (PADDED * PADDED * 4))
        # Not made zero: the system would hand it out in pieces of 4 KB, one after the other, as pages come in.
        self.block: NDArray[np.uint8] = np.empty((count, PADDED, PADDED, 4), dtype=np.uint8)
        self.block[0] = 0
        self.texels: NDArray[np.uint32] = self.block.reshape(-1).view(np.uint32)
        self._slots: OrderedDict[PageKey, int] = OrderedDict()
        self._pins: dict[PageKey, int] = {}
        # Slot 0 stays blank: it stands for pages that nobody asked for.
        self._free = list(range(count - 1, 0, -1))
        self._lock = threading.Condition()
        self._loading: set[PageKey] = set()
        self._count, self._readers = readers, ThreadPoolExecutor(readers, thread_name_prefix="pages")

    @property
    def capacity(self) -> int:
        """How many pages fit."""
        return len(self.block) - 1

    def clear(self) -> None:
        """Forget every page that is not in use."""
        with self._lock:
            for key in [key for key in self._slots if not self._pins.get(key)]:
                self._free.append(self._slots.pop(key))

    @contextmanager
    def pinned(self, wanted: dict[PageKey, Pyramid], waits: bool = False) -> Iterator[dict[PageKey, int]]:
        """Slots in ``block`` for the pages wanted, which stay put until the block is left. ``waits``: until other
        drawing has let its own go, where both do not fit; nobody may wait who holds some.

        Raises:
            PagesFull: they do not fit, other drawing's pages considered unless one ``waits``.
        """
        slots = self._take(wanted, waits)
        try:
            yield slots
        finally:
            with self._lock:
                self._let_go(wanted)

    def _fit(self, wanted: dict[PageKey, Pyramid]) -> bool:
        """Whether there is room for pages beside those that are in use."""
        missing = len(wanted) - sum(key in self._slots for key in wanted)
        if missing <= len(self._free):
            return True
        loose = sum(1 for key in self._slots if not self._pins.get(key) and key not in wanted)
        return missing <= len(self._free) + loose

    def _take(self, wanted: dict[PageKey, Pyramid], waits: bool) -> dict[PageKey, int]:
        with self._lock:
            if not self._fit(wanted):
                if not waits or len(wanted) > self.capacity:
                    raise PagesFull
                self._lock.wait_for(lambda: self._fit(wanted))
            mine: list[PageKey] = []
            for key in wanted:
                self._pins[key] = self._pins.get(key, 0) + 1
                if key in self._slots:
                    self._slots.move_to_end(key)
            for key in wanted:
                if key not in self._slots:
                    self._slots[key] = self._free.pop() if self._free else self._evict()
                    self._loading.add(key)
                    mine.append(key)
            slots = {key: self._slots[key] for key in wanted}
        queue = iter(mine)

        def some() -> None:
            # Each reader takes the next one from here: a piece of work for each page would cost more than most pages.
            for key in queue:
                wanted[key].page(*key[1:], self.block[slots[key]])

        reads = [self._readers.submit(some) for _ in range(min(self._count, len(mine)))]
        # All of them are waited for: a slot is given back only when nobody writes into it any more.
        wait(reads)
        try:
            for read in reads:
                read.result()
        except BaseException:
            with self._lock:
                for key in mine:
                    self._free.append(self._slots.pop(key))
                self._loading.difference_update(mine)
                self._let_go(wanted)
            raise
        with self._lock:
            self._loading.difference_update(mine)
            self._lock.notify_all()
            # Another thread may be reading a page that both of us want.
            self._lock.wait_for(lambda: not any(key in self._loading for key in wanted))
            if all(self._slots.get(key) == slot for key, slot in slots.items()):
                return slots
            # It could not, and has given the slot back: it is tried again, for its error to be ours too.
            self._let_go(wanted)
        return self._take(wanted, waits)

    def _let_go(self, keys: Iterable[PageKey]) -> None:
        for key in keys:
            self._pins[key] -= 1
            if not self._pins[key]:
                del self._pins[key]
        self._lock.notify_all()

    def _evict(self) -> int:
        key = next(key for key in self._slots if not self._pins.get(key))
        return self._slots.pop(key)
