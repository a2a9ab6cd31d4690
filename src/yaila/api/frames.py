"""Frames of the viewfinder, drawn as they are asked for."""

from __future__ import annotations

from typing import Annotated, Literal

import cv2
from fastapi import APIRouter, Depends, Query, Response
from pydantic import BaseModel

from yaila.api.desk import Desk, desk_of
from yaila.core.camera import Pose
from yaila.core.errors import NotFound
from yaila.core.film import Film
from yaila.core.picture import Quality, picture_of
from yaila.core.time import timecode
from yaila.farm.reel import size_for

router = APIRouter(prefix="/api/films/{film_id}", tags=["frames"])
TheDesk = Annotated[Desk, Depends(desk_of)]

JPEG_QUALITY = 88


def jpeg_of(desk: Desk, film: Film, pose: Pose, width: int, quality: Quality) -> bytes:
    """A frame as JPEG."""
    frame = picture_of(film, pose, size_for(film, width), quality, desk.store.pictures.pyramid, desk.pages)
    _, data = cv2.imencode(".jpg", cv2.cvtColor(frame, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, JPEG_QUALITY])
    return data.tobytes()


@router.get("/frames/{frame}.jpg", response_class=Response)
async def get_frame(
    film_id: str,
    frame: int,
    desk: TheDesk,
    state: str,
    width: Annotated[int, Query(ge=64, le=4096)] = 640,
    quality: Literal["draft", "final"] = "draft",
) -> Response:
    """A frame of a state of the film, as JPEG; the same address always gives the same picture."""

    def work() -> bytes:
        film, choreography = desk.film(film_id, state)
        if not 0 <= frame < choreography.frames:
            raise NotFound(f"The film has no frame {frame}.")
        pose = choreography.track.pose(frame)
        return jpeg_of(desk, film, pose, width // 2 * 2, Quality[quality.upper()])

    return Response(
        await desk.draw(work),
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=86400, immutable"},
    )


class Moments(BaseModel):
    """The camera over a run of frames."""

    timecodes: list[str]
    outlines: list[list[tuple[float, float]]]
    targets: list[tuple[float, float]]
    spans: list[float]


@router.get("/moments")
def get_moments(
    film_id: str,
    desk: TheDesk,
    state: str,
    first: int = 0,
    count: Annotated[int, Query(ge=1, le=20000)] = 20000,
) -> Moments:
    """Timecode, outline on the ground, target and span at every frame of a run, for the playhead."""
    film, choreography = desk.film(film_id, state)
    frames = range(max(first, 0), min(first + count, choreography.frames))
    track, size = choreography.track, film.frame.size
    return Moments(
        timecodes=[timecode(frame, film.fps) for frame in frames],
        outlines=[[(float(x), float(y)) for x, y in track.pose(frame).ground_outline(size)] for frame in frames],
        targets=[(float(track.x[frame]), float(track.y[frame])) for frame in frames],
        spans=[float(track.span[frame]) for frame in frames],
    )
