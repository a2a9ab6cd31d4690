"""Georeferenced pictures as they come, made into pictures that lie straight on Web Mercator: by rasterio (GDAL).

What a similarity or a homography cannot lay to a tenth of a pixel is resampled: wide pictures in degrees or in a
projection of their own. They end at 85.05 degrees and at the date line, as Web Mercator does. Values that are no 8-bit
colours (elevations, reflectances, more bands than three) are brought to black and white by a first guess that is said.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyproj
import rasterio
from numpy.typing import NDArray
from pydantic import ValidationError
from rasterio.enums import ColorInterp, Resampling
from rasterio.errors import RasterioError
from rasterio.transform import Affine, from_bounds, from_gcps
from rasterio.vrt import WarpedVRT
from rasterio.windows import Window

from yaila.core.errors import BadGeoreference, BadPicture
from yaila.core.ground.georeference import MERCATOR, Georeference
from yaila.core.ground.mercator import HALF_WORLD
from yaila.formats.heights import keep_values, kept_shape

STRAIGHT = 0.1
"""Pixels by which a picture may miss its place before it is resampled."""

GRID = 33
"""Places across a picture, and down, at which that is measured."""

MOST_GROWTH = 2.5
"""How many times its own pixels a resampled picture may have."""

BLOCK = 1024
"""Pixels a side that are written at once."""

TILE = 512

SAMPLE = 1000
"""Pixels a side of the copy from which the range of values is told."""

WIDE = 0.5
"""Percent of the values at either end that are let go where a range has to be guessed."""


@dataclass(frozen=True)
class Taken:
    """A picture as it is to be taken in: where it lies, if it says so, what is said of it to the person, and whether it
    was written anew."""

    place: Georeference | None
    told: str = ""
    anew: bool = False


def take_in(path: Path, name: str, target: Path, given: Georeference | None = None) -> Taken:
    """Look at a picture file and write what has to be written anew to ``target``, a TIFF of 8 bits.

    Args:
        given: where it lies by a file beside it, in place of what it says itself.

    Raises:
        BadGeoreference: its geographic tags make no sense.
        BadPicture: its pixels cannot be read.
    """
    with _opened(path, name) as source:
        place, told = (given, "") if given else _place(source, name)
        bands, said = _bands(source)
        missed = _missed(place, source.width, source.height) if place else 0.0
        if place and missed > STRAIGHT:
            grid = _grid_of(source, place)
        elif bands.plain:
            return Taken(place, told)
        else:
            grid = None
        parts = [told, said] if grid is None else [told, said, grid.told]
        try:
            with _warped(source, grid, place) as layers:
                _write(layers, bands, target, grid.affine if grid else None)
                if len(bands.shown) == 1 and source.dtypes[bands.shown[0] - 1] != "uint8":
                    keep_values([_values(layer, bands.shown[0]) for layer in layers], target)
        except (RasterioError, ValueError) as error:
            raise BadPicture(f"“{name}” cannot be read to its end: {error}. Copy or export it again.") from error
        if grid:
            place = Georeference(crs=MERCATOR, affine=tuple(grid.affine)[:6])
        return Taken(place, " ".join(part for part in parts if part), anew=True)


def read_place(path: Path, name: str) -> tuple[Georeference | None, str]:
    """The georeference of a TIFF file, if it has a whole one, and what is missing in it otherwise.

    Raises:
        BadGeoreference: its geographic tags make no sense.
    """
    with _opened(path, name) as source:
        return _place(source, name)


@contextmanager
def _opened(path: Path, name: str) -> Iterator[Any]:
    try:
        with rasterio.Env(GDAL_DISABLE_READDIR_ON_OPEN="EMPTY_DIR", GTIFF_HONOUR_NEGATIVE_SCALEY="NO"):
            # One kind of file alone: what only claims to be a picture is given to no other reader.
            source = rasterio.open(path, driver=_kind(path))
    except (RasterioError, ValueError) as error:
        raise BadGeoreference(f"“{name}” cannot be read: {error}. Write it again.") from error
    with source:
        yield source


def _kind(path: Path) -> str:
    with path.open("rb") as file:
        begins = file.read(4)
    return {b"\x89PNG": "PNG", b"RIFF": "WEBP"}.get(begins, "JPEG" if begins[:2] == b"\xff\xd8" else "GTiff")


def _place(source: Any, name: str) -> tuple[Georeference | None, str]:
    points, system = source.gcps
    transform, system = (from_gcps(points), system) if points else (source.transform, source.crs)
    if transform == Affine.identity():
        return None, ""
    if not system:
        return None, (
            "It says where it lies but not in which coordinate reference system. Drop its .prj with a world file, or "
            "lay it by control points."
        )
    authority = system.to_authority()
    crs = ":".join(authority) if authority else system.to_wkt()
    affine = tuple(transform)[:6]
    if not all(map(math.isfinite, affine)) or abs(transform.determinant) == 0:
        raise BadGeoreference(f"“{name}” gives its pixels no size. Write it again.")
    told = ""
    if points:
        off = [math.dist(~transform * (point.x, point.y), (point.col, point.row)) for point in points]
        told = f"It was laid by its {len(points)} control points, which it misses by up to {max(off):.1f} pixels."
    try:
        return Georeference(crs=crs, affine=affine), told
    except ValidationError as error:
        message = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise BadGeoreference(f"“{name}”: {message}") from error


def _missed(place: Georeference, width: int, height: int) -> float:
    """By how many pixels the best affine map misses where a picture lies, at the most; infinite beyond the map."""
    x, y = np.meshgrid(np.linspace(0, width, GRID), np.linspace(0, height, GRID))
    pixels = np.column_stack([x.ravel(), y.ravel()])
    try:
        ground = place.on_mercator(pixels)
    except BadGeoreference:
        return math.inf
    if (
        np.abs(ground[:, 0]).max() > HALF_WORLD
        or np.abs(np.diff(ground[:, 0].reshape(x.shape), axis=1)).max() > HALF_WORLD
    ):
        return math.inf
    table = np.column_stack([pixels, np.ones(len(pixels))])
    found, *_ = np.linalg.lstsq(table, ground, rcond=None)
    off = np.linalg.norm(table @ found - ground, axis=1)
    return float(off.max() / math.sqrt(max(abs(np.linalg.det(found[:2])), 1e-12)))


@dataclass(frozen=True)
class _Grid:
    """The pixels that a picture is resampled to: their size, the map of them, and by how many degrees the picture is to
    be shifted, once for each of its turns round the Earth."""

    width: int
    height: int
    affine: Affine
    turns: tuple[float, ...]
    told: str


def _grid_of(source: Any, place: Georeference) -> _Grid:
    x, y = np.meshgrid(np.linspace(0, source.width, 129), np.linspace(0, source.height, 129))
    system = pyproj.CRS.from_user_input(place.crs)
    at = Affine(*place.affine)
    east, north = at.a * x + at.b * y + at.c, at.d * x + at.e * y + at.f
    to_degrees = pyproj.Transformer.from_crs(system, system.geodetic_crs, always_xy=True)
    lon, lat = (east, north) if system.is_geographic else to_degrees.transform(east, north)
    seen = np.isfinite(lon) & np.isfinite(lat) & (np.abs(lat) <= 90)
    if not seen.any():
        raise BadGeoreference("It lies nowhere on the Earth: its coordinates do not fit its reference system.")
    # Degrees run on over the date line, from the middle of the picture.
    middle = float(np.median(lon[seen]))
    lon = middle + (lon - middle + 180) % 360 - 180 if not system.is_geographic else lon
    limit = 85.05
    cut = [] if np.abs(lat[seen]).max() <= limit else ["beyond 85° of latitude"]
    low, high = float(lon[seen].min()), float(lon[seen].max())
    if low < -180 - 1e-9 or high > 180 + 1e-9:
        if high - low < 359:
            cut.append("beyond the date line")
            # The larger part stays.
            if high > 180 and high - 180 > 180 - low:
                low, high = -180.0, high - 360
            elif low < -180 and -180 - low > high + 180:
                low, high = low + 360, 180.0
        else:
            low, high = -180.0, 180.0
    west, easts = max(low, -180.0), min(high, 180.0)
    south, norths = max(float(lat[seen].min()), -limit), min(float(lat[seen].max()), limit)
    if west >= easts or south >= norths:
        raise BadGeoreference("It lies where Web Mercator ends, beyond 85° of latitude. Cut it first.")
    to_map = pyproj.Transformer.from_crs(system.geodetic_crs, MERCATOR, always_xy=True)
    (left, right), (bottom, top) = to_map.transform([west, easts], [south, norths])
    # As fine as it is where it is finest, within reason.
    inside = seen & (np.abs(lat) <= limit)
    across, down = to_map.transform(np.where(inside, lon, middle), np.where(inside, lat, 0.0))
    step = source.width / 128, source.height / 128
    over, along = (np.diff(one[:-1], axis=1) / step[0] for one in (across, down))
    under, below = (np.diff(one[:, :-1], axis=0) / step[1] for one in (across, down))
    area = np.abs(over * below - under * along)
    whole = inside[:-1, :-1] & inside[1:, :-1] & inside[:-1, 1:]
    size = math.sqrt(float(np.quantile(area[whole], 0.02))) if whole.any() else (right - left) / source.width
    size = max(size, math.sqrt((right - left) * (top - bottom) / (MOST_GROWTH * source.width * source.height)))
    width, height = max(round((right - left) / size), 1), max(round((top - bottom) / size), 1)
    told = "It was resampled to lie straight on the map"
    told += f"; what is {' and '.join(cut)} was cut off." if cut else "."
    turns = tuple(turn for turn in (0.0, -360.0, 360.0) if system.is_geographic or turn == 0)
    return _Grid(width, height, from_bounds(left, bottom, right, top, width, height), turns, told)


@contextmanager
def _warped(source: Any, grid: _Grid | None, place: Georeference | None) -> Iterator[list[Any]]:
    """The picture as it is to be written: resampled, in as many layers as it goes round the Earth."""
    if grid is None:
        yield [source]
        return
    layers = []
    try:
        for turn in grid.turns:
            options: dict[str, Any] = {"crs": MERCATOR, "transform": grid.affine, "width": grid.width}
            options |= {"height": grid.height, "resampling": Resampling.bilinear, "tolerance": 0.02}
            if ColorInterp.alpha not in source.colorinterp:
                options["add_alpha"] = True
            if place:
                options |= {"src_crs": place.crs, "src_transform": Affine.translation(turn, 0) * Affine(*place.affine)}
            layers.append(WarpedVRT(source, **options))
        yield layers
    finally:
        for layer in layers:
            layer.close()


@dataclass(frozen=True)
class _Bands:
    """Which bands are shown (counted from 1), what is black and white in them, and whether they are plain 8-bit colours
    as they stand."""

    shown: tuple[int, ...]
    black: float
    white: float
    plain: bool


def _bands(source: Any) -> tuple[_Bands, str]:
    """Which bands to show in which range, by a first guess, and what to say of it."""
    colours = list(source.colorinterp)
    if any(kind.startswith("complex") for kind in source.dtypes):
        raise BadPicture("Its values are complex numbers, which are no picture. Export an amplitude instead.")
    named = [colours.index(one) + 1 for one in (ColorInterp.red, ColorInterp.green, ColorInterp.blue) if one in colours]
    others = [k + 1 for k, one in enumerate(colours) if one is not ColorInterp.alpha]
    shown = tuple(named if len(named) == 3 else others[:3] if len(others) >= 3 else others[:1])
    told = ""
    if len(others) > len(shown):
        told = f"Of its {len(others)} bands {', '.join(map(str, shown))} are shown."
    kind = source.dtypes[shown[0] - 1]
    usual = len(others) in (1, 3) and source.nodata is None and ColorInterp.palette not in colours
    if kind == "uint8":
        return _Bands(shown, 0, 255, usual or ColorInterp.palette in colours), told
    ratio = max(source.width, source.height) / SAMPLE
    shape = (len(shown), max(round(source.height / max(ratio, 1)), 1), max(round(source.width / max(ratio, 1)), 1))
    sample = source.read(list(shown), out_shape=shape, masked=True).astype(np.float64)
    values = np.ma.masked_invalid(sample).compressed()
    if not len(values):
        return _Bands(shown, 0, 1, False), told + " It has no values at all."
    black, white = float(values.min()), float(values.max())
    bits = next((bits for bits in (8, 10, 12, 14, 16) if white < 2**bits), None)
    if kind == "uint16" and bits:
        black, white = 0.0, 2.0**bits - 1
        if bits == 16 and usual:
            return _Bands(shown, black, white, True), told
    elif kind.startswith("float") and black >= 0 and white <= 1:
        black, white = 0.0, 1.0
    else:
        black, white = np.percentile(values, [WIDE, 100 - WIDE]).tolist()
    if white <= black:
        white = black + 1
    told += f" Its values from {black:g} to {white:g} are black to white."
    if len(shown) == 1:
        told += " If they are heights, say so in Fit, under Picture: then they raise the ground."
    return _Bands(shown, black, white, False), told.strip()


def _write(layers: list[Any], bands: _Bands, target: Path, affine: Affine | None) -> None:
    first = layers[0]
    profile: dict[str, Any] = {
        "driver": "GTiff", "width": first.width, "height": first.height, "count": 4, "dtype": "uint8",
        "compress": "deflate", "zlevel": 1, "photometric": "RGB", "alpha": "YES", "BIGTIFF": "IF_SAFER",
    }  # fmt: skip
    if min(first.width, first.height) >= TILE:
        profile |= {"tiled": True, "blockxsize": TILE, "blockysize": TILE}
    if affine:
        profile |= {"crs": MERCATOR, "transform": affine}
    with rasterio.open(target, "w", **profile) as out:
        for top in range(0, first.height, BLOCK):
            for left in range(0, first.width, BLOCK):
                window = Window(left, top, min(BLOCK, first.width - left), min(BLOCK, first.height - top))
                out.write(_shown(layers, bands, window), window=window)


def _values(layer: Any, band: int) -> NDArray[np.float32]:
    """The values of a band as they stand, NaN where it has none, averaged to what is kept of heights."""
    height, width = kept_shape(layer.height, layer.width)
    read = layer.read(band, out_shape=(height, width), resampling=Resampling.average, masked=True)
    return np.asarray(read.astype(np.float32).filled(np.nan), np.float32)


def _shown(layers: list[Any], bands: _Bands, window: Window) -> NDArray[np.uint8]:
    """A block as 8-bit colours and alpha, (4, rows, columns)."""
    made = np.zeros((4, int(window.height), int(window.width)), np.uint8)
    for layer in layers:
        values = layer.read(list(bands.shown), window=window).astype(np.float32)
        there = layer.dataset_mask(window=window) > 127
        there &= np.isfinite(values).all(axis=0)
        shares = (np.nan_to_num(values) - bands.black) / (bands.white - bands.black)
        colours = np.clip(shares * 255 + 0.5, 0, 255).astype(np.uint8)
        fresh = there & (made[3] == 0)
        made[:3, fresh] = (colours if len(colours) == 3 else np.repeat(colours, 3, axis=0))[:, fresh]
        made[3, fresh] = 255
    return made
