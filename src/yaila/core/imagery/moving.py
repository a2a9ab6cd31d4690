"""A picture of a clip in place of a stored one: a pyramid of which a level is made when it is first read."""

from __future__ import annotations

import threading
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.imagery.pages import PADDED, PAGE, Pyramid

Shown = Callable[[int], NDArray[np.uint8] | None]
"""A picture about so many pixels wide, (height, width, 4) premultiplied RGBA; none where it cannot be read."""


class MovingPyramid:
    """What a clip shows at a moment, in the sizes of the picture that it is seen in place of, whose pixels stand where
    it cannot be read. Safe to read from several threads."""

    def __init__(self, still: Pyramid, shown: Shown) -> None:
        self._still, self._shown = still, shown
        self._lock = threading.Lock()
        self._levels: dict[int, NDArray[np.uint8]] = {}
        self.alpha = still.alpha

    @property
    def sizes(self) -> tuple[tuple[int, int], ...]:
        """Width and height of every level, the full picture first."""
        return self._still.sizes

    def page(self, level: int, column: int, row: int, out: NDArray[np.uint8]) -> None:
        """Fill ``out``, shape (258, 258, 4), with a page and its border: premultiplied RGBA."""
        out[:] = self.window(level, column * PAGE - 1, row * PAGE - 1, PADDED, PADDED)

    def window(self, level: int, x: int, y: int, width: int, height: int) -> NDArray[np.uint8]:
        """Part of a level, (height, width, 4) premultiplied RGBA; beyond the picture its edge is repeated."""
        pixels = self._level(level)
        level_width, level_height = self.sizes[level]
        across = np.clip(np.arange(x, x + width), 0, level_width - 1)
        down = np.clip(np.arange(y, y + height), 0, level_height - 1)
        whole = pixels.view(np.uint32)[..., 0]
        return whole[down[:, None], across][..., None].view(np.uint8)

    def _level(self, level: int) -> NDArray[np.uint8]:
        with self._lock:
            known = self._levels.get(level)
            if known is None:
                known = self._levels[level] = self._made(level)
            return known

    def _made(self, level: int) -> NDArray[np.uint8]:
        size = self.sizes[level]
        pixels = self._shown(size[0])
        if pixels is None:
            return np.ascontiguousarray(self._still.window(level, 0, 0, *size))
        if pixels.shape[1::-1] != size:
            smaller = pixels.shape[1] >= size[0]
            pixels = np.asarray(
                cv2.resize(pixels, size, interpolation=cv2.INTER_AREA if smaller else cv2.INTER_LINEAR), np.uint8
            )
        return np.ascontiguousarray(pixels)
