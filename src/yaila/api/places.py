"""Places by name or by coordinates, and the gazetteers that are searched."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request

from yaila.api.aids import FileName
from yaila.api.desk import Desk, desk_of, file_body
from yaila.core.errors import TooMuch
from yaila.core.ground.coordinates import place
from yaila.core.ground.mercator import Place, mercator_of
from yaila.formats.gazetteer import Entry, read_gazetteer
from yaila.formats.whole import ask_room
from yaila.standin import gazetteer
from yaila.store import Gazetteer

router = APIRouter(prefix="/api", tags=["places"])
TheDesk = Annotated[Desk, Depends(desk_of)]

MOST_FOUND = 8
MOST_GAZETTEERS = 20

ROOM = 4
"""Bytes on the disk for a byte of a gazetteer's file, its index included, at the most."""


@router.get("/places")
def find_places(q: str, desk: TheDesk) -> list[Place]:
    """Places by name, those of gazetteers that were brought before those of the practice world; or by coordinates in
    any of the ways people write them."""
    if (found := place(q)) and abs(found[0]) <= 85:
        lat, lon = found
        return [Place(f"{lat:.4f}, {lon:.4f}", "coordinates", *mercator_of(lon, lat), 2000.0)]
    brought = [_placed(one) for one in desk.store.gazetteers.search(q[:200], MOST_FOUND) if abs(one.lat) <= 85]
    return [*brought, *gazetteer.search(q)][:MOST_FOUND]


def _placed(entry: Entry) -> Place:
    return Place(entry.name, entry.kind, *mercator_of(entry.lon, entry.lat), entry.size)


@router.get("/gazetteers")
def list_gazetteers(desk: TheDesk) -> list[Gazetteer]:
    """The gazetteers that were brought."""
    return desk.store.gazetteers.all()


@router.post("/gazetteers", status_code=201, openapi_extra=file_body("A table of GeoNames, or any file of places"))
async def bring_gazetteer(request: Request, desk: TheDesk, name: FileName) -> Gazetteer:
    """Bring a gazetteer; the body is the file. It is searched from then on, in every film."""
    data = await request.body()

    def kept() -> Gazetteer:
        if len(desk.store.gazetteers.all()) >= MOST_GAZETTEERS:
            raise TooMuch(f"{MOST_GAZETTEERS} gazetteers are here already. Take one away first.")
        ask_room(desk.store.home, ROOM * len(data), f"“{name}”")
        return desk.store.gazetteers.add(name.rsplit(".", 1)[0][:120], read_gazetteer(data, name))

    return await desk.tasks.do(request, "gazetteers", kept)


@router.delete("/gazetteers/{gazetteer_id}", status_code=204)
def remove_gazetteer(gazetteer_id: str, desk: TheDesk) -> None:
    """Take a gazetteer away."""
    desk.store.gazetteers.remove(gazetteer_id)
