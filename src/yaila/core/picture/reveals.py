"""What is uncovered of a plate or a mark: a mask over the frame."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film
from yaila.core.film.scene import Uncovered
from yaila.core.ground.placement import outline
from yaila.core.picture.canvas import filled, line, softened

FINE = 360
"""Corners that a growing circle is drawn with."""


def mask_of(uncovered: Uncovered, film: Film, pose: Pose, size: FrameSize) -> NDArray[np.float32] | None:
    """How much of a plate is uncovered at each pixel, 0..1, (height, width); none where nothing is."""
    plate = film.plate(uncovered.of)
    path = _shape(uncovered, outline(plate.matrix, *plate.extent), pose, size)
    if path is None:
        return None
    pixels = np.zeros((size.height, size.width), np.uint8)
    with skia.Surface(pixels, colorType=skia.kAlpha_8_ColorType) as canvas:
        canvas.drawPath(path, softened(filled("#000000"), _soft(uncovered, size.width / film.frame.width)))
    return np.asarray(pixels.astype(np.float32) / np.float32(255))


def _soft(uncovered: Uncovered, scale: float) -> float:
    return uncovered.reveal.soft * scale / 2


@contextmanager
def only_uncovered(
    canvas: skia.Canvas,
    uncovered: Uncovered | None,
    corners: NDArray[np.float64],
    pose: Pose,
    size: FrameSize,
    scale: float,
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
    if path := _shape(uncovered, corners, pose, size):
        canvas.drawPath(path, softened(filled("#000000"), _soft(uncovered, scale)))
    canvas.restore()
    canvas.restore()


def around(place: tuple[float, float], pose: Pose) -> NDArray[np.float64]:
    """The corners of what a sign or a text may take up about its place: a quarter of the frame to each side."""
    reach = pose.span / 4
    return np.array([place]) + np.array([[-reach, -reach], [reach, -reach], [reach, reach], [-reach, reach]])


def _shape(uncovered: Uncovered, corners: NDArray[np.float64], pose: Pose, size: FrameSize) -> skia.Path | None:
    """What is uncovered of something with corners on the ground, in frame pixels; none where nothing is."""
    reveal = uncovered.reveal
    if uncovered.share <= 0 or (uncovered.route and uncovered.way <= 0):
        return None
    flat = skia.Path()
    if uncovered.route:
        curve = uncovered.route.curve
        ways = np.linspace(0, uncovered.way, int(min(max(uncovered.way / (reveal.width * 0.2), 32), 4000)))
        way = skia.Path()
        way.addPoly([skia.Point(x, y) for x, y in (curve.along(ways) - [pose.x, pose.y]).tolist()], False)
        line("#000000", reveal.width).getFillPath(way, flat, None, size.width / pose.span)
    else:
        places = _circle(uncovered, corners) if reveal.how == "circle" else _wipe(uncovered, corners)
        flat.addPoly([skia.Point(x, y) for x, y in (places - [pose.x, pose.y]).tolist()], True)
    plane = pose.frame_from_ground(size) @ np.array([[1, 0, pose.x], [0, 1, pose.y], [0, 0, 1.0]])
    path = skia.Path()
    flat.transform(skia.Matrix((plane / np.abs(plane).max()).ravel().tolist()), path)
    return path


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
