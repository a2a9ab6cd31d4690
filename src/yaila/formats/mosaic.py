"""Tiles put together to one picture, on disk, however large it becomes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray


class Mosaic:
    """A picture of ``columns`` x ``rows`` tiles; where none was put it is clear."""

    def __init__(self, folder: Path, columns: int, rows: int, tile: int) -> None:
        self._raw, self._tile = folder / "mosaic.raw", tile
        self._pixels = np.memmap(self._raw, np.uint8, "w+", shape=(rows * tile, columns * tile, 4))
        self._put = np.zeros((rows, columns), bool)
        self._clear = False

    def put(self, column: int, row: int, pixels: NDArray[np.uint8]) -> None:
        """Put a tile, (tile, tile, 4) straight RGBA, at its place."""
        side = self._tile
        self._pixels[row * side : (row + 1) * side, column * side : (column + 1) * side] = pixels
        self._put[row, column] = True
        self._clear = self._clear or bool((pixels[..., 3] < 255).any())

    @property
    def holes(self) -> list[tuple[int, int, int, int]]:
        """Where no tile was put: x, y, width, height in pixels."""
        side = self._tile
        return [(int(c) * side, int(r) * side, side, side) for r, c in np.argwhere(~self._put)]

    def write(self, path: Path) -> None:
        """Write the picture as TIFF, lossless; with alpha only if something is clear."""
        self._pixels.flush()
        height, width = self._pixels.shape[:2]
        image = pyvips.Image.rawload(str(self._raw), width, height, 4).copy(interpretation="srgb")
        if self._put.all() and not self._clear:
            image = image.extract_band(0, n=3)
        image.tiffsave(str(path), compression="deflate", predictor="horizontal", bigtiff=True, tile=True)
