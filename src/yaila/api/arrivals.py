"""Files on their way into the store: the body of a request, kept until a job takes it in."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import PurePath
from typing import Any

from fastapi import Request

from yaila.api.desk import Desk
from yaila.api.jobs import Job, job_of
from yaila.core.errors import YailaError
from yaila.core.quantities import is_count
from yaila.formats.whole import ask_room
from yaila.store.jobs import new_job

MOST_BYTES = 16 * 2**30


def label_of(name: str, fallback: str) -> str:
    """A file's name as it is shown: without the folders it came from."""
    return PurePath(name.replace("\\", "/")).name or fallback


async def begun(
    desk: Desk,
    request: Request,
    film_id: str,
    label: str,
    settings: dict[str, Any],
    refused: type[YailaError],
    lay: Callable[[str, dict[str, Any]], None],
) -> Job:
    """Take a file in the background, the body of a request; ``lay`` is given the job and what came of it, once it is in
    store.

    Raises:
        NoRoom, YailaError: as :func:`received`.
    """
    job = new_job()
    file = await received(desk, request, job, label, refused)
    desk.store.jobs.add("import", film_id, label, settings | {"file": file}, 100, job)
    desk.farm.start(job, "import", lambda: lay(job, desk.store.jobs.get(job).settings))
    return job_of(desk.store.jobs.get(job))


def found_again(desk: Desk, job: str, film_id: str, kind: str, sha256: str, lost: bool) -> bool:
    """Whether a file that was taken in is one that a film had lost: then it is whole again, and the job is done."""
    uses = desk.store.films.state(film_id).film.files if lost else []
    for use in uses:
        if (use.kind, use.sha256) == (kind, sha256):
            desk.conclude(job, [], "", f"The {kind} of “{use.name}” is whole again.")
            return True
    return False


async def received(desk: Desk, request: Request, job: str, label: str, refused: type[YailaError]) -> str:
    """Keep the body of a request as the file that a job works on; its path.

    Raises:
        NoRoom: the disk has not the room.
        YailaError: of the kind ``refused``: it is empty, or larger than 16 GB.
    """
    file = desk.store.arrivals / job
    size = 0
    coming = request.headers.get("content-length", "")
    ask_room(desk.store.arrivals, int(coming) if is_count(coming) else 0, f"“{label}”")
    try:
        with file.open("wb") as out:
            async for chunk in request.stream():
                size += len(chunk)
                if size > MOST_BYTES:
                    raise refused(f"“{label}” is over 16 GB. Cut it in parts or save it compressed.")
                out.write(chunk)
        if size == 0:
            raise refused(f"“{label}” is empty: it has no bytes. Save it again and drop it once more.")
    except BaseException:
        file.unlink(missing_ok=True)
        raise
    return str(file)
