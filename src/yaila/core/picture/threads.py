"""Rows of a picture drawn side by side."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cache
from itertools import pairwise
from typing import Any, TypeVar

from numpy.typing import NDArray

from yaila.core.stopping import current, go_on, under

PROCESSORS = os.cpu_count() or 2

LEAST = 24_000
"""Pixels of a part, so many at least."""

FEW = 48_000
"""So many pixels are done sooner than they are handed to others."""

Made = TypeVar("Made")


@cache
def _threads() -> ThreadPoolExecutor:
    # One for each processor but that of whoever asks: with one more, what needs the interpreter shares a processor with
    # rows that could as well be drawn by whoever asks, and is ready after them (a frame takes a tenth longer).
    # Threads that draw hand over often, so that a short answer need not wait for them: with three of them at work an
    # edit takes 0.17 s then, and 0.7 with Python's own 5 ms.
    sys.setswitchinterval(0.0001)
    return ThreadPoolExecutor(max(PROCESSORS - 1, 1), thread_name_prefix="draw", initializer=yield_to_others)


def yield_to_others() -> None:
    """From here on this thread gives way to whatever answers a person in the same process."""
    if hasattr(os, "setpriority"):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), os.getpriority(os.PRIO_PROCESS, 0) + 5)


def in_threads(
    rows: Callable[[int, int], None], of: NDArray[Any], first: int = 0, last: int | None = None, worth: int = 1
) -> None:
    """Call ``rows`` for parts of the rows of an array side by side, a few parts for each processor; of a small one
    fewer, as each has its own cost. ``worth``: as how many pixels one counts, where it takes much longer than most."""
    last = len(of) if last is None else last
    pixels = (last - first) * of.shape[1] * worth
    if pixels <= FEW:
        rows(first, last)
        return go_on()
    stop = current()
    count = min(PROCESSORS * 4, -(-pixels // LEAST))
    edges = [first + (last - first) * part // count for part in range(count + 1)]
    # All of them take the next part from here: whoever is late does fewer.
    parts = iter([(a, b) for a, b in pairwise(edges) if b > a])

    def some() -> None:
        for a, b in parts:
            if not (stop and stop.stopped):
                rows(a, b)

    helpers = [_threads().submit(some) for _ in range(PROCESSORS - 1)]
    try:
        some()
    finally:
        # One that has not begun by now is not needed any more.
        for helper in helpers:
            if not helper.cancel():
                helper.result()
    go_on()


def beside(work: Callable[[], Made]) -> Callable[[], Made]:
    """Begin work in another thread, under the stop of this one. What is given back waits for what it makes, or does it
    here if no thread was free so far. Work that rests does it itself: no thread of others is to rest with it."""
    stop = current()
    if stop and stop.rests:
        return work

    def there() -> Made:
        with under(stop):
            return work()

    begun = _threads().submit(there)
    return lambda: work() if begun.cancel() else begun.result()
