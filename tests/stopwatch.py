"""Work in tests: how often functions are called, which is the same on every machine; or, where loops are compiled, how
long the quickest of several runs takes, so that what else the machine does is not measured."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable


def calls(work: Callable[[], object]) -> int:
    """How many functions are called in work, those of compiled modules among them."""
    count = 0

    def note(frame: object, event: str, of: object) -> None:
        nonlocal count
        count += event in ("call", "c_call")

    before = sys.getprofile()
    sys.setprofile(note)
    try:
        work()
    finally:
        sys.setprofile(before)
    return count


def quickest(work: Callable[[], object], runs: int = 5) -> float:
    """Seconds of work, of all its threads together, that the quickest of some runs takes: whatever else the machine
    has to do is not counted."""
    found = []
    for _ in range(runs):
        begin = time.process_time()
        work()
        found.append(time.process_time() - begin)
    return min(found)
