"""Part of a picture on a grid of one's own."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.ground.placement import outline
from yaila.core.imagery.pages import Pyramid

MOST_WINDOW = 40_000_000
"""The largest part of a level read at once, texels."""


def resampled(pyramid: Pyramid, plate_from_grid: NDArray[Any], width: int, height: int) -> NDArray[np.uint8]:
    """A picture on a grid of ``width`` x ``height`` pixels: (height, width, 4) premultiplied RGBA, clear outside it.

    Args:
        plate_from_grid: 3x3, grid pixels (y down, from the outer corner) to plate pixels.
    """
    full_width, full_height = pyramid.sizes[0]
    corners = outline(plate_from_grid, width, height)
    across = float(np.linalg.norm(corners[1] - corners[0])) / width
    down = float(np.linalg.norm(corners[3] - corners[0])) / height
    # Two samples a side of every grid pixel, from a level about as fine, then averaged.
    level = int(np.clip(math.floor(math.log2(max(min(across, down) / 2, 1e-9)) + 0.5), 0, len(pyramid.sizes) - 1))
    while True:
        texel = 2.0**level
        level_width, level_height = pyramid.sizes[level]
        left = int(np.clip(math.floor(corners[:, 0].min() / texel) - 2, 0, level_width))
        top = int(np.clip(math.floor(corners[:, 1].min() / texel) - 2, 0, level_height))
        right = int(np.clip(math.ceil(corners[:, 0].max() / texel) + 2, 0, level_width))
        bottom = int(np.clip(math.ceil(corners[:, 1].max() / texel) + 2, 0, level_height))
        if (right - left) * (bottom - top) <= MOST_WINDOW or level == len(pyramid.sizes) - 1:
            break
        level += 1
    if right <= left or bottom <= top:
        return np.zeros((height, width, 4), np.uint8)
    window = pyramid.window(level, left, top, right - left, bottom - top)
    # Texel and sample places count from centres in OpenCV.
    into = np.array([[1 / texel, 0, -left - 0.5], [0, 1 / texel, -top - 0.5], [0, 0, 1.0]])
    half = np.array([[0.5, 0, 0.25], [0, 0.5, 0.25], [0, 0, 1.0]])
    fine = cv2.warpPerspective(
        window,
        into @ plate_from_grid @ half,
        (2 * width, 2 * height),
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    if corners.min() < 0 or np.any(corners.max(axis=0) > [full_width, full_height]):
        # The window ends where the picture does, wherever the grid looks beyond it.
        inside = cv2.warpPerspective(
            np.ones(window.shape[:2], np.uint8),
            into @ plate_from_grid @ half,
            (2 * width, 2 * height),
            flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP,
        )
        fine[inside == 0] = 0
    return np.asarray(cv2.resize(fine, (width, height), interpolation=cv2.INTER_AREA), np.uint8)
