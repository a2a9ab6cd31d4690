"""Where a file beside a picture says that it lies: world files (ESRI's six lines). What a GeoTIFF says itself is read
in ``rasters.py``.

Pixels count here from the outer corner of the first, as plates do.
"""

from __future__ import annotations

from pathlib import Path

import pyproj
from pydantic import ValidationError
from pyproj.exceptions import CRSError

from yaila.core.errors import BadGeoreference
from yaila.core.ground.georeference import Georeference


def is_tiff(path: Path) -> bool:
    """Whether a file begins like a TIFF."""
    with path.open("rb") as file:
        return file.read(4) in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")


def read_world(text: str, prj: str | None, name: str) -> Georeference:
    """The georeference of a world file; ``prj`` is the text of the .prj beside it, if there is one.

    Without, coordinates that can be degrees are taken as longitude and latitude (WGS 84); of others nobody knows in
    which system they are.

    Raises:
        BadGeoreference: it is no world file, the .prj names no known system, or there is none where one is needed.
    """
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if len(lines) != 6:
        raise BadGeoreference(f"“{name}” has {len(lines)} lines; a world file has six, a number in each.")
    try:
        a, d, b, e, c, f = (float(line.replace(",", ".")) for line in lines)
    except ValueError as error:
        raise BadGeoreference(
            f"“{name}” has a line that is no number: {error}. A world file has six numbers."
        ) from error
    if prj:
        try:
            crs = pyproj.CRS.from_user_input(prj)
        except CRSError as error:
            raise BadGeoreference(
                f"The .prj beside “{name}” names no coordinate reference system that is known."
            ) from error
        authority = crs.to_authority()
        code = ":".join(authority) if authority else crs.to_wkt()
    elif abs(c) <= 180 and abs(f) <= 90 and max(abs(a), abs(e)) < 1:
        code = "EPSG:4326"
    else:
        raise BadGeoreference(
            f"“{name}” gives metres or feet of a system that it does not name. Drop its .prj together with it, or lay "
            "the picture by control points."
        )
    # The file speaks of the centre of the first pixel.
    return _checked(code, (a, b, c - (a + b) / 2, d, e, f - (d + e) / 2), name)


def _checked(crs: str, affine: tuple[float, ...], name: str) -> Georeference:
    if abs(affine[0] * affine[4] - affine[1] * affine[3]) == 0:
        raise BadGeoreference(f"“{name}” gives its pixels no size. Write it again.")
    try:
        return Georeference(crs=crs, affine=affine)
    except ValidationError as error:
        message = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise BadGeoreference(f"“{name}”: {message}") from error
