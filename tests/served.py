"""Servers of the tests. They are forked from a process that has loaded what they need, so that one begins at once and
not after five seconds of imports; `python -m yaila serve` itself is started in ``api/test_hold.py``."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import random
import socket
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from multiprocessing import forkserver
from multiprocessing.process import BaseProcess
from pathlib import Path
from unittest import mock

import httpx
import psutil

from yaila.core.sound.tools import TOOLS

_context = multiprocessing.get_context("forkserver")
LOADED = ["uvicorn", "yaila.api.app", "yaila.farm.forked", "alembic.command", "sqlalchemy.dialects.sqlite", *TOOLS]


def free_port() -> int:
    """A port nobody listens on, below those the system gives to clients: a client that asks one of those before the
    server is up can be connected to itself."""
    while True:
        port = random.randrange(20000, 32000)
        with socket.socket() as free, contextlib.suppress(OSError):
            free.bind(("127.0.0.1", port))
            return port


@dataclass
class Server:
    """A running Yaila with a store of its own."""

    home: Path
    port: int = 0
    process: BaseProcess | None = None
    gives_way: bool = False
    """Whether its long work gives way to other programs: tests wait for it, while others keep the processors busy."""
    begins_its_own: bool = False
    """Whether the processes of its jobs are forked from one that it begins, as they are where it is used; others are
    forked from where it was itself, and need not wait for that to load what they need."""
    client: httpx.Client = field(default_factory=partial(httpx.Client, verify=False))

    @property
    def url(self) -> str:
        """Where it is."""
        return f"http://127.0.0.1:{self.port}"

    def start(self, port: int = 0) -> None:
        """Start it, at a free port unless one is given, and wait until it answers."""
        self.port = port or free_port()
        begins_its_own = self.begins_its_own or self.gives_way
        self.process = _context.Process(target=_serve, args=(self.port, self.home, self.gives_way, begins_its_own))
        _context.set_forkserver_preload(LOADED)
        # What servers and their jobs are forked from gives way to nobody.
        with mock.patch.dict(os.environ, {"YAILA_NICE": "0"}):
            self.process.start()
        # Connections that rest are let go before the server does, which would be just as one is used again.
        limits = httpx.Limits(keepalive_expiry=2)
        self.client = httpx.Client(base_url=self.url, timeout=60, limits=limits, verify=False)
        self.until(self._answers, 60)

    @property
    def worked(self) -> float:
        """Seconds of a processor that it has had by itself: those that others took from it are not counted."""
        assert self.process
        times = psutil.Process(self.process.pid).cpu_times()
        return times.user + times.system

    def kill(self) -> None:
        """Kill it as a crash would: it gets no chance to tidy up."""
        assert self.process
        self.process.kill()
        self.process.join()

    def stop(self) -> None:
        """Stop it in good order."""
        if self.process and self.process.is_alive():
            self.process.terminate()
            self.process.join(60)
            assert not self.process.is_alive(), "it did not stop"

    def __enter__(self) -> Server:
        self.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    def until(self, true: Callable[[], bool], seconds: float = 60) -> None:
        """Wait until something is true; fail when it takes too long."""
        end, pause = time.monotonic() + seconds, 0.02
        while not true():
            assert time.monotonic() < end, "it took too long"
            time.sleep(pause)
            # Who waits for long asks seldom, and leaves the processors to what is waited for.
            pause = min(pause * 1.2, 0.3)

    def jobs(self, film: str) -> list[dict]:
        """The jobs of a film, the newest first."""
        return self.client.get(f"/api/films/{film}/pulse").json()["jobs"]

    def _answers(self) -> bool:
        try:
            return self.client.get("/api/films", timeout=5).status_code == 200
        except httpx.HTTPError:
            return False


def begun(*words: str, home: str = "") -> BaseProcess:
    """The command line with some words, in a process of its own that leads all that it begins; what it has brought is
    kept in ``home``."""
    _context.set_forkserver_preload(LOADED)
    process = _context.Process(target=_commanded, args=(words, home))
    process.start()
    return process


def _commanded(words: tuple[str, ...], home: str) -> None:
    from yaila.cli import main

    os.setsid()
    os.environ |= {"YAILA_FARM_HOME": home} if home else {}
    sys.argv = ["yaila", *words]
    main()


def _serve(port: int, home: Path, gives_way: bool, begins_its_own: bool) -> None:
    from yaila.cli import main

    os.environ["YAILA_HOME"] = str(home)
    if gives_way:
        del os.environ["YAILA_NICE"]
    if not begins_its_own:
        forkserver.ensure_running = forkserver._forkserver.ensure_running = lambda: None  # type: ignore[attr-defined]
    sys.argv = ["yaila", "serve", "--port", str(port)]
    main()
