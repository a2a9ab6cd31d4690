"""The soundings of a film, as the interface shows them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel

from yaila.api.desk import Desk, desk_of
from yaila.core.analysis.clearance import along_the_ground
from yaila.core.film.acts import KeepClear
from yaila.core.film.heard import Soundtrack
from yaila.core.soundings import Finding, Heard, Listening, soundings_of

router = APIRouter(prefix="/api/films/{film_id}", tags=["soundings"])
TheDesk = Annotated[Desk, Depends(desk_of)]


class Soundings(BaseModel):
    """What stands: all findings, and how many are grave. ``awaits``: nobody has listened yet, and who asks for that
    may find more."""

    findings: list[Finding]
    grave: int
    awaits: bool = False


@router.get("/passages/{vantage}/along-ground")
async def get_along_ground(film_id: str, vantage: str, desk: TheDesk, request: Request, state: str) -> KeepClear:
    """The act that lets the passage from a vantage follow the ground, over ridges and into valleys."""
    film, _ = desk.film(film_id, state)
    return await desk.tasks.do(request, film_id, lambda: along_the_ground(film, vantage, desk.renderer.ground))


@router.get("/soundings")
async def get_soundings(film_id: str, desk: TheDesk, request: Request, state: str, listens: bool = True) -> Soundings:
    """The findings of a state of the film; of several states, only the one asked for last is looked at to the end. How
    loud the film is takes longer to find than all else, and is left out, if it is not known, unless one ``listens``."""
    film, _ = desk.film(film_id, state)
    awaits = False
    metres = film.ground.kind == "mercator"

    def length(value: float) -> str:
        if not metres:
            return f"{value:,.0f} px"
        return f"{value / 1000:,.1f} km" if value >= 2000 else f"{value:,.0f} m"

    def heard(track: Soundtrack) -> Heard | None:
        nonlocal awaits
        awaits = not listens and desk.unheard(track)
        return None if awaits else desk.heard(track)

    def work() -> list[Finding]:
        listening = Listening(desk.store.has, heard)
        return soundings_of(film, desk.pieces, length, desk.store.kit.faces, desk.renderer, listening)

    findings = await desk.checks.do(request, film_id, work, film_id)
    return Soundings(findings=findings, grave=sum(finding.grave for finding in findings), awaits=awaits)
