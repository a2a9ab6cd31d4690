"""The store of pages: what goes wrong with one page does no harm to others."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from yaila.core.imagery import PageStore
from yaila.core.imagery.pages import PageKey, PagesFull


class Torn:
    """A picture of which one page cannot be read, and another takes its time."""

    alpha = False
    sizes = ((512, 256),)

    def __init__(self) -> None:
        self.late = threading.Event()
        self.written = False

    def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
        if column == 0:
            raise OSError("unreadable")
        self.late.wait(0.3)
        out[:] = 200
        self.written = True


def test_after_a_read_error_no_reader_writes_into_slots_that_were_given_back() -> None:
    torn, pages = Torn(), PageStore(8)
    wanted: dict[PageKey, Torn] = {("t", 0, 0, 0): torn, ("t", 0, 1, 0): torn}
    with pytest.raises(OSError, match="unreadable"), pages.pinned(wanted):
        pass
    # The slow one had ended before its slot was free again.
    assert torn.written
    # Nothing is left pinned: as many pages fit as before.
    assert not pages._pins
    assert len(pages._free) == pages.capacity


class Even:
    """A picture all of whose pages are alike."""

    alpha = False
    sizes = ((16_384, 256),)

    def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
        out[:] = 90


def test_who_waits_has_room_once_other_drawing_has_let_its_pages_go() -> None:
    # The lights of a frame are drawn beside its plates: with little memory one would be refused for the other.
    pages, even = PageStore(4), Even()

    def some(name: str, count: int) -> dict[PageKey, Even]:
        return {(name, 0, column, 0): even for column in range(count)}

    def drawn(waits: bool) -> int:
        with pages.pinned(some("b", 10), waits=waits) as slots:
            return len(set(slots.values()))

    assert 10 < pages.capacity < 20
    with ThreadPoolExecutor(1) as other:
        with pages.pinned(some("a", 10)):
            with pytest.raises(PagesFull):
                drawn(waits=False)
            waiting = other.submit(drawn, True)
            with pytest.raises(TimeoutError):
                waiting.result(0.1)
        assert waiting.result(5) == 10
    # What would not fit alone is waited for by nobody.
    with pytest.raises(PagesFull), pages.pinned(some("c", pages.capacity + 1), waits=True):
        pass
    assert not pages._pins
