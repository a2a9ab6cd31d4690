"""Wide georeferenced pictures, taken in: where their pixels come to lie, by PROJ, and what becomes of their values."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyproj
import pytest
import pyvips
import rasterio
from rasterio.control import GroundControlPoint
from rasterio.enums import ColorInterp
from rasterio.transform import Affine

from yaila.core.ground.georeference import Georeference
from yaila.formats.rasters import Taken, take_in

WAVE = 24.0
"""Pixels of the source in a wave of its pattern."""


def waves(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A pattern whose colours tell where one is to a fraction of a pixel: red across, green down."""
    blue = 127 + 100 * np.sin(2 * np.pi * (x + y) / (3 * WAVE))
    return np.stack([127 + 120 * np.sin(2 * np.pi * x / WAVE), 127 + 120 * np.sin(2 * np.pi * y / WAVE), blue])


def written(path: Path, data: np.ndarray, crs: str | None, transform: Affine | None, **more: object) -> Path:
    profile = {"driver": "GTiff", "width": data.shape[2], "height": data.shape[1], "count": data.shape[0]}
    with rasterio.open(path, "w", **profile, dtype=data.dtype, crs=crs, transform=transform, **more) as file:
        file.write(data)
    return path


def taken(path: Path, given: Georeference | None = None) -> tuple[Taken, np.ndarray]:
    """What is made of a file, and its pixels, (rows, columns, bands)."""
    target = path.with_suffix(".straight.tif")
    found = take_in(path, path.name, target, given)
    return found, pyvips.Image.new_from_file(str(target if found.anew else path)).numpy()


def source_pixels(found: Taken, shape: tuple[int, ...], crs: str, transform: Affine) -> tuple[np.ndarray, np.ndarray]:
    """Which pixels of the source those of the picture show, by PROJ."""
    assert found.place
    assert found.place.crs == "EPSG:3857"
    x, y = np.meshgrid(np.arange(shape[1]) + 0.5, np.arange(shape[0]) + 0.5)
    east, north = Affine(*found.place.affine) * (x, y)
    back = pyproj.Transformer.from_crs("EPSG:3857", crs, always_xy=True)
    return ~transform * back.transform(east, north)


# Goal: a tenth of a pixel anywhere. The red and green waves change by 31 levels a pixel at their steepest.
@pytest.mark.parametrize(
    ("crs", "transform", "size"),
    [
        ("EPSG:4326", Affine(0.25, 0, -180, 0, -0.25, 90), (1440, 720)),
        pytest.param("EPSG:4326", Affine(0.02, 0, -12, 0, -0.02, 71), (1700, 1800), marks=pytest.mark.thorough),
        ("EPSG:3035", Affine(4000, 0, 2.5e6, 0, -4000, 5.4e6), (1000, 950)),
        ("EPSG:32633", Affine(100, 0, 4.2e5, 0, -100, 5.35e6), (1500, 1500)),
    ],
)
def test_wide_pictures_lie_to_a_tenth_of_a_pixel(
    tmp_path: Path, crs: str, transform: Affine, size: tuple[int, int]
) -> None:
    x, y = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    path = written(tmp_path / "a.tif", waves(x, y).round().astype(np.uint8), crs, transform)
    found, pixels = taken(path)
    assert found.anew
    assert "resampled" in found.told
    at = source_pixels(found, pixels.shape, crs, transform)
    inside = (at[0] > 2) & (at[0] < size[0] - 2) & (at[1] > 2) & (at[1] < size[1] - 2) & (pixels[..., 3] == 255)
    assert inside.mean() > 0.4
    off = np.abs(waves(*at)[:2] - np.moveaxis(pixels[..., :2].astype(float), -1, 0))[:, inside]
    # A bilinear sample flattens a wave by 0.6 % at the most, and colours are rounded.
    assert np.quantile(off, 0.999) < 31 * 0.1 + 2.5


def test_a_picture_of_the_world_ends_where_the_map_does_and_says_so(tmp_path: Path) -> None:
    data = np.full((3, 360, 720), 90, np.uint8)
    found, pixels = taken(written(tmp_path / "w.tif", data, "EPSG:4326", Affine(0.5, 0, -180, 0, -0.5, 90)))
    assert "85°" in found.told
    affine = Affine(*found.place.affine)
    assert affine * (0, 0) == pytest.approx((-20037508.34, 20036051.9), rel=1e-3)
    assert affine * (pixels.shape[1], pixels.shape[0]) == pytest.approx((20037508.34, -20036051.9), rel=1e-3)
    assert (pixels[..., 3] == 255).mean() > 0.99


def test_degrees_from_0_to_360_are_put_round_the_other_way(tmp_path: Path) -> None:
    x, y = np.meshgrid(np.arange(720) + 0.5, np.arange(320) + 0.5)
    transform = Affine(0.5, 0, 0, 0, -0.5, 80)
    found, pixels = taken(written(tmp_path / "p.tif", waves(x, y).astype(np.uint8), "EPSG:4326", transform))
    at, down = source_pixels(found, pixels.shape, "EPSG:4326", transform)
    at = at % 720
    inside = (np.abs(at - 360) < 355) & (down > 3) & (down < 317) & (np.abs(at - 360) > 4)
    off = np.abs(waves(at, down)[0] - pixels[..., 0])[inside]
    assert np.quantile(off, 0.99) < 31 * 0.1 + 3


