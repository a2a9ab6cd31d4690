"""Whatever lies on the ground in a file: ways, places and outlines, as they are to be listed before they are laid.

GPX, KML and tables are read by ``tracks.py``; GeoJSON (RFC 7946), TopoJSON, zipped shapefiles, GeoPackage and
FlatGeobuf by shapely and by pyogrio (GDAL), in any coordinate reference system that PROJ knows.
"""

from __future__ import annotations

import json
import warnings
from typing import Any

import numpy as np
import shapely
from shapely.errors import ShapelyError

from yaila.core.errors import BadTrack
from yaila.formats.markup import small_enough
from yaila.formats.tracks import (
    UNREADABLE,
    Found,
    Outline,
    Spot,
    Track,
    joined,
    read_ways,
    stops_of,
    whole,
)

TABLES = ("gpx", "kml", "kmz", "csv", "tsv", "txt")
LAYERED = ("zip", "gpkg", "fgb", "topojson")
KINDS = (*TABLES, "geojson", "json", *LAYERED)
"""The endings of files that are read."""

LIMIT = 85.05
"""Degrees of latitude at which outlines are cut: the ground ends there."""

MOST_CORNERS = 60_000
"""Corners of one outline; more are simplified away."""

NAMES = ("name", "title", "admin", "label", "sovereignt", "id")
"""Properties that a thing is named by, the first there is, however they are written."""


def read_geodata(data: bytes, file: str, degrees: bool = True) -> Found:
    """What is in a file, by its ending.

    Args:
        degrees: whether the ground is georeferenced; on a plain one only GeoJSON of a plain ground can be laid.

    Raises:
        BadTrack: it cannot be read, holds nothing, or does not suit the ground.
    """
    kind = file.rsplit(".", 1)[-1].lower()
    if kind not in KINDS:
        raise BadTrack(
            f"“{file}” is nothing that can be laid: GPX, KML, KMZ, GeoJSON, TopoJSON, a shapefile in a ZIP, "
            "GeoPackage, FlatGeobuf or CSV is wanted."
        )
    if kind in TABLES:
        _suits(file, plain=False, degrees=degrees)
        return read_ways(data, file)
    try:
        if kind in ("geojson", "json"):
            document = json.loads(data)
            if not isinstance(document, dict):
                raise BadTrack(f"“{file}” is no GeoJSON: it has no type.")
            plain = document.get("ground") == "plain"
            _suits(file, plain, degrees)
            if document.get("type") == "Topology":
                return _layers(data, file)
            if "crs" in document and not plain:
                return _layers(data, file)
            return _features(document, file, plain)
        _suits(file, plain=False, degrees=degrees)
        if kind == "zip":
            small_enough(data, file)
        return _layers(data, file)
    except RecursionError as error:
        raise BadTrack(f"“{file}” is nested too deep to be read.") from error
    except (*UNREADABLE, ShapelyError) as error:
        raise BadTrack(f"“{file}” cannot be read: {error}. Save it again.") from error


def _suits(file: str, plain: bool, degrees: bool) -> None:
    if degrees and plain:
        raise BadTrack(f"“{file}” was written on a plain ground, and this one is georeferenced: it has no place here.")
    if not degrees and not plain:
        raise BadTrack(f"“{file}” is in degrees, and this ground is plain. Georeference the ground first.")


def _features(document: Any, file: str, plain: bool) -> Found:
    """GeoJSON in degrees, or in units of a plain ground."""
    found, stem = Found(), file.rsplit(".", 1)[0][:100] or "Outline"
    kind = document.get("type")
    features = document["features"] if kind == "FeatureCollection" else [document]
    for feature in features:
        is_feature = feature.get("type") == "Feature"
        geometry = feature.get("geometry") if is_feature else feature
        properties = (feature.get("properties") or {}) if is_feature else {}
        if geometry:
            shape = shapely.geometry.shape(geometry)
            _add(found, shape, properties, stem, plain)
    return found if plain and (found.outlines or found.tracks or found.spots) else whole(found, file)


def _layers(data: bytes, file: str) -> Found:
    """What a reader of GDAL finds, layer by layer, in degrees."""
    import pyogrio

    found, stem = Found(), file.rsplit(".", 1)[0][:100] or "Outline"
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        layers = [name for name, _ in pyogrio.list_layers(data).tolist()]
        # A file in memory has another name each time, and so have layers that are called after it.
        for number, layer in enumerate(layers):
            meta, _, geometries, columns = pyogrio.raw.read(data, layer=number)
            shapes = shapely.from_wkb(geometries)
            if shapes is None or not len(shapes):
                continue
            shapes = _in_degrees(shapes, meta.get("crs"), file)
            fields = meta["fields"].tolist()
            for row, shape in enumerate(shapes):
                properties = {name: column[row] for name, column in zip(fields, columns, strict=True)}
                if shape is not None:
                    _add(found, shape, properties, stem, False, layer if len(layers) > 1 else "")
    return whole(found, file)


