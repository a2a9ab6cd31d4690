"""The soundings of a film, as the interface shows them."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from yaila.api.desk import Desk, desk_of
from yaila.core.analysis.overlap import Rim, rim_of
from yaila.core.film import Film
from yaila.core.soundings import Finding, Veils, soundings_of

router = APIRouter(prefix="/api/films/{film_id}", tags=["soundings"])
TheDesk = Annotated[Desk, Depends(desk_of)]


class Soundings(BaseModel):
    """What stands: all findings, and how many are grave."""

    findings: list[Finding]
    grave: int


class _Rims:
    """Rims of plates, kept by what they depend on: the plates from the bottom up to them."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self._kept = lru_cache(maxsize=400)(self._rim)
        self.veils = Veils(desk.store.pictures.pyramid)

    def of(self, film: Film, plate_id: str) -> Rim | None:
        index = film.plate_index(plate_id)
        # Nothing but the plates decides a rim: an edit of anything else keeps it.
        plates = [plate.model_copy(update={"reveal": None}) for plate in film.plates[: index + 1]]
        return self._kept(Film(ground=film.ground, plates=plates).model_dump_json())

    def _rim(self, document: str) -> Rim | None:
        film = Film.model_validate_json(document)
        return rim_of(film, film.plates[-1], self.desk.store.pictures.pyramid)


@lru_cache(maxsize=8)
def _rims(desk: Desk) -> _Rims:
    return _Rims(desk)


@router.get("/soundings")
async def get_soundings(film_id: str, desk: TheDesk, request: Request, state: str) -> Soundings:
    """The findings of a state of the film; of several states, only the one asked for last is looked at to the end."""
    film, _ = desk.film(film_id, state)
    metres = film.ground.kind == "mercator"

    def length(value: float) -> str:
        if not metres:
            return f"{value:,.0f} px"
        return f"{value / 1000:,.1f} km" if value >= 2000 else f"{value:,.0f} m"

    def work() -> list[Finding]:
        rims = _rims(desk)
        return soundings_of(
            film,
            desk.store.pictures.pyramid,
            length,
            lambda plate: rims.of(film, plate),
            desk.store.aids.kit.faces,
            rims.veils,
            desk.renderer,
        )

    findings = await desk.checks.do(request, film_id, work, film_id)
    return Soundings(findings=findings, grave=sum(finding.grave for finding in findings))
