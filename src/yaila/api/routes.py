"""Routes given out as files."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Depends, Response

from yaila.api.desk import Desk, desk_of
from yaila.core.errors import BadTrack
from yaila.core.film import Route
from yaila.core.ground.mercator import lonlat_of
from yaila.formats.tracks import Track, write_geojson_lines, write_gpx, write_kml

router = APIRouter(prefix="/api/films/{film_id}", tags=["routes"])
TheDesk = Annotated[Desk, Depends(desk_of)]

WRITERS: dict[str, tuple[Callable[[list[Track]], str], str]] = {
    "gpx": (write_gpx, "application/gpx+xml"),
    "kml": (write_kml, "application/vnd.google-earth.kml+xml"),
    "geojson": (write_geojson_lines, "application/geo+json"),
}


@router.get("/routes/{route_id}.{kind}", response_class=Response)
def export_route(film_id: str, route_id: str, kind: Literal["gpx", "kml", "geojson"], desk: TheDesk) -> Response:
    """A route as a file: its line as it is drawn, its stops by name."""
    film = desk.store.films.state(film_id).film
    route = film.route(route_id)
    if film.ground.kind != "mercator":
        raise BadTrack("A route on a plain ground has no longitude and latitude. Georeference the ground first.")
    write, media = WRITERS[kind]
    name = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in route.name) or "route"
    return Response(
        write([track_of(route)]),
        media_type=media,
        headers={"Content-Disposition": f'attachment; filename="{name}.{kind}"'},
    )


def track_of(route: Route) -> Track:
    """A route's line in degrees: its own points, and between them as many as its curve needs."""
    count = len(route.curve.control)
    at = np.unique(np.concatenate([np.linspace(0, count, min(count * 8, 20_000) + 1), np.arange(count + 1.0)]))
    track = Track(route.name, [lonlat_of(x, y) for x, y in route.curve.position(at).tolist()])
    for k, point in enumerate(route.points):
        if point.stop:
            track.stops[int(np.searchsorted(at, k))] = point.stop
    return track