def _in_degrees(shapes: Any, crs: str | None, file: str) -> Any:
    import pyproj

    bounds = shapely.total_bounds(shapes)
    if crs is None:
        if np.abs(bounds[[0, 2]]).max() > 360 or np.abs(bounds[[1, 3]]).max() > 90:
            raise BadTrack(
                f"“{file}” is in metres or feet of a system that it does not name. Save it with its reference system."
            )
        return shapes
    system = pyproj.CRS.from_user_input(crs)
    if system.is_geographic and system.name in ("WGS 84", "WGS 84 (CRS84)"):
        return shapes
    change = pyproj.Transformer.from_crs(system, "EPSG:4326", always_xy=True)
    return shapely.transform(shapes, lambda places: np.column_stack(change.transform(places[:, 0], places[:, 1])))


def _add(found: Found, shape: Any, properties: dict[str, Any], stem: str, plain: bool, folder: str = "") -> None:
    """A geometry, whatever it is made of, as the things that it is."""
    lower = {str(key).lower(): value for key, value in properties.items()}
    name = next((str(lower[key]).strip()[:120] for key in NAMES if lower.get(key) not in (None, "")), stem)
    folder = str(lower.get("folder") or lower.get("continent") or folder)[:60]

    def colour(*keys: str) -> str | None:
        return next((str(lower[key]).lower() for key in keys if _is_colour(lower.get(key))), None)

    parts = list(shapely.get_parts(shape)) if shape.geom_type.startswith(("Multi", "GeometryCollection")) else [shape]
    lines = joined([_places(part) for part in parts if part.geom_type == "LineString" and not part.is_empty])
    for number, line in enumerate(lines, 1):
        own = name if len(lines) == 1 else f"{name[:100]}, part {number}"
        stops = stops_of(properties, line) if len(lines) == 1 else {}
        found.tracks.append(Track(own, line, stops, folder, colour("stroke", "color", "colour")))
    for part in parts:
        if part.geom_type == "Point" and not part.is_empty:
            found.spots.append(Spot(name, _places(part)[0], folder, colour("marker-color", "color", "colour")))
    areas = shapely.MultiPolygon([part for part in parts if part.geom_type == "Polygon" and not part.is_empty])
    areas = areas if plain else _cut(areas)
    rings = [_places(ring)[:-1] for area in shapely.get_parts(areas) for ring in [area.exterior, *area.interiors]]
    if rings:
        corners = sum(map(len, rings))
        if corners > MOST_CORNERS:
            rings = _fewer(areas)
            found.notes.append(f"{name} was simplified: it had {corners:,} corners.")
        found.outlines.append(Outline(name, rings, folder, colour("fill", "color", "colour")))


def _cut(areas: Any) -> Any:
    """Polygons as far as the ground goes."""
    if areas.is_empty or max(abs(areas.bounds[1]), abs(areas.bounds[3])) <= LIMIT:
        return areas
    pieces = [shapely.clip_by_rect(shapely.make_valid(area), -360, -LIMIT, 360, LIMIT) for area in areas.geoms]
    return shapely.MultiPolygon(
        [piece for one in pieces for piece in shapely.get_parts(one) if piece.geom_type == "Polygon"]
    )


def _fewer(areas: Any) -> list[list[tuple[float, float]]]:
    tolerance = float(np.ptp(np.array(areas.bounds).reshape(2, 2), axis=0).max()) / 20_000
    while True:
        less = shapely.simplify(areas, tolerance)
        rings = [_places(ring)[:-1] for area in shapely.get_parts(less) for ring in [area.exterior, *area.interiors]]
        rings = [ring for ring in rings if len(ring) >= 3]
        if sum(map(len, rings)) <= MOST_CORNERS:
            return rings
        tolerance *= 1.6


def _places(part: Any) -> list[tuple[float, float]]:
    places = shapely.get_coordinates(part)
    if not np.isfinite(places).all():
        raise ValueError("it has corners that are no numbers")
    return [(x, y) for x, y in places.tolist()]


def _is_colour(value: Any) -> bool:
    text = str(value or "")
    return len(text) == 7 and text[0] == "#" and all(letter in "0123456789abcdefABCDEF" for letter in text[1:])
