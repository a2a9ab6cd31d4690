"""Long work that can be stopped: whoever asks for it says so once, and the work looks now and then whether it still
matters.

What is under way in a thread belongs to the :class:`Stop` that the thread was begun with. Without one, work goes on to
its end. Work under a stop gives way: while a short answer is being made, it pauses for a while where it could stop.
Work that nobody waits for rests, besides, while something is made that a person looks at, as a frame is.
"""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from math import inf


class Stopped(Exception):
    """Nobody waits for this work any more."""


PAUSE = 0.02
"""How long work pauses at once for short answers, s."""

LINGERS = 0.3
"""How long after what a person looks at has been made more of it is likely to be wanted, as under a hand, s."""


class Stop:
    """Whether work is to go on; ``seconds`` is how long it may take before the cheaper form is to be given, ``gives``
    how many of them it may pause in all. Work that ``rests`` gives way to all that a person looks at, to its end."""

    def __init__(self, seconds: float = inf, gives: float = 0.0, rests: bool = False) -> None:
        self._stopped = threading.Event()
        self._begin, self._seconds = time.monotonic(), seconds
        self._gives, self.rests = gives, rests

    def give_way(self) -> None:
        """Pause for a while if a short answer is being made; or rest until nobody looks at anything."""
        if not self.rests and not _no_short.is_set():
            self._pause(_no_short)
        while self.rests and is_watched() and not self.stopped and self._gives > 0:
            self._pause(self._stopped)

    def _pause(self, until: threading.Event) -> None:
        if self._gives > 0:
            begin = time.monotonic()
            until.wait(PAUSE)
            self._gives -= time.monotonic() - begin

    def hurry(self) -> None:
        """Somebody waits for what it makes, so it gives way no more."""
        self._gives = 0.0

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


_no_short = threading.Event()
"""Set while no short answer is being made."""
_no_short.set()
_answering = Counter[bool]()
"""How many short answers are being made, and how many that are seen."""
_seen_last = -inf
_counting = threading.Lock()


def is_watched() -> bool:
    """Whether something is made that a person looks at, or waits for, or was until now."""
    return _answering.total() > 0 or time.monotonic() < _seen_last + LINGERS


class Answer:
    """What is being made for a person. A short answer, for which longer work gives way; until it is given, or turns out
    to be long itself: then only work that rests gives way to it, if it is looked at, or none."""

    def __init__(self) -> None:
        self._short: bool | None = True
        with _counting:
            _answering[True] += 1
            _no_short.clear()

    def seen(self) -> None:
        """It is long from here on, but a person looks at it."""
        self._becomes(False)

    def done(self) -> None:
        """It is given, or long work itself from here on."""
        self._becomes(None)

    def _becomes(self, short: bool | None) -> None:
        global _seen_last
        # What has been given is not counted again, whichever thread says so first.
        with _counting:
            before, self._short = self._short, None if self._short is None else short
            if before is not None:
                _answering[before] -= 1
            if before is False:
                _seen_last = time.monotonic()
            if self._short is not None:
                _answering[self._short] += 1
            _no_short.clear() if _answering[True] else _no_short.set()


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


class Turn:
    """A lock around long work: whoever waits for it has the work that holds it give way no more, but for work that
    rests itself."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._held: Stop | None = None

    def __enter__(self) -> None:
        own = current()
        while not self._lock.acquire(timeout=PAUSE):
            if self._held and not (own and own.rests):
                self._held.hurry()
        self._held = own

    def __exit__(self, *_: object) -> None:
        self._held = None
        self._lock.release()


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


def give_way() -> None:
    """Give way as :func:`go_on` does, in what is made to its end whether it still matters or not, as it is kept."""
    stop = current()
    if stop:
        stop.give_way()


def late(share: float = 1.0) -> bool:
    """Whether the time is over in which this work was to be done, or a share of it."""
    stop = current()
    return bool(stop and stop.late(share))
