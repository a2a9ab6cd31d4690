"""What a frame costs does not grow with the size of a plate: pages that are read, and room that is taken."""

from __future__ import annotations

import numpy as np
import pytest

from tests.drawing import draw
from yaila.core.camera import FrameSize, Pose
from yaila.core.ground import Similarity
from yaila.core.imagery import PAGE, PageStore
from yaila.core.picture import PlateLayer, Quality

SIZE = FrameSize(960, 540)


class Counted:
    """A pyramid of one grey that counts the pages that are read of it."""

    alpha = False

    def __init__(self, width: int, height: int) -> None:
        sizes = [(width, height)]
        while max(sizes[-1]) > PAGE:
            sizes.append((max(sizes[-1][0] // 2, 1), max(sizes[-1][1] // 2, 1)))
        self.sizes = tuple(sizes)
        self.read = 0

    def page(self, level: int, column: int, row: int, out: np.ndarray) -> None:
        self.read += 1
        out[:] = (90, 90, 90, 255)

    def window(self, level: int, x: int, y: int, width: int, height: int) -> np.ndarray:
        return np.full((height, width, 4), 90, np.uint8)


def pages_read(width: int, quality: Quality, tilt: float, mib: int = 64) -> list[int]:
    """Pages read for each of some frames well inside a plate of that width."""
    pyramid, pages = Counted(width, width // 4), PageStore(mib)
    layer = PlateLayer("a", pyramid, Similarity(x=width / 2, y=width / 8).matrix(width, width // 4))
    counts = []
    for span in (1600, 2600):
        for k in range(3):
            before = pyramid.read
            draw([layer], Pose(width / 2 + 240 * k, width / 8, span, tilt, 5), SIZE, (0, 0, 0), quality, pages)
            counts.append(pyramid.read - before)
    return counts


@pytest.mark.parametrize("quality", [Quality.DRAFT, Quality.FINAL])
@pytest.mark.parametrize("tilt", [0, 20])
def test_a_frame_reads_as_many_pages_of_a_48000_pixel_plate_as_of_a_12000_pixel_one(
    quality: Quality, tilt: float
) -> None:
    small, large = (pages_read(width, quality, tilt) for width in (12_000, 48_000))
    # Pages lie otherwise under the frame, so a row or a column more may be touched.
    assert sum(large) <= 1.3 * sum(small) + 8
    assert max(large) < 120


def test_what_fits_no_more_is_drawn_in_bands_within_the_same_room() -> None:
    layer_pages = pages_read(48_000, Quality.FINAL, 20, mib=12)
    assert sum(layer_pages) >= sum(pages_read(48_000, Quality.FINAL, 20))
