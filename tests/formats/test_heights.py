"""Heights as they come, through being taken in, stored and carried in a bundle."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import rasterio
from PIL import Image
from rasterio.transform import from_bounds

from yaila.core.errors import BadPicture
from yaila.formats.heights import read_heights
from yaila.formats.rasters import take_in
from yaila.standin.survey import Survey
from yaila.store import Store

HEIGHTS = np.linspace(-300, 2400, 200 * 300, dtype=np.float32).reshape(200, 300)


def geotiff(
    path: Path, crs: str = "EPSG:3857", box: tuple = (0, 0, 30_000, 20_000), nodata: float | None = -9999
) -> Path:
    values = HEIGHTS.copy()
    values[50:60, 70:90] = -9999
    profile = {
        "driver": "GTiff",
        "width": 300,
        "height": 200,
        "count": 1,
        "dtype": "float32",
        "crs": crs,
        "nodata": nodata,
    }
    with rasterio.open(path, "w", transform=from_bounds(*box, 300, 200), **profile) as out:
        out.write(values, 1)
    return path


def test_metres_survive_being_made_a_picture_and_what_has_none_is_told_apart(store: Store, tmp_path: Path) -> None:
    taken = take_in(geotiff(tmp_path / "h.tif"), "h.tif", tmp_path / "made.tif")
    assert taken.anew
    picture = store.pictures.add(tmp_path / "made.tif", "h.tif")
    assert (picture.width, picture.height) == (300, 200)
    found = store.pictures.heights(picture.sha256, "metres")
    holes = np.zeros(found.shape, bool)
    holes[50:60, 70:90] = True
    assert np.array_equal(np.isnan(found), holes)
    assert np.abs(found - HEIGHTS)[~holes].max() < 0.01


def test_what_a_picture_holds_of_heights_is_told_by_the_picture(store: Store, tmp_path: Path) -> None:
    take_in(geotiff(tmp_path / "h.tif"), "h.tif", tmp_path / "made.tif")
    grey = np.linspace(0, 65535, 60 * 80).astype(np.uint16).reshape(60, 80)
    Image.fromarray(grey).save(tmp_path / "grey.png")
    shades = (grey >> 8).astype(np.uint8)
    Image.fromarray(np.dstack([shades] * 3)).save(tmp_path / "shades.png")
    survey = tile_of(Survey())
    Image.fromarray(survey).save(tmp_path / "survey.png")
    for name, codes in (("made.tif", "metres"), ("grey.png", "grey"), ("shades.png", "grey"), ("survey.png", "packed")):
        picture = store.pictures.add(tmp_path / name, name)
        assert store.pictures.height_codes(picture.sha256) == codes, name
    # As they are told, they are read: the survey's are those of its world.
    found = store.pictures.heights(picture.sha256, "packed")
    assert -500 <= found.min() < found.max() < 3000


def test_tiles_that_a_survey_lacked_are_holes_in_packed_heights(store: Store, tmp_path: Path) -> None:
    # 1,300 tenths of a metre above -500 are -370 m; what is see-through is no height at all.
    packed = np.zeros((40, 60, 4), np.uint8)
    packed[:, :, 1:] = 1300 >> 8, 1300 & 255, 255
    packed[10:20, 30:50] = 0
    Image.fromarray(packed).save(tmp_path / "lacking.png")
    picture = store.pictures.add(tmp_path / "lacking.png", "lacking.png")
    found = store.pictures.heights(picture.sha256, "packed")
    holes = np.zeros(found.shape, bool)
    holes[10:20, 30:50] = True
    assert np.array_equal(np.isnan(found), holes)
    assert np.abs(found[~holes] + 370).max() < 0.01


def tile_of(survey: Survey) -> np.ndarray:
    """A tile of heights of the practice survey that has land in it."""
    zoom, (x, y) = 10, (494e3, 246e3)
    side = 2 * 20037508.342789244 / 2**zoom
    tile = survey.tile(
        "height", zoom, int((x + side * 2 ** (zoom - 1)) / side), int((side * 2 ** (zoom - 1) - y) / side)
    )
    assert tile is not None
    return tile


def test_a_file_in_degrees_is_taken_to_the_grid_of_its_picture(store: Store, tmp_path: Path) -> None:
    taken = take_in(geotiff(tmp_path / "d.tif", "EPSG:4326", (5, 40, 45, 66)), "d.tif", tmp_path / "made.tif")
    picture = store.pictures.add(tmp_path / "made.tif", "d.tif")
    found = store.pictures.heights(picture.sha256, "metres")
    assert found.shape == (picture.height, picture.width)
    # North is up, and heights run from row to row as they did.
    assert np.nanmean(found[5]) < np.nanmean(found[-6])
    assert taken.place is not None


def test_grey_and_packed_heights_are_read_by_their_codes(tmp_path: Path) -> None:
    grey = np.linspace(0, 65535, 40 * 30).reshape(30, 40).astype(np.uint16)
    Image.fromarray(grey).save(tmp_path / "grey.png")
    assert read_heights(tmp_path / "grey.png", "grey") == pytest.approx(grey / 65535, abs=1e-6)
    metres = np.array([[-500.0, 0.0, 12.3], [1000.0, 4810.4, 8848.8]])
    code = np.round((metres + 500) * 10).astype(np.uint32)
    packed = np.stack([code >> 16, code >> 8 & 255, code & 255], axis=-1).astype(np.uint8)
    Image.fromarray(packed).save(tmp_path / "packed.png")
    assert read_heights(tmp_path / "packed.png", "packed") == pytest.approx(metres, abs=0.06)
    with pytest.raises(BadPicture, match="red, green and blue"):
        read_heights(tmp_path / "grey.png", "packed")


def test_what_holds_no_heights_is_said_in_a_sentence(tmp_path: Path) -> None:
    (tmp_path / "no.png").write_bytes(b"\x89PNG\r\n\x1a\nnothing")
    with pytest.raises(BadPicture, match="holds no heights"):
        read_heights(tmp_path / "no.png", "grey")
    taken = tmp_path / "cut.tif"
    taken.write_bytes(geotiff(tmp_path / "h.tif").read_bytes()[:600])
    with pytest.raises(BadPicture):
        read_heights(taken, "metres")
