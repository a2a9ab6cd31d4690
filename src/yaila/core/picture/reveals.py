"""What is uncovered of a plate or a mark: a mask over the frame."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.film import Plate
from yaila.core.film.scene import Uncovered
from yaila.core.ground.placement import outline
from yaila.core.picture.canvas import filled, line, polygon, softened, through

FINE = 360
"""Corners that a growing circle is drawn with."""


def mask_of(uncovered: Uncovered, plate: Plate, view: View) -> NDArray[np.uint8]:
    """How much of a plate is uncovered at each pixel, 0..255, (height, width)."""
    pixels = np.zeros((view.size.height, view.size.width), np.uint8)
    path = _shape(uncovered, outline(plate.matrix, *plate.extent), view)
    if path is not None:
        with skia.Surface(pixels, colorType=skia.kAlpha_8_ColorType) as canvas:
            canvas.drawPath(path, _uncovering(uncovered, view))
    return pixels


def _uncovering(uncovered: Uncovered, view: View) -> skia.Paint:
    return softened(filled("#000000"), uncovered.reveal.soft * view.scale / 2)


@contextmanager
def only_uncovered(
    canvas: skia.Canvas, uncovered: Uncovered | None, corners: NDArray[np.float64], view: View
) -> Iterator[None]:
    """What is painted within is seen as far as it is uncovered; ``corners`` are those of its extent on the ground."""
    if uncovered is None:
        yield
        return
    canvas.saveLayer(None, None)
    yield
    keep = skia.Paint()
    keep.setBlendMode(skia.BlendMode.kDstIn)
    canvas.saveLayer(None, keep)
    if path := _shape(uncovered, corners, view):
        canvas.drawPath(path, _uncovering(uncovered, view))
    canvas.restore()
    canvas.restore()


def around(place: tuple[float, float], view: View) -> NDArray[np.float64]:
    """The corners of what a sign or a text may take up about its place: a quarter of the frame to each side."""
    reach = view.pose.span / 4
    return np.array([place]) + np.array([[-reach, -reach], [reach, -reach], [reach, reach], [-reach, reach]])


def _shape(uncovered: Uncovered, corners: NDArray[np.float64], view: View) -> skia.Path | None:
    """What is uncovered of something with corners on the ground, in frame pixels; none where nothing is."""
    reveal = uncovered.reveal
    if uncovered.share <= 0 or (uncovered.ways and all(way <= 0 for _, way in uncovered.ways)):
        return None
    if uncovered.ways:
        flat = skia.Path()
        for route, drawn in uncovered.ways:
            shape = skia.Path()
            ways = np.linspace(0, drawn, int(min(max(drawn / (reveal.width * 0.2), 32), 4000)))
            way = polygon(route.curve.along(ways) - view.target, False)
            line("#000000", reveal.width).getFillPath(way, shape, None, view.pixels_per_unit)
            flat.addPath(shape)
    else:
        places = _circle(uncovered, corners) if reveal.how == "circle" else _wipe(uncovered, corners)
        flat = polygon(places - view.target, True)
    return through(flat, view.plane())


def _circle(uncovered: Uncovered, corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """A circle that in the end reaches to the farthest corner."""
    middle = np.array([uncovered.reveal.x, uncovered.reveal.y])
    reach = float(np.linalg.norm(corners - middle, axis=1).max()) * 1.02 * uncovered.share
    angles = np.linspace(0, 2 * np.pi, FINE, endpoint=False)
    return np.asarray(middle + reach * np.column_stack([np.sin(angles), np.cos(angles)]))


def _wipe(uncovered: Uncovered, corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """A band from one side to where the edge has come."""
    angle = np.radians(uncovered.reveal.direction)
    ahead = np.array([np.sin(angle), np.cos(angle)])
    across = np.array([ahead[1], -ahead[0]])
    along, beside = corners @ ahead, corners @ across
    room = 0.05 * float(np.ptp(along) + np.ptp(beside))
    first, edge = along.min() - room, along.min() + np.ptp(along) * 1.02 * uncovered.share
    left, right = beside.min() - room, beside.max() + room
    return np.array([a * ahead + b * across for a, b in ((first, left), (edge, left), (edge, right), (first, right))])
