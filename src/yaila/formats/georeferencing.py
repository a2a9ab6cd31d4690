"""Where a picture file says that it lies: GeoTIFF (OGC 19-008r4) and world files (ESRI's six lines).

Pixels count here from the outer corner of the first, as plates do.
"""

from __future__ import annotations

import struct
from pathlib import Path
from typing import Any

import pyproj
import tifffile
from pydantic import ValidationError
from pyproj.exceptions import CRSError

from yaila.core.errors import BadGeoreference
from yaila.core.ground.georeference import Georeference
from yaila.formats.geokeys import crs_of_keys


def is_tiff(path: Path) -> bool:
    """Whether a file begins like a TIFF."""
    with path.open("rb") as file:
        return file.read(4) in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")


UNREADABLE = (
    tifffile.TiffFileError, ValueError, KeyError, IndexError, TypeError, AttributeError, OverflowError, ArithmeticError,
    struct.error, RecursionError,
)  # fmt: skip
"""What reading the tags of a damaged file can end in."""


def read_geotiff(path: Path, name: str) -> Georeference | None:
    """The georeference of a TIFF file; none if it has no geographic tags.

    Raises:
        BadGeoreference: it has, but they name no known system, or give no map.
    """
    try:
        with tifffile.TiffFile(path) as tiff:
            tags: dict[str, Any] = tiff.pages.first.geotiff_tags or {}
            codes = {tag.code for tag in tiff.pages.first.tags}
    except UNREADABLE as error:
        raise BadGeoreference(f"The geographic tags of “{name}” cannot be read: {error}. Write them again.") from error
    if not codes & {33550, 33922, 34264}:
        return None
    try:
        a, b, c, d, e, f = _affine(tags, name)
    except UNREADABLE as error:
        raise BadGeoreference(f"The geographic tags of “{name}” make no sense ({error}). Write them again.") from error
    if "GTModelTypeGeoKey" not in tags and not {"ProjectedCSTypeGeoKey", "GeographicTypeGeoKey"} & set(tags):
        raise BadGeoreference(
            f"“{name}” says where it lies but not in which coordinate reference system. Give it one (a .prj or an EPSG "
            "code) in the program that made it, or lay it by control points."
        )
    crs = crs_of_keys(tags, name)
    if int(tags.get("GTRasterTypeGeoKey", 1)) == 2:
        # Pixel is point: the coordinates belong to the centre of a pixel, not to its corner.
        c, f = c - (a + b) / 2, f - (d + e) / 2
    return _checked(crs, (a, b, c, d, e, f), name)


def _affine(tags: dict[str, Any], name: str) -> tuple[float, ...]:
    matrix = tags.get("ModelTransformation")
    if matrix is not None:
        rows = [float(value) for row in matrix for value in row]
        return rows[0], rows[1], rows[3], rows[4], rows[5], rows[7]
    scale, ties = tags.get("ModelPixelScale"), tags.get("ModelTiepoint")
    if scale is None or ties is None or len(ties) < 6:
        raise BadGeoreference(f"“{name}” has geographic tags that give no map. Lay it by control points.")
    column, row, _, x, y, _ = (float(value) for value in ties[:6])
    return float(scale[0]), 0.0, x - column * float(scale[0]), 0.0, -float(scale[1]), y + row * float(scale[1])


def read_world(text: str, prj: str | None, name: str) -> Georeference:
    """The georeference of a world file; ``prj`` is the text of the .prj beside it, if there is one.

    Without, coordinates that can be degrees are taken as longitude and latitude (WGS 84), others as Web Mercator
    metres.

    Raises:
        BadGeoreference: it is no world file, or the .prj names no known system.
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
    else:
        code = "EPSG:4326" if abs(c) <= 180 and abs(f) <= 90 and max(abs(a), abs(e)) < 1 else "EPSG:3857"
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
