"""Single frames as files: PNG (ISO/IEC 15948) or TIFF (Adobe TIFF 6.0), however large they are."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray

from yaila.core.camera import FrameSize
from yaila.core.errors import BadRender
from yaila.formats.whole import part_file

Draw = Callable[[NDArray[np.uint8]], None]
"""Draws a frame into (height, width, 4) uint8 premultiplied RGBA."""


def write_still(path: Path, size: FrameSize, draw: Draw, raw: Path, alpha: bool = False) -> None:
    """Write a frame, whose pixels lie on the disk and not in memory until then.

    Args:
        path: ends in .png, .tif or .tiff.
        raw: where they lie; it is there no more in the end.
        alpha: whether what is see-through stays so (straight, not premultiplied); else it is as it is over black.

    Raises:
        BadRender: the name ends otherwise.
    """
    ending = path.suffix.lower()
    if ending not in (".png", ".tif", ".tiff"):
        raise BadRender(f"“{path.name}” is no name of a still: let it end in .png or .tif.")
    try:
        pixels = np.memmap(raw, np.uint8, "w+", shape=(size.height, size.width, 4))
        draw(pixels)
        pixels.flush()
        image = pyvips.Image.rawload(str(raw), size.width, size.height, 4).copy(interpretation="srgb")
        image = image.unpremultiply().rint().cast("uchar") if alpha else image.extract_band(0, n=3)
        with part_file(path) as part:
            if ending == ".png":
                image.pngsave(str(part), compression=4)
            else:
                large = size.width * size.height > 2**28
                image.tiffsave(str(part), compression="deflate", predictor="horizontal", bigtiff=large)
    finally:
        raw.unlink(missing_ok=True)
