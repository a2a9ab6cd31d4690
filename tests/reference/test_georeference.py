"""Georeferences against rasterio (GDAL) and pyproj (PROJ)."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyproj
import pytest
import rasterio
from hypothesis import given, settings
from hypothesis import strategies as st
from rasterio.transform import Affine

from tests.conftest import write_picture
from yaila.core.errors import BadEdit, BadFit, BadGeoreference
from yaila.core.film import Film, Plate, Vantage, acts
from yaila.core.film.fitting import ground_of, pixel_on_ground
from yaila.core.film.model import PictureRef, Tie
from yaila.core.ground import Point, Similarity
from yaila.core.ground.georeference import Georeference
from yaila.core.ground.placement import through
from yaila.formats.georeferencing import read_world
from yaila.formats.rasters import read_place

SIZE = (400, 300)
PLACES = np.array([[0, 0], [400, 0], [400, 300], [0, 300], [123.4, 56.7]], float)


METRES = Affine(20, 0, 4e5, 0, -20, 3e5)


def write(path: Path, crs: str | None, transform: Affine, **tags: str) -> Path:
    data = np.zeros((3, SIZE[1], SIZE[0]), np.uint8)
    profile = {"driver": "GTiff", "width": SIZE[0], "height": SIZE[1], "count": 3, "dtype": "uint8"}
    with rasterio.open(path, "w", **profile, crs=crs, transform=transform) as file:
        file.write(data)
        file.update_tags(**tags)
    return path


def theirs(crs: str, transform: Affine) -> np.ndarray:
    """Web Mercator metres of ``PLACES`` by pyproj, of a picture that was written with that system and that map."""
    # GDAL keeps the map of corners, also in a file that speaks of the centres of pixels.
    x, y = transform * (PLACES[:, 0], PLACES[:, 1])
    return np.column_stack(pyproj.Transformer.from_crs(crs, "EPSG:3857", always_xy=True).transform(x, y))


@pytest.mark.parametrize(
    ("crs", "transform", "tags"),
    [
        ("EPSG:3857", Affine(12, 0, 4e5, 0, -12, 2e5), {}),
        ("EPSG:32633", Affine(10, 0, 4e5, 0, -10, 5.2e6), {}),
        ("EPSG:4326", Affine(0.001, 0, 3.2, 0, -0.0008, 2.4), {}),
        ("EPSG:2154", Affine(25, 0, 6.5e5, 0, -25, 6.8e6), {}),
        ("EPSG:32633", Affine(9, 3, 4e5, 3, -9, 5.2e6), {}),
        ("EPSG:32633", Affine(10, 0, 4e5, 0, -10, 5.2e6), {"AREA_OR_POINT": "Point"}),
        # Projections without a code: the file spells them out.
        ("+proj=tmerc +lat_0=3 +lon_0=12.3 +k_0=0.9998 +x_0=1000 +y_0=500 +ellps=GRS80", METRES, {}),
        ("+proj=lcc +lat_1=41 +lat_2=45.5 +lat_0=43 +lon_0=11 +x_0=4e5 +y_0=3e5 +datum=WGS84", METRES, {}),
        ("+proj=lcc +lat_1=43 +lat_0=43 +lon_0=11 +k_0=0.9997 +x_0=4e5 +datum=WGS84", METRES, {}),
        ("+proj=aea +lat_1=29.5 +lat_2=45.5 +lat_0=37 +lon_0=-96 +datum=NAD83", METRES, {}),
        ("+proj=laea +lat_0=52 +lon_0=10.5 +x_0=4321000 +y_0=3210000 +ellps=GRS80", METRES, {}),
        ("+proj=merc +lon_0=20 +lat_ts=12 +datum=WGS84", METRES, {}),
        ("+proj=stere +lat_0=90 +lat_ts=72 +lon_0=-44 +datum=WGS84", METRES, {}),
        ("+proj=stere +lat_0=-90 +k_0=0.994 +lon_0=10 +x_0=2e6 +y_0=2e6 +datum=WGS84", METRES, {}),
        ("+proj=sterea +lat_0=52.1 +lon_0=5.4 +k_0=0.9999 +x_0=155000 +y_0=463000 +ellps=bessel", METRES, {}),
        ("+proj=eqc +lat_ts=30 +lon_0=4 +datum=WGS84", METRES, {}),
        ("+proj=aeqd +lat_0=47 +lon_0=9 +datum=WGS84", METRES, {}),
        ("+proj=sinu +lon_0=3 +R=6371007", METRES, {}),
        ("+proj=poly +lat_0=2 +lon_0=-54 +datum=WGS84", METRES, {}),
        ("+proj=tmerc +lat_0=36 +lon_0=-86 +k_0=0.99995 +x_0=600000 +datum=NAD83 +units=us-ft", METRES, {}),
    ],
)
def test_a_geotiff_lies_where_rasterio_says(tmp_path: Path, crs: str, transform: Affine, tags: dict) -> None:
    path = write(tmp_path / "a.tif", crs, transform, **tags)
    place, told = read_place(path, "a.tif")
    assert place
    assert not told
    assert place.on_mercator(PLACES) == pytest.approx(theirs(crs, transform), abs=1e-3)
    # Laid on the ground, bent if need be, every pixel is where it belongs to a twentieth of a pixel.
    picture = PictureRef(sha256="0" * 64, width=SIZE[0], height=SIZE[1])
    film = acts.LayPlate(picture=picture, name="a", georeference=place).apply(Film())
    assert film.ground.kind == "mercator"
    plate = film.plates[0]
    assert plate.fit.by == "file"
    grid = np.random.default_rng(1).uniform(0, 1, (40, 2)) * SIZE
    off = ground_of(plate, grid) - place.on_mercator(grid)
    assert np.linalg.norm(off, axis=1).max() < 0.05 * pixel_on_ground(plate)


@settings(max_examples=30)
@given(st.floats(0.5, 50), st.floats(-20, 20), st.floats(-1e6, 1e6), st.floats(-1e6, 1e6))
def test_a_world_file_is_the_transform_of_rasterio(a: float, b: float, x: float, y: float) -> None:
    # ESRI's six lines: A, D, B, E, C, F, the last two the centre of the first pixel.
    place = read_world("\n".join(map(repr, (a, b, b, -a, x, y))), "EPSG:32633", "a.jgw")
    theirs = Affine(a, b, x, b, -a, y) * Affine.translation(-0.5, -0.5)
    assert place.affine == pytest.approx(tuple(theirs)[:6], abs=1e-6)


def test_a_prj_names_the_system_and_degrees_are_taken_as_such() -> None:
    wkt = pyproj.CRS.from_epsg(32633).to_wkt("WKT1_ESRI")
    assert "32633" in read_world("10\n0\n0\n-10\n400000\n5200000", wkt, "a.tfw").crs
    assert read_world("0.001\n0\n0\n-0.001\n3.2\n2.4", None, "a.wld").crs == "EPSG:4326"
    with pytest.raises(BadGeoreference, match="Drop its"):
        read_world("10\n0\n0\n-10\n400000\n520000", None, "a.wld")


def test_a_plain_tiff_has_no_georeference(tmp_path: Path) -> None:
    path = write_picture(tmp_path / "plain.tif", np.zeros((30, 40, 3), np.uint8))
    assert read_place(path, "plain.tif") == (None, "")


def test_a_geotiff_without_a_system_says_what_it_lacks(tmp_path: Path) -> None:
    path = write(tmp_path / "none.tif", None, Affine(10, 0, 4e5, 0, -10, 5e6))
    place, told = read_place(path, "none.tif")
    assert place is None
    assert "control points" in told


@pytest.mark.parametrize(
    ("text", "prj", "says"),
    [
        ("1\n2\n3", None, "3 lines"),
        ("1\n0\n0\nx\n5\n6", None, "no number"),
        ("0\n0\n0\n0\n5\n6", None, "no size"),
        ("1\n0\n0\n-1\n5\n6", "PROJCS[nonsense", "no coordinate reference system"),
    ],
)
def test_a_bad_world_file_says_what_is_wrong(text: str, prj: str | None, says: str) -> None:
    with pytest.raises(BadGeoreference, match=says):
        read_world(text, prj, "map.jgw")


def test_a_picture_beyond_the_map_is_refused() -> None:
    polar = Georeference(crs="EPSG:3413", affine=(1000, 0, -2e5, 0, -1000, 2e5))
    with pytest.raises(BadGeoreference):
        polar.on_mercator(PLACES)


def plain_film() -> Film:
    picture = PictureRef(sha256="0" * 64, width=1000, height=600)
    lower = Plate(id="wide", name="Wide", picture=picture, placement=Similarity(x=500, y=300))
    upper = Plate(id="close", name="Close", picture=picture, placement=Similarity(x=480, y=320, scale=0.25, turn=3))
    upper.fit.ties = [Tie(id="t", x=10, y=20, to=Point(400, 300))]
    return Film(plates=[lower, upper], vantages=[Vantage(x=450, y=310, span=120, heading=10)])


def test_a_plain_ground_is_georeferenced_without_moving_anything() -> None:
    before = plain_film()
    place = Georeference(crs="EPSG:3857", affine=(30 * 0.96, 30 * 0.28, 4e5, 30 * 0.28, -30 * 0.96, 2e5))
    after = acts.LayByFile(plate="wide", georeference=place).apply(before)
    assert after.ground.kind == "mercator"
    assert ground_of(after.plates[0], PLACES) == pytest.approx(place.on_mercator(PLACES), abs=1e-6)
    # What lay on a pixel of the wide plate still does.
    for old, new in zip(before.plates, after.plates, strict=True):
        for film_before, film_after in ((before, after),):
            on_before = through(np.linalg.inv(film_before.plates[0].matrix), ground_of(old, PLACES))
            on_after = through(np.linalg.inv(film_after.plates[0].matrix), ground_of(new, PLACES))
            assert on_after == pytest.approx(on_before, abs=1e-6)
    vantage, then = after.vantages[0], before.vantages[0]
    assert vantage.span == pytest.approx(then.span * 30)
    size = before.frame.size
    frame_before = through(np.linalg.inv(before.plates[0].matrix), then.pose.ground_outline(size))
    frame_after = through(np.linalg.inv(after.plates[0].matrix), vantage.pose.ground_outline(size))
    assert frame_after == pytest.approx(frame_before, abs=1e-6)


def test_two_known_places_georeference_a_plain_ground() -> None:
    film = acts.GroundByPoints(points=[(0, 0, 3.5, 1.8), (1000, 0, 4.0, 1.8)]).apply(plain_film())
    x, y = pyproj.Transformer.from_crs(4326, 3857, always_xy=True).transform([3.5, 4.0], [1.8, 1.8])
    corner = ground_of(film.plates[0], np.array([[0, 600], [1000, 600]]))
    assert corner == pytest.approx(np.column_stack([x, y]), abs=1e-3)
    with pytest.raises(BadEdit, match="already"):
        acts.GroundByPoints(points=[(0, 0, 1, 1), (1, 0, 2, 1)]).apply(film)


def test_ties_that_would_mirror_a_plate_do_not() -> None:
    film = plain_film()
    # The same three features, but two of them taken for each other.
    ties = [
        Tie(id=f"t{k}", x=x, y=y, to=Point(*to))
        for k, (x, y, to) in enumerate(((100, 100, (400, 300)), (900, 100, (600, 300)), (500, 500, (500, 420))))
    ]
    laid = acts.TiePlate(plate="close", ties=ties).apply(film).plate("close")
    corner, over, down = ground_of(laid, np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]))
    over, down = over - corner, down - corner
    assert over[0] * down[1] - over[1] * down[0] < 0
    assert laid.fit.residual > 1
    with pytest.raises(BadFit, match="mirrored"):
        acts.TiePlate(plate="close", ties=ties, model="affine").apply(film)
