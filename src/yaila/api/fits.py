"""Fitting plates: finding fits and matching tones in the background, ties made exact."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field, TypeAdapter

from yaila.api.desk import Desk, desk_of
from yaila.api.jobs import Job, job_of
from yaila.core.analysis.overlap import colour_at, exact_ties, made_tie
from yaila.core.film.acts import Act
from yaila.core.film.model import Tie
from yaila.core.ground import Point
from yaila.core.ground.georeference import Georeference
from yaila.farm.fitting import FitSettings
from yaila.formats.georeferencing import read_world

router = APIRouter(prefix="/api/films/{film_id}", tags=["fits"])
files = APIRouter(prefix="/api", tags=["fits"])
TheDesk = Annotated[Desk, Depends(desk_of)]
ACTS: TypeAdapter[list[Act]] = TypeAdapter(list[Act])


class NewFit(BaseModel):
    """Plates to lay where they are found, and plates to give the tone of those below; of which revision."""

    revision: int
    fit: FitSettings


class TieTrial(BaseModel):
    """A tie being made: what ``plate`` shows at the ground place ``at`` belongs at ``to``.

    ``tie`` names one of the plate's that is moved instead. ``exact`` asks to look for the feature there;
    ``ground`` makes it a control point, whatever lies below.
    """

    plate: str
    at: Point
    to: Point
    tie: str | None = None
    exact: bool = True
    ground: bool = False


class WorldFile(BaseModel):
    """A world file, and the .prj beside it."""

    name: str
    text: str = Field(max_length=2000)
    prj: str | None = Field(None, max_length=20000)


class Colour(BaseModel):
    """A colour of a picture, 0..255; none outside it."""

    colour: tuple[int, int, int] | None


@router.post("/fits", status_code=202)
def start_fit(film_id: str, new: NewFit, desk: TheDesk) -> Job:
    """Find fits and match tones in the background; the outcome is one edit."""
    film = desk.store.films.at_revision(film_id, new.revision)
    plates = dict.fromkeys([*new.fit.find, *new.fit.tone])
    names = [film.plate(plate).name for plate in plates]
    name = names[0] if len(names) == 1 else f"{len(names)} plates"
    settings = {"revision": new.revision, "fit": new.fit.model_dump()}
    job = desk.store.jobs.add("fit", film_id, name, settings, 100)

    def lay() -> None:
        acts = ACTS.validate_python(desk.store.jobs.get(job).settings["acts"])
        desk.conclude(job, acts, f"{'Fit' if new.fit.find else 'Match tone of'} {name}")

    desk.farm.start(job, "fit", lay)
    return job_of(desk.store.jobs.get(job))


@router.post("/trials/tie")
async def make_tie(film_id: str, trial: TieTrial, desk: TheDesk, request: Request, state: str) -> Tie:
    """The tie that is meant, its feature looked for on the plate below. Nothing is kept."""
    film, _ = desk.film(film_id, state)
    plate = film.plate(trial.plate)
    tie = next((tie for tie in plate.fit.ties if tie.id == trial.tie), None)
    return await desk.tasks.do(
        request,
        film_id,
        lambda: made_tie(film, plate, trial.at, trial.to, desk.store.pictures.pyramid, tie, trial.exact, trial.ground),
    )


@router.post("/trials/plates/{plate_id}/ties")
async def find_ties_again(
    film_id: str, plate_id: str, desk: TheDesk, request: Request, state: str, tie: str | None = None
) -> list[Tie]:
    """The ties of a plate, or one of them, looked for anew as the plate lies now. Nothing is kept."""
    film, _ = desk.film(film_id, state)
    plate = film.plate(plate_id)
    return await desk.tasks.do(request, film_id, lambda: exact_ties(film, plate, desk.store.pictures.pyramid, tie))


@router.get("/plates/{plate_id}/colour")
def get_colour(film_id: str, plate_id: str, desk: TheDesk, state: str, x: float, y: float) -> Colour:
    """The colour of a plate's picture at a ground place, before its adjustments."""
    film, _ = desk.film(film_id, state)
    return Colour(colour=colour_at(film.plate(plate_id), Point(x, y), desk.store.pictures.pyramid))


@files.post("/world-files")
def parse_world_file(file: WorldFile) -> Georeference:
    """What a world file says. Nothing is kept."""
    return read_world(file.text, file.prj, file.name)
