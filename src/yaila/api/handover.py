"""What other programs take over from a film."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Annotated, Literal
from urllib.parse import quote

import cv2
from fastapi import APIRouter, Depends, Request, Response

from yaila.api.desk import Desk, desk_of
from yaila.core.camera import FrameSize
from yaila.core.errors import NotFound
from yaila.core.film import Film, Plate
from yaila.core.picture import Quality, jpeg
from yaila.core.picture import Request as ToDraw
from yaila.core.picture.ground import pyramid_of
from yaila.core.time import Time
from yaila.farm.reel import size_for
from yaila.formats.handover.gltf import gltf_text
from yaila.formats.handover.shots import shots_page
from yaila.formats.handover.tour import tour_text
from yaila.formats.handover.track import track_csv, track_rows
from yaila.formats.handover.words import otio_text, vtt_text

router = APIRouter(prefix="/api/films/{film_id}/handover", tags=["handover"])
TheDesk = Annotated[Desk, Depends(desk_of)]

TEXTURE = 1024
"""Pixels of the longest side of a plate's picture in a scene."""

What = Literal["gltf", "otio", "tour", "vtt", "shots", "csv", "json"]

FILES = {
    "gltf": (".gltf", "model/gltf+json"),
    "otio": (".otio", "application/json"),
    "tour": (".kml", "application/vnd.google-earth.kml+xml"),
    "vtt": (".vtt", "text/vtt"),
    "shots": (".html", "text/html"),
    "csv": (" camera.csv", "text/csv"),
    "json": (" camera.json", "application/json"),
}


@router.get("/{what}", response_class=Response)
async def hand_over(film_id: str, what: What, desk: TheDesk, request: Request, state: str) -> Response:
    """A film's camera in space (``gltf``), timeline (``otio``), camera as a tour over the Earth (``tour``), words
    (``vtt``), shots to print (``shots``), or camera as numbers (``csv``, ``json``)."""

    def work() -> Response:
        film, _ = desk.film(film_id, state)
        makers: dict[str, Callable[[], str]] = {
            "gltf": lambda: gltf_text(film, lambda plate: _texture(desk, plate)),
            "otio": lambda: otio_text(film),
            "tour": lambda: tour_text(film),
            "vtt": lambda: vtt_text(film),
            "shots": lambda: shots_page(film, lambda frame: _still(desk, film, frame)),
            "csv": lambda: track_csv(film),
            "json": lambda: json.dumps(track_rows(film), indent=1),
        }
        ending, media = FILES[what]
        shown = "inline" if what == "shots" else "attachment"
        headers = {"Content-Disposition": f"{shown}; filename*=UTF-8''{quote(film.name)}{quote(ending)}"}
        return Response(makers[what](), media_type=media, headers=headers)

    return await desk.tasks.do(request, film_id, work)


def _texture(desk: Desk, plate: Plate) -> bytes | None:
    """A plate's picture, small; none if it is not there."""
    try:
        pyramid = pyramid_of(plate, desk.store.pictures.pyramid)
    except NotFound:
        return None
    level = next((at for at, size in enumerate(pyramid.sizes) if max(size) <= TEXTURE), len(pyramid.sizes) - 1)
    pixels = pyramid.window(level, 0, 0, *pyramid.sizes[level])
    return cv2.imencode(".jpg", cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGR), [cv2.IMWRITE_JPEG_QUALITY, 85])[1].tobytes()


def _still(desk: Desk, film: Film, frame: int) -> bytes:
    size: FrameSize = size_for(film, 640)
    return jpeg(desk.renderer.render(ToDraw(film, Time(frame), size, Quality.DRAFT)), 82)
