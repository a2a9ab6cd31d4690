"""Web Mercator against PROJ (pyproj), tile arithmetic against mercantile."""

import mercantile
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Transformer

from yaila.core.ground import lonlat_of, mercator_of, tile_box, tile_of, units_per_pixel

PROJ = Transformer.from_crs("EPSG:4326", "EPSG:3857", always_xy=True)
longitudes, latitudes = st.floats(-179.99, 179.99), st.floats(-85, 85)


@given(longitudes, latitudes)
def test_projection_agrees_with_proj(lon: float, lat: float) -> None:
    assert mercator_of(lon, lat) == pytest.approx(PROJ.transform(lon, lat), abs=1e-6)
    assert lonlat_of(*mercator_of(lon, lat)) == pytest.approx((lon, lat), abs=1e-9)


@given(longitudes, st.floats(-84.9, 84.9), st.integers(0, 18))
def test_tiles_agree_with_mercantile(lon: float, lat: float, zoom: int) -> None:
    theirs = mercantile.tile(lon, lat, zoom)
    box = mercantile.xy_bounds(theirs)
    # Right on a border rounding decides: both neighbours hold the point.
    ours = tile_of(*mercator_of(lon, lat), zoom)
    assert max(abs(ours[0] - theirs.x), abs(ours[1] - theirs.y)) <= 1
    assert tile_box(theirs.x, theirs.y, zoom) == pytest.approx((box.left, box.bottom, box.right, box.top), abs=1e-6)


def test_ground_resolution_of_the_tile_matrix() -> None:
    # OGC 17-083r4, annex D.1, WebMercatorQuad: cell size at matrix 0 and 18 (values from memory).
    assert units_per_pixel(0) == pytest.approx(156543.033928041, abs=1e-8)
    assert units_per_pixel(18) == pytest.approx(0.597164283477939, abs=1e-12)


def test_beyond_the_square_is_refused() -> None:
    with pytest.raises(ValueError, match=r"85\.06"):
        mercator_of(0, 89)
