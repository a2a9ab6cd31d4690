"""Blurring: wide blurs from a smaller copy, which nobody can tell from the picture's own."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

FINE = 4.0
"""Up to so wide a blur, a deviation in pixels, the picture itself is blurred; wider ones a copy in which it is no
wider than twice that."""


def blurred(picture: NDArray[Any], wide: float) -> NDArray[Any]:
    """A picture, (height, width) or with channels, blurred by a deviation of so many pixels; beyond its edges it goes
    on as it is there."""
    height, width = picture.shape[:2]
    shrink = 1
    while wide / shrink > 2 * FINE and shrink < 16:
        shrink *= 2
    small = picture
    if shrink > 1:
        size = (max(width // shrink, 1), max(height // shrink, 1))
        small = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))
    made = cv2.GaussianBlur(small, (0, 0), max(wide / shrink, 0.3), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(made, (width, height), interpolation=cv2.INTER_LINEAR) if shrink > 1 else made)
