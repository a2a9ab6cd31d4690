"""Where the sun stands, against an astronomy package that shares nothing with the one that is used; its shadows by
hand."""

from __future__ import annotations

import math

import ephem
import numpy as np
import pytest

from yaila.core.film.finish import Sun
from yaila.core.film.sunlight import light_of, sun_over
from yaila.core.ground.mercator import mercator_of


@pytest.mark.parametrize("lon", [-120.0, 0.0, 14.5, 151.2])
@pytest.mark.parametrize("lat", [-33.9, 0.0, 52.3, 68.0])
@pytest.mark.parametrize(("date", "hour"), [("2026-06-21", 12.0), ("2026-12-01", 9.5), ("2030-03-15", 17.25)])
def test_the_sun_stands_where_the_ephemeris_has_it(lon: float, lat: float, date: str, hour: float) -> None:
    bearing, height = sun_over(lon, lat, date, hour)
    there = ephem.Observer()
    there.lon, there.lat, there.pressure = str(lon), str(lat), 0
    there.date = ephem.Date(ephem.Date(date.replace("-", "/")) + (hour - lon / 15) / 24)
    sun = ephem.Sun(there)
    assert height == pytest.approx(math.degrees(sun.alt), abs=0.05)
    # Near the zenith a bearing says little.
    off = (bearing - math.degrees(sun.az) + 180) % 360 - 180
    assert abs(off) * math.cos(math.radians(height)) < 0.05


def test_shadows_are_as_long_as_the_sun_is_low_and_fall_away_from_it() -> None:
    for azimuth, height in ((90.0, 45.0), (200.0, 30.0), (315.0, 50.0)):
        light = light_of(Sun(on=True, azimuth=azimuth, height=height), (0.0, 0.0), False)
        assert np.hypot(*light.fall) == pytest.approx(1 / math.tan(math.radians(height)))
        assert math.degrees(math.atan2(light.east, light.north)) % 360 == pytest.approx((azimuth + 180) % 360)
    # By the hour: at noon of midsummer north of the tropic it falls to the north.
    sun = Sun(on=True, by="hour", date="2026-06-21", hour=12.0)
    light = light_of(sun, mercator_of(10.0, 50.0), True)
    assert light.north == pytest.approx(math.tan(math.radians(50 - 23.44)), rel=0.01)
    assert abs(light.east) < 0.02
