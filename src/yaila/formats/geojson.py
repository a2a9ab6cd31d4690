"""Outlines as GeoJSON (RFC 7946): longitude and latitude in degrees.

On a plain ground, which has neither, coordinates are ground units, and the file says so: "ground": "plain".
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from shapely import Point as ShapelyPoint
from shapely import Polygon, STRtree

from yaila.core.analysis.tracing import area_of
from yaila.core.errors import BadOutlines
from yaila.core.film.marked import Region
from yaila.core.film.running import resting
from yaila.core.ground import Point
from yaila.core.ground.mercator import lonlat_of, mercator_of


def write_geojson(region: Region, mercator: bool) -> str:
    """A region as a FeatureCollection of one MultiPolygon; outer rings run counter-clockwise, holes clockwise."""
    rings = [np.array(ring, np.float64) for ring in resting(region).outline(mercator)]
    # How many of the others a ring lies in: within none or an even number it is an outer one.
    tree = STRtree([Polygon(ring) for ring in rings])
    inside, around = tree.query([ShapelyPoint(ring[0]) for ring in rings], predicate="within")
    others = [[int(j) for j in around[inside == i] if j != i] for i in range(len(rings))]
    polygons = {i: [i] for i in range(len(rings)) if len(others[i]) % 2 == 0}
    for i, within in enumerate(others):
        if len(within) % 2:
            # A hole belongs to the outer ring right around it.
            polygons[next(j for j in within if len(others[j]) == len(within) - 1)].append(i)

    def written(index: int, outer: bool) -> list[list[float]]:
        ring = rings[index]
        if (area_of(ring) > 0) != outer:
            ring = ring[::-1]
        places = [lonlat_of(x, y) if mercator else (x, y) for x, y in ring.tolist()]
        return [[round(x, 9), round(y, 9)] for x, y in [*places, places[0]]]

    coordinates = [[written(index, k == 0) for k, index in enumerate(polygon)] for polygon in polygons.values()]
    document: dict[str, Any] = {
        "type": "FeatureCollection",
        "features": [
            {
                "type": "Feature",
                "properties": {"name": region.name},
                "geometry": {"type": "MultiPolygon", "coordinates": coordinates},
            }
        ],
    }
    return json.dumps(document if mercator else document | {"ground": "plain"})


def read_geojson(text: str, name: str, mercator: bool) -> Region:
    """The polygons of a GeoJSON text as one region.

    Raises:
        BadOutlines: it is no GeoJSON, has no polygons, or does not suit the ground.
    """
    try:
        document = json.loads(text)
        plain = isinstance(document, dict) and document.get("ground") == "plain"
        if mercator == plain:
            raise BadOutlines(
                f"“{name}” is in degrees, and this ground is plain. Georeference the ground first."
                if plain is False
                else f"“{name}” was written on a plain ground, and this one is georeferenced: it has no place here."
            )
        rings = [ring for geometry in _geometries(document) for ring in _rings(geometry)]
        if not rings:
            raise BadOutlines(f"“{name}” has no polygons in it; lines and points are no regions.")
        made = tuple(tuple(_place(place, mercator) for place in _open(ring)) for ring in rings)
        if not np.isfinite([place for ring in made for place in ring]).all():
            raise BadOutlines(f"“{name}” has corners that are no numbers. Save it again.")
        return Region(name=name.rsplit(".", 1)[0][:120] or "Region", rings=made)
    except BadOutlines:
        raise
    except RecursionError as error:
        raise BadOutlines(f"“{name}” is nested too deep to be read as GeoJSON.") from error
    except (ValueError, TypeError, KeyError, IndexError, AttributeError, OverflowError) as error:
        raise BadOutlines(f"“{name}” cannot be read as GeoJSON: {error}.") from error


def _geometries(document: Any) -> list[Any]:
    kind = document["type"]
    if kind == "FeatureCollection":
        return [geometry for feature in document["features"] for geometry in _geometries(feature)]
    if kind == "Feature":
        return _geometries(document["geometry"]) if document["geometry"] else []
    if kind == "GeometryCollection":
        return [geometry for part in document["geometries"] for geometry in _geometries(part)]
    return [document]


def _rings(geometry: Any) -> list[Any]:
    if geometry["type"] == "Polygon":
        return list(geometry["coordinates"])
    if geometry["type"] == "MultiPolygon":
        return [ring for polygon in geometry["coordinates"] for ring in polygon]
    return []


def _open(ring: list[list[float]]) -> list[list[float]]:
    return ring[:-1] if len(ring) > 3 and ring[0][:2] == ring[-1][:2] else ring


def _place(place: list[float], mercator: bool) -> Point:
    x, y = float(place[0]), float(place[1])
    return Point(*mercator_of(x, y)) if mercator else Point(x, y)
