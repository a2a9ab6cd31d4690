"""Land is traced to outlines that draw crisply at any zoom, and travels as GeoJSON."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import write_picture
from tests.drawing import picture_of
from yaila.core.analysis.tracing import area_of, trace
from yaila.core.camera import FrameSize, Pose
from yaila.core.errors import BadEdit, BadTrack
from yaila.core.film import Film, Plate, Scene
from yaila.core.film.marked import Region
from yaila.core.film.model import PictureRef
from yaila.core.film.scene import Present
from yaila.core.ground import Point, Similarity
from yaila.core.ground.mercator import mercator_of
from yaila.core.imagery import PageStore, build_pyramid, open_pyramid
from yaila.core.imagery.land import ByColour
from yaila.core.imagery.pyramid import TiffPyramid
from yaila.core.marks import RegionLook
from yaila.core.picture import Quality
from yaila.formats.geodata import read_geodata
from yaila.formats.geojson import write_geojson

SEA, LAND = (170, 205, 225), (230, 222, 196)


@pytest.fixture
def sheet(tmp_path: Path) -> tuple[Plate, TiffPyramid]:
    """A drawn sheet: a round island of radius 120 with a lake of radius 40, and a rock of 8 by 8 pixels."""
    drawn = np.full((400, 600, 3), SEA, np.uint8)
    for radius, colour in ((120, LAND), (40, SEA)):
        cv2.circle(drawn, (250 * 16 - 8, 200 * 16 - 8), radius * 16, colour, -1, cv2.LINE_AA, 4)
    drawn[30:38, 500:508] = LAND
    build_pyramid(write_picture(tmp_path / "sheet.png", drawn), tmp_path / "sheet.tif", "sheet.png")
    picture = PictureRef(sha256="0" * 64, width=600, height=400)
    plate = Plate(
        name="Sheet", picture=picture, placement=Similarity(x=3000, y=2000, scale=10),
        land=ByColour(samples=(SEA,), tolerance=3, softness=3),
    )  # fmt: skip
    return plate, open_pyramid(tmp_path / "sheet.tif")


def test_an_island_its_lake_and_no_rock(sheet: tuple[Plate, TiffPyramid]) -> None:
    plate, pyramid = sheet
    region = trace(plate, lambda _: pyramid, tolerance=0.4, least=400)
    areas = sorted((abs(area_of(np.array(ring))) for ring in region.rings), reverse=True)
    # OpenCV draws a circle half a pixel beyond its radius.
    assert areas == pytest.approx([np.pi * 1205**2, np.pi * 405**2], rel=0.01)
    outer = np.array(max(region.rings, key=len))
    # Plate pixel (250, 200) lies at (2500, 2000) on the ground.
    assert np.hypot(*(outer - [2500, 2000]).T) == pytest.approx(np.full(len(outer), 1205), abs=8)
    assert len(trace(plate, lambda _: pyramid, tolerance=0.4, least=10).rings) == 3
    rough = trace(plate, lambda _: pyramid, tolerance=6)
    assert sum(map(len, rough.rings)) < 0.5 * sum(map(len, region.rings))


def test_tracing_needs_something_see_through(sheet: tuple[Plate, TiffPyramid]) -> None:
    plate, pyramid = sheet
    with pytest.raises(BadEdit, match="Pick what becomes see-through"):
        trace(plate.model_copy(update={"land": None}), lambda _: pyramid)
    with pytest.raises(BadEdit, match="Nothing is left"):
        trace(plate, lambda _: pyramid, least=1e7)


def drawn(look: RegionLook, pose: Pose, side: int = 400) -> np.ndarray:
    square = tuple(Point(x, y) for x, y in ((5e5, 2e5), (5e5 + 100, 2e5), (5e5 + 100, 2e5 + 100), (5e5, 2e5 + 100)))
    hole = tuple(Point(x + 5e5, y + 2e5) for x, y in ((40, 40), (60, 40), (60, 60), (40, 60)))
    film = Film(
        frame={"width": 400, "height": 400}, background="#000000", regions=[Region(rings=(square, hole), look=look)]
    )
    scene = Scene(regions=tuple(Present(region, region.look) for region in film.regions))
    return picture_of(film, pose, FrameSize(side, side), Quality.FINAL, lambda _: None, PageStore(16), scene)


def above(span: float, **more: float) -> Pose:
    return Pose(5e5 + 50, 2e5 + 50, span, 0.0, 0.0, 0.0, 35.0)


def test_a_region_is_filled_to_its_outline_and_not_in_its_hole() -> None:
    frame = drawn(RegionLook(fill="#ff0000"), above(200))
    # Half the frame wide: pixels 100 to 300; its hole 180 to 220.
    assert tuple(frame[150, 150]) == (255, 0, 0)
    assert tuple(frame[200, 200]) == (0, 0, 0)
    assert tuple(frame[50, 50]) == (0, 0, 0)
    red = (frame[..., 0] / 255).sum()
    assert red == pytest.approx(200**2 - 40**2, rel=2e-3)
    # A thousand times closer its edge is as sharp: one pixel is neither in nor out, whatever the size of the ground.
    close = drawn(RegionLook(fill="#ff0000"), Pose(5e5, 2e5 + 50, 0.2, 0.0, 0.0, 0.0, 35.0))
    edge = close[200, :, 0].astype(int)
    assert edge[:198].max() == 0
    assert edge[203:].min() == 255


def test_gap_glow_shadow_and_opacity_do_what_they_say() -> None:
    gap = drawn(RegionLook(fill="#ff0000", gap=10), above(200))
    assert tuple(gap[150, 105]) == (0, 0, 0)
    assert tuple(gap[150, 115]) == (255, 0, 0)
    glow = drawn(RegionLook(fill="#800000", glow=12, glow_colour="#ffffff"), above(200))
    assert glow[150, 102, 1] > 120
    assert glow[150, 150, 1] < 10
    assert tuple(glow[150, 95]) == (0, 0, 0)
    half = drawn(RegionLook(fill="#ff0000", opacity=0.5), above(200))
    assert half[150, 150, 0] == pytest.approx(128, abs=1)
    shadow = drawn(RegionLook(fill="#ff0000", shadow=20), above(200))
    assert tuple(shadow[150, 150]) == (255, 0, 0)
    # The same film at twice the size has a gap twice as wide.
    twice = drawn(RegionLook(fill="#ff0000", gap=10), above(200), 800)
    assert tuple(twice[300, 215]) == (0, 0, 0)
    assert tuple(twice[300, 225]) == (255, 0, 0)


def test_a_tilted_camera_draws_what_lies_before_it_only() -> None:
    frame = drawn(RegionLook(fill="#ff0000"), Pose(5e5 + 50, 2e5 + 400, 300, 80.0, 0.0, 0.0, 35.0))
    assert frame.max() == 0
    ahead = drawn(RegionLook(fill="#ff0000"), Pose(5e5 + 50, 2e5, 300, 70.0, 0.0, 0.0, 35.0))
    assert (ahead[..., 0] > 0).sum() > 500


def test_outlines_go_out_and_come_back_as_geojson(sheet: tuple[Plate, TiffPyramid]) -> None:
    plate, pyramid = sheet
    region = trace(plate, lambda _: pyramid, least=10)
    text = write_geojson(region, mercator=True)
    shape = json.loads(text)["features"][0]["geometry"]
    assert shape["type"] == "MultiPolygon"
    assert sorted(len(polygon) for polygon in shape["coordinates"]) == [1, 2]
    for polygon in shape["coordinates"]:
        # RFC 7946, 3.1.6: outer rings counter-clockwise, holes clockwise, closed.
        for k, ring in enumerate(polygon):
            assert (area_of(np.array(ring[:-1])) > 0) == (k == 0)
            assert ring[0] == ring[-1]
    (back,) = read_geodata(text.encode(), "coast.geojson").outlines
    assert back.name == region.name
    laid = [np.array([mercator_of(lon, lat) for lon, lat in ring]) for ring in back.rings]
    assert sorted(abs(area_of(ring)) for ring in laid) == pytest.approx(
        sorted(abs(area_of(np.array(ring))) for ring in region.rings), rel=1e-4
    )


@pytest.mark.parametrize(
    ("text", "mercator", "says"),
    [
        ("{", True, "cannot be read"),
        ('{"type": "Polygon", "coordinates": [[[0, 0], [1, 0], [1, NaN], [0, 0]]]}', True, "no numbers"),
        ('{"type": "Polygon", "coordinates": [[[0, 0], [1, 0], [1, 1]]]}', False, "Georeference the ground"),
        ('{"type": "Polygon", "ground": "plain", "coordinates": [[[0, 0], [1, 0], [1, 1]]]}', True, "plain ground"),
        ('{"type": "Polygon", "coordinates": [[[0, 0], [1, 9]]]}', True, "cannot be read"),
    ],
)
def test_what_is_no_outline_is_refused(text: str, mercator: bool, says: str) -> None:
    with pytest.raises(BadTrack, match=says):
        read_geodata(text.encode(), "a.geojson", mercator)
