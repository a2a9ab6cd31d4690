"""Who is next: jobs of a kind wait in line, some are worked at side by side, and the line can be changed."""

from __future__ import annotations

import threading
from collections.abc import Callable

from yaila.core.errors import BadEdit


class Turns:
    """A line of jobs, of which ``slots`` are worked at, first come, first served unless somebody changes the line."""

    def __init__(self, name: str, slots: int = 1) -> None:
        self._name, self._slots = name, slots
        self._waiting: list[tuple[str, Callable[[], None]]] = []
        self._busy = 0
        self._closed = False
        self._lock = threading.Lock()

    def join(self, job: str, work: Callable[[], None], at_once: bool = False) -> None:
        """Let a job wait for its turn, or do it at once, beside those whose turn it is."""
        with self._lock:
            self._waiting.append((job, work))
            if at_once:
                self._begin(len(self._waiting) - 1, counts=False)
        self._go_on()

    @property
    def line(self) -> list[str]:
        """Those that wait, the next first."""
        with self._lock:
            return [job for job, _ in self._waiting]

    def move(self, job: str, to: int) -> None:
        """Give a job that waits another place in the line, 0 the next.

        Raises:
            BadEdit: it does not wait any more.
        """
        with self._lock:
            at = next((at for at, (one, _) in enumerate(self._waiting) if one == job), None)
            if at is None:
                raise BadEdit("That job does not wait any more, so its place cannot be changed.")
            self._waiting.insert(max(to, 0), self._waiting.pop(at))

    def leave(self, job: str) -> None:
        """Let a job not wait any more."""
        with self._lock:
            self._waiting = [one for one in self._waiting if one[0] != job]

    @property
    def slots(self) -> int:
        """How many jobs are worked at side by side."""
        return self._slots

    @slots.setter
    def slots(self, slots: int) -> None:
        self._slots = slots
        self._go_on()

    def close(self) -> None:
        """Begin nothing any more."""
        with self._lock:
            self._closed = True
            self._waiting.clear()

    def _go_on(self) -> None:
        with self._lock:
            while self._waiting and self._busy < self._slots and not self._closed:
                self._begin(0, counts=True)

    def _begin(self, at: int, counts: bool) -> None:
        job, work = self._waiting.pop(at)
        self._busy += counts

        def done() -> None:
            try:
                work()
            finally:
                with self._lock:
                    self._busy -= counts
                self._go_on()

        threading.Thread(target=done, name=f"{self._name} {job}", daemon=True).start()
