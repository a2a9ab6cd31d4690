"""Imports and reels: starting, watching, cancelling, fetching."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Body, Depends
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict

from yaila.api.desk import Desk, desk_of
from yaila.core.errors import BadRender, NotFound
from yaila.core.film import Film
from yaila.core.picture import PART_NAMES, PARTS_OF_MARKS, Part, painted_marks
from yaila.farm.reel import MOST_SIDE, MOST_WIDTH, ReelSettings, ask_files, counted_of, farm_key, size_of
from yaila.formats.delivery import FORMS
from yaila.store.database import JobRow
from yaila.store.jobs import seconds_under_way

router = APIRouter(prefix="/api", tags=["jobs"])
TheDesk = Annotated[Desk, Depends(desk_of)]


class Job(BaseModel):
    """Long work. ``rate`` is frames (of an import: hundredths) a second; ``left`` is seconds, when known."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True)

    id: str
    film: str
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
    form: str | None = None
    suffix: str | None = None
    part: str | None = None
    still: bool = False
    """Whether it is one picture; then ``total`` counts its parts."""
    plays: bool = False
    """Whether a page can play its file."""
    bytes: int | None = None


class Pulse(BaseModel):
    """What changes while one looks: the revision that stands, and the jobs."""

    revision: int
    jobs: list[Job]


class NewReel(BaseModel):
    """A reel to render: of which revision, and how; ``at_once`` beside those that are under way already."""

    revision: int
    settings: ReelSettings = ReelSettings()
    at_once: bool = False


