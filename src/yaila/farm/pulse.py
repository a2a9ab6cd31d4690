"""How a working process tells of its progress, and notices that the server is gone."""

from __future__ import annotations

import os
import time

from yaila.store import Store


class Pulse:
    """Writes progress now and then; ends the process when its server has died."""

    def __init__(self, store: Store, job: str, every: float = 0.3) -> None:
        self._store, self.job, self._every = store, job, every
        self._parent = os.getppid()
        self._last = 0.0

    def beat(self, done: int) -> None:
        """Note how much is done. Cheap to call often."""
        clock = time.monotonic()
        if clock - self._last < self._every:
            return
        self._last = clock
        if os.getppid() != self._parent:
            self._store.jobs.note(
                self.job,
                state="interrupted",
                message="Yaila was stopped while this was under way. Start it again.",
            )
            os._exit(1)
        self._store.jobs.note(self.job, done=done)
