"""The process that takes one picture or sound into the store: ``python -m yaila.farm.importing HOME JOB``."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from yaila.core.errors import BadGeoreference, BadSound
from yaila.core.ground.georeference import Georeference
from yaila.farm.pulse import Pulse, give_way, work
from yaila.formats.georeferencing import is_tiff, read_world
from yaila.formats.mbtiles import is_mbtiles, read_mbtiles
from yaila.store import Store
from yaila.store.pictures import sha256_of


def run(store: Store, job: str, pulse: Pulse) -> None:
    """Do an import job: its ``settings`` name the file that has arrived."""
    row = store.jobs.get(job)
    file = Path(row.settings["file"])
    sidecar = row.settings.get("world")
    store.jobs.note(job, total=100)
    if row.settings.get("sound"):
        sound = store.sounds.add(file, row.name, lambda share: pulse.beat(round(share * 99)), job=job)
        store.jobs.note(job, settings=row.settings | {"sound": sound.model_dump()}, done=99)
        return
    if row.settings.get("clip"):
        _clip(store, job, file, pulse)
        return
    # What a file says of its place is read before the picture, so that a fault in it loses nothing.
    place: Georeference | None = None
    holes: tuple[tuple[int, int, int, int], ...] = ()
    name, told = row.name, ""
    if is_mbtiles(file):
        name = f"{Path(row.name).stem}.tif"
        with store.room(job) as folder:
            stitched = file.with_suffix(".stitched")
            place, holes = read_mbtiles(file, row.name, folder, stitched)
        stitched.replace(file)
    else:
        given = None
        if sidecar:
            given, told = _beside(row.settings, row.name)
        if given or is_tiff(file):
            # GDAL takes a while to load, and most pictures need none of it.
            from yaila.formats.rasters import take_in

            with store.room(job) as folder:
                taken = take_in(file, row.name, folder / "straight.tif", given)
                place, told = taken.place, f"{told} {taken.told}".strip()
                if taken.anew:
                    name = f"{Path(row.name).stem}.tif"
                    (folder / "straight.tif").replace(file)
    sha256 = sha256_of(file)
    lost = store.pictures.known(sha256) and not store.pictures.has(sha256)
    picture = store.pictures.add(file, name, lambda share: pulse.beat(round(share * 99)), job=job, sha256=sha256)
    found = {
        "sha256": picture.sha256,
        "georeference": place.model_dump() if place else None,
        "holes": holes,
        "mended": lost,
        "told": told,
    }
    store.jobs.note(job, settings=row.settings | found, done=99)


def _clip(store: Store, job: str, file: Path, pulse: Pulse) -> None:
    """Take in a clip, and its sound, if it has any that can be heard."""
    row = store.jobs.get(job)
    clip = store.clips.add(file, row.name, lambda share: pulse.beat(round(share * 80)), job=job)
    found: dict[str, Any] = {"clip": clip.model_dump(), "heard": None, "told": ""}
    if store.clips.get(clip.sha256).sound:
        source = store.clips.source(clip.sha256)
        try:
            sound = store.sounds.add(source, row.name, lambda share: pulse.beat(80 + round(share * 19)), True, job)
            found["heard"] = sound.model_dump()
        except BadSound as error:
            found["told"] = f"It is silent: {error}"
    store.jobs.note(job, settings=row.settings | found, done=99)


def _beside(settings: dict[str, Any], name: str) -> tuple[Georeference | None, str]:
    """Where a file beside a picture says that it lies. One that says nothing of use does not keep the picture out."""
    try:
        return read_world(settings["world"], settings.get("prj"), settings.get("world_name", name)), ""
    except BadGeoreference as error:
        return None, str(error)


if __name__ == "__main__":
    give_way(15)
    work(run)
