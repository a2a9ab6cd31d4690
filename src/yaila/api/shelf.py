"""The shelf: all films with what they are and the room they take; taking them away, giving them out, taking them in."""

from __future__ import annotations

import secrets
import shutil
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel
from starlette.background import BackgroundTask

from yaila.api.arrivals import begun, label_of
from yaila.api.desk import Desk, desk_of, file_body
from yaila.api.jobs import Job, file_name
from yaila.core.errors import BadBundle
from yaila.formats.bundle import write_bundle
from yaila.store import FilmCard, Holding
from yaila.store.jobs import new_job

router = APIRouter(prefix="/api", tags=["shelf"])
TheDesk = Annotated[Desk, Depends(desk_of)]


class Shelved(BaseModel):
    """A film on the shelf. ``poster`` is a frame that shows what it is about, if it has any; ``bytes`` is the room of
    all its files and reels, ``alone`` what of that goes with it if it is taken away for good. Of ``lacks`` files it
    needs and has not, ``first`` names one."""

    id: str
    name: str
    revision: int
    state: str
    touched: datetime
    away: bool
    width: int
    height: int
    rate: str
    frames: int
    seconds: float
    poster: int | None
    bytes: int
    alone: int
    lacks: int
    first: str


class ShelfOfFilms(BaseModel):
    """All films, and the room that the store takes and has left, bytes."""

    films: list[Shelved]
    bytes: int
    left: int


@router.get("/shelf")
def get_shelf(desk: TheDesk) -> ShelfOfFilms:
    """All films, those put away too, the last touched first."""
    holdings = desk.store.holdings.all()
    films = [_shelved(desk, card, holdings.get(card.id, Holding(0, 0))) for card in desk.store.films.cards()]
    disk = shutil.disk_usage(desk.store.home)
    return ShelfOfFilms(films=films, bytes=desk.store.holdings.used(), left=disk.free)


def _shelved(desk: Desk, card: FilmCard, holding: Holding) -> Shelved:
    film, choreography = desk.film(card.id, f"r{card.revision}")
    lacking = [use for use in film.files if not desk.store.has(use)]
    frames = choreography.frames
    return Shelved(
        id=card.id,
        name=card.name,
        revision=card.revision,
        state=f"r{card.revision}",
        touched=card.touched,
        away=card.away,
        width=film.frame.width,
        height=film.frame.height,
        rate=film.rate,
        frames=frames,
        seconds=frames / float(film.fps.value),
        poster=choreography.poster if frames and film.plates else None,
        bytes=holding.whole,
        alone=holding.alone,
        lacks=len(lacking),
        first=lacking[0].name if lacking else "",
    )


class Freed(BaseModel):
    """How much room was made, bytes."""

    bytes: int


@router.delete("/films/{film_id}")
def take_away(film_id: str, desk: TheDesk) -> Freed:
    """Take a film that is put away, away for good: its revisions, its reels, and the files that only it names."""
    return Freed(bytes=desk.store.holdings.take_away(film_id))


@router.get("/films/{film_id}/bundle", response_class=FileResponse)
def give_out(
    film_id: str, desk: TheDesk, most: Annotated[int | None, Query(ge=0, description="Bytes a file may have.")] = None
) -> FileResponse:
    """A film with its files as a bundle, without those that are larger than ``most``."""
    film = desk.store.films.state(film_id).film
    path = desk.store.arrivals / f"hand{new_job()}.yaila"
    try:
        write_bundle(path, film, desk.store.file_of, most)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return FileResponse(
        path,
        media_type="application/zip",
        filename=file_name(film.name, ".yaila"),
        background=BackgroundTask(Path.unlink, path, missing_ok=True),
    )


@router.post("/bundles", status_code=202, openapi_extra=file_body("A bundle"))
async def take_in(request: Request, desk: TheDesk, name: Annotated[str, Query(min_length=1, max_length=200)]) -> Job:
    """Take a bundle in, the body of the request; the film that comes of it is the job's."""
    film_id = secrets.token_hex(5)
    label = label_of(name, "Bundle")

    def lay(job: str, outcome: dict[str, Any]) -> None:
        desk.store.jobs.note(job, state="done", done=100, message=outcome["told"])

    return await begun(desk, request, film_id, label, {"bundle": True}, BadBundle, lay)
