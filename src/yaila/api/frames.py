"""Frames of the viewfinder, drawn as they are asked for."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal
from urllib.parse import quote

import cv2
import numpy as np
from fastapi import APIRouter, Depends, Query, Response
from fastapi import Request as Call
from fastapi.responses import PlainTextResponse
from pydantic import BaseModel, Field

from yaila.api.desk import Desk, desk_of
from yaila.api.lanes import is_long
from yaila.core.camera import FrameSize, Pose, View
from yaila.core.camera.flight import flown, panned, turned, zoomed
from yaila.core.colour.grading import table_of
from yaila.core.colour.scopes import ScopeKind, clipped, scope
from yaila.core.errors import NotFound
from yaila.core.film import Film
from yaila.core.film.acts import FlownPose
from yaila.core.film.finish import EFFECTS, Surface
from yaila.core.film.looks import with_look
from yaila.core.film.plan import values_over
from yaila.core.film.running import running
from yaila.core.film.sharpness import Sharpness, sharpness_at
from yaila.core.picture import Picture, Quality, Request, jpeg
from yaila.core.picture.grasps import grasps_of
from yaila.core.soundings.pace import LEVELS, ZOOMS, levels_of, paces_of
from yaila.core.surfaces import SurfaceKind
from yaila.core.time import Time, timecode
from yaila.farm.reel import MOST_SIDE, size_for
from yaila.formats.cube import cube_text

router = APIRouter(prefix="/api/films/{film_id}", tags=["frames"])
TheDesk = Annotated[Desk, Depends(desk_of)]

JPEG_QUALITY = 88

MOST_PIXELS = 4096 * 2304
"""The most pixels of a frame that is looked at; of a tall film it is narrower than asked for."""

Without = Annotated[str, Field(max_length=200, pattern=r"^[a-z,]*$")]
"""Effects that are left out, by their names with commas between."""


def effects_of(without: str) -> frozenset[str]:
    """The effects of the finish that an address leaves out.

    Raises:
        NotFound: there is no such effect.
    """
    names = frozenset(filter(None, without.split(",")))
    if unknown := names - EFFECTS.keys():
        raise NotFound(f"There is no effect “{min(unknown)}”. There are {', '.join(EFFECTS)}.")
    return names


InFrame = Annotated[float, Query(ge=0, le=1, allow_inf_nan=False)]
"""A share of the frame's width or height."""

KEPT = {"Cache-Control": "private, max-age=86400, immutable"}


def drawn(
    desk: Desk,
    film: Film,
    time: Time,
    width: int,
    quality: Quality,
    pose: Pose | None = None,
    without: frozenset[str] = frozenset(),
    split: float = 1.0,
) -> Response:
    """A frame as JPEG; the film's own camera may be left for another pose. Right of ``split``, a share of its width, it
    is without any finish. One that took too long to be finished says so in ``X-Unfinished``, and is not kept."""
    shape = film.frame.width / film.frame.height
    width = min(width, int((MOST_PIXELS * shape) ** 0.5), int(MOST_SIDE * shape)) // 2 * 2
    request = Request(film, time, size_for(film, max(width, 2)), quality, pose, without=without)
    picture = _split(desk, request, split) if split < 1 else desk.renderer.render(request)
    headers = {"X-Unfinished": "marks"} if picture.unfinished else KEPT
    return Response(jpeg(picture, JPEG_QUALITY), media_type="image/jpeg", headers=headers)


def _split(desk: Desk, request: Request, split: float) -> Picture:
    """A frame with its finish on the left, and without any on the right."""
    width, height = request.size
    edge = min(max(round(split * width), 1), width - 1)
    after = desk.renderer.render(replace(request, region=(0, 0, edge, height)))
    plain = replace(request, region=(edge, 0, width - edge, height), without=frozenset(EFFECTS))
    before = desk.renderer.render(plain)
    return Picture(np.hstack([after.pixels, before.pixels]), after.unfinished or before.unfinished)


