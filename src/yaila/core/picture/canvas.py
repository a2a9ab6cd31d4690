"""Painting on a frame by Skia: ground places and places in space through the camera, lines and colours."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose

NEAR = 0.02
"""Nearer to the camera than this, in distances to the target, nothing is drawn."""


LIGHT = np.array([0.59, -0.59])
"""How far east and north a shadow falls for a height of 1: light from the north-west, 50 degrees up (common practice in
hill shading, no source)."""


def painted(frame: NDArray[np.uint8], paint: Callable[[skia.Canvas], None]) -> NDArray[np.uint8]:
    """A frame, (height, width, 3) uint8, that something was painted on."""
    pixels = cv2.cvtColor(frame, cv2.COLOR_RGB2RGBA)
    # Said to be opaque, as a frame is, it is drawn on twice as fast.
    kind = {"colorType": skia.kRGBA_8888_ColorType, "alphaType": skia.kOpaque_AlphaType}
    with skia.Surface(pixels, **kind) as canvas:
        paint(canvas)
    return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGBA2RGB))


def image_of(picture: NDArray[np.uint8]) -> skia.Image:
    """A picture, (height, width, 3) uint8, to be drawn on a canvas."""
    return skia.Image.fromarray(cv2.cvtColor(picture, cv2.COLOR_RGB2RGBA), colorType=skia.kRGBA_8888_ColorType)


def seen(pose: Pose, size: FrameSize, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Ground places (n, 2) through the camera, before the division by depth, which counts distances to the target."""
    matrix = pose.frame_from_ground(size) @ np.array([[1, 0, pose.x], [0, 1, pose.y], [0, 0, 1.0]])
    return np.asarray(np.column_stack([places - [pose.x, pose.y], np.ones(len(places))]) @ matrix.T)


def project(pose: Pose, size: FrameSize, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Frame pixels and depth (in distances to the target) of ground places (n, 2): shape (n, 3)."""
    through = seen(pose, size, places)
    depth = through[:, 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.column_stack([through[:, :2] / depth[:, None], depth])


def line_path(places: NDArray[np.float64], pose: Pose, size: FrameSize) -> skia.Path:
    """A line over ground places (n, 2) in frame pixels: in pieces, where it passes behind the camera."""
    places_seen = seen(pose, size, places)
    ahead = places_seen[:, 2] > NEAR
    path = skia.Path()
    edges = np.flatnonzero(np.diff(np.concatenate([[False], ahead, [False]]).astype(np.int8)))
    for first, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        piece = places_seen[first:end]
        if first > 0:
            piece = np.vstack([_crossing(places_seen[first - 1], places_seen[first]), piece])
        if end < len(places_seen):
            piece = np.vstack([piece, _crossing(places_seen[end], places_seen[end - 1])])
        path.addPoly([skia.Point(u, v) for u, v in (piece[:, :2] / piece[:, 2:]).tolist()], False)
    return path


def _crossing(behind: NDArray[np.float64], before: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the way from a place behind the near limit to one before it crosses the limit."""
    share = (NEAR - behind[2]) / (before[2] - behind[2])
    return np.asarray(behind + share * (before - behind))


def colour_of(text: str, opacity: float = 1.0) -> int:
    """Skia's number for ``#rrggbb`` at an opacity."""
    red, green, blue = (int(text[i : i + 2], 16) for i in (1, 3, 5))
    return int(skia.Color(red, green, blue, round(255 * opacity)))


def filled(colour: str, opacity: float = 1.0) -> skia.Paint:
    """Paint that fills."""
    return skia.Paint(Color=colour_of(colour, opacity), AntiAlias=True)


def line(colour: str, width: float) -> skia.Paint:
    """Paint for a line with round joins and ends."""
    paint = skia.Paint(Color=colour_of(colour), AntiAlias=True, Style=skia.Paint.kStroke_Style, StrokeWidth=width)
    paint.setStrokeJoin(skia.Paint.kRound_Join)
    paint.setStrokeCap(skia.Paint.kRound_Cap)
    return paint


def softened(paint: skia.Paint, sigma: float) -> skia.Paint:
    """The paint, blurred by a standard deviation in the units of the canvas."""
    if sigma > 1e-6:
        paint.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, sigma))
    return paint
