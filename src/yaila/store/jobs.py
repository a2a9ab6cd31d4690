"""Long work and how far it is."""

from __future__ import annotations

import math
import secrets
from datetime import UTC
from typing import Any

from sqlalchemy import Engine, select, update
from sqlalchemy.orm import Session

from yaila.core.errors import NotFound
from yaila.store.database import JobRow, now

OPEN = ("waiting", "running")
"""States of jobs that are not over."""


PAUSED = "Paused."
INTERRUPTED = "Yaila was stopped while this was under way. Start it again."
"""What is said of jobs that a server left open."""


def new_job() -> str:
    """An id for a job; what it works on is named by it."""
    return secrets.token_hex(6)


class Jobs:
    """The jobs in a store. States: waiting, running, done, failed, cancelled, interrupted."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def add(self, kind: str, film: str, name: str, settings: dict[str, Any], total: int, job: str | None = None) -> str:
        """Note a new job, waiting; returns its id, which may be made before."""
        job = job or new_job()
        with Session(self._engine) as session, session.begin():
            session.add(JobRow(id=job, kind=kind, film=film, name=name, settings=settings, total=total))
        return job

    def get(self, job: str) -> JobRow:
        """A job.

        Raises:
            NotFound: there is none.
        """
        with Session(self._engine, expire_on_commit=False) as session:
            row = session.get(JobRow, job)
            if row is None:
                raise NotFound("There is no such job.")
            session.expunge(row)
            return row

    def of_film(self, film: str) -> list[JobRow]:
        """All jobs of a film, the newest first."""
        with Session(self._engine, expire_on_commit=False) as session:
            rows = session.scalars(select(JobRow).where(JobRow.film == film).order_by(JobRow.made.desc()))
            return list(rows)

    def of_all(self, over: int) -> list[JobRow]:
        """The jobs of all films that are not over or could go on, and the newest ``over`` of the others; the newest
        first."""
        with Session(self._engine, expire_on_commit=False) as session:
            newest = select(JobRow).order_by(JobRow.made.desc())
            goes_on = JobRow.state.in_((*OPEN, "interrupted"))
            rows = [*session.scalars(newest.where(goes_on)), *session.scalars(newest.where(~goes_on).limit(over))]
            return sorted(rows, key=lambda row: row.made, reverse=True)

    def note(self, job: str, **changes: Any) -> None:
        """Change a job that is not over; what is over stays as it is."""
        if changes.get("state") == "running":
            changes["started"] = now()
        elif changes.get("state") is not None:
            changes["ended"] = now()
        with Session(self._engine) as session, session.begin():
            session.execute(update(JobRow).where(JobRow.id == job, JobRow.state.in_(OPEN)).values(**changes))

    def reopen(self, job: str) -> None:
        """Let a job wait again that was over before it was done."""
        with Session(self._engine) as session, session.begin():
            changes = {"state": "waiting", "message": "", "started": None, "ended": None}
            session.execute(update(JobRow).where(JobRow.id == job).values(**changes))

    def reels_left(self) -> list[JobRow]:
        """Reels that were interrupted, and not paused by somebody: those that were under way first, then as they stood
        in line."""
        with Session(self._engine, expire_on_commit=False) as session:
            left = JobRow.kind == "reel", JobRow.state == "interrupted", JobRow.message != PAUSED
            rows = list(session.scalars(select(JobRow).where(*left)))
        # One without a place came after the line was changed last.
        return sorted(rows, key=lambda row: (row.started is None, row.settings.get("place", math.inf), row.made))

    def interrupt_all(self) -> None:
        """Mark what an earlier server left open: called when one starts."""
        with Session(self._engine) as session, session.begin():
            session.execute(
                update(JobRow)
                .where(JobRow.state.in_(OPEN))
                .values(
                    state="interrupted",
                    message=INTERRUPTED,
                    ended=now(),
                )
            )


def seconds_under_way(row: JobRow) -> float:
    """How long a job has run, or ran, seconds."""
    if row.started is None:
        return 0.0
    start = row.started.replace(tzinfo=UTC)
    end = row.ended.replace(tzinfo=UTC) if row.ended else now()
    return (end - start).total_seconds()
