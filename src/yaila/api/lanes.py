"""Lanes: each kind of work has a bounded place of its own, and in it no film waits long for another.

A lane has a few threads. Films that wait for it take turns, and one film never has all of its threads. Work that nobody
waits for any more is stopped: because the other side has hung up, or because newer work of the same name has come.
"""

from __future__ import annotations

import asyncio
import threading
from collections import OrderedDict, deque
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from math import inf
from typing import Any, Generic, TypeVar

from fastapi import Request

from yaila.core.errors import Busy
from yaila.core.picture.threads import yield_to_others
from yaila.core.stopping import Stop, Stopped, under

T = TypeVar("T")

LOOK = 0.2
"""How often it is looked whether newer work has come, s."""

MOST_WAITING = 64
"""Pieces of work of one film that may wait in a lane."""


def is_long(request: Request, seen: bool = False) -> None:
    """From here on a request is long work, which gives way to others and must not to itself; what rests gives way to
    what is ``seen``, whatever a person looks at while it is made."""
    if answer := request.scope.get("answer"):
        answer.seen() if seen else answer.done()


async def _hung_up(request: Request) -> None:
    """Until the other side of a request has gone."""
    while (await request.receive())["type"] != "http.disconnect":
        pass


@dataclass
class Task(Generic[T]):
    """A piece of work in a lane, for a film; newer work of the same name takes its place."""

    work: Callable[[], T]
    film: str
    stop: Stop
    name: str | None = None
    outcome: Future[T] = field(default_factory=Future)


class Lane:
    """A place for one kind of work.

    Args:
        threads: how many pieces of work are done side by side.
        each: how many of them may be one film's.
        seconds: how long a piece may take before it is to give its cheaper form.
        gives: how long a piece may pause for short answers, s.
        patient: whether nobody minds that whatever else is done in the process goes first.
        seen: whether a person looks at what is made.
        rests: whether nobody waits for it, so that it rests while what is seen is made.
        short: whether it is short answers, which others give way to.
    """

    def __init__(
        self,
        name: str,
        threads: int,
        each: int,
        seconds: float = inf,
        gives: float = 0.0,
        patient: bool = False,
        seen: bool = False,
        rests: bool = False,
        short: bool = False,
    ) -> None:
        self._each, self._seconds, self._gives = each, seconds, gives
        self._waiting: OrderedDict[str, deque[Task[Any]]] = OrderedDict()
        self._running: dict[str, int] = {}
        self._named: dict[str, Stop] = {}
        self._change = threading.Condition()
        self._closed = False
        self._patient, self._seen, self._rests, self._short = patient, seen, rests, short
        for number in range(threads):
            threading.Thread(target=self._work, name=f"{name}-{number}", daemon=True).start()

    def start(self, film: str, work: Callable[[], T], name: str | None = None) -> Task[T]:
        """Begin work for a film; newer work of the same ``name`` takes its place.

        Raises:
            Busy: the film has too much waiting already.
        """
        task = Task(work, film, Stop(self._seconds, self._gives, self._rests), name)
        with self._change:
            line = self._waiting.setdefault(film, deque())
            if len(line) >= MOST_WAITING:
                raise Busy("There is more to be drawn for this film than can be. It is tried again in a moment.")
            if name:
                if name in self._named:
                    self._named[name].stop()
                self._named[name] = task.stop
            line.append(task)
            self._change.notify()
        # What comes of work that nobody waits for is nobody's to hear.
        task.outcome.add_done_callback(lambda done: done.cancelled() or done.exception())
        return task

    async def do(self, request: Request, film: str, work: Callable[[], T], name: str | None = None) -> T:
        """Do work for a film and wait for it, as :meth:`start` and :meth:`wait`."""
        return await self.wait(request, self.start(film, work, name))

    async def wait(self, request: Request, task: Task[T]) -> T:
        """What comes of work that has begun.

        Raises:
            Stopped: nobody waits for it any more, or newer work has taken its place.
        """
        if not self._short:
            is_long(request, self._seen)
        waiting = asyncio.wrap_future(task.outcome)
        waiting.add_done_callback(lambda done: done.cancelled() or done.exception())
        # What one has let go of is in the way of what one asks for instead: that is to be known at once.
        gone = asyncio.ensure_future(_hung_up(request))
        either: set[asyncio.Future[Any]] = {waiting, gone}
        try:
            while not waiting.done():
                await asyncio.wait(either, timeout=LOOK, return_when=asyncio.FIRST_COMPLETED)
                if task.stop.stopped or gone.done() or waiting.cancelled():
                    raise Stopped
            return waiting.result()
        finally:
            gone.cancel()
            # Also when this is cancelled; what is done already does not mind.
            task.stop.stop()
            task.outcome.cancel()
            with self._change:
                if task.name and self._named.get(task.name) is task.stop:
                    del self._named[task.name]

    def busy(self, film: str) -> int:
        """How many pieces of a film's work are being done."""
        with self._change:
            return self._running.get(film, 0)

    def close(self) -> None:
        """Stop everything."""
        with self._change:
            self._closed = True
            for task in [one for line in self._waiting.values() for one in line]:
                task.stop.stop()
            self._change.notify_all()

    def _next(self) -> Task[Any] | None:
        """The first piece of the film whose turn it is."""
        for film in list(self._waiting):
            line = self._waiting[film]
            while line and line[0].stop.stopped:
                line.popleft().outcome.cancel()
            if line and self._running.get(film, 0) < self._each:
                self._waiting.move_to_end(film)
                return line.popleft()
            if not line:
                del self._waiting[film]
        return None

    def _work(self) -> None:
        if self._patient:
            yield_to_others()
        while True:
            with self._change:
                while (task := self._next()) is None:
                    if self._closed:
                        return
                    self._change.wait()
                self._running[task.film] = self._running.get(task.film, 0) + 1
            try:
                if task.outcome.set_running_or_notify_cancel():
                    with under(task.stop):
                        task.outcome.set_result(task.work())
            except BaseException as error:
                task.outcome.set_exception(error)
            finally:
                with self._change:
                    self._running[task.film] -= 1
                    if not self._running[task.film]:
                        del self._running[task.film]
                    self._change.notify()
