"""Times in tests: of several runs the quickest counts, so that what else the machine does is not measured."""

from __future__ import annotations

import time
from collections.abc import Callable


def quickest(work: Callable[[], object], runs: int = 5) -> float:
    """Seconds that the quickest of some runs takes."""
    found = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        found.append(time.perf_counter() - begin)
    return min(found)