@router.get("/frames/{frame}.jpg", response_class=Response)
async def get_frame(
    film_id: str,
    frame: int,
    desk: TheDesk,
    request: Call,
    state: str,
    width: Annotated[int, Query(ge=64, le=4096)] = 640,
    quality: Literal["draft", "final"] = "draft",
    without: Without = "",
    split: InFrame = 1.0,
) -> Response:
    """A frame of a state of the film, as JPEG; the same address always gives the same picture. That of a trial which is
    being asked for comes as soon as it can be drawn."""
    trial = state.startswith("t")
    if trial:
        is_long(request, seen=True)
        await desk.trials.until_made(film_id, state)
    try:
        work = work_of(desk, film_id, state, frame, width, quality, without, split)
        return await desk.frames.do(request, film_id, work)
    finally:
        if trial:
            desk.trials.drawn(film_id, state)


def work_of(
    desk: Desk, film_id: str, state: str, frame: int, width: int, quality: str, without: str = "", split: float = 1.0
) -> Callable[[], Response]:
    """What draws a frame."""

    def work() -> Response:
        film, choreography = desk.film(film_id, state)
        if not 0 <= frame < choreography.frames:
            raise NotFound(f"The film has no frame {frame}.")
        return drawn(desk, film, Time(frame), width, Quality[quality.upper()], None, effects_of(without), split)

    return work


class Moments(BaseModel):
    """The camera over a run of frames, of which ``first`` is the first."""

    first: int
    timecodes: list[str]
    outlines: list[list[tuple[float, float]]]
    courses: dict[str, list[float | str | None]]
    """The values that change over the film, by the part that has them and the field."""


@router.get("/moments")
def get_moments(
    film_id: str,
    desk: TheDesk,
    state: str,
    first: int = 0,
    count: Annotated[int, Query(ge=1, le=5000)] = 250,
) -> Moments:
    """Timecode and outline on the ground at every frame of a run, for the playhead."""
    film, choreography = desk.film(film_id, state)
    frames = range(min(max(first, 0), choreography.frames), min(max(first, 0) + count, choreography.frames))
    size = film.frame.size
    some = choreography.camera.at(np.arange(frames.start, frames.stop, dtype=np.float64))
    grain = float(some.span.min()) / 1000 if len(some) else 1.0
    places = min(max(math.ceil(-math.log10(grain)), 0), 12)
    return Moments(
        first=frames.start,
        timecodes=[timecode(frame, film.fps) for frame in frames],
        outlines=[[(x, y) for x, y in np.round(outline, places).tolist()] for outline in some.outlines(size)],
        courses={
            f"{of}/{field}": [value if isinstance(value, float | int | str) else None for value in values]
            for of, field, values in values_over(film, choreography, [Time(frame) for frame in frames])
        },
    )


class Curves(BaseModel):
    """How tilt, heading, roll and lens run, and how fast the picture is, at moments spread evenly over the film."""

    frames: list[int]
    tilt: list[float]
    heading: list[float]
    roll: list[float]
    focal: list[float]
    doublings: list[float]
    motion: list[float]
    level: list[int]
    """How quick the picture is: 0 is comfortable, from 1 on it is that one of ``levels``."""
    levels: list[str] = list(LEVELS)
    limits: list[float] = list(ZOOMS)
    """Doublings a second from which on a zoom has a level."""


