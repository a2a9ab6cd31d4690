"""Pictures against the truth: brute-force pictures of 8 x 8 rays a pixel."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest

from tests.conftest import write_picture
from tests.drawing import draw
from tests.truth import fine_texture, psnr, true_picture
from yaila.core.camera import FrameSize, Pose
from yaila.core.ground import Similarity
from yaila.core.imagery import PageStore, Pyramid, build_pyramid, open_pyramid
from yaila.core.picture import PlateLayer, Quality, raster

SIZE = FrameSize(320, 180)


@pytest.fixture(scope="module")
def plate() -> np.ndarray:
    return fine_texture(4096, 3072).astype(np.float32)


@pytest.fixture(scope="module")
def layer(plate: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> PlateLayer:
    folder: Path = tmp_path_factory.mktemp("truth")
    build_pyramid(write_picture(folder / "plate.png", plate.astype(np.uint8)), folder / "plate.tif", "plate.png")
    return PlateLayer("plate", open_pyramid(folder / "plate.tif"), Similarity(x=2048, y=1536).matrix(4096, 3072))


def drawn(layer: PlateLayer, pose: Pose, quality: Quality, pages: PageStore, size: FrameSize = SIZE) -> np.ndarray:
    return draw([layer], pose, size, (0, 0, 0), quality, pages)


@pytest.mark.parametrize(
    "span", [300, 700, 1700, *(pytest.param(span, marks=pytest.mark.thorough) for span in (480, 1100, 2600))]
)
@pytest.mark.parametrize(("tilt", "heading", "roll"), [(0, 0, 0), (0, 33, 0), (45, 20, 0), (62, -50, 0), (55, 10, 25)])
def test_frames_are_true(
    plate: np.ndarray, layer: PlateLayer, pages: PageStore, span: float, tilt: float, heading: float, roll: float
) -> None:
    pose = Pose(2000.3, 1500.7, span * (0.5 if tilt > 50 else 1), tilt, heading, roll)
    truth = true_picture(plate, 1.0, pose, *SIZE)
    assert psnr(truth, drawn(layer, pose, Quality.FINAL, pages)) >= 38
    assert psnr(truth, drawn(layer, pose, Quality.DRAFT, pages)) >= 30


def test_the_edge_of_a_plate_is_smooth_and_beyond_it_is_the_background(
    plate: np.ndarray, layer: PlateLayer, pages: PageStore
) -> None:
    pose = Pose(0, 0, 700, 40, 30)
    truth = true_picture(plate, 1.0, pose, *SIZE)
    assert psnr(truth, drawn(layer, pose, Quality.FINAL, pages)) >= 36


@pytest.mark.thorough
def test_no_step_in_sharpness_through_a_level_change(plate: np.ndarray, layer: PlateLayer, pages: PageStore) -> None:
    # A slow dive of 3 % a frame through two octaves. Sharpness is the energy of the Laplacian, as a logarithm;
    # whatever the truth does from frame to frame, the engine must do too. A level change without blending is a
    # step of 0.4 at final quality and 0.9 at draft.
    size = FrameSize(240, 135)
    spans = 1300 * 0.97 ** np.arange(46)

    def sharpness(frame: np.ndarray) -> float:
        grey = frame.astype(np.float64).mean(axis=2)
        return float(np.log(np.mean(cv2.Laplacian(grey, cv2.CV_64F) ** 2)))

    poses = [Pose(2048.4, 1536.7, span, heading=7) for span in spans]
    truth = [sharpness(true_picture(plate, 1.0, pose, *size)) for pose in poses]
    for quality in Quality:
        ours = [sharpness(drawn(layer, pose, quality, pages, size)) for pose in poses]
        steps = np.abs(np.diff(ours) - np.diff(truth))
        assert steps.max() < (0.07 if quality is Quality.FINAL else 0.2)


def test_a_very_slow_zoom_does_not_shimmer(plate: np.ndarray, layer: PlateLayer, pages: PageStore) -> None:
    # Half a thousandth a frame: the change from frame to frame may not exceed the truth's by more than rounding.
    spans = 1500 * 0.9995 ** np.arange(4)
    ours = [drawn(layer, Pose(2048, 1536, span), Quality.FINAL, pages).astype(float) for span in spans]
    truth = [true_picture(plate, 1.0, Pose(2048, 1536, span), *SIZE) for span in spans]
    for k in range(3):
        flicker = np.std((ours[k + 1] - ours[k]) - (truth[k + 1] - truth[k]))
        assert flicker < 1.0


def test_same_pixels_whatever_is_in_memory_and_in_however_many_bands(layer: PlateLayer, pages: PageStore) -> None:
    pose = Pose(2000, 1500, 2400, 50, 20)
    first = drawn(layer, pose, Quality.FINAL, pages)
    tight = PageStore(8)
    assert tight.capacity < 40
    assert np.array_equal(first, drawn(layer, pose, Quality.FINAL, tight))
    pages.clear()
    assert np.array_equal(first, drawn(layer, pose, Quality.FINAL, pages))


class Read:
    """A pyramid that counts the pages that are read of it."""

    def __init__(self, base: Pyramid) -> None:
        self.base, self.alpha, self.sizes, self.count = base, base.alpha, base.sizes, 0

    def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
        self.count += 1
        self.base.page(level, column, row, out)


@pytest.mark.parametrize("quality", list(Quality))
def test_a_level_without_a_share_is_not_read_and_is_not_missed(
    layer: PlateLayer, quality: Quality, monkeypatch: pytest.MonkeyPatch
) -> None:
    random, needed = np.random.default_rng(5), raster.needed

    def of_both_levels(*given: Any) -> None:
        needed(*given[:9], 1.0, *given[10:])

    fewer, more = (replace(layer, pyramid=Read(layer.pyramid)) for _ in range(2))
    for k in range(40):
        tilt, heading, roll = random.uniform(0, 80), random.uniform(-180, 180), random.uniform(-30, 30) * (k % 2)
        pose = Pose(2048, 1536, 200 * 2 ** random.uniform(0, 3.5), tilt, heading, roll)
        monkeypatch.setattr(raster, "needed", needed)
        ours = drawn(fewer, pose, quality, PageStore(64)).astype(int)
        monkeypatch.setattr(raster, "needed", of_both_levels)
        # A pixel may come to the other side of a half, as what has no share is added as nothing.
        away = np.abs(drawn(more, pose, quality, PageStore(64)) - ours)
        assert away.max() <= 1, pose
        assert (away > 0).mean() < 1e-3
    assert fewer.pyramid.count < 0.95 * more.pyramid.count


@pytest.mark.parametrize("roll", [0, 14])
def test_with_the_horizon_in_sight_the_ground_is_true_and_does_not_depend_on_memory(
    plate: np.ndarray, layer: PlateLayer, pages: PageStore, roll: float
) -> None:
    pose = Pose(2000, 600, 60, 80, 5, roll)
    pages.clear()
    first = drawn(layer, pose, Quality.FINAL, pages)
    # Fill memory with other pages, so that a page not asked for would show something else.
    other = PageStore(128)
    drawn(layer, Pose(1000, 2000, 1500), Quality.FINAL, other)
    assert np.array_equal(first, drawn(layer, pose, Quality.FINAL, other))
    assert psnr(true_picture(plate, 1.0, pose, *SIZE), first) > 30
