"""Long work that can be stopped: whoever asks for it says so once, and the work looks now and then whether it still
matters.

What is under way in a thread belongs to the :class:`Stop` that the thread was begun with. Without one, work goes on to
its end. Work under a stop gives way: while a short answer is being made, it pauses for a while where it could stop.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from math import inf


class Stopped(Exception):
    """Nobody waits for this work any more."""


PAUSE = 0.02
"""How long work pauses at once for short answers, s."""


class Stop:
    """Whether work is to go on; ``seconds`` is how long it may take before the cheaper form is to be given, ``gives``
    how many of them it may pause in all."""

    def __init__(self, seconds: float = inf, gives: float = 0.0) -> None:
        self._stopped = threading.Event()
        self._begin, self._seconds = time.monotonic(), seconds
        self._gives = gives

    def give_way(self) -> None:
        """Pause while short answers are being made."""
        if self._gives <= 0 or _quiet.is_set():
            return
        begin = time.monotonic()
        _quiet.wait(PAUSE)
        self._gives -= time.monotonic() - begin

    def stop(self) -> None:
        """Have the work stopped, wherever it is."""
        self._stopped.set()

    @property
    def stopped(self) -> bool:
        """Whether it is to stop."""
        return self._stopped.is_set()

    def late(self, share: float = 1.0) -> bool:
        """Whether its time is over, or a share of it."""
        return time.monotonic() > self._begin + self._seconds * share


_quiet = threading.Event()
_quiet.set()
_answering = 0
_counting = threading.Lock()


class Answer:
    """A short answer being made, for which longer work gives way, until it is given or turns out to be long itself."""

    def __init__(self) -> None:
        self._counts = True
        _count(1)

    def done(self) -> None:
        """It is given, or long work itself from here on."""
        if self._counts:
            self._counts = False
            _count(-1)


def _count(change: int) -> None:
    global _answering
    with _counting:
        _answering += change
        _quiet.clear() if _answering else _quiet.set()


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
    if stop:
        if stop.stopped:
            raise Stopped
        stop.give_way()


def late(share: float = 1.0) -> bool:
    """Whether the time is over in which this work was to be done, or a share of it."""
    stop = current()
    return bool(stop and stop.late(share))
