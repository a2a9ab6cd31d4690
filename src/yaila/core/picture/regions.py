"""Regions: parts of the ground that are filled, outlined, hatched, lit up or lifted out, and what is around them.

Compositing is "over" (W3C Compositing and Blending Level 1) on encoded values.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film, Region
from yaila.core.film.scene import Present
from yaila.core.marks import RegionLook
from yaila.core.picture.canvas import LIGHT, filled, image_of, line, softened
from yaila.core.picture.reveals import only_uncovered

PresentRegion = Present[Region, RegionLook]

DIMMED = 0.2
"""What is left of the light of what is dimmed wholly."""

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Rec. ITU-R BT.709."""

MOST_SIDES = 24
"""Slices that the thickness of a lifted piece is drawn in."""


def draw_regions(
    canvas: skia.Canvas, frame: NDArray[np.uint8], regions: Sequence[PresentRegion], pose: Pose, film: Film
) -> None:
    """Draw regions on a canvas that shows a frame, (height, width, 3) uint8."""
    seen = [present for present in regions if present.opacity * present.look.opacity > 0]
    there = [outline for outline in (_Outline(present, pose, film, frame) for present in seen) if outline.rings]
    _around(canvas, frame, there)
    for outline in there:
        corners = np.concatenate(outline.rings)
        with only_uncovered(canvas, outline.present.uncovered, corners, pose, outline.size, outline.scale):
            outline.draw(canvas, frame)


def _around(canvas: skia.Canvas, frame: NDArray[np.uint8], outlines: Sequence[_Outline]) -> None:
    """Make what is outside of regions blurred, grey or dimmed, where they ask for it."""
    for rest in ("blurred", "grey", "dimmed"):
        some = [outline for outline in outlines if outline.look.rest == rest]
        share = max((outline.seen * outline.look.rest_by for outline in some), default=0.0)
        if share <= 0:
            continue
        # What is inside of any of them stays: clipped away where its edge is hard, else taken out of a layer.
        hard = not any(outline.look.soft for outline in some)
        canvas.save() if hard else canvas.saveLayer(None, skia.Paint(Alphaf=share))
        for outline in some if hard else ():
            canvas.clipPath(outline.at(outline.lift), skia.ClipOp.kDifference, True)
        if rest == "dimmed":
            canvas.drawPaint(filled("#000000", (1 - DIMMED) * (share if hard else 1)))
        else:
            frame = _grey(frame) if rest == "grey" else _blurred(frame, 14 * some[0].scale)
            canvas.drawImage(image_of(frame), 0, 0, skia.SamplingOptions(), skia.Paint(Alphaf=share if hard else 1))
        for outline in () if hard else some:
            inside = softened(filled("#000000"), outline.look.soft * outline.scale / 2)
            inside.setBlendMode(skia.BlendMode.kDstOut)
            canvas.drawPath(outline.at(outline.lift), inside)
        canvas.restore()


