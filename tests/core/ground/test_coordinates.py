"""Coordinates as people write them. Degrees, minutes and seconds against PROJ's reading of the same; the address of
RFC 5870 is that of its section 6.2."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Proj

from yaila.core.ground.coordinates import angle, place

PARIS = (48.8566, 2.3522)


@pytest.mark.parametrize(
    "text",
    [
        "48.8566, 2.3522", "48.8566 2.3522", "48.8566N 2.3522E", "N48.8566 E2.3522", "48.8566° N, 2.3522° E",
        "E 2.3522, N 48.8566", "geo:48.8566,2.3522", "geo:48.8566,2.3522;u=35", "48,8566; 2,3522",
        "48°51'23.76\"N 2°21'7.92\"E", "48° 51′ 23.76″ N, 2° 21′ 7.92″ E", "48d51m23.76s N 2d21m7.92s E",
        "48°51.396'N 2°21.132'E",
    ],
)  # fmt: skip
def test_one_place_in_many_ways(text: str) -> None:
    assert place(text) == pytest.approx(PARIS, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("33.8688S 151.2093E", (-33.8688, 151.2093)),
        ("-33.8688, 151.2093", (-33.8688, 151.2093)),
        ("40°26'46\"N 79°58'56\"W", (40.446111, -79.982222)),
        ("geo:48.198634,16.371648;crs=wgs84;u=40", (48.198634, 16.371648)),
        ("0 0", (0, 0)),
    ],
)
def test_the_sides_of_the_earth(text: str, expected: tuple[float, float]) -> None:
    assert place(text) == pytest.approx(expected, abs=1e-6)


@pytest.mark.parametrize(
    "text",
    ["Quillhaven", "", "91 0", "0 181", "48.8566N 2.3522N", "12°60'N 3°E", "0 inf", "nan nan", "1 2 3 4 5", "geo:x"],
)
def test_what_is_no_place_is_none(text: str) -> None:
    assert place(text) is None


@given(st.floats(-89.9, 89.9))
def test_degrees_minutes_and_seconds_are_what_proj_reads(value: float) -> None:
    degrees, rest = divmod(abs(value), 1)
    minutes, rest = divmod(rest * 60, 1)
    text = f"{int(degrees)}d{int(minutes)}'{min(rest * 60, 59.999999):.6f}\"{'S' if value < 0 else 'N'}"
    # PROJ reads angles in this form where a projection has its origin: there the northing is 0.
    northing = Proj(proj="eqc", lat_0=text, R=6_371_000)(0, angle(text)[0])[1]
    assert northing == pytest.approx(0, abs=1e-3)
    assert angle(text)[0] == pytest.approx(value, abs=1e-6)
