"""Rows of a picture drawn side by side."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise

import numpy as np

from yaila.core.stopping import current, go_on

PROCESSORS = os.cpu_count() or 2

LEAST_ROWS = 48
"""Rows of a part, so many at least."""

FEW_ROWS = 128
"""So many rows are done sooner than they are handed to others."""


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(PROCESSORS, thread_name_prefix="draw", initializer=_yield_to_others)


def _yield_to_others() -> None:
    """Drawing gives way to whatever answers a person in the same process."""
    if hasattr(os, "setpriority"):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), os.getpriority(os.PRIO_PROCESS, 0) + 5)


def in_threads(rows: Callable[[int, int], None], first: int, last: int) -> None:
    """Call ``rows`` for parts of a range of rows side by side, one for each processor and a few to spare; of few rows
    fewer parts, as each has its own cost."""
    count, stop = min(PROCESSORS * 4, -(-(last - first) // LEAST_ROWS)), current()

    def part(start: int, end: int) -> None:
        if not (stop and stop.stopped):
            rows(start, end)

    if last - first <= FEW_ROWS:
        part(first, last)
        return go_on()
    edges = np.linspace(first, last, count + 1).astype(int)
    for done in [_threads().submit(part, int(a), int(b)) for a, b in pairwise(edges) if b > a]:
        done.result()
    go_on()
