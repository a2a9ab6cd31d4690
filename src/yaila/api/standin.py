"""The practice survey as a tile server, on this server's own address."""

from __future__ import annotations

import time

import cv2
from fastapi import APIRouter, Response

from yaila.core.errors import NotFound
from yaila.standin.survey import LAYERS, Survey, trouble_of

router = APIRouter(prefix="/standin/survey", include_in_schema=False)
the_survey = Survey()


@router.get("/{layer}/{zoom}/{column}/{row}.png")
def get_survey_tile(layer: str, zoom: int, column: int, row: int) -> Response:
    """A tile of a layer; now and then late, or not the first time."""
    if layer not in LAYERS:
        raise NotFound("The practice survey has no such layer.")
    trouble = trouble_of(layer, zoom, column, row)
    if trouble.missing:
        raise NotFound("The practice survey has lost that tile.")
    if trouble.fails_once and the_survey.first_failure(f"{layer}/{zoom}/{column}/{row}"):
        return Response("Try again.", 503, media_type="text/plain")
    time.sleep(trouble.slow)
    tile = the_survey.tile(layer, zoom, column, row)
    if tile is None:
        raise NotFound("That is outside the practice survey.")
    _, data = cv2.imencode(".png", cv2.cvtColor(tile, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_PNG_COMPRESSION, 1])
    return Response(data.tobytes(), media_type="image/png", headers={"Cache-Control": "public, max-age=604800"})
