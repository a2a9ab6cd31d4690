"""Long work that can be stopped: whoever asks for it says so once, and the work looks now and then whether it still
matters.

What is under way in a thread belongs to the :class:`Stop` that the thread was begun with. Without one, work goes on to
its end.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from math import inf


class Stopped(Exception):
    """Nobody waits for this work any more."""


class Stop:
    """Whether work is to go on; ``seconds`` is how long it may take before the cheaper form is to be given."""

    def __init__(self, seconds: float = inf) -> None:
        self._stopped = threading.Event()
        self._end = time.monotonic() + seconds

    def stop(self) -> None:
        """Have the work stopped, wherever it is."""
        self._stopped.set()

    @property
    def stopped(self) -> bool:
        """Whether it is to stop."""
        return self._stopped.is_set()

    @property
    def late(self) -> bool:
        """Whether its time is over."""
        return time.monotonic() > self._end


_own = threading.local()


@contextmanager
def under(stop: Stop | None) -> Iterator[None]:
    """Do the work of this thread under a stop."""
    before = current()
    _own.stop = stop
    try:
        yield
    finally:
        _own.stop = before


def current() -> Stop | None:
    """The stop that this thread works under, to be handed to threads that help it."""
    return getattr(_own, "stop", None)


def go_on() -> None:
    """Go on with the work, if it still matters.

    Raises:
        Stopped: it does not.
    """
    stop = current()
    if stop and stop.stopped:
        raise Stopped


def late() -> bool:
    """Whether the time is over in which this work was to be done."""
    stop = current()
    return bool(stop and stop.late)
