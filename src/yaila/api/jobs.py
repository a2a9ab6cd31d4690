"""Imports and reels: starting, watching, cancelling, fetching."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Depends
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict

from yaila.api.desk import Desk, desk_of
from yaila.core.errors import BadRender, NotFound
from yaila.farm.reel import ReelSettings, frames_of, size_for
from yaila.store.database import JobRow
from yaila.store.jobs import seconds_under_way

router = APIRouter(prefix="/api", tags=["jobs"])
TheDesk = Annotated[Desk, Depends(desk_of)]


class Job(BaseModel):
    """Long work. ``rate`` is frames (of an import: hundredths) a second; ``left`` is seconds, when known."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)

    id: str
    kind: Literal["import", "capture", "fit", "reel"]
    name: str
    state: Literal["waiting", "running", "done", "failed", "cancelled", "interrupted"]
    done: int
    total: int
    message: str
    rate: float | None
    left: float | None
    seconds: float
    made: datetime
    size: tuple[int, int] | None = None
    crf: int | None = None
    bytes: int | None = None


class Pulse(BaseModel):
    """What changes while one looks: the revision that stands, and the jobs."""

    revision: int
    jobs: list[Job]


class NewReel(BaseModel):
    """A reel to render: of which revision, and how."""

    revision: int
    settings: ReelSettings = ReelSettings()


def job_of(row: JobRow, reels: Path | None = None) -> Job:
    """A job as the API gives it."""
    seconds = seconds_under_way(row)
    rate = row.done / seconds if row.done and seconds > 0 else None
    left = (row.total - row.done) / rate if rate and row.state == "running" else None
    file = reels / f"{row.id}.mp4" if reels and row.kind == "reel" and row.state == "done" else None
    return Job.model_validate(
        {
            "id": row.id,
            "kind": row.kind,
            "name": row.name,
            "state": row.state,
            "done": row.done,
            "total": row.total,
            "message": row.message,
            "rate": rate,
            "left": left,
            "seconds": seconds,
            "made": row.made,
            "size": row.settings.get("size"),
            "crf": row.settings.get("reel", {}).get("crf"),
            "bytes": file.stat().st_size if file and file.exists() else None,
        }
    )


@router.get("/films/{film_id}/pulse")
def get_pulse(film_id: str, desk: TheDesk) -> Pulse:
    """The revision that stands and all jobs of the film, the newest first."""
    return Pulse(
        revision=desk.store.films.head(film_id),
        jobs=[job_of(row, desk.store.reels) for row in desk.store.jobs.of_film(film_id)],
    )


@router.post("/films/{film_id}/reels", status_code=202)
def start_reel(film_id: str, new: NewReel, desk: TheDesk) -> Job:
    """Render a revision of a film in the background."""
    film = desk.store.films.at_revision(film_id, new.revision)
    frames, size = frames_of(film, new.settings), size_for(film, new.settings.width)
    missing = [plate.name for plate in film.plates if not desk.store.pictures.has(plate.picture.sha256)]
    if missing:
        raise BadRender(f"The picture of “{missing[0]}” is not in store. Drop its file again, then render.")
    settings = {"revision": new.revision, "reel": new.settings.model_dump(), "size": list(size)}
    job = desk.store.jobs.add("reel", film_id, film.name, settings, len(frames))
    desk.farm.start(job, "reel")
    return job_of(desk.store.jobs.get(job))


@router.post("/jobs/{job}/cancel")
def cancel_job(job: str, desk: TheDesk) -> Job:
    """Stop a job."""
    desk.store.jobs.get(job)
    desk.farm.cancel(job)
    return job_of(desk.store.jobs.get(job))


@router.get("/reels/{job}.mp4", response_class=FileResponse)
def get_reel(job: str, desk: TheDesk, download: bool = False) -> FileResponse:
    """The file of a finished reel, to play in the page or to download."""
    row = desk.store.jobs.get(job)
    path = desk.store.reels / f"{row.id}.mp4"
    if row.kind != "reel" or not path.exists():
        raise NotFound("That reel has no file. Render it again.")
    name = "".join(c if c.isalnum() or c in " -_" else "-" for c in row.name).strip() or "film"
    return FileResponse(
        path,
        media_type="video/mp4",
        filename=f"{name}.mp4",
        content_disposition_type="attachment" if download else "inline",
    )
