"""Times in tests: of several runs the quickest counts, so that what else the machine does is not measured."""

from __future__ import annotations

import time
from collections.abc import Callable


def quickest(work: Callable[[], object], runs: int = 5) -> float:
    """Seconds of work, of all its threads together, that the quickest of some runs takes: whatever else the machine
    has to do is not counted."""
    found = []
    for _ in range(runs):
        begin = time.process_time()
        work()
        found.append(time.process_time() - begin)
    return min(found)
