"""Painting on a frame by Skia: ground places and places in space through the camera, lines and colours."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR, View
from yaila.core.colour import bytes_of
from yaila.core.compiling import njit
from yaila.core.picture.linear import THRESHOLDS
from yaila.core.picture.threads import in_threads

WIDE = 6.0
"""From so wide a blur on, a deviation in pixels, what is painted may have terraces of one code each."""


@contextmanager
def painted(
    pixels: NDArray[np.uint8], opaque: bool, wide: bool = False, at: tuple[int, int] = (0, 0)
) -> Iterator[skia.Canvas]:
    """A canvas that paints on pixels, (height, width, 4) uint8 premultiplied RGBA; ``opaque`` ones are drawn on
    twice as fast.

    Args:
        wide: whether blurs of ``WIDE`` and more will be painted: it is painted in half floats then, and dithered into
            the pixels, so that what is dim and wide has no terraces.
        at: where in the frame the pixels begin, column and row: there the dither is at home.
    """
    alpha = skia.kOpaque_AlphaType if opaque else skia.kPremul_AlphaType
    if not wide:
        with skia.Surface(pixels, colorType=skia.kRGBA_8888_ColorType, alphaType=alpha) as canvas:
            yield canvas
        return
    fine = cv2.LUT(pixels, HALVES)
    with skia.Surface(fine.view(np.float16), colorType=skia.kRGBA_F16_ColorType, alphaType=alpha) as canvas:
        yield canvas
    in_threads(lambda a, b: dithered_rows(fine, pixels, a, b, HALVES, CODES, THRESHOLDS, *at), pixels)


HALVES = (np.arange(256) / 255).astype(np.float16).view(np.uint16)
"""The half floats of codes, by their bits."""

CODES = np.clip(np.nan_to_num(np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float32)), 0, 1) * 255
"""The codes, with their fractions, of half floats."""


@njit(cache=True, nogil=True)
def dithered_rows(fine, pixels, first, last, halves, codes, thresholds, left, top):
    """Rows of pixels, of which those channels that were painted on are as half floats say."""
    for y in range(first, last):
        for x in range(pixels.shape[1]):
            threshold = thresholds[(y + top) & 3, (x + left) & 3]
            for c in range(4):
                made = fine[y, x, c]
                if made != halves[pixels[y, x, c]]:
                    pixels[y, x, c] = np.uint8(min(codes[made] + threshold, np.float32(255)))


def image_of(picture: NDArray[np.uint8]) -> skia.Image:
    """A picture, (height, width, 4) uint8 premultiplied RGBA, to be drawn on a canvas."""
    kind = {"colorType": skia.kRGBA_8888_ColorType, "alphaType": skia.kPremul_AlphaType}
    return skia.Image.fromarray(np.ascontiguousarray(picture), **kind)


def matrix_of(plane: NDArray[np.float64]) -> skia.Matrix:
    """A 3x3 map as Skia takes it: its numbers have 32 bits, so that they are kept near 1."""
    return skia.Matrix((plane / np.abs(plane).max()).ravel().tolist())


def polygon(places: NDArray[np.float64], closed: bool) -> skia.Path:
    """A path through places (n, 2)."""
    path = skia.Path()
    path.addPoly([skia.Point(x, y) for x, y in places.tolist()], closed)
    return path


def through(path: skia.Path, plane: NDArray[np.float64]) -> skia.Path:
    """A path taken through a 3x3 map; clipped where it passes the camera."""
    made = skia.Path()
    path.transform(matrix_of(plane), made)
    return made


def line_path(places: NDArray[np.float64], view: View) -> skia.Path:
    """A line over ground places (n, 2) in frame pixels: in pieces, where it passes behind the camera."""
    places_seen = view.seen(places)
    ahead = places_seen[:, 2] > NEAR
    path = skia.Path()
    edges = np.flatnonzero(np.diff(np.concatenate([[False], ahead, [False]]).astype(np.int8)))
    for first, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        piece = places_seen[first:end]
        if first > 0:
            piece = np.vstack([_crossing(places_seen[first - 1], places_seen[first]), piece])
        if end < len(places_seen):
            piece = np.vstack([piece, _crossing(places_seen[end], places_seen[end - 1])])
        path.addPath(polygon(piece[:, :2] / piece[:, 2:], False))
    return path


def _crossing(behind: NDArray[np.float64], before: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the way from a place behind the near limit to one before it crosses the limit."""
    share = (NEAR - behind[2]) / (before[2] - behind[2])
    return np.asarray(behind + share * (before - behind))


def colour_of(text: str, opacity: float = 1.0) -> int:
    """Skia's number for ``#rrggbb`` at an opacity."""
    red, green, blue = bytes_of(text)
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
