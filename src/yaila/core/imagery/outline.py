"""A feather along a drawn outline: whole inside, nothing outside."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from yaila.core.compiling import njit


def fade_outside(
    page: NDArray[np.uint8], outline: NDArray[np.float64], width: float, left: float, top: float, texel: float
) -> None:
    """Fade premultiplied RGBA (height, width, 4), in place, towards an outline.

    Args:
        outline: (n, 2) the corners of a closed polygon, plate pixels.
        width: how far inside the outline the fade begins, plate pixels; at least a texel's width is softened.
        left, top: the plate pixel of the page's outer corner.
        texel: plate pixels along a texel's side.
    """
    _fade(page, np.ascontiguousarray(outline, np.float64), float(width), float(left), float(top), float(texel))


@njit(cache=True, nogil=True, fastmath=True)
def _fade(page, outline, width, left, top, texel):
    count = outline.shape[0]
    for row in range(page.shape[0]):
        y = top + (row + 0.5) * texel
        for column in range(page.shape[1]):
            x = left + (column + 0.5) * texel
            inside = False
            nearest = 1e30
            for i in range(count):
                ax, ay = outline[i - 1, 0], outline[i - 1, 1]
                dx, dy = outline[i, 0] - ax, outline[i, 1] - ay
                t = ((x - ax) * dx + (y - ay) * dy) / max(dx * dx + dy * dy, 1e-12)
                t = min(max(t, 0.0), 1.0)
                away = (x - ax - t * dx) ** 2 + (y - ay - t * dy) ** 2
                nearest = min(nearest, away)
                if (ay > y) != (outline[i, 1] > y) and x < ax + (y - ay) / (outline[i, 1] - ay) * dx:
                    inside = not inside
            depth = math.sqrt(nearest) * (1.0 if inside else -1.0)
            share = min(max(depth / texel + 0.5, 0.0), 1.0)
            if width > texel:
                t = min(max(depth / width, 0.0), 1.0)
                share = min(share, t * t * (3.0 - 2.0 * t))
            if share < 1.0:
                for c in range(4):
                    page[row, column, c] = np.uint8(page[row, column, c] * share + 0.5)
