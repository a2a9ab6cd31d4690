"""Regions: parts of the ground that are filled, outlined, hatched, lit up or lifted out, and what is around them.

Compositing is "over" (W3C Compositing and Blending Level 1) on encoded values.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache, partial

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR, View
from yaila.core.colour import LUMINANCE
from yaila.core.film import Region
from yaila.core.film.running import resting
from yaila.core.film.scene import Present
from yaila.core.marks import RegionLook
from yaila.core.picture.canvas import filled, image_of, line, matrix_of, painted, polygon, softened, through
from yaila.core.picture.dashes import grid_over
from yaila.core.picture.reveals import only_uncovered
from yaila.core.picture.stage import Easel, Piece, Stage
from yaila.core.stopping import go_on
from yaila.core.time import smoothstep

PresentRegion = Present[Region, RegionLook]

DIMMED = 0.2
"""What is left of the light of what is dimmed wholly."""

FINEST_HATCH = 1.0
"""Frame pixels from one line of a hatch to the next."""

HATCHED = 0.22
"""The share of a hatch that its lines cover."""

MOST_SIDES = 24
"""Slices that the thickness of a lifted piece is drawn in."""


def pieces(presents: Sequence[PresentRegion], stage: Stage) -> list[Piece]:
    """What is painted of regions: first what is around them changed, where they ask for it, then each of them."""
    seen = [present for present in presents if present.opacity * present.look.opacity > 0]
    there = [outline for outline in (_Outline(present, stage) for present in seen) if outline.rings]
    shown = any(one.look.rest in ("blurred", "grey") for one in there)
    made = [Piece("", True, 0.0, partial(_around, there), shows_ground=shown)] if there else []
    for one in there:
        # How far others reach is known once they are recorded.
        lifted = one.lift > 0
        bounds = one.reach if lifted else None
        paint = partial(_uncovering, one)
        made.append(Piece(one.present.mark.id, True, 0.0, paint, wide=one.widest, shows_ground=lifted, bounds=bounds))
    return made


def _uncovering(outline: _Outline, easel: Easel) -> None:
    corners = np.concatenate(outline.rings)
    with only_uncovered(easel.canvas, outline.present.uncovered, corners, outline.view):
        outline.draw(easel.canvas, easel.ground)


def _around(outlines: Sequence[_Outline], easel: Easel) -> None:
    """Make what is outside of regions blurred, grey or dimmed, where they ask for it."""
    canvas, frame = easel.canvas, easel.ground
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
            frame = _grey(frame) if rest == "grey" else _blurred(frame, 14 * some[0].view.scale)
            canvas.drawImage(image_of(frame), 0, 0, skia.SamplingOptions(), skia.Paint(Alphaf=share if hard else 1))
        for outline in () if hard else some:
            inside = softened(filled("#000000"), outline.look.soft * outline.scale / 2)
            inside.setBlendMode(skia.BlendMode.kDstOut)
            canvas.drawPath(outline.at(outline.lift), inside)
        canvas.restore()


def _grey(frame: NDArray[np.uint8]) -> NDArray[np.uint8]:
    weights = np.zeros((4, 4), np.float32)
    weights[:3, :3], weights[3, 3] = LUMINANCE, 1
    return np.asarray(cv2.transform(frame, weights), dtype=np.uint8)


def _blurred(frame: NDArray[np.uint8], sigma: float) -> NDArray[np.uint8]:
    return np.asarray(cv2.GaussianBlur(frame, (0, 0), sigma), dtype=np.uint8)


def covered(region: Region, view: View, georeferenced: bool) -> NDArray[np.uint8]:
    """How much of each pixel a region covers on flat ground, (height, width) uint8, its edge as soft as it is, whether
    anything is drawn of it or not."""
    path = skia.Path()
    for ring in _rings(region.outline(georeferenced)):
        path.addPath(polygon(ring - view.target, True))
    path.setFillType(skia.PathFillType.kEvenOdd)
    pixels = np.zeros((view.size.height, view.size.width, 4), np.uint8)
    with painted(pixels, opaque=False) as canvas:
        soft = resting(region.look).soft * view.scale / 2
        canvas.drawPath(through(path, view.plane()), softened(filled("#ffffff"), soft))
    return pixels[..., 3]


def cut_out(canvas: skia.Canvas, present: PresentRegion, stage: Stage) -> None:
    """Take what a region opens out of the map on a canvas, as far as it is there and uncovered."""
    outline = _Outline(present, stage)
    share = present.opacity * present.look.opens
    if not outline.rings or share <= 0:
        return
    away = skia.Paint(Alphaf=share)
    away.setBlendMode(skia.BlendMode.kDstOut)
    canvas.saveLayer(None, away)
    with only_uncovered(canvas, present.uncovered, np.concatenate(outline.rings), stage.view):
        canvas.drawPath(outline.path, softened(filled("#000000"), outline.look.soft * outline.scale / 2))
    canvas.restore()


class _Outline:
    """A region in the frame."""

    def __init__(self, present: PresentRegion, stage: Stage) -> None:
        self.present, self.look, self.view, self.light = present, present.look, stage.view, stage.light
        self.scale = stage.view.scale
        self.strength = present.opacity * self.look.opacity
        # What is around it changes as far as it is uncovered.
        self.seen = self.strength * _share_of(present)
        rings = _rings(present.mark.outline(stage.georeferenced))
        middle = np.array(present.mark.place)
        self.rings = [middle + (ring - middle) * present.scale for ring in rings] if present.scale != 1 else rings
        self.flat = skia.Path()
        for ring in self.rings:
            self.flat.addPath(polygon(ring - self.view.target, True))
        self.flat.setFillType(skia.PathFillType.kEvenOdd)
        self.path = self.at(0.0)
        self.lift = self.look.lift * self.view.unit * smoothstep(present.came) * present.gone

    @property
    def widest(self) -> float:
        """The widest blur of it, a deviation in pixels."""
        look = self.look
        return self.scale * max(look.glow * 0.4, look.shadow * 0.5, look.soft / 2)

    @property
    def reach(self) -> tuple[int, int, int, int]:
        """All that is painted of it where it is lifted lies in there, pixels: left, top, right and bottom."""
        look, room = self.look, self.path.computeTightBounds()
        room.join(self.at(self.lift).getBounds())
        room.join(self.at(0.0, *(self.light.fall * self.lift)).getBounds())
        wide = look.border + look.glow + look.shadow + 0.3 * look.lift
        around = room.makeOutset(*[3 * self.widest + self.scale * wide + 3] * 2).roundOut()
        return around.left(), around.top(), around.right(), around.bottom()

    def at(self, height: float, east: float = 0.0, north: float = 0.0) -> skia.Path:
        """The outline in frame pixels when it is raised and moved by ground units."""
        return through(self.flat, self.view.plane(height, east, north))

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
            if self.present.drawn < 1:
                border.setPathEffect(skia.TrimPathEffect.Make(0, self.present.drawn))
            canvas.drawPath(path, border)
        if self.present.flash:
            canvas.drawPath(path, filled(self.look.glow_colour, 0.75 * self.present.flash * self.strength))

    def _surface(self, canvas: skia.Canvas, path: skia.Path) -> None:
        """Fill, hatch, light along the inside, and the gap around them."""
        look, scale = self.look, self.scale
        if not (look.filled or look.hatch or look.glow):
            return
        canvas.saveLayerAlpha(None, round(255 * self.strength * self.present.drawn))
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
        """Lines from south-west to north-east that lie on the ground and stay there: only so many of them are drawn
        that they keep about their distance in the frame."""
        look, step = self.look, self.look.hatch * self.scale
        bounds = path.getBounds()
        if not bounds.intersect(skia.Rect(-50, -50, self.view.size.width + 50, self.view.size.height + 50)):
            return
        middle = np.array(self.present.mark.place)
        depth = max(float(self.view.seen(middle[None], self.lift)[0, 2]), NEAR)
        size = step * depth / self.view.pixels_per_unit
        # Across the lines and along them, from the middle of the region, as far as both it and the frame go.
        turn = np.array([[1.0, 1.0], [-1.0, 1.0]]) / np.sqrt(2)
        own = (np.concatenate(self.rings) - middle) @ turn
        seen = (self.view.pose.ground_outline(self.view.whole) - middle) @ turn
        room = 0.1 * float(np.ptp(seen, axis=0).max())
        low = np.maximum(own.min(axis=0), seen.min(axis=0) - room)
        high = np.minimum(own.max(axis=0), seen.max(axis=0) + room)
        if (low >= high).any():
            return
        at, there = grid_over(float(low[0]), float(high[0]), size)
        if step < FINEST_HATCH or not len(at):
            # Lines too fine to be told apart are a tint.
            canvas.drawPath(path, filled(look.hatch_colour, HATCHED))
            return
        halves = max(size * HATCHED, 0.6 * depth / self.view.pixels_per_unit) / 2 * there[there > 0]
        at = at[there > 0]
        edges = np.stack([at - halves, at + halves, at + halves, at - halves], axis=1)
        along = np.broadcast_to([low[1], low[1], high[1], high[1]], edges.shape)
        places = np.stack([edges, along], axis=-1) @ turn.T + middle - self.view.target
        plane = self.view.plane(self.lift)
        seen = np.column_stack([places.reshape(-1, 2), np.ones(places.size // 2)]) @ plane.T
        paint = filled(look.hatch_colour)
        if (seen[:, 2] > NEAR).all():
            # One by one they are quicker than as one path of hundreds of parts.
            spots = [skia.Point(u, v) for u, v in (seen[:, :2] / seen[:, 2:]).tolist()]
            for k in range(0, len(spots), 4):
                if k % 64 == 0:
                    go_on()
                stripe = skia.Path()
                stripe.addPoly(spots[k : k + 4], True)
                canvas.drawPath(stripe, paint)
            return
        lines = skia.Path()
        for corners in places:
            lines.addPath(polygon(corners, True))
        canvas.drawPath(through(lines, plane), paint)

    def _shadow(self, canvas: skia.Canvas) -> None:
        away = self.look.shadow * self.scale * 0.7
        shade = filled("#000000", self.look.shadow_opacity * self.strength)
        fallen = skia.Path(self.path)
        fallen.offset(away, away)
        # None falls on itself: with a soft edge as softly as that melts.
        soft = self.look.soft * self.scale / 2
        canvas.saveLayer(None, None) if soft else canvas.save()
        if not soft:
            canvas.clipPath(self.path, skia.ClipOp.kDifference, True)
        canvas.drawPath(fallen, softened(shade, max(self.look.shadow * self.scale * 0.5, 0.1)))
        if soft:
            own = softened(filled("#000000"), soft)
            own.setBlendMode(skia.BlendMode.kDstOut)
            canvas.drawPath(self.path, own)
        canvas.restore()

    def _lifted(self, canvas: skia.Canvas, ground: NDArray[np.uint8]) -> None:
        """The piece cut out of the ground, raised, with its sides and its shadow."""
        look, scale = self.look, self.scale
        if look.shadow_opacity:
            shade = filled("#000000", look.shadow_opacity * self.strength)
            soft = max((look.shadow + look.lift * 0.2) * scale * 0.5, 0.1)
            canvas.drawPath(self.at(0.0, *(self.light.fall * self.lift)), softened(shade, soft))
        sides = min(look.sides * self.view.unit, self.lift)
        if sides > 0:
            count = int(min(max(look.sides * scale, 2), MOST_SIDES))
            for k in range(count):
                canvas.drawPath(self.at(self.lift - sides * (1 - k / count)), filled(look.side_colour, self.strength))
        move = self.view.plane(self.lift) @ np.linalg.inv(self.view.plane())
        canvas.save()
        canvas.clipPath(self.at(self.lift), skia.ClipOp.kIntersect, True)
        canvas.concat(matrix_of(move))
        bounds = self.path.getBounds().makeOutset(3, 3)
        if bounds.intersect(skia.Rect(*self.view.size)):
            left, top, right, bottom = map(round, (bounds.left(), bounds.top(), bounds.right(), bounds.bottom()))
            piece = image_of(ground[top:bottom, left:right])
            canvas.drawImage(piece, left, top, skia.SamplingOptions(skia.CubicResampler.Mitchell()))
        canvas.restore()


def _share_of(present: PresentRegion) -> float:
    """How much of a region is uncovered, 0..1."""
    uncovered = present.uncovered
    if uncovered is None:
        return 1.0
    if not uncovered.ways:
        return uncovered.share
    return sum(way for _, way in uncovered.ways) / max(sum(route.curve.length for route, _ in uncovered.ways), 1e-12)


@lru_cache(maxsize=64)
def _rings(rings: tuple[tuple[tuple[float, float], ...], ...]) -> list[NDArray[np.float64]]:
    return [np.array(ring) for ring in rings]
