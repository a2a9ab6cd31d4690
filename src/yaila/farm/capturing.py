"""The process that captures plates from a survey: ``python -m yaila.farm.capturing HOME JOB``."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.errors import BadSurvey, YailaError
from yaila.core.film import Feather
from yaila.core.film.acts import LayPlate
from yaila.core.film.model import new_id
from yaila.core.ground.georeference import MERCATOR, Georeference
from yaila.core.soundings import PlannedPlate
from yaila.farm.pulse import Pulse
from yaila.formats.mosaic import Mosaic
from yaila.formats.survey import Source, Surveyor
from yaila.store import Store

FEATHER = 12.0
"""The feather of a captured plate, percent; the margin it was planned with makes room for it."""


class CaptureSettings(BaseModel):
    """From where, and which plates; names go with them."""

    source: Source
    plates: list[PlannedPlate]
    names: list[str]


def capture(
    store: Store, settings: CaptureSettings, number: int, surveyor: Surveyor, folder: Path, pulse: Pulse, done: int
) -> LayPlate:
    """Fetch one plate; returns the act that lays it.

    Raises:
        BadSurvey: the source gives no tiles of it at all, or something else than tiles.
    """
    planned, source = settings.plates[number], settings.source
    mosaic = Mosaic(folder, planned.columns, planned.rows, source.tile)
    came = 0

    def take(name: tuple[int, int, int], pixels: NDArray[np.uint8] | None) -> None:
        nonlocal done, came
        done += 1
        pulse.beat(done)
        if pixels is not None:
            came += 1
            mosaic.put(name[1] - planned.column, name[2] - planned.row, pixels)

    wanted = [
        (planned.zoom, planned.column + column, planned.row + row)
        for row in range(planned.rows)
        for column in range(planned.columns)
    ]
    surveyor.tiles(wanted, take)
    if not came:
        raise BadSurvey(f"“{source.name}” gave none of the {len(wanted)} tiles of “{settings.names[number]}”.")
    file = folder / f"{settings.names[number]}.tif"
    mosaic.write(file)
    west, _, _, north = planned.box
    pixel = (planned.box[2] - west) / planned.size[0]
    return LayPlate(
        id=new_id(),
        picture=store.pictures.add(file, file.name),
        name=settings.names[number],
        georeference=Georeference(crs=MERCATOR, affine=(pixel, 0.0, west, 0.0, -pixel, north)),
        credit=source.credit,
        feather=Feather(width=FEATHER),
        holes=tuple(mosaic.holes),
        sort=True,
    )


def run(store: Store, job: str) -> None:
    """Do a capture job; the acts it comes to are noted in its settings as plates are ready."""
    row = store.jobs.get(job)
    settings = CaptureSettings.model_validate(row.settings["capture"])
    pulse = Pulse(store, job)
    store.jobs.note(job, state="running")
    acts: list[dict[str, Any]] = []
    surveyor = None
    try:
        surveyor = Surveyor(settings.source, store.tiles, trusted=settings.source.builtin)
        done = 0
        for number, planned in enumerate(settings.plates):
            with tempfile.TemporaryDirectory(dir=store.arrivals, prefix=job) as folder:
                act = capture(store, settings, number, surveyor, Path(folder), pulse, done)
            done += planned.tiles
            acts.append(act.model_dump(mode="json"))
            store.jobs.note(job, settings=row.settings | {"acts": acts}, done=min(done, row.total - 1))
    except YailaError as error:
        # What was got before stays got: the server lays it.
        store.jobs.note(job, settings=row.settings | {"acts": acts, "fault": str(error)})
    finally:
        if surveyor:
            surveyor.close()


if __name__ == "__main__":
    os.nice(10)
    run(Store(Path(sys.argv[1])), sys.argv[2])
