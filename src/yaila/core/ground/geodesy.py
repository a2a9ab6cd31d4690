"""Lengths and shortest ways over the Earth (WGS 84, by PROJ's geodesic routines: Karney, "Algorithms for geodesics",
2013), for places in Web Mercator metres."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from pyproj import Geod

from yaila.core.ground.curve import Curve
from yaila.core.ground.mercator import EARTH_RADIUS, lonlat_of, mercator_of


@lru_cache(maxsize=1)
def _earth() -> Geod:
    return Geod(ellps="WGS84")


def metres_along(places: NDArray[np.float64]) -> float:
    """How long a line through places (n, 2) in Web Mercator metres is on the Earth, metres."""
    lon, lat = np.degrees(places[:, 0] / EARTH_RADIUS), np.degrees(np.arctan(np.sinh(places[:, 1] / EARTH_RADIUS)))
    return float(_earth().line_length(lon, lat))


@lru_cache(maxsize=256)
def true_lengths(curve: Curve) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lengths along a curve in Web Mercator metres, and how long it is up to there on the Earth, metres; shape (n,)
    each. The scale of the map is taken as that of the sphere, the secant of the latitude."""
    ways = np.unique(np.concatenate([np.linspace(0, curve.length, len(curve.control) * 8 + 64), curve.knots]))
    middle = (ways[1:] + ways[:-1]) / 2
    # Simpson's rule on each stretch.
    shrunk = [1 / np.cosh(curve.along(at)[:, 1] / EARTH_RADIUS) for at in (ways[:-1], middle, ways[1:])]
    steps = np.diff(ways) * (shrunk[0] + 4 * shrunk[1] + shrunk[2]) / 6
    return ways, np.concatenate([[0.0], np.cumsum(steps)])


def shortest_way(
    start: tuple[float, float], end: tuple[float, float], apart: float = 100_000.0
) -> list[tuple[float, float]]:
    """Places between two others on the shortest way over the Earth, both left out, at most ``apart`` metres from one
    another; all in Web Mercator metres. It crosses the antimeridian if that is shorter, without a jump.

    Raises:
        ValueError: the way leaves the ground, which ends at 85.06 degrees of latitude.
    """
    (lon0, lat0), (lon1, lat1) = lonlat_of(*start), lonlat_of(*end)
    _, _, length = _earth().inv(lon0, lat0, lon1, lat1)
    count = min(max(math.ceil(length / apart), 8), 400) - 1
    found, before = [], lon0
    for lon, lat in _earth().npts(lon0, lat0, lon1, lat1, count):
        # The turn nearest to the longitude before.
        lon += 360 * round((before - lon) / 360)
        found.append(mercator_of(lon, lat))
        before = lon
    return found
