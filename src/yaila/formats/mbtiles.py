"""MBTiles 1.3: a survey in one SQLite file. The closest zoom level becomes a plate."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

import cv2
import numpy as np

from yaila.core.errors import BadPicture
from yaila.core.ground.georeference import MERCATOR, Georeference
from yaila.core.ground.mercator import HALF_WORLD
from yaila.core.imagery import PIXEL_LIMIT
from yaila.formats.mosaic import Mosaic

MAGIC = b"SQLite format 3\0"


PATIENCE = 30.0
"""Seconds that the file may take for one answer."""


def is_mbtiles(path: Path) -> bool:
    """Whether a file is an SQLite database, as MBTiles are."""
    with path.open("rb") as file:
        return file.read(16) == MAGIC


def read_mbtiles(
    path: Path, name: str, folder: Path, target: Path
) -> tuple[Georeference, tuple[tuple[int, int, int, int], ...]]:
    """Put the tiles of the closest level together and write them to ``target``, a TIFF.

    Returns where it lies, and the tiles that are missing inside it: x, y, width, height in pixels.

    Raises:
        BadPicture: it holds vectors, no tiles, or more than one plate may have.
    """
    try:
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as base:
            # A view may run without end: what takes longer for one answer is given up.
            answered = time.monotonic()
            base.set_progress_handler(lambda: time.monotonic() - answered > PATIENCE, 100_000)
            facts = dict(base.execute("SELECT name, value FROM metadata").fetchall())
            kind = str(facts.get("format", "")).lower()
            if kind in ("pbf", "mvt") or facts.get("json", "").find("vector_layers") >= 0:
                raise BadPicture(f"“{name}” holds vectors, not pictures. Export it as raster tiles.")
            zoom = base.execute("SELECT max(zoom_level) FROM tiles").fetchone()[0]
            if zoom is None:
                raise BadPicture(f"“{name}” has no tiles in it. Export it again.")
            west, east, south, north = base.execute(
                "SELECT min(tile_column), max(tile_column), min(tile_row), max(tile_row) FROM tiles "
                "WHERE zoom_level = ?",
                (zoom,),
            ).fetchone()
            rows = base.execute("SELECT tile_column, tile_row, tile_data FROM tiles WHERE zoom_level = ?", (zoom,))
            mosaic, side = None, 0
            for column, row, data in rows:
                answered = time.monotonic()
                picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                if picture is None:
                    raise BadPicture(
                        f"“{name}” has a tile that is no picture ({zoom}/{column}/{row}). Export it again."
                    )
                if mosaic is None:
                    side = picture.shape[0]
                    if (east - west + 1) * (north - south + 1) * side**2 > PIXEL_LIMIT:
                        raise BadPicture(f"“{name}” is too large for one plate. Export a smaller area of it.")
                    mosaic = Mosaic(folder, east - west + 1, north - south + 1, side)
                if picture.shape[:2] != (side, side):
                    raise BadPicture(f"“{name}” has tiles of different sizes. Export it again.")
                code = {2: cv2.COLOR_GRAY2RGBA, 3: cv2.COLOR_BGR2RGBA, 4: cv2.COLOR_BGRA2RGBA}
                bands = 2 if picture.ndim == 2 else picture.shape[2]
                # Rows count from the south here.
                mosaic.put(column - west, north - row, cv2.cvtColor(picture, code[bands]).astype(np.uint8))
    except (sqlite3.Error, TypeError, ValueError, OverflowError, AttributeError, cv2.error) as error:
        raise BadPicture(f"“{name}” is no MBTiles file that can be read: {error}. Export it again.") from error
    if mosaic is None:
        raise BadPicture(f"“{name}” has no tiles in it. Export it again.")
    mosaic.write(target)
    width = 2 * HALF_WORLD / 2**zoom
    pixel = width / side
    left, top = west * width - HALF_WORLD, (north + 1) * width - HALF_WORLD
    place = Georeference(crs=MERCATOR, affine=(pixel, 0.0, left, 0.0, -pixel, top))
    return place, tuple(mosaic.holes)
