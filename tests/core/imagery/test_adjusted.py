"""Adjustments are worked in when a page is read; the picture and its other pages stay as they are."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.conftest import write_picture
from tests.truth import fine_texture, psnr
from yaila.core.colour import Tone
from yaila.core.imagery import AdjustedPyramid, Adjustments, build_pyramid, open_pyramid
from yaila.core.imagery.adjusted import Edges
from yaila.core.imagery.bend import Bend, Pull
from yaila.core.imagery.land import ByBrightness, ByColour
from yaila.core.imagery.pyramid import TiffPyramid

SIZE = (700, 500)


@pytest.fixture(scope="module")
def picture() -> np.ndarray:
    return cv2.GaussianBlur(fine_texture(*SIZE), (0, 0), 1.5)


@pytest.fixture(scope="module")
def pyramid(picture: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> TiffPyramid:
    folder = tmp_path_factory.mktemp("adjusted")
    build_pyramid(write_picture(folder / "p.png", picture), folder / "p.tif", "p.png")
    return open_pyramid(folder / "p.tif")


def whole(adjusted: AdjustedPyramid, level: int = 0) -> np.ndarray:
    return adjusted.window(level, 0, 0, *adjusted.sizes[level])


def test_nothing_to_do_is_the_picture_itself(pyramid: TiffPyramid) -> None:
    adjusted = AdjustedPyramid(pyramid, Adjustments())
    assert Adjustments().key == ""
    assert np.array_equal(whole(adjusted), pyramid.read(0))


def test_a_mirrored_edge_goes_on_without_a_joint(pyramid: TiffPyramid, picture: np.ndarray) -> None:
    adjusted = AdjustedPyramid(pyramid, Adjustments(edges=Edges(mode="mirror", reach=60)))
    across, down = adjusted.margin
    assert (across, down) == (420, 300)
    mirrored = cv2.copyMakeBorder(picture, down, down, across, across, cv2.BORDER_REFLECT)
    assert np.abs(whole(adjusted)[..., :3].astype(int) - mirrored).max() <= 1
    # Every level shows the same: level 2 is the full one made smaller.
    small = cv2.resize(mirrored, adjusted.sizes[2], interpolation=cv2.INTER_AREA)
    assert psnr(whole(adjusted, 2)[..., :3], small) > 28


def test_a_repeated_edge_is_blended_at_the_joint(pyramid: TiffPyramid, picture: np.ndarray) -> None:
    adjusted = AdjustedPyramid(pyramid, Adjustments(edges=Edges(mode="repeat", reach=100, blend=10)))
    shown = whole(adjusted)[..., :3].astype(int)
    width, height = SIZE
    assert np.array_equal(shown[height : 2 * height, width : 2 * width], picture)
    steps = np.abs(np.diff(shown[height : 2 * height], axis=1)).mean(axis=(0, 2))
    assert max(steps[width - 1], steps[2 * width - 1]) < 1.5 * steps.mean()
    # Well past the blend the picture stands again.
    assert np.abs(shown[height : 2 * height, 2 * width + 100 : 3 * width - 100] - picture[:, 100:-100]).max() <= 1


def test_a_bend_takes_pixels_from_where_its_pulls_say(pyramid: TiffPyramid, picture: np.ndarray) -> None:
    corners = [(0, 0), (SIZE[0], 0), (0, SIZE[1]), SIZE]
    pulls = [Pull(x=x, y=y, from_x=x, from_y=y) for x, y in corners]
    bend = Bend(pulls=(*pulls, Pull(x=350, y=250, from_x=362, from_y=241)))
    adjusted = AdjustedPyramid(pyramid, Adjustments(bend=bend))
    rows, columns = np.mgrid[0 : SIZE[1], 0 : SIZE[0]] + 0.5
    places = np.stack([columns, rows], axis=-1).reshape(-1, 2)
    at = (places + bend.shift(places)).reshape(SIZE[1], SIZE[0], 2).astype(np.float32) - 0.5
    exact = cv2.remap(picture, at[..., 0], at[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    inner = np.s_[4:-4, 4:-4]
    # Off by what a bicubic between the nodes of the spline's grid misses: under a tenth of a pixel.
    assert psnr(whole(adjusted)[..., :3][inner], exact[inner]) > 36


def test_sea_picked_by_colour_becomes_see_through(tmp_path: Path) -> None:
    drawn = np.full((300, 400, 3), (196, 222, 236), np.uint8)
    cv2.circle(drawn, (200, 150), 90, (232, 226, 205), -1)
    build_pyramid(write_picture(tmp_path / "sheet.png", drawn), tmp_path / "sheet.tif", "sheet.png")
    land = ByColour(samples=((196, 222, 236),), tolerance=2, softness=1)
    for land_kept, inverted in ((255, False), (0, True)):
        adjusted = AdjustedPyramid(
            open_pyramid(tmp_path / "sheet.tif"), Adjustments(land=land.model_copy(update={"invert": inverted}))
        )
        alpha = whole(adjusted)[..., 3]
        assert adjusted.alpha
        assert alpha[150, 200] == land_kept
        assert alpha[10, 10] == 255 - land_kept


def test_brightness_becomes_opacity_by_gamma_lift_and_inversion(tmp_path: Path) -> None:
    ramp = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 64, axis=0).repeat(3, axis=2)
    build_pyramid(write_picture(tmp_path / "ramp.png", ramp), tmp_path / "ramp.tif", "ramp.png")
    luma = np.arange(256) / 255
    for land, expected in (
        (ByBrightness(gamma=2.2), luma ** (1 / 2.2)),
        (ByBrightness(lift=-0.2, invert=True), np.clip(0.8 - luma, 0, 1)),
    ):
        alpha = whole(AdjustedPyramid(open_pyramid(tmp_path / "ramp.tif"), Adjustments(land=land)))[30, :, 3]
        assert alpha == pytest.approx(expected * 255, abs=1.01)


def test_an_outline_fades_from_its_edge_inwards_on_every_level(pyramid: TiffPyramid) -> None:
    outline = ((100.0, 100.0), (600.0, 100.0), (600.0, 400.0), (100.0, 400.0))
    adjusted = AdjustedPyramid(pyramid, Adjustments(outline=outline, fade=80))
    alpha = whole(adjusted)[..., 3].astype(int)
    assert alpha[50, 350] == 0
    assert alpha[250, 350] == 255
    assert alpha[140, 350] == pytest.approx(128, abs=6)
    assert int(whole(adjusted, 1)[70, 175, 3]) == pytest.approx(128, abs=8)


def test_tone_comes_last_and_its_key_tells_adjustments_apart(pyramid: TiffPyramid) -> None:
    grey = Adjustments(tone=Tone(saturation=-100))
    page = whole(AdjustedPyramid(pyramid, grey))[..., :3].astype(int)
    assert np.ptp(page, axis=-1).max() <= 3
    keys = {Adjustments(tone=Tone(hue=h)).key for h in (1, 2, 3)} | {grey.key}
    assert len(keys) == 4
