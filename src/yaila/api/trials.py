"""Trials: films as they would be after edits that are still being made, such as a drag.

The page names a trial when it asks for it, and asks for its picture at the same time: what is moved under the hand is
to be seen before all else that there is to say of it. Whoever asks for a trial that is not known yet waits until it is;
and the trial, once the film is known, lets its picture be drawn before it goes on. All of this is done by one
interpreter, so that both at once would take longer than one after the other.
"""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from concurrent.futures import Future, InvalidStateError
from concurrent.futures import TimeoutError as Late
from contextlib import suppress
from dataclasses import dataclass, field
from threading import Lock

MOST_NAMED = 32
"""Trials whose names are known, though their films may be gone."""

COMES = 3.0
"""How long one waits for a trial that has not been asked for yet, s."""

FIRST = 0.15
"""How long a trial lets its picture go first, s."""


@dataclass
class Trial:
    """A trial: whether its film is known, and its picture drawn."""

    known: Future[None] = field(default_factory=Future)
    seen: Future[None] = field(default_factory=Future)


class Trials:
    """The trials that pages have named, by film and name. Safe to use from several threads."""

    def __init__(self) -> None:
        self._named: OrderedDict[tuple[str, str], Trial] = OrderedDict()
        self._lock = Lock()

    def _trial(self, film: str, name: str) -> Trial:
        with self._lock:
            trial = self._named.setdefault((film, name), Trial())
            self._named.move_to_end((film, name))
            while len(self._named) > MOST_NAMED:
                _settle(self._named.popitem(last=False)[1].known)
        return trial

    def made(self, film: str, name: str) -> None:
        """The film of a trial is known; or it never will be, as it was refused."""
        _settle(self._trial(film, name).known)

    def drawn(self, film: str, name: str) -> None:
        """A trial has been drawn, or cannot be."""
        _settle(self._trial(film, name).seen)

    async def until_made(self, film: str, name: str) -> None:
        """Wait until a trial is known, or is not likely to come any more."""
        known = asyncio.wrap_future(self._trial(film, name).known)
        await asyncio.wait({known}, timeout=COMES)

    def until_drawn(self, film: str, name: str) -> None:
        """Wait until a trial has been drawn, though not for long."""
        with suppress(Late):
            self._trial(film, name).seen.result(FIRST)


def _settle(future: Future[None]) -> None:
    with suppress(InvalidStateError):
        future.set_result(None)
