"""The store of pages: what goes wrong with one page does no harm to others."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from yaila.core.imagery import PageStore
from yaila.core.imagery.pages import PageKey


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
