"""Ways with fewer points (Douglas and Peucker 1973, by OpenCV)."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray


def simplified(points: NDArray[np.float64], tolerance: float, keep: list[int]) -> list[int]:
    """Which points of a way to keep so that it strays by no more than ``tolerance``.

    Args:
        points: shape (n, 2), n of 2 or more.
        keep: points that stay in any case.
    """
    edges = sorted({0, len(points) - 1, *keep})
    kept: list[int] = []
    for first, last in pairwise(edges):
        part = points[first : last + 1]
        # Counted from their own middle, so that 32-bit numbers keep their digits.
        near = (part - part.mean(axis=0)).astype(np.float32)
        corners = cv2.approxPolyDP(near[:, None, :], tolerance, False)[:, 0, :]
        at = 0
        for corner in corners:
            # The corners are points of the way, in its order.
            while at < len(near) - 1 and not (near[at] == corner).all():
                at += 1
            kept.append(first + at)
    return sorted({*kept, *edges})