def _grey(frame: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return np.asarray(cv2.transform(frame, np.tile(LUMA, (3, 1))), dtype=np.uint8)


def _blurred(frame: NDArray[np.uint8], sigma: float) -> NDArray[np.uint8]:
    return np.asarray(cv2.GaussianBlur(frame, (0, 0), sigma), dtype=np.uint8)


class _Outline:
    """A region in the frame."""

    def __init__(self, present: PresentRegion, pose: Pose, film: Film, frame: NDArray[np.uint8]) -> None:
        height, width = frame.shape[:2]
        self.present, self.look, self.pose, self.size = present, present.look, pose, FrameSize(width, height)
        self.scale = width / film.frame.width
        self.strength = present.opacity * self.look.opacity
        # What is around it changes as far as it is uncovered.
        self.seen = self.strength * _share_of(present)
        rings = _rings(present.mark.outline(film.ground.kind == "mercator"))
        middle = np.array(present.mark.place)
        self.rings = [middle + (ring - middle) * present.scale for ring in rings] if present.scale != 1 else rings
        self.matrix = pose.frame_from_space(self.size)
        # Places count from the target, so that Skia's 32-bit numbers keep their digits.
        self.flat = skia.Path()
        for ring in self.rings:
            self.flat.addPoly([skia.Point(x, y) for x, y in (ring - [pose.x, pose.y]).tolist()], True)
        self.flat.setFillType(skia.PathFillType.kEvenOdd)
        self.path = self.at(0.0)
        ease = present.came * present.came * (3 - 2 * present.came) * present.gone
        self.units = pose.span / film.frame.width
        """Ground units of a pixel of the film's frame, at the target."""
        self.lift = self.look.lift * self.units * ease

    def at(self, height: float, dx: float = 0.0, dy: float = 0.0) -> skia.Path:
        """The outline in frame pixels when it is raised and moved by ground units; clipped where it passes the
        camera."""
        plane = self.matrix[:, [0, 1, 3]].copy()
        plane[:, 2] += self.matrix[:, 2] * height + self.matrix[:, 0] * dx + self.matrix[:, 1] * dy
        path = skia.Path()
        self.flat.transform(skia.Matrix((plane / np.abs(plane).max()).ravel().tolist()), path)
        return path

    def draw(self, canvas: skia.Canvas, ground: NDArray[np.uint8]) -> None:
        if self.lift > 0:
            self._lifted(canvas, ground)
        elif self.look.shadow:
            self._shadow(canvas)
        path = self.at(self.lift) if self.lift > 0 else self.path
        self._surface(canvas, path)
        if self.look.border:
            border = line(self.look.border_colour, self.look.border * self.scale)
            border.setAlphaf(self.strength)
            if self.present.mark.comes.how == "draw" and self.present.came < 1:
                border.setPathEffect(skia.TrimPathEffect.Make(0, self.present.came))
            canvas.drawPath(path, border)
        if self.present.flash:
            canvas.drawPath(path, filled(self.look.glow_colour, 0.75 * self.present.flash * self.strength))

    def _surface(self, canvas: skia.Canvas, path: skia.Path) -> None:
        """Fill, hatch, light along the inside, and the gap around them."""
        look, scale = self.look, self.scale
        if not (look.filled or look.hatch or look.glow):
            return
        drawing = self.present.mark.comes.how == "draw" and self.present.came < 1
        canvas.saveLayerAlpha(None, round(255 * self.strength * (self.present.came if drawing else 1.0)))
        if look.filled:
            canvas.drawPath(path, softened(filled(look.fill, look.filled), look.soft * scale / 2))
        if look.hatch or look.glow:
            canvas.save()
            canvas.clipPath(path, skia.ClipOp.kIntersect, True)
            if look.hatch:
                self._hatch(canvas, path)
            if look.glow:
                light = line(look.glow_colour, look.glow * scale)
                canvas.drawPath(path, softened(light, max(look.glow * scale * 0.4, 0.1)))
            canvas.restore()
        if look.gap:
            away = line("#000000", 2 * look.gap * scale)
            away.setBlendMode(skia.BlendMode.kDstOut)
            canvas.drawPath(path, away)
        canvas.restore()

    def _hatch(self, canvas: skia.Canvas, path: skia.Path) -> None:
        """Lines at 45 degrees that lie on the ground: they start at its middle and keep their distance there."""
        look, step = self.look, self.look.hatch * self.scale
        bounds = path.getBounds()
        bounds.intersect(skia.Rect(-50, -50, self.size.width + 50, self.size.height + 50))
        x, y = (np.array(self.present.mark.place) - [self.pose.x, self.pose.y]).tolist()
        u, v, w = (self.matrix @ np.array([x, y, self.lift, 1.0])).tolist()
        start = (u / w + v / w) if w > 1e-6 else 0.0
        first, last = bounds.left() + bounds.top(), bounds.right() + bounds.bottom()
        stroke = line(look.hatch_colour, max(step * 0.22, 0.6))
        k = np.ceil((first - start) / step)
        while start + k * step < last:
            total = start + k * step
            canvas.drawLine(total - bounds.top(), bounds.top(), total - bounds.bottom(), bounds.bottom(), stroke)
            k += 1

    def _shadow(self, canvas: skia.Canvas) -> None:
        canvas.save()
        canvas.clipPath(self.path, skia.ClipOp.kDifference, True)
        away = self.look.shadow * self.scale * 0.7
        canvas.translate(away, away)
        shade = filled("#000000", self.look.shadow_opacity * self.strength)
        canvas.drawPath(self.path, softened(shade, max(self.look.shadow * self.scale * 0.5, 0.1)))
        canvas.restore()

    def _lifted(self, canvas: skia.Canvas, ground: NDArray[np.uint8]) -> None:
        """The piece cut out of the ground, raised, with its sides and its shadow."""
        look, scale = self.look, self.scale
        if look.shadow_opacity:
            shade = filled("#000000", look.shadow_opacity * self.strength)
            soft = max((look.shadow + look.lift * 0.2) * scale * 0.5, 0.1)
            canvas.drawPath(self.at(0.0, *(LIGHT * self.lift)), softened(shade, soft))
        sides = min(look.sides * self.units, self.lift)
        if sides > 0:
            count = int(min(max(look.sides * scale, 2), MOST_SIDES))
            for k in range(count):
                canvas.drawPath(self.at(self.lift - sides * (1 - k / count)), filled(look.side_colour, self.strength))
        raised = self.matrix[:, [0, 1, 3]].copy()
        raised[:, 2] += self.matrix[:, 2] * self.lift
        move = raised @ np.linalg.inv(self.matrix[:, [0, 1, 3]])
        canvas.save()
        canvas.clipPath(self.at(self.lift), skia.ClipOp.kIntersect, True)
        canvas.concat(skia.Matrix((move / np.abs(move).max()).ravel().tolist()))
        bounds = self.path.getBounds().makeOutset(3, 3)
        if bounds.intersect(skia.Rect(*self.size)):
            left, top, right, bottom = map(round, (bounds.left(), bounds.top(), bounds.right(), bounds.bottom()))
            piece = image_of(ground[top:bottom, left:right])
            canvas.drawImage(piece, left, top, skia.SamplingOptions(skia.CubicResampler.Mitchell()))
        canvas.restore()


def _share_of(present: PresentRegion) -> float:
    """How much of a region is uncovered, 0..1."""
    uncovered = present.uncovered
    if uncovered is None:
        return 1.0
    return uncovered.way / max(uncovered.route.curve.length, 1e-12) if uncovered.route else uncovered.share


@lru_cache(maxsize=64)
def _rings(rings: tuple[tuple[tuple[float, float], ...], ...]) -> list[NDArray[np.float64]]:
    return [np.array(ring) for ring in rings]
