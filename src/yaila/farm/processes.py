"""The processes that jobs are done in. They are forked from one that has loaded what they need, so that a job begins at
once and not after three seconds of imports; that one starts with the first job or before, and ends with the server."""

from __future__ import annotations

import importlib
import multiprocessing
import threading
from multiprocessing import forkserver
from pathlib import Path
from typing import NamedTuple


class Kind(NamedTuple):
    """What does a kind of job: a module with a ``run``, and by how much it gives way to other programs."""

    module: str
    nice: int


KINDS = {
    "import": Kind("yaila.farm.importing", 15),
    "capture": Kind("yaila.farm.capturing", 10),
    "fit": Kind("yaila.farm.fitting", 10),
    "reel": Kind("yaila.farm.reel", 19),
}
"""By kind of job."""

_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(["__main__", "yaila.farm.forked"])


def made_ready() -> None:
    """Begin what processes are forked from, so that the first job need not wait for what it loads."""
    forkserver.ensure_running()


class Working:
    """A process that does a job."""

    def __init__(self, kind: str, home: Path, job: str) -> None:
        # It is a daemon as no server that ends should wait for it.
        self._process = _context.Process(target=_do, args=(kind, home, job), name=f"{kind} {job}", daemon=True)
        self._over = threading.Event()

    def run(self) -> int:
        """Do it; what it ends with: 0, another code, or below 0 the signal that ended it."""
        try:
            self._process.start()
            self._process.join()
            return self._process.exitcode or 0
        finally:
            self._over.set()

    def end(self, patience: float = 10.0) -> None:
        """End it, whatever it does."""
        if not self._process.is_alive():
            return
        self._process.terminate()
        if not self._over.wait(patience):
            self._process.kill()


def _do(kind: str, home: Path, job: str) -> None:
    from yaila.farm.pulse import give_way, work

    module, nice = KINDS[kind]
    give_way(nice)
    work(importlib.import_module(module).run, home, job)
