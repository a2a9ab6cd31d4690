"""What is drawn over the ground by outlines: crisp at any zoom, by Skia under the camera's matrix.

Compositing is "over" (W3C Compositing and Blending Level 1) on encoded values.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film
from yaila.core.film.model import Region


def draw_regions(frame: NDArray[np.uint8], regions: Sequence[Region], pose: Pose, film: Film) -> NDArray[np.uint8]:
    """A frame, (height, width, 3) uint8, with regions drawn over it."""
    shown = [region for region in regions if region.shown and region.rings and region.style.opacity > 0]
    if not shown:
        return frame
    height, width = frame.shape[:2]
    canvas_pixels = np.dstack([frame, np.full((height, width), 255, np.uint8)])
    surface = skia.Surface(canvas_pixels, colorType=skia.kRGBA_8888_ColorType)
    matrix = pose.frame_from_ground(FrameSize(width, height))
    scale = width / film.frame.width
    with surface as canvas:
        for region in shown:
            _draw(canvas, _path(region, matrix, pose), region, scale)
    return np.ascontiguousarray(canvas_pixels[..., :3])


@lru_cache(maxsize=64)
def _rings(rings: tuple[tuple[tuple[float, float], ...], ...]) -> list[NDArray[np.float64]]:
    return [np.array(ring) for ring in rings]


def _path(region: Region, matrix: NDArray[np.float64], pose: Pose) -> skia.Path:
    """The region in frame pixels. Places count from the target, so that Skia's 32-bit numbers keep their digits."""
    builder = skia.Path()
    origin = np.array([pose.x, pose.y])
    for ring in _rings(region.rings):
        builder.addPoly([skia.Point(x, y) for x, y in (ring - origin).tolist()], True)
    shifted = matrix @ np.array([[1, 0, pose.x], [0, 1, pose.y], [0, 0, 1.0]])
    shifted = shifted / np.abs(shifted).max()
    builder.setFillType(skia.PathFillType.kEvenOdd)
    path = skia.Path()
    builder.transform(skia.Matrix(shifted.ravel().tolist()), path)
    path.setFillType(skia.PathFillType.kEvenOdd)
    return path


def _colour(text: str, opacity: float = 1.0) -> int:
    red, green, blue = (int(text[i : i + 2], 16) for i in (1, 3, 5))
    return int(skia.Color(red, green, blue, round(255 * opacity)))


def _draw(canvas: skia.Canvas, path: skia.Path, region: Region, scale: float) -> None:
    style = region.style
    if style.shadow:
        canvas.save()
        canvas.clipPath(path, skia.ClipOp.kDifference, True)
        canvas.translate(style.shadow * scale * 0.7, style.shadow * scale * 0.7)
        shade = skia.Paint(Color=_colour("#000000", style.shadow_opacity * style.opacity), AntiAlias=True)
        shade.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, max(style.shadow * scale * 0.5, 0.1)))
        canvas.drawPath(path, shade)
        canvas.restore()
    canvas.saveLayerAlpha(None, round(255 * style.opacity))
    canvas.drawPath(path, skia.Paint(Color=_colour(style.fill), AntiAlias=True))
    if style.glow:
        canvas.save()
        canvas.clipPath(path, skia.ClipOp.kIntersect, True)
        light = _stroke(style.glow * scale, style.glow_colour)
        light.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, max(style.glow * scale * 0.4, 0.1)))
        canvas.drawPath(path, light)
        canvas.restore()
    if style.gap:
        away = _stroke(2 * style.gap * scale, "#000000")
        away.setBlendMode(skia.BlendMode.kDstOut)
        canvas.drawPath(path, away)
    canvas.restore()


def _stroke(width: float, colour: str) -> skia.Paint:
    paint = skia.Paint(Color=_colour(colour), AntiAlias=True, Style=skia.Paint.kStroke_Style, StrokeWidth=width)
    paint.setStrokeJoin(skia.Paint.kRound_Join)
    return paint
