"""The job that captures plates from a survey."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.errors import BadSurvey, YailaError
from yaila.core.film import Feather
from yaila.core.film.acts import LayPlate, LightPlate, RaiseGround, SwapPicture
from yaila.core.film.model import Captured
from yaila.core.film.part import new_id
from yaila.core.ground import TileBlock
from yaila.core.ground.georeference import MERCATOR, Georeference
from yaila.farm.pulse import Pulse
from yaila.formats.mosaic import Mosaic
from yaila.formats.survey import Source, Surveyor
from yaila.store import Store

FEATHER = 12.0
"""The feather of a captured plate, percent; the margin it was planned with makes room for it."""


class CaptureSettings(BaseModel):
    """From where, and which plates; names go with them.

    ``again`` is a plate of the film that is captured once more, for the tiles it lacks; ``lacking`` says how many.
    """

    source: Source
    plates: list[TileBlock]
    names: list[str]
    again: str | None = None
    lacking: int = 0


def capture(
    store: Store, settings: CaptureSettings, number: int, surveyor: Surveyor, folder: Path, pulse: Pulse, done: int
) -> list[LayPlate | SwapPicture | RaiseGround | LightPlate]:
    """Fetch one plate; returns the acts that lay it and let it be what it holds: none if a plate asked for again got
    nothing new.

    Raises:
        BadSurvey: the source gives no tiles of it at all, or something else than tiles.
    """
    block, source, name = settings.plates[number], settings.source, settings.names[number]
    mosaic = Mosaic(folder, block.columns, block.rows, source.tile)
    came = 0

    def take(tile: tuple[int, int, int], pixels: NDArray[np.uint8] | None) -> None:
        nonlocal done, came
        done += 1
        pulse.beat(done)
        if pixels is not None:
            came += 1
            mosaic.put(tile[1] - block.column, tile[2] - block.row, pixels)

    surveyor.tiles(block.names, take)
    if not came:
        raise BadSurvey(f"“{source.name}” gave none of the {len(block.names)} tiles of “{name}”.")
    holes = tuple(mosaic.holes)
    if settings.again and len(holes) >= settings.lacking:
        return []
    file = folder / f"{name}.tif"
    mosaic.write(file)
    picture, captured = store.pictures.add(file, file.name, job=pulse.job), Captured(source=source.id, tiles=block)
    if settings.again:
        return [SwapPicture(plate=settings.again, picture=picture, holes=holes, captured=captured)]
    west, _, east, north = block.ground
    pixel = (east - west) / (block.columns * source.tile)
    plate = new_id()
    lay = LayPlate(
        id=plate,
        picture=picture,
        name=name,
        georeference=Georeference(crs=MERCATOR, affine=(pixel, 0.0, west, 0.0, -pixel, north)),
        credit=source.credit,
        feather=Feather() if source.holds == "heights" else Feather(width=FEATHER),
        holes=holes,
        captured=captured,
        sort=True,
    )
    if source.holds == "heights":
        return [lay, RaiseGround(plate=plate, codes=store.pictures.height_codes(picture.sha256))]
    return [lay, LightPlate(plate=plate)] if source.holds == "lights" else [lay]


def run(store: Store, job: str, pulse: Pulse) -> None:
    """Do a capture job; the acts it comes to are noted in its settings as plates are ready."""
    row = store.jobs.get(job)
    settings = CaptureSettings.model_validate(row.settings["capture"])
    acts: list[dict[str, Any]] = []
    surveyor = None
    try:
        surveyor = Surveyor(settings.source, store.tiles, trusted=settings.source.builtin)
        done = 0
        for number, block in enumerate(settings.plates):
            with store.room(job) as folder:
                made = capture(store, settings, number, surveyor, folder, pulse, done)
            done += len(block.names)
            acts += [act.model_dump(mode="json") for act in made]
            store.jobs.note(job, settings=row.settings | {"acts": acts}, done=min(done, row.total - 1))
    except YailaError as error:
        # What was got before stays got: the server lays it.
        store.jobs.note(job, settings=row.settings | {"acts": acts, "fault": str(error)})
    finally:
        if surveyor:
            surveyor.close()
