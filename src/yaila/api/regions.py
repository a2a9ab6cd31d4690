"""Regions: traced from plates, and given out as GeoJSON."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Request, Response
from pydantic import BaseModel, Field

from yaila.api.desk import Desk, desk_of
from yaila.api.films import Sheet, revision_of, sheet_of
from yaila.core.analysis.tracing import trace
from yaila.core.errors import NotFound
from yaila.core.film.acts import AddRegion
from yaila.formats.geojson import write_geojson
from yaila.store import difference

router = APIRouter(prefix="/api/films/{film_id}", tags=["regions"])
TheDesk = Annotated[Desk, Depends(desk_of)]
Seen = Annotated[str, Header(alias="If-Match")]


class NewTrace(BaseModel):
    """What to trace: tolerance in plate pixels, and the least island or lake in square plate pixels."""

    tolerance: float = Field(1.0, ge=0, le=1000)
    least: float = Field(400.0, ge=0, le=1e9)


@router.post("/plates/{plate_id}/trace")
async def trace_plate(
    film_id: str, plate_id: str, new: NewTrace, seen: Seen, desk: TheDesk, request: Request, response: Response
) -> Sheet:
    """Trace what a plate's land leaves to a region."""
    revision = revision_of(seen)
    film = desk.store.films.at_revision(film_id, revision)
    plate = film.plate(plate_id)
    region = await desk.tasks.do(
        request, film_id, lambda: trace(plate, desk.store.pictures.pyramid, new.tolerance, new.least)
    )
    patch = difference(film, AddRegion(region=region).apply(film))
    return sheet_of(desk.store.films.edit(film_id, patch, revision, f"Trace {plate.name}"), response)


@router.get("/regions/{region_id}.geojson", response_class=Response)
def export_region(film_id: str, region_id: str, desk: TheDesk) -> Response:
    """A region as GeoJSON, to download."""
    film = desk.store.films.state(film_id).film
    region = next((one for one in film.regions if one.id == region_id), None)
    if region is None:
        raise NotFound("There is no such region.")
    name = "".join(c if c.isascii() and (c.isalnum() or c in " -_") else "-" for c in region.name) or "region"
    return Response(
        write_geojson(region, film.ground.kind == "mercator"),
        media_type="application/geo+json",
        headers={"Content-Disposition": f'attachment; filename="{name}.geojson"'},
    )
