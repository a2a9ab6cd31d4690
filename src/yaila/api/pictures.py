"""Pictures: their arrival, their tiles and thumbnails."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated, Any, Literal

import cv2
import numpy as np
from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel

from yaila.api.arrivals import begun, found_again, label_of
from yaila.api.desk import Desk, desk_of, file_body
from yaila.api.jobs import Job
from yaila.core.errors import BadPicture, NotFound
from yaila.core.film.acts import AddInset, LayPlate, SwapPicture
from yaila.core.film.marked import Inset, ShownPicture
from yaila.core.ground import Point
from yaila.core.imagery import PAGE
from yaila.core.imagery.pages import PADDED
from yaila.core.picture import pyramid_of
from yaila.formats.heights import Codes

router = APIRouter(prefix="/api", tags=["pictures"])
TheDesk = Annotated[Desk, Depends(desk_of)]
Immutable = {"Cache-Control": "private, max-age=604800, immutable"}


@router.post("/films/{film_id}/pictures", status_code=202, openapi_extra=file_body("A picture file"))
async def receive_picture(
    film_id: str,
    request: Request,
    desk: TheDesk,
    name: Annotated[str, Query(min_length=1, max_length=200)],
    x: float | None = None,
    y: float | None = None,
    width: Annotated[float | None, Query(gt=0)] = None,
    swap: str | None = None,
    world: Annotated[str | None, Query(max_length=2000)] = None,
    prj: Annotated[str | None, Query(max_length=6000)] = None,
    world_name: Annotated[str, Query(max_length=200)] = "",
    becomes: Annotated[Literal["plate", "inset"], Query(alias="as")] = "plate",
    frame: Annotated[int, Query(ge=0)] = 0,
    reach: Annotated[float, Query(ge=0)] = 0.0,
) -> Job:
    """Take a picture file (the body of the request) and lay it as a plate on top of the stack.

    ``x``, ``y`` and ``width`` say where on the ground its centre goes and how wide it is laid, if the film has
    plates already. ``swap`` names a plate that gets the picture instead of its own. ``world`` and ``prj`` are the texts
    of a world file and of the .prj beside it. As an inset it is seen at that place from ``frame`` on; beside a marker,
    within ``reach``, it comes with that.
    """
    film = desk.store.films.state(film_id).film
    if swap:
        film.plate(swap)
    label = label_of(name, "Picture")
    settings = {"world": world, "prj": prj, "world_name": world_name}

    def lay(job: str, outcome: dict[str, Any]) -> None:
        picture = desk.store.pictures.reference(outcome["sha256"])
        if not swap and found_again(desk, job, film_id, "picture", picture.sha256, outcome["lost"]):
            return None
        holes = outcome.get("holes", ())
        if becomes == "inset":
            shown = ShownPicture(sha256=picture.sha256, width=picture.width, height=picture.height)
            inset = Inset(name=PurePath(label).stem[:120] or "Inset", x=x or 0.0, y=y or 0.0, shows=shown)
            return desk.conclude(job, [AddInset(inset=inset, frame=frame, reach=reach)], f"Set {inset.name}")
        if swap:
            desk.conclude(job, [SwapPicture(plate=swap, picture=picture, holes=holes)], f"Swap for {label}")
        else:
            at = Point(x, y) if x is not None and y is not None else None
            if not desk.store.films.state(film_id).film.plates:
                at = None
            act = LayPlate(
                picture=picture,
                name=PurePath(label).stem,
                at=at,
                width=width if at else None,
                georeference=outcome.get("georeference"),
                holes=holes,
            )
            desk.conclude(job, [act], f"Lay {act.name}", outcome.get("told", ""))

    return await begun(desk, request, film_id, label, settings, BadPicture, lay)


@router.get("/films/{film_id}/plates/{plate_id}/tiles/{look}/{level}/{column}/{row}", response_class=Response)
async def get_tile(
    film_id: str,
    plate_id: str,
    look: str,
    level: int,
    column: int,
    row: int,
    desk: TheDesk,
    request: Request,
    state: str,
) -> Response:
    """A tile of a plate as the chart shows it, 256 pixels square or less at the edge: JPEG, or WebP with alpha.

    Level 0 is the full picture; ``look``, from the plan, names what the pixels depend on.
    """

    def work() -> Response:
        film, _ = desk.film(film_id, state)
        plate = film.plate(plate_id)
        if plate.look != look:
            raise NotFound("The plate has another look by now.")
        pyramid = pyramid_of(plate, desk.store.pictures.pyramid)
        if not 0 <= level < len(pyramid.sizes):
            raise NotFound("The picture has no such level.")
        width, height = pyramid.sizes[level]
        if not (0 <= column * PAGE < width and 0 <= row * PAGE < height):
            raise NotFound("The picture has no such tile.")
        page = np.empty((PADDED, PADDED, 4), np.uint8)
        pyramid.page(level, column, row, page)
        tile = page[1 : 1 + min(PAGE, height - row * PAGE), 1 : 1 + min(PAGE, width - column * PAGE)]
        return _encoded(tile, pyramid.alpha)

    return await desk.tiles.do(request, film_id, work)


@router.get("/pictures/{sha256}/thumb", response_class=Response)
async def get_thumb(sha256: str, desk: TheDesk, request: Request) -> Response:
    """A small copy of a picture: the first level with its shorter side under 200 pixels."""

    def work() -> Response:
        pyramid = desk.store.pictures.pyramid(sha256)
        level = next((i for i, size in enumerate(pyramid.sizes) if min(size) < 200), len(pyramid.sizes) - 1)
        return _encoded(pyramid.read(level), pyramid.alpha)

    return await desk.tiles.do(request, "", work)


class HeightCodes(BaseModel):
    """How a picture most likely holds heights."""

    codes: Codes


@router.get("/pictures/{sha256}/heights")
def get_height_codes(sha256: str, desk: TheDesk) -> HeightCodes:
    """How a picture most likely holds heights: as metres, in grey, or coded in its colours."""
    return HeightCodes(codes=desk.store.pictures.height_codes(sha256))


def _encoded(tile: np.ndarray, alpha: bool) -> Response:
    if alpha:
        straight = tile.astype(np.float32)
        straight[..., :3] *= 255 / np.maximum(straight[..., 3:], 1)
        tile = np.minimum(straight + 0.5, 255).astype(np.uint8)
        _, data = cv2.imencode(".webp", cv2.cvtColor(tile, cv2.COLOR_RGBA2BGRA), [cv2.IMWRITE_WEBP_QUALITY, 90])
        return Response(data.tobytes(), media_type="image/webp", headers=Immutable)
    _, data = cv2.imencode(".jpg", cv2.cvtColor(tile, cv2.COLOR_RGBA2BGR), [cv2.IMWRITE_JPEG_QUALITY, 88])
    return Response(data.tobytes(), media_type="image/jpeg", headers=Immutable)
