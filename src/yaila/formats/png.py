"""PNG files of single frames (ISO/IEC 15948), tagged as sRGB by libvips' default."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray


def write_png(path: Path, frame: NDArray[np.uint8]) -> None:
    """Write a frame, (height, width, 3) uint8 sRGB."""
    pyvips.Image.new_from_array(frame, interpretation="srgb").pngsave(str(path), compression=4)
