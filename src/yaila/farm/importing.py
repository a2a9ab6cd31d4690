"""The job that takes a picture, clip, sound or bundle into the store."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from yaila.core.camera import FrameSize
from yaila.core.errors import BadGeoreference, BadSound
from yaila.core.ground.georeference import Georeference
from yaila.core.time import Rate
from yaila.farm.bundles import take_in_bundle
from yaila.farm.pulse import Pulse
from yaila.formats.frames_clip import clip_of_frames
from yaila.formats.georeferencing import is_tiff, read_world
from yaila.formats.mbtiles import is_mbtiles, read_mbtiles
from yaila.formats.stills import write_still
from yaila.formats.whole import ask_room
from yaila.store import Store
from yaila.store.database import JobRow
from yaila.store.pictures import sha256_of

Progress = Callable[[float], None]


def run(store: Store, job: str, pulse: Pulse) -> None:
    """Do an import job: its ``settings`` name the file that has arrived and what it is, and are told what came of it;
    ``lost`` says that the store had it not, so that a film which names it already has found it again."""
    row = store.jobs.get(job)
    store.jobs.note(job, total=100)
    take = next((take for kind, take in KINDS.items() if row.settings.get(kind)), _picture)
    found = take(store, row, Path(row.settings["file"]), lambda share: pulse.beat(round(share * 99)))
    store.jobs.note(job, settings=row.settings | found, done=99)


def _picture(store: Store, row: JobRow, file: Path, progress: Progress) -> dict[str, Any]:
    # What a file says of its place is read before the picture, so that a fault in it loses nothing.
    place: Georeference | None = None
    holes: tuple[tuple[int, int, int, int], ...] = ()
    name, told = row.name, ""
    if is_mbtiles(file):
        name = f"{Path(row.name).stem}.tif"
        with store.room(row.id) as folder:
            stitched = file.with_suffix(".stitched")
            place, holes = read_mbtiles(file, row.name, folder, stitched)
        stitched.replace(file)
    else:
        given = None
        if row.settings.get("world"):
            given, told = _beside(row.settings, row.name)
        if given or is_tiff(file):
            # GDAL takes a while to load, and most pictures need none of it.
            from yaila.formats.rasters import take_in

            with store.room(row.id) as folder:
                taken = take_in(file, row.name, folder / "straight.tif", given)
                place, told = taken.place, f"{told} {taken.told}".strip()
                if taken.anew:
                    name = f"{Path(row.name).stem}.tif"
                    (folder / "straight.tif").replace(file)
    sha256 = sha256_of(file)
    lost = not store.pictures.has(sha256)
    store.pictures.add(file, name, progress, job=row.id, sha256=sha256)
    georeference = place.model_dump() if place else None
    return {"sha256": sha256, "georeference": georeference, "holes": holes, "lost": lost, "told": told}


def _sound(store: Store, row: JobRow, file: Path, progress: Progress) -> dict[str, Any]:
    sha256 = sha256_of(file)
    lost = not store.sounds.has(sha256)
    sound = store.sounds.add(file, row.name, progress, job=row.id, sha256=sha256)
    return {"sound": sound.model_dump(), "lost": lost}


def _clip(store: Store, row: JobRow, file: Path, progress: Progress) -> dict[str, Any]:
    """Take in a clip, or the frames of one, and its sound, if it has any that can be heard."""
    name, told, before = row.name, "", 0.0
    if name.lower().endswith(".zip"):
        name, before = f"{Path(name).stem}.mkv", 0.5
        with store.room(row.id) as folder:
            # The clip of frames takes about what they do.
            ask_room(folder, 2 * file.stat().st_size, f"“{row.name}”")
            made = folder / "frames.mkv"
            rate = Rate.parse(row.settings["rate"]).value
            told = clip_of_frames(file, made, row.name, rate, lambda share: progress(before * share))
            made.replace(file)
    sha256 = sha256_of(file)
    lost = not store.clips.has(sha256)
    clip = store.clips.add(
        file, name, lambda share: progress(before + (0.8 - before) * share), job=row.id, sha256=sha256
    )
    found: dict[str, Any] = {"clip": clip.model_dump(), "heard": None, "lost": lost, "told": told}
    if row.settings.get("lies"):
        if store.clips.get(sha256).sound:
            found["told"] = f"{told} It is laid without its sound: drop it in Sound to hear it.".strip()
        return found | _still(store, row, file, sha256)
    if store.clips.get(sha256).sound:
        try:
            sound = store.sounds.add(
                store.clips.source(sha256), row.name, lambda share: progress(0.8 + 0.2 * share), True, row.id, sha256
            )
            found["heard"] = sound.model_dump()
        except BadSound as error:
            found["told"] = f"It is silent: {error}"
    return found


def _beginning(store: Store, row: JobRow, file: Path, progress: Progress) -> dict[str, Any]:
    """Take in the first picture of a clip in store."""
    return _still(store, row, file, row.settings["beginning"])


def _still(store: Store, row: JobRow, file: Path, clip: str) -> dict[str, Any]:
    """Take in the first picture of a clip in store, as the picture of the plate that plays it; ``file`` is where it may
    be written."""
    facts = store.clips.get(clip)
    pixels = store.clips.open(clip).at(0.0, facts.width)
    height, width = pixels.shape[:2]
    with store.room(row.id) as folder:
        made = folder / "first.png"
        write_still(made, FrameSize(width, height), lambda out: np.copyto(out, pixels), folder / "raw", facts.alpha)
        made.replace(file)
    picture = store.pictures.add(file, f"{Path(row.name).stem}.png", job=row.id)
    return {"picture": picture.model_dump()}


def _bundle(store: Store, row: JobRow, file: Path, progress: Progress) -> dict[str, Any]:
    """Take in a bundle: the film that comes of it is the job's."""
    film, lacking = take_in_bundle(file, store, row.name, row.id, progress)
    file.unlink(missing_ok=True)
    store.films.create(film, row.film)
    if not lacking:
        return {"told": ""}
    names = ", ".join(f"“{use.name}”" for use in lacking[:3]) + (" and others" if len(lacking) > 3 else "")
    return {"told": f"Not in the bundle: the files of {names}. Drop them on the film."}


KINDS: dict[str, Callable[[Store, JobRow, Path, Progress], dict[str, Any]]] = {
    "sound": _sound,
    "clip": _clip,
    "beginning": _beginning,
    "bundle": _bundle,
}
"""What takes a file in, by the setting that says what it is; without one it is a picture."""


def _beside(settings: dict[str, Any], name: str) -> tuple[Georeference | None, str]:
    """Where a file beside a picture says that it lies. One that says nothing of use does not keep the picture out."""
    try:
        return read_world(settings["world"], settings.get("prj"), settings.get("world_name", name)), ""
    except BadGeoreference as error:
        return None, str(error)