def job_of(row: JobRow, reels: Path | None = None) -> Job:
    """A job as the API gives it."""
    seconds = seconds_under_way(row)
    begun = row.settings.get("begun", 0)
    rate = (row.done - begun) / seconds if row.done > begun and seconds > 0 else None
    left = (row.total - row.done) / rate if rate and row.state == "running" else None
    reel = row.settings.get("reel", {})
    form = FORMS.get(reel.get("form", "h264")) if row.kind == "reel" else None
    file = reels / f"{row.id}{form.suffix}" if reels and form and row.state == "done" else None
    return Job.model_validate(
        {
            "id": row.id,
            "film": row.film,
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
            "crf": reel.get("crf") if form and form.quality else None,
            "form": form.name if form else None,
            "suffix": form.suffix if form else None,
            "part": reel.get("part", "all") if form else None,
            "still": bool(form and form.still),
            "plays": bool(form and form.key in PLAYED),
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
    counted, size = counted_of(film, new.settings), size_of(film, new.settings)
    if new.settings.on and not farm_key(desk.store).exists():
        raise BadRender(f"There is no key to a farm at {farm_key(desk.store)}. Copy the farm's there.")
    ask_files(film, desk.store)
    settings = {"revision": new.revision, "reel": new.settings.model_dump(), "size": list(size)}
    job = desk.store.jobs.add("reel", film_id, film.name, settings, counted)
    desk.farm.start(job, "reel", at_once=new.at_once)
    return job_of(desk.store.jobs.get(job))


@router.post("/jobs/{job}/cancel")
def cancel_job(job: str, desk: TheDesk) -> Job:
    """Stop a job."""
    desk.store.jobs.get(job)
    desk.farm.cancel(job)
    return job_of(desk.store.jobs.get(job))


@router.post("/jobs/{job}/pause")
def pause_job(job: str, desk: TheDesk) -> Job:
    """Stop a reel for now: what it has written stays."""
    desk.farm.pause(job)
    return job_of(desk.store.jobs.get(job))


@router.post("/jobs/{job}/resume")
def resume_job(job: str, desk: TheDesk) -> Job:
    """Let a reel go on where it was."""
    desk.farm.resume(job)
    return job_of(desk.store.jobs.get(job))


class UnderWay(BaseModel):
    """What is under way for all films, and what was lately: first what runs, then the reels that wait as they stand in
    ``line``, what could go on, and what is over; ``side_by_side`` is how many reels are drawn at the same time."""

    jobs: list[Job]
    films: dict[str, str]
    """What the films are called whose jobs these are."""
    line: list[str]
    side_by_side: int


MOST_OVER = 20
"""Jobs that are over, in the list of all."""


@router.get("/under-way")
def get_under_way(desk: TheDesk) -> UnderWay:
    """The jobs of all films."""
    reels = desk.farm.reels
    line = reels.line
    places = {job: place for place, job in enumerate(line)}
    ranks = {"running": -2, "waiting": -1, "interrupted": len(line)}

    def rank(row: JobRow) -> int:
        return places.get(row.id, ranks.get(row.state, len(line) + 1))

    return UnderWay(
        jobs=[job_of(row, desk.store.reels) for row in sorted(desk.store.jobs.of_all(MOST_OVER), key=rank)],
        films={card.id: card.name for card in desk.store.films.cards()},
        line=line,
        side_by_side=reels.slots,
    )


@router.put("/under-way/side-by-side")
def set_side_by_side(reels: Annotated[int, Body(ge=1, le=4)], desk: TheDesk) -> UnderWay:
    """Draw so many reels at the same time, until Yaila is started again."""
    desk.farm.reels.slots = reels
    return get_under_way(desk)


@router.put("/jobs/{job}/place")
def place_job(job: str, to: Annotated[int, Body(ge=0)], desk: TheDesk) -> UnderWay:
    """Give a reel that waits another place in the line, 0 the next."""
    desk.farm.move(job, to)
    return get_under_way(desk)


PLAYED = ("h264", "vp9", "av1", "vp9alpha", "webp", "gif")
"""Forms that pages play."""


class OfferedForm(BaseModel):
    """A form to deliver in: what it is called and for, whether it is one picture, whether it has a quality, whether
    what is see-through stays so, whether it holds all parts in layers, whether the film's sound goes with it, and
    whether this machine can write it."""

    key: str
    name: str
    purpose: str
    still: bool
    most: int
    """Pixels along its longer side."""
    quality: bool
    alpha: bool
    layers: bool
    sounds: bool
    available: bool


class OfferedFarm(BaseModel):
    """Whether reels can be drawn on a farm: whether its key is here, and where it is looked for."""

    key: bool
    path: str


@router.get("/farm")
def get_farm(desk: TheDesk) -> OfferedFarm:
    """Whether reels can be drawn on other machines."""
    path = farm_key(desk.store)
    return OfferedFarm(key=path.exists(), path=str(path))


class OfferedPart(BaseModel):
    """What of the film a reel can hold: what it is called, and whether it may hold some of the marks only."""

    key: Part
    name: str
    of_marks: bool


class OfferedReels(BaseModel):
    """What a reel can be: its form, what of the film it holds, and the kinds of marks that can be held by themselves,
    by the lists of the film they stand in."""

    forms: list[OfferedForm]
    parts: list[OfferedPart]
    marks: list[str]


@router.get("/forms")
def list_forms() -> OfferedReels:
    """All forms and parts that a reel can have."""
    forms = [
        OfferedForm(
            key=form.key,
            name=form.name,
            purpose=form.purpose,
            still=form.still,
            most=MOST_WIDTH if form.still else MOST_SIDE,
            quality=form.quality,
            alpha=form.alpha,
            layers=form.layers,
            sounds=form.sounds,
            available=form.available,
        )
        for form in FORMS.values()
    ]
    parts = [OfferedPart(key=key, name=name, of_marks=key in PARTS_OF_MARKS) for key, name in PART_NAMES.items()]
    return OfferedReels(forms=forms, parts=parts, marks=list(painted_marks(Film())))


def file_name(name: str, ending: str) -> str:
    """What a file is called that is given out."""
    return ("".join(c if c.isalnum() or c in " -_" else "-" for c in name).strip() or "film") + ending


@router.get("/reels/{job}.{ending}", response_class=FileResponse)
def get_reel(job: str, ending: str, desk: TheDesk, download: bool = False) -> FileResponse:
    """The file of a finished reel, to play in the page or to download."""
    row = desk.store.jobs.get(job)
    form = FORMS.get(row.settings.get("reel", {}).get("form", "h264"))
    path = desk.store.reels / f"{row.id}.{ending}"
    if row.kind != "reel" or form is None or form.suffix != f".{ending}" or not path.exists():
        raise NotFound("That reel has no file. Render it again.")
    return FileResponse(
        path,
        media_type=form.media,
        filename=file_name(row.name, form.suffix),
        content_disposition_type="attachment" if download else "inline",
    )
