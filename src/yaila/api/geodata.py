"""What lies on the ground in a file: listed first, then laid as routes, markers with their names, and regions."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Depends, Header, Query, Request, Response
from pydantic import BaseModel

from yaila.api.desk import Desk, desk_of, file_body
from yaila.api.films import Sheet, revision_of, sheet_of
from yaila.core.errors import BadTrack
from yaila.core.film import Film
from yaila.core.film.acts import ImportRoute
from yaila.core.film.acts.marks import Places, set_outline, set_place
from yaila.core.film.acts.ties import at_time
from yaila.core.film.followed import Flight, vantages_of
from yaila.core.ground import Point
from yaila.core.ground.mercator import mercator_of
from yaila.core.time import Time
from yaila.formats.geodata import read_geodata
from yaila.formats.handover.tour import read_tours
from yaila.formats.tracks import Found, Outline, Spot, Track
from yaila.store import difference

router = APIRouter(prefix="/api/films/{film_id}", tags=["geodata"])
TheDesk = Annotated[Desk, Depends(desk_of)]

MOST_BYTES = 200_000_000
"""The largest file."""

MOST_THINGS = 2000
"""Things that are laid at once."""


Coordinate = Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)]

Kind = Literal["way", "place", "outline", "camera"]


class Thing(BaseModel):
    """A way, a place, an outline or a camera that flies, of a file: how many points or views it has, how long the
    camera flies, and the box that it lies in, ground units."""

    kind: Kind
    name: str
    folder: str
    colour: str | None
    points: int
    stops: int
    seconds: float | None
    box: tuple[float, float, float, float]


class Contents(BaseModel):
    """All that a file holds, in its order: ways, places, outlines, cameras; and what is to be said of it."""

    things: list[Thing]
    notes: list[str]


async def _body(request: Request, name: str) -> bytes:
    data = await request.body()
    if len(data) > MOST_BYTES:
        raise BadTrack(f"“{name}” is larger than {MOST_BYTES // 1_000_000} MB. Cut it first.")
    return data


def _laid(places: list[tuple[float, float]], degrees: bool) -> list[Point]:
    return [Point(*mercator_of(lon, lat)) if degrees else Point(lon, lat) for lon, lat in places]


@router.post("/contents", openapi_extra=file_body("A file of ways, places or outlines"))
async def list_contents(
    film_id: str,
    request: Request,
    desk: TheDesk,
    name: Annotated[str, Query(max_length=200)],
    x: Coordinate = 0.0,
    y: Coordinate = 0.0,
) -> Contents:
    """What a GPX, KML, KMZ, GeoJSON, TopoJSON, shapefile (ZIP), GeoPackage, FlatGeobuf, CSV or glTF file holds; a scene
    counts from the place ``x``, ``y`` if it does not say from where."""
    data = await _body(request, name)

    def work() -> Contents:
        film = desk.store.films.state(film_id).film
        degrees = film.ground.kind == "mercator"
        found, tours = _opened(data, name, film, (x, y))
        things = []
        for kind, named, places, stops in _all_of(found):
            ground = np.array(_laid(places, degrees))
            low, high = ground.min(axis=0).tolist(), ground.max(axis=0).tolist()
            things.append(
                Thing(
                    kind=kind, name=named.name, folder=named.folder, colour=named.colour, points=len(places),
                    stops=stops, seconds=None, box=(low[0], low[1], high[0], high[1]),
                )
            )  # fmt: skip
        for tour in tours:
            poses = [one.pose for one in tour.given]
            west, east = min(pose.x - pose.span / 2 for pose in poses), max(pose.x + pose.span / 2 for pose in poses)
            south, north = min(pose.y - pose.span / 2 for pose in poses), max(pose.y + pose.span / 2 for pose in poses)
            things.append(
                Thing(
                    kind="camera", name=tour.name, folder="", colour=None, points=len(poses), stops=0,
                    seconds=tour.given[-1].seconds + tour.given[-1].rests, box=(west, south, east, north),
                )
            )  # fmt: skip
        return Contents(things=things, notes=[*found.notes, *(note for tour in tours for note in tour.notes)])

    return await desk.tasks.do(request, film_id, work)


def _opened(data: bytes, name: str, film: Film, at: tuple[float, float]) -> tuple[Found, list[Flight]]:
    """What lies on the ground in a file, and the cameras that fly over it; a scene counts from ``at`` if it does not
    say from where."""
    degrees = film.ground.kind == "mercator"
    if name.lower().endswith((".gltf", ".glb")):
        from yaila.formats.handover.gltf_cameras import read_cameras

        return Found(), read_cameras(data, name, at, degrees, film.frame.width / film.frame.height)
    tours = read_tours(data, name) if degrees and name.lower().endswith((".kml", ".kmz")) else []
    try:
        return read_geodata(data, name, degrees), tours
    except BadTrack:
        if not tours:
            raise
        return Found(), tours


def _all_of(found: Found) -> Iterator[tuple[Kind, Track | Spot | Outline, list[tuple[float, float]], int]]:
    """All things with their places, and how many of these are stops."""
    for track in found.tracks:
        yield "way", track, track.points, len(track.stops)
    for spot in found.spots:
        yield "place", spot, [spot.point], 0
    for outline in found.outlines:
        yield "outline", outline, [place for ring in outline.rings for place in ring], 0


@router.post("/geodata", openapi_extra=file_body("A file of ways, places or outlines"))
async def lay_geodata(
    film_id: str,
    request: Request,
    desk: TheDesk,
    response: Response,
    seen: Annotated[str, Header(alias="If-Match")],
    name: Annotated[str, Query(max_length=200)],
    only: Annotated[str, Query(max_length=40_000, pattern=r"^[0-9,-]*$")] = "",
    places: Places = "named",
    tolerance: Annotated[float | None, Query(gt=0, le=1e6, allow_inf_nan=False)] = None,
    frame: Annotated[int, Query(ge=0)] = 0,
    error: Annotated[float, Query(gt=0, le=50, allow_inf_nan=False)] = 1.0,
    x: Coordinate = 0.0,
    y: Coordinate = 0.0,
) -> Sheet:
    """Lay what a file holds: ways as routes, places as markers with their names (or markers, or names alone), outlines
    as regions, cameras as vantages at the film's end. ``only`` says which, by their places in the list of contents,
    such as ``0-4,7``; ``tolerance`` is how far ways may stray, metres; ``frame`` when all of it comes; ``error`` how
    far the picture may be from that of a camera, percent of the frame's width; ``x`` and ``y`` as in the contents."""
    data, revision = await _body(request, name), revision_of(seen)

    def work() -> Sheet:
        film = desk.store.films.at_revision(film_id, revision)
        degrees = film.ground.kind == "mercator"
        found, tours = _opened(data, name, film, (x, y))
        first = len(found.tracks) + len(found.spots) + len(found.outlines)
        wanted = _wanted(only, first + len(tours))
        if len(wanted) > MOST_THINGS:
            raise BadTrack(f"{len(wanted):,} things are too many at once; {MOST_THINGS:,} are the most. Tick fewer.")
        laid, comes = film.model_copy(deep=True), at_time(film, Time(frame))
        for index, (_, thing, _, _) in enumerate(_all_of(found)):
            if index not in wanted:
                continue
            if isinstance(thing, Track):
                way = ImportRoute(
                    name=thing.name, points=_laid(thing.points, degrees), stops=thing.stops, tolerance=tolerance,
                    colour=thing.colour, group=thing.folder,
                )  # fmt: skip
                laid.routes.append(way.made())
            elif isinstance(thing, Spot):
                (place,) = _laid([thing.point], degrees)
                set_place(laid, thing.name or "Place", place, comes, places, thing.folder, thing.colour)
            else:
                rings = [_laid(ring, degrees) for ring in thing.rings]
                set_outline(laid, thing.name or "Region", rings, frame, thing.folder, thing.colour)
        for index, tour in enumerate(tours, first):
            if index in wanted:
                laid.vantages.extend(vantages_of(film, tour.given, error / 100).vantages)
        return sheet_of(
            desk.store.films.edit(film_id, difference(film, laid), revision, f"Bring {name}"[:80]), response
        )

    return await desk.tasks.do(request, film_id, work)


def _wanted(only: str, count: int) -> set[int]:
    """The numbers in a list of numbers and ranges; all if it is empty."""
    if not only:
        return set(range(count))
    found: set[int] = set()
    for part in only.split(","):
        first, _, last = part.partition("-")
        if first.isascii() and first.isdigit() and len(first) < 9 and (not last or (last.isdigit() and len(last) < 9)):
            found |= set(range(int(first), min(int(last or first) + 1, count)))
    return {index for index in found if index < count}
