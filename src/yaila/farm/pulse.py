"""How a working process begins, tells of its progress, notices that the server is gone, and says what went wrong."""

from __future__ import annotations

import logging
import multiprocessing
import os
import time
from collections.abc import Callable
from pathlib import Path

from yaila.core.errors import YailaError
from yaila.formats.whole import refused_by_disk
from yaila.store import Store
from yaila.store.jobs import INTERRUPTED


class Pulse:
    """Writes progress now and then; ends the process when its server has died."""

    def __init__(self, store: Store, job: str, every: float = 0.3) -> None:
        self._store, self.job, self._every = store, job, every
        self._last = 0.0
        self._look()

    def beat(self, done: int) -> None:
        """Note how much is done. Cheap to call often."""
        clock = time.monotonic()
        if clock - self._last < self._every:
            return
        self._last = clock
        self._look()
        self._store.jobs.note(self.job, done=done)

    def _look(self) -> None:
        server = multiprocessing.parent_process()
        if server and not server.is_alive():
            self._store.jobs.note(
                self.job,
                state="interrupted",
                message=INTERRUPTED,
            )
            os._exit(1)


def give_way(by: int) -> None:
    """Let other programs go first, by so many steps of the system's niceness; ``YAILA_NICE`` says how many at most."""
    most = os.environ.get("YAILA_NICE", "")
    os.nice(min(by, int(most)) if most.isdigit() else by)


def work(run: Callable[[Store, str, Pulse], None], home: Path, job: str) -> None:
    """Do a job of a store. Whatever goes wrong reaches the job."""
    logging.basicConfig(level=logging.WARNING)
    store = Store(home)
    pulse = Pulse(store, job)
    if store.jobs.get(job).state != "waiting":
        # It was cancelled while this began.
        return
    store.jobs.note(job, state="running")

    def failed(message: str) -> None:
        store.sweep(job)
        store.jobs.note(job, state="failed", message=message[:400])

    try:
        run(store, job, pulse)
    except YailaError as error:
        failed(str(error))
    except MemoryError:
        failed("There is not enough memory for this. Close something else first.")
    except Exception as error:
        if isinstance(error, OSError) and (problem := refused_by_disk(error)):
            return failed(str(problem))
        logging.getLogger("yaila").exception("Job %s", job)
        failed(f"Yaila made a mistake ({type(error).__name__}: {error}). What stood before is as it was.")
