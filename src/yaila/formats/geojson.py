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
from yaila.core.film.marked import Region
from yaila.core.film.running import resting
from yaila.core.ground.mercator import lonlat_of


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
