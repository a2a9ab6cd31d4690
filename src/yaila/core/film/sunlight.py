"""Where the sun stands, and what falls from it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
from astral import Observer
from astral.sun import azimuth, elevation
from numpy.typing import NDArray

from yaila.core.film.finish import Sun
from yaila.core.ground.mercator import lonlat_of

LOWEST = 3.0
"""Shadows of a sun that is lower than this are as long as then, degrees."""


@dataclass(frozen=True)
class Light:
    """Where the light comes from: how far east and north a shadow falls for a height of 1, and how wide it is, radians
    from edge to edge: the wider, the softer the edges of shadows.

    By default from the north-west, 50 degrees up (common practice in hill shading, no source)."""

    east: float = 0.59
    north: float = -0.59
    wide: float = math.radians(2.0)

    @property
    def fall(self) -> NDArray[np.float64]:
        """East and north, (2,)."""
        return np.array([self.east, self.north])


def sun_over(lon: float, lat: float, date: str, hour: float) -> tuple[float, float]:
    """Bearing and height of the sun, degrees, over a place at an hour of local mean time (J. Meeus, "Astronomical
    Algorithms", ch. 25, as the package astral has it; without refraction)."""
    year, month, day = map(int, date.split("-"))
    moment = datetime(year, month, day, tzinfo=UTC) + timedelta(hours=hour - lon / 15)
    observer = Observer(latitude=lat, longitude=lon)
    return float(azimuth(observer, moment)), float(elevation(observer, moment, with_refraction=False))


def stands(sun: Sun, target: tuple[float, float], georeferenced: bool) -> tuple[float, float]:
    """Bearing and height of the sun, degrees, over a target on the ground; ``sun`` with the values of the moment."""
    if sun.by == "hour" and georeferenced:
        lon, lat = lonlat_of(*target)
        return sun_over(lon, lat, sun.date, sun.hour)
    return sun.azimuth, sun.height


def light_of(sun: Sun, target: tuple[float, float], georeferenced: bool) -> Light:
    """How shadows fall."""
    if not sun.on:
        return Light()
    bearing, height = stands(sun, target, georeferenced)
    turn, long = math.radians(bearing), 1 / math.tan(math.radians(max(height, LOWEST)))
    return Light(-math.sin(turn) * long, -math.cos(turn) * long, math.radians(sun.soft))
