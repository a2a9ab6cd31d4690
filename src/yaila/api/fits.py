"""Fitting plates: finding fits and matching tones in the background, ties made exact, the loupe."""

from __future__ import annotations

from typing import Annotated

import cv2
import numpy as np
from fastapi import APIRouter, Depends, Query, Response
from pydantic import BaseModel, Field, TypeAdapter

from yaila.api.desk import Desk, desk_of
from yaila.api.jobs import Job, job_of
from yaila.core.film.acts import Act
from yaila.core.film.fitting import ground_of
from yaila.core.film.overlap import refined_tie
from yaila.core.ground import Point
from yaila.core.imagery import AdjustedPyramid
from yaila.core.imagery.fitting import resampled
from yaila.farm.fitting import FitSettings

router = APIRouter(prefix="/api/films/{film_id}", tags=["fits"])
TheDesk = Annotated[Desk, Depends(desk_of)]
ACTS: TypeAdapter[list[Act]] = TypeAdapter(list[Act])


class NewFit(BaseModel):
    """Plates to lay where they are found, and plates to give the tone of those below; of which revision."""

    revision: int
    fit: FitSettings


class TieTrial(BaseModel):
    """A tie being made: pixel ``at`` of ``plate``, and about where it is on ``other``, in that plate's pixels."""

    plate: str
    other: str
    at: Point
    to: Point


class RefinedTie(BaseModel):
    """Where the feature is on the other plate, and how well the two agree there, -1..1."""

    to: Point
    match: float = Field(ge=-1, le=1.0001)


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
        desk.act_later(film_id, acts, f"{'Fit' if new.fit.find else 'Match tone of'} {name}")
        desk.store.jobs.note(job, state="done", done=100)

    desk.farm.start(job, "fit", lay)
    return job_of(desk.store.jobs.get(job))


@router.post("/trials/tie")
async def refine_tie(film_id: str, tie: TieTrial, desk: TheDesk, state: str) -> RefinedTie:
    """Look for a feature on another plate. Nothing is kept."""
    film, _ = desk.film(film_id, state)
    plate, other = film.plate(tie.plate), film.plate(tie.other)
    to, match = await desk.draw(lambda: refined_tie(film, plate, other, tie.at, tie.to, desk.store.pictures.pyramid))
    return RefinedTie(to=to, match=match)


@router.get("/plates/{plate_id}/loupe.jpg", response_class=Response)
async def get_loupe(
    film_id: str,
    plate_id: str,
    desk: TheDesk,
    state: str,
    x: float,
    y: float,
    unit: Annotated[float, Query(gt=0)],
    size: Annotated[int, Query(ge=16, le=600)] = 160,
) -> Response:
    """A plate by itself about one of its pixels, north up, ``unit`` ground units a loupe pixel, not smoothed."""
    film, _ = desk.film(film_id, state)
    plate = film.plate(plate_id)

    def work() -> bytes:
        middle = ground_of(plate, np.array([[x, y]]))[0]
        grid = np.array([[unit, 0, middle[0] - unit * size / 2], [0, -unit, middle[1] + unit * size / 2], [0, 0, 1.0]])
        pyramid = AdjustedPyramid(desk.store.pictures.pyramid(plate.picture.sha256), plate.adjustments)
        picture = resampled(pyramid, np.linalg.inv(plate.matrix) @ grid, size, size)
        clear = 1 - picture[..., 3:].astype(np.float32) / 255
        shown = (picture[..., :3] + clear * 216).astype(np.uint8)
        _, data = cv2.imencode(".jpg", cv2.cvtColor(shown, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, 90])
        return data.tobytes()

    return Response(
        await desk.draw(work),
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=86400, immutable"},
    )