def test_what_crosses_the_date_line_is_cut_there(tmp_path: Path) -> None:
    data = np.full((3, 200, 300), 90, np.uint8)
    found, _ = taken(written(tmp_path / "d.tif", data, "EPSG:4326", Affine(0.1, 0, 160, 0, -0.1, 10)))
    assert "date line" in found.told
    affine = Affine(*found.place.affine)
    assert affine.c == pytest.approx(160 * 111319.49, rel=1e-4)


def test_a_picture_that_lies_straight_is_left_as_it_is(tmp_path: Path) -> None:
    data = np.zeros((3, 300, 400), np.uint8)
    for crs, transform in (
        ("EPSG:3857", Affine(12, 0, 4e5, 0, -12, 2e5)),
        ("EPSG:32633", Affine(1, 0, 4e5, 0, -1, 5.2e6)),
    ):
        found, _ = taken(written(tmp_path / "s.tif", data, crs, transform))
        assert not found.anew
        assert found.told == ""


def test_a_world_file_beside_a_wide_picture_counts_as_its_own(tmp_path: Path) -> None:
    pyvips.Image.black(1440, 720).bandjoin([90, 120]).copy(interpretation="srgb").write_to_file(str(tmp_path / "w.png"))
    given = Georeference(crs="EPSG:4326", affine=(0.25, 0, -180, 0, -0.25, 90))
    found, pixels = taken(tmp_path / "w.png", given)
    assert found.anew
    assert pixels[pixels.shape[0] // 2, pixels.shape[1] // 2].tolist() == [0, 90, 120, 255]


def test_a_picture_with_control_points_is_laid_by_them(tmp_path: Path) -> None:
    x, y = np.meshgrid(np.arange(600) + 0.5, np.arange(500) + 0.5)
    spots = [(0, 0), (600, 0), (600, 500), (0, 500), (300, 250)]
    points = [GroundControlPoint(row=v, col=u, x=10 + u * 0.01, y=50 - v * 0.01) for u, v in spots]
    path = written(tmp_path / "g.tif", waves(x, y).astype(np.uint8), "EPSG:4326", None, gcps=points)
    found, pixels = taken(path)
    assert "5 control points, which it misses by up to 0.0 pixels" in found.told
    at = source_pixels(found, pixels.shape, "EPSG:4326", Affine(0.01, 0, 10, 0, -0.01, 50))
    inside = (at[0] > 3) & (at[0] < 597) & (at[1] > 3) & (at[1] < 497)
    assert np.quantile(np.abs(waves(*at)[0] - pixels[..., 0])[inside], 0.99) < 31 * 0.1 + 3


@pytest.mark.parametrize(
    ("kind", "low", "high", "black", "white"),
    [
        ("uint16", 0, 4095, 0, 4095),
        ("float32", 0, 1, 0, 1),
        ("int16", -200, 3000, -184, 2984),
        ("uint16", 0, 65535, 0, 65535),
    ],
)
def test_values_that_are_no_colours_are_seen(
    tmp_path: Path, kind: str, low: float, high: float, black: float, white: float
) -> None:
    ramp = np.linspace(low, high, 200 * 100).reshape(1, 100, 200).astype(kind)
    found, pixels = taken(written(tmp_path / "v.tif", ramp, "EPSG:3857", Affine(10, 0, 0, 0, -10, 0)))
    grey = pixels.reshape(100, 200, -1)[..., 0].astype(float)
    if pixels.dtype == np.uint16:
        grey /= 257
    wanted = np.clip((ramp[0].astype(float) - black) / (white - black) * 255, 0, 255)
    assert np.abs(grey - wanted).max() < 2
    assert ("black to white" in found.told) == found.anew


def test_bands_beyond_the_third_are_no_alpha_and_nothing_is_clear(tmp_path: Path) -> None:
    data = np.stack([np.full((90, 120), value, np.uint8) for value in (10, 60, 110, 160, 210)])
    data[:, :30] = 255
    lies = ("EPSG:3857", Affine(10, 0, 0, 0, -10, 0))
    path = written(tmp_path / "b.tif", data, *lies, nodata=255, photometric="MINISBLACK")
    found, pixels = taken(path)
    assert "Of its 5 bands 1, 2, 3" in found.told
    assert pixels[60, 60].tolist() == [10, 60, 110, 255]
    assert pixels[10, 60, 3] == 0
    four = written(tmp_path / "i.tif", data[:4, 30:], *lies, photometric="MINISBLACK")
    with rasterio.open(four, "r+") as file:
        file.colorinterp = [ColorInterp.red, ColorInterp.green, ColorInterp.blue, ColorInterp.undefined]
    assert taken(four)[1][5, 5].tolist() == [10, 60, 110, 255]
