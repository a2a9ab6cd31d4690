"""Long work in processes of its own, so that the interface never waits for it: imports, captures, fits and reels."""

from __future__ import annotations

import logging
import shutil
import signal
from collections.abc import Callable

from yaila.core.errors import BadRender
from yaila.farm.processes import KINDS, Working
from yaila.farm.turns import Turns
from yaila.store import Store
from yaila.store.jobs import INTERRUPTED, OPEN, PAUSED

log = logging.getLogger("yaila")


RESUMED = ("interrupted", "failed")
"""States from which a reel can go on."""


STUCK = "It was interrupted twice in a row at the same frame. Let it go on by hand, or look at that frame first."


def _ended(code: int) -> str:
    """What is said of a process that could not say itself what went wrong."""
    if code == -signal.SIGKILL:
        return "The system ended this work, as it does when memory runs out. Close something else, and start it again."
    how = f"by signal {-code}" if code < 0 else f"with code {code}"
    return f"The work ended {how} before it was done. Start it again; what stood before is as it was."


class Farm:
    """Starts a process for each job: one of each kind at a time, and of reels as many as are wanted; first come, first
    served, unless somebody gives them another order."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._working: dict[str, Working] = {}
        self._turns = {kind: Turns(kind) for kind in KINDS}
        self._closing = False

    def start(self, job: str, kind: str, done: Callable[[], None] = lambda: None, at_once: bool = False) -> None:
        """Do a job in the background, ``at_once`` or when it is its turn; ``done`` is called when its process has ended
        well and left the job open."""
        self._turns[kind].join(job, lambda: self._tried(job, kind, done), at_once)

    @property
    def reels(self) -> Turns:
        """The line of reels."""
        return self._turns["reel"]

    def cancel(self, job: str) -> None:
        """Stop a job that is not over, or give up one that could go on; what it has written so far is removed."""
        row = self._store.jobs.get(job)
        if row.state in RESUMED and row.kind == "reel":
            self._store.jobs.reopen(job)
        elif row.state not in OPEN:
            return
        self._store.jobs.note(job, state="cancelled", message="Cancelled.")
        self._turns[row.kind].leave(job)
        self._end(job)
        self._store.sweep(job)
        for part in self._store.reels.glob(f"{job}*"):
            shutil.rmtree(part, ignore_errors=True) if part.is_dir() else part.unlink(missing_ok=True)

    def pause(self, job: str) -> None:
        """Stop a reel that is under way; its pieces stay, and it can go on."""
        row = self._store.jobs.get(job)
        if row.state in OPEN and row.kind == "reel":
            self._store.jobs.note(job, state="interrupted", message=PAUSED)
            self.reels.leave(job)
            self._end(job)

    def resume(self, job: str) -> None:
        """Let a reel go on that was interrupted or failed, with the pieces that it has.

        Raises:
            BadRender: it is none of that.
        """
        row = self._store.jobs.get(job)
        if row.kind != "reel" or row.state not in RESUMED:
            raise BadRender("Only a reel that was interrupted, paused or has failed can go on.")
        self._store.jobs.reopen(job)
        self.start(job, "reel")

    def take_up(self) -> None:
        """Let the reels go on that an earlier server left, in their order. One that was under way again and came no
        further than when that was tried last is left: what stopped it would stop it again."""
        for row in self._store.jobs.reels_left():
            self._store.jobs.reopen(row.id)
            if row.started is not None and row.settings.get("taken_up") == row.done:
                self._store.jobs.note(row.id, state="interrupted", message=STUCK, started=row.started)
                continue
            self._store.jobs.note(row.id, settings={**row.settings, "taken_up": row.done})
            self.start(row.id, "reel")

    def move(self, job: str, to: int) -> None:
        """Give a reel that waits another place in the line, 0 the next; it keeps it when Yaila is started again.

        Raises:
            BadEdit: it does not wait any more.
        """
        self.reels.move(job, to)
        for place, waiting in enumerate(self.reels.line):
            settings = self._store.jobs.get(waiting).settings
            self._store.jobs.note(waiting, settings={**settings, "place": place})

    def _end(self, job: str) -> None:
        if working := self._working.get(job):
            working.end()

    def close(self) -> None:
        """Stop all jobs: the server is going."""
        self._closing = True
        for turn in self._turns.values():
            turn.close()
        for working in list(self._working.values()):
            working.end(patience=0)

    def _tried(self, job: str, kind: str, done: Callable[[], None]) -> None:
        try:
            self._work(job, kind, done)
        except Exception:
            log.exception("Job %s was left", job)

    def _work(self, job: str, kind: str, done: Callable[[], None]) -> None:
        if self._closing or self._store.jobs.get(job).state != "waiting":
            return
        working = self._working[job] = Working(kind, self._store.home, job)
        code = working.run()
        del self._working[job]
        self._store.sweep(job)
        if self._closing:
            self._store.jobs.note(
                job,
                state="interrupted",
                message=INTERRUPTED,
            )
        elif code:
            self._store.jobs.note(job, state="failed", message=_ended(code))
        elif self._store.jobs.get(job).state in OPEN:
            try:
                done()
            except Exception as error:
                log.exception("After job %s", job)
                self._store.jobs.note(job, state="failed", message=str(error))
