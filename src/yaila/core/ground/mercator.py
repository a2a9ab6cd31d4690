"""Web Mercator (EPSG:3857) and the arithmetic of its tiles (OGC 17-083r4, WebMercatorQuad)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

EARTH_RADIUS = 6378137.0
"""Semi-major axis of WGS 84, metres: the sphere of EPSG:3857."""

HALF_WORLD = math.pi * EARTH_RADIUS
"""Half the width of the projected world, metres."""


@dataclass(frozen=True)
class Place:
    """A place by its name: what it is, where it lies (Web Mercator metres), and how wide it is (metres)."""

    name: str
    kind: str
    x: float
    y: float
    size: float


class GroundBox(NamedTuple):
    """An upright rectangle of ground, in ground units: west < east, south < north."""

    west: float
    south: float
    east: float
    north: float


def mercator_of(lon: float, lat: float) -> tuple[float, float]:
    """Projected metres (east, north) of a longitude and latitude in degrees.

    Raises:
        ValueError: the latitude is beyond ±85.06 degrees, where the projection's square ends.
    """
    if not abs(lat) <= 85.06:
        raise ValueError(f"Latitude {lat} is outside Web Mercator, which ends at 85.06 degrees.")
    return (
        math.radians(lon) * EARTH_RADIUS,
        EARTH_RADIUS * math.asinh(math.tan(math.radians(lat))),
    )


def stretch_at(y: float) -> float:
    """Projected metres for a metre of ground at a northing: the secant of the latitude."""
    return math.cosh(y / EARTH_RADIUS)


def lonlat_of(x: float, y: float) -> tuple[float, float]:
    """Longitude and latitude in degrees of projected metres (east, north)."""
    return math.degrees(x / EARTH_RADIUS), math.degrees(math.atan(math.sinh(y / EARTH_RADIUS)))


def units_per_pixel(zoom: float, tile_size: int = 256) -> float:
    """Projected metres per pixel of a tile matrix (equal to metres of ground at the equator)."""
    return 2 * HALF_WORLD / (tile_size * 2**zoom)


def tile_of(x: float, y: float, zoom: int) -> tuple[int, int]:
    """Column and row, counted from the north-west, of the tile that holds a point in projected metres."""
    count = 2**zoom
    column = math.floor((x + HALF_WORLD) / (2 * HALF_WORLD) * count)
    row = math.floor((HALF_WORLD - y) / (2 * HALF_WORLD) * count)
    return min(max(column, 0), count - 1), min(max(row, 0), count - 1)


def tile_box(column: int, row: int, zoom: int) -> GroundBox:
    """Projected metres that a tile covers."""
    width = 2 * HALF_WORLD / 2**zoom
    west, north = column * width - HALF_WORLD, HALF_WORLD - row * width
    return GroundBox(west, north - width, west + width, north)