@router.get("/curves")
def get_curves(film_id: str, desk: TheDesk, state: str, most: Annotated[int, Query(ge=2, le=5000)] = 1600) -> Curves:
    """The other channels of the camera, and the pace strip: the fastest of each stretch between two moments, doublings
    and frame widths a second."""
    film, choreography = desk.film(film_id, state)
    count = choreography.frames
    if not count:
        return Curves(frames=[], tilt=[], heading=[], roll=[], focal=[], doublings=[], motion=[], level=[])
    step = max(1, -(-count // most))
    at = np.arange(0, count, step)
    track, paces = choreography.camera.at(at.astype(np.float64)), paces_of(film, choreography)
    edges = np.searchsorted(paces.frames, at)

    def fastest(values: np.ndarray) -> list[float]:
        if not len(values):
            return [0.0] * len(at)
        return [float(value) for value in np.maximum.reduceat(values, np.minimum(edges, len(values) - 1))]

    return Curves(
        frames=at.tolist(),
        tilt=track.tilt.tolist(),
        heading=track.heading.tolist(),
        roll=track.roll.tolist(),
        focal=track.focal.tolist(),
        doublings=fastest(paces.doublings),
        motion=fastest(paces.middle),
        level=[int(value) for value in fastest(levels_of(paces))],
    )


class Grasp(BaseModel):
    """A text or a sign in the frame: the corners around it, shares of the frame's width and height."""

    mark: str
    corners: list[tuple[float, float]]


@router.get("/grasps/{frame}")
def get_grasps(film_id: str, frame: int, desk: TheDesk, state: str) -> list[Grasp]:
    """What can be taken hold of in a frame, the upper ones last."""
    film, choreography = desk.film(film_id, state)
    if not 0 <= frame < choreography.frames:
        return []
    found = grasps_of(film, choreography, Time(frame), desk.store.kit.faces)
    return [Grasp(mark=one.mark, corners=[(u, v) for u, v in one.corners.tolist()]) for one in found]


@router.get("/sharpness/{frame}")
def get_sharpness(film_id: str, frame: int, desk: TheDesk, state: str) -> Sharpness:
    """What the lens keeps sharp in a frame: the plane of focus, its limits, and the blur along the ground."""
    film, choreography = desk.film(film_id, state)
    if not 0 <= frame < choreography.frames:
        raise NotFound(f"The film has no frame {frame}.")
    return sharpness_at(film, choreography, Time(frame), desk.renderer.ground(film, Time(frame)))


class PlaceFound(BaseModel):
    """A place of the ground, and how much of it a pixel of the film shows there across the line of sight, ground
    units."""

    x: float
    y: float
    unit: float


@router.get("/ground/{frame}")
def get_ground(film_id: str, frame: int, desk: TheDesk, state: str, u: InFrame, v: InFrame) -> PlaceFound | None:
    """The place of the ground, mountains included, that shows in a frame at shares of its width and height; none where
    it is the sky."""
    film, choreography = desk.film(film_id, state)
    if not 0 <= frame < choreography.frames:
        raise NotFound(f"The film has no frame {frame}.")
    size = film.frame.size
    place = desk.renderer.place_at(Request(film, Time(frame), size), u * size.width, v * size.height)
    if place is None:
        return None
    view = View.of(choreography.pose(Time(frame)), size)
    return PlaceFound(x=place[0], y=place[1], unit=view.depth(place) / view.pixels_per_unit)


@router.get("/grade/{frame}.cube", response_class=PlainTextResponse)
def get_grade(film_id: str, frame: int, desk: TheDesk, state: str) -> PlainTextResponse:
    """The grade of a frame as a .cube file."""
    film, choreography = desk.film(film_id, state)
    grade = running(film.finish.grade, Time(max(frame, 0)), choreography.timeline)
    name = quote(f"{film.name} {frame}.cube")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    grading = replace(grade.grading, cube=desk.store.kit.cube(grade))
    return PlainTextResponse(cube_text(table_of(grading), film.name), headers=headers)


@router.get("/swatches/{frame}.jpg", response_class=Response)
async def get_swatch(
    film_id: str,
    frame: int,
    desk: TheDesk,
    request: Call,
    state: str,
    surface: SurfaceKind | Literal[""] = "",
    look: Annotated[str, Query(max_length=40)] = "",
    width: Annotated[int, Query(ge=32, le=480)] = 120,
) -> Response:
    """A small picture of a frame as it would be with another surface, or with a look."""

    def work() -> Response:
        film, choreography = desk.film(film_id, state)
        if not 0 <= frame < choreography.frames:
            raise NotFound(f"The film has no frame {frame}.")
        finish = film.finish
        if look:
            finish = with_look(film, desk.store.looks.look(look), 1.0).finish
        if surface:
            laid = finish.surface.model_dump() | {"kind": surface, "on": True}
            finish = finish.model_copy(update={"surface": Surface.model_validate(laid)})
        # All else is the very same, so that what is made ready of it serves for all of them.
        film = film.model_copy(update={"finish": finish})
        # What only costs time at that size is left out.
        return drawn(desk, film, Time(frame), width, Quality.DRAFT, without=frozenset({"shutter", "ends"}))

    return await desk.tiles.do(request, film_id, work)


@router.get("/scopes/{frame}.png", response_class=Response)
async def get_scope(
    film_id: str,
    frame: int,
    desk: TheDesk,
    request: Call,
    state: str,
    kind: ScopeKind = "waveform",
    width: Annotated[int, Query(ge=64, le=1024)] = 400,
    height: Annotated[int, Query(ge=64, le=1024)] = 160,
    without: Without = "",
) -> Response:
    """What a frame's colours measure, as a picture: brightness over the frame's width, colours by hue and saturation,
    or how many there are of each. ``X-Clipped`` says how many percent are quite black, and quite white."""

    def work() -> Response:
        film, choreography = desk.film(film_id, state)
        if not 0 <= frame < choreography.frames:
            raise NotFound(f"The film has no frame {frame}.")
        size = size_for(film, MEASURED)
        picture = desk.renderer.render(Request(film, Time(frame), size, Quality.DRAFT, without=effects_of(without)))
        black, white = clipped(picture.rgb)
        _, data = cv2.imencode(".png", scope(picture.rgb, kind, width, height)[..., ::-1])
        return Response(
            data.tobytes(), media_type="image/png", headers=KEPT | {"X-Clipped": f"{black:.2f} {white:.2f}"}
        )

    return await desk.frames.do(request, film_id, work)


MEASURED = 480
"""Pixels across of a frame whose colours are measured."""


class HeightsFound(BaseModel):
    """What a plate holds of heights: the lowest and the highest, metres, how many places of the grid had none and were
    given that of their neighbours, and its size."""

    low: float
    high: float
    holes: int
    columns: int
    rows: int


@router.get("/heights/{plate}")
def get_heights(film_id: str, plate: str, desk: TheDesk, state: str) -> HeightsFound:
    """What the plate that raises the ground holds."""
    film, _ = desk.film(film_id, state)
    relief = film.finish.relief
    picture = film.plate(plate).picture
    grid = relief.metres(desk.store.pictures.heights(picture.sha256, relief.codes))
    there = np.isfinite(grid)
    low, high = (float(grid[there].min()), float(grid[there].max())) if there.any() else (0.0, 0.0)
    rows, columns = grid.shape
    return HeightsFound(low=low, high=high, holes=int((~there).sum()), columns=columns, rows=rows)


class Gesture(BaseModel):
    """What a hand does in the viewfinder, in shares of the frame's width and height (0..1 from its upper left).

    ``pan`` brings the ground at ``start`` to ``to``; ``zoom`` goes closer or wider by ``factor`` about ``to``;
    ``turn`` turns and tilts by degrees; ``fly`` moves by shares of the frame's width to the right and ahead.
    """

    kind: Literal["still", "pan", "zoom", "turn", "fly"]
    start: tuple[float, float] = (0.5, 0.5)
    to: tuple[float, float] = (0.5, 0.5)
    factor: float = Field(1.0, gt=0.01, lt=100)
    by: tuple[float, float] = (0.0, 0.0)


class Flight(BaseModel):
    """A pose, or the frame of the film to take off from, and what is done to it."""

    pose: FlownPose | None = None
    frame: int = Field(0, ge=0)
    gesture: Gesture
    width: int = Field(640, ge=64, le=2048)
    without: Without = ""


@router.post("/flight", response_class=Response)
async def fly(film_id: str, flight: Flight, desk: TheDesk, request: Call, state: str) -> Response:
    """Where a gesture brings the camera, and what it sees there: a JPEG, with the pose as JSON in the header
    ``X-Pose``."""

    def work() -> Response:
        film, choreography = desk.film(film_id, state)
        if flight.pose:
            pose = flight.pose.pose
        elif choreography.frames:
            pose = choreography.pose(Time(min(flight.frame, choreography.frames - 1)))
        else:
            raise NotFound("There is no camera yet to take off from.")
        pose = after(pose, flight.gesture, film.frame.size)
        flown = FlownPose(**{name: getattr(pose, name) for name in FlownPose.model_fields})
        answer = drawn(desk, film, Time(flight.frame), flight.width, Quality.DRAFT, pose, effects_of(flight.without))
        answer.headers["X-Pose"] = flown.model_dump_json()
        return answer

    return await desk.frames.do(request, film_id, work)


def after(pose: Pose, gesture: Gesture, size: FrameSize) -> Pose:
    """The pose after a gesture."""
    start, to = ((u * size.width, v * size.height) for u, v in (gesture.start, gesture.to))
    if gesture.kind == "pan":
        return panned(pose, size, start, to)
    if gesture.kind == "zoom":
        return zoomed(pose, size, to, gesture.factor)
    if gesture.kind == "turn":
        return turned(pose, *gesture.by)
    if gesture.kind == "fly":
        return flown(pose, *gesture.by)
    return pose
