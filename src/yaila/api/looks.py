"""Looks: a whole finish saved by name, given out and taken in."""

from __future__ import annotations

import json
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel, Field, ValidationError

from yaila.api.desk import Desk, desk_of, file_body
from yaila.core.colour.reference import likened
from yaila.core.errors import BadEdit, NotFound, said
from yaila.core.film.looks import SavedLook, look_of, read_look
from yaila.core.film.shipped_looks import SHIPPED
from yaila.core.imagery.pyramid import small_picture
from yaila.core.picture import Quality
from yaila.core.picture import Request as ToDraw
from yaila.core.time import Time
from yaila.farm.reel import size_for

router = APIRouter(prefix="/api/looks", tags=["looks"])
TheDesk = Annotated[Desk, Depends(desk_of)]

MOST_BYTES = 2_000_000


class OfferedLook(BaseModel):
    """A look to choose: what it is called by, and whether it came with the application."""

    key: str
    shipped: bool
    look: SavedLook


@router.get("")
def list_looks(desk: TheDesk) -> list[OfferedLook]:
    """All that can be chosen: those that people saved, then those that ship."""
    own = [OfferedLook(key=key, shipped=False, look=look) for key, look in desk.store.looks.all().items()]
    return own + [OfferedLook(key=key, shipped=True, look=look) for key, look in SHIPPED.items()]


class Saving(BaseModel):
    """What is saved as a look: the finish of a state of a film, all that is on, or the effects named."""

    film: str
    state: str
    name: Annotated[str, Field(min_length=1, max_length=60)]
    holds: list[str] | None = None


@router.post("", status_code=201)
def save_look(saving: Saving, desk: TheDesk) -> OfferedLook:
    """Save a film's finish as a look; one of the same name is replaced."""
    film, _ = desk.film(saving.film, saving.state)
    look = look_of(film, saving.name, saving.holds)
    return OfferedLook(key=desk.store.looks.add(look), shipped=False, look=look)


@router.post("/files", status_code=201, openapi_extra=file_body("A look that was given out"))
async def take_in(request: Request, desk: TheDesk, name: Annotated[str, Query(max_length=200)]) -> OfferedLook:
    """Take in a look from its file."""
    data = await request.body()
    if len(data) > MOST_BYTES:
        raise BadEdit(f"“{name}” is too large for a look.")
    try:
        look = read_look(json.loads(data), name)
    except ValidationError as error:
        raise BadEdit(f"“{name}” is damaged: {said(error)}.") from error
    except (ValueError, RecursionError):
        raise BadEdit(f"“{name}” is no look. Looks are files that Yaila saved (.look).") from None
    return OfferedLook(key=desk.store.looks.add(look), shipped=False, look=look)


class Proposed(BaseModel):
    """Numbers of a grade that make a frame like a picture, and how far they were apart and still are."""

    numbers: dict[str, float]
    before: float
    after: float


@router.post("/match", openapi_extra=file_body("A picture of another scene"))
async def match(
    request: Request,
    desk: TheDesk,
    name: Annotated[str, Query(max_length=200)],
    film: str,
    state: str,
    frame: Annotated[int, Query(ge=0)],
) -> Proposed:
    """The grade that brings a frame, as it is without any, near to a picture of quite another scene."""
    data = await request.body()

    def work() -> Proposed:
        theirs = small_picture(data, name)
        document, choreography = desk.film(film, state)
        if not frame < choreography.frames:
            raise NotFound(f"The film has no frame {frame}.")
        size = size_for(document, 240)
        without = frozenset({"grade", "vignette", "grain", "wear", "bars", "ends", "look"})
        ours = desk.renderer.render(ToDraw(document, Time(frame), size, Quality.DRAFT, without=without)).rgb
        found = likened(ours.reshape(-1, 3), theirs.reshape(-1, 3))
        return Proposed(numbers=found.numbers, before=found.before, after=found.after)

    return await desk.tasks.do(request, film, work)


@router.get("/{key}.look", response_class=Response)
def give_out(key: str, desk: TheDesk) -> Response:
    """A look as a file."""
    look = desk.store.looks.look(key)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(look.name)}.look"}
    return Response(look.model_dump_json(indent=2), media_type="application/json", headers=headers)


@router.delete("/{key}", status_code=204)
def remove_look(key: str, desk: TheDesk) -> None:
    """Forget a look that was saved; films that have it keep it."""
    desk.store.looks.remove(key)
