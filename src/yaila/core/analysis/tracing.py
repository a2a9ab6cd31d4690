"""Land traced to outlines: what a plate shows, as rings of ground places, crisp at any zoom.

Contours by marching squares (W. Lorensen & H. Cline, SIGGRAPH 1987), simplified after D. Douglas & T. Peucker (1973),
both by scikit-image.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yaila.core.errors import BadEdit
from yaila.core.film.marked import Region
from yaila.core.film.model import Plate
from yaila.core.ground import Point
from yaila.core.ground.placement import through
from yaila.core.imagery import AdjustedPyramid, Pyramid

MOST_TEXELS = 16_000_000
"""The largest level that is traced, texels."""


def area_of(ring: NDArray[Any]) -> float:
    """The area within a ring (n, 2), positive when it runs counter-clockwise (y up): the shoelace formula."""
    x, y = ring[:, 0], ring[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)


def trace(plate: Plate, open_picture: Callable[[str], Pyramid], tolerance: float = 1.0, least: float = 400.0) -> Region:
    """Trace what a plate's land mask leaves to outlines.

    Args:
        tolerance: how far a simplified outline may stray, plate pixels.
        least: islands and lakes smaller than this are dropped, square plate pixels.

    Raises:
        BadEdit: nothing of the plate is see-through, or nothing is left.
    """
    if plate.land is None:
        raise BadEdit("Pick what becomes see-through first: the sea by its colour, say. What stays is traced.")
    # Slow to import, and seldom needed.
    from skimage.measure import approximate_polygon, find_contours

    adjustments = replace(plate.adjustments, tone=None, outline=(), fade=0.0)
    pyramid = AdjustedPyramid(open_picture(plate.picture.sha256), adjustments)
    level = next(i for i, (w, h) in enumerate(pyramid.sizes) if w * h <= MOST_TEXELS or i == len(pyramid.sizes) - 1)
    width, height = pyramid.sizes[level]
    alpha = pyramid.window(level, 0, 0, width, height)[..., 3]
    # A clear frame around closes what runs off the plate.
    framed = np.pad(alpha.astype(np.float32), 1)
    texel = 2.0**level
    rings = []
    for contour in find_contours(framed, 127.5):
        ring = approximate_polygon(contour, tolerance / texel)[:-1]
        places = (ring[:, ::-1] - 0.5) * texel
        if len(places) >= 3 and abs(area_of(places)) >= least:
            ground = through(plate.matrix, np.clip(places, 0, [width * texel, height * texel]))
            rings.append(tuple(Point(x, y) for x, y in ground.tolist()))
    if not rings:
        raise BadEdit("Nothing is left to trace. Lower the tolerance of the colours, or the least size of islands.")
    return Region(name=f"{plate.name}, land"[:120], rings=tuple(rings))
