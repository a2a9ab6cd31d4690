"""PNG files of single frames (ISO/IEC 15948), tagged as sRGB by libvips' default."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray

from yaila.formats.whole import whole_file


def write_png(path: Path, frame: NDArray[np.uint8]) -> None:
    """Write a frame, (height, width, 3) uint8 sRGB."""
    with whole_file(path) as part:
        pyvips.Image.new_from_array(frame, interpretation="srgb").pngsave(str(part), compression=4)
