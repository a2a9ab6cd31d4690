"""What rides at the head of a route's line: turned along its way as it is seen in the frame, its shadow, its trail."""

from __future__ import annotations

import math
import re
from functools import lru_cache, partial

import numpy as np
import skia

from yaila.core.camera import NEAR
from yaila.core.film.scene import DrawnRoute
from yaila.core.marks.travellers import PATHS, UPRIGHT, Traveller
from yaila.core.picture.canvas import filled, line, polygon, softened
from yaila.core.picture.markers import draw_sign
from yaila.core.picture.stage import Easel, Piece, Stage

XY = tuple[float, float]


def travelling(drawn: DrawnRoute, stage: Stage) -> list[Piece]:
    """What is painted of what travels along a route."""
    traveller = drawn.route.traveller
    if not traveller or drawn.aboard <= 0:
        return []
    curve = drawn.route.curve
    head, sign = drawn.route.draws.heads(drawn.way, curve.length)[0]
    apart = traveller.apart / 100 * stage.view.pose.span
    ridden = [way for way in (head - sign * k * apart for k in range(traveller.count)) if 0 <= way <= curve.length]
    rides = [_Ride(drawn, traveller, way, sign, stage) for way in ridden[::-1]]
    return [Piece(drawn.route.id, False, ride.depth, partial(_Ride.paint, ride)) for ride in rides if ride.seen]


class _Ride:
    """One of them at a length along the route, running with it (``sign`` 1) or against it (-1)."""

    def __init__(self, drawn: DrawnRoute, traveller: Traveller, way: float, sign: int, stage: Stage) -> None:
        self.drawn, self.traveller, self.way, self.sign, self.stage = drawn, traveller, way, sign, stage
        self.view, curve = stage.view, drawn.route.curve
        self.legs = [*curve.knots[drawn.route.stops].tolist(), *([curve.length] if drawn.route.closed else [])]
        reach = self.view.pose.span * traveller.turning / 100 * sign
        ways = np.array([way - reach, way, way + reach])
        self.places = curve.along(ways)
        self.heights = traveller.height_at(np.clip(ways, 0, curve.length), self.legs)
        self.spots = self.view.project(self.places, self.heights)
        self.seen = bool(self.spots[:, 2].min() > NEAR)
        self.depth = float(self.spots[1, 2])

    def paint(self, easel: Easel) -> None:
        canvas, traveller, scale = easel.canvas, self.traveller, self.view.scale
        (u0, v0, _), (u, v, w), (u1, v1, _) = self.spots.tolist()
        # What is nearer to the camera looks larger.
        nearer = self.view.depth(self.places[1]) / w if traveller.height else 1.0
        half = traveller.size / 2 * scale * self.drawn.aboard * nearer
        path = _turned(traveller, half, (u0, v0), (u1, v1))
        path.offset(u, v)
        path.setFillType(skia.PathFillType.kEvenOdd)
        if traveller.trail:
            self._trail(canvas)
        if traveller.shadow:
            turn = _turn(traveller, 1.0, (u0, v0), (u1, v1))
            self._cast(canvas, path, (u, v), w, half, turn)
        if traveller.symbol == "picture":
            canvas.save()
            canvas.translate(u, v)
            canvas.concat(_turn(traveller, 1.0, (u0, v0), (u1, v1)))
            draw_sign(canvas, self.stage.kit.sign(traveller.picture), half)
            canvas.restore()
            return
        if traveller.edge:
            canvas.drawPath(path, line(traveller.edge_colour, 2 * traveller.edge * scale))
        if traveller.symbol != "ring":
            # Windows and the like are dark; the line does not show through them.
            whole = skia.Path(path)
            whole.setFillType(skia.PathFillType.kWinding)
            canvas.drawPath(whole, filled(traveller.edge_colour))
        canvas.drawPath(path, filled(traveller.colour))

    def _cast(self, canvas: skia.Canvas, path: skia.Path, at: XY, depth: float, half: float, turn: skia.Matrix) -> None:
        """Its shadow: where the light throws it on the ground, softer and paler the higher it is."""
        place = self.places[1] + self.stage.light.fall * float(self.heights[1])
        (u, v, w) = self.view.project(place[None])[0].tolist()
        if w <= NEAR:
            return
        shrunk = depth / w
        least = self.traveller.size * self.view.scale * 0.05
        away = math.hypot(u - at[0], v - at[1])
        soft = least + 0.08 * away
        dark = self.traveller.shadow / (1 + away / max(6 * half, 1e-6))
        if self.traveller.symbol == "picture":
            # What is see-through in a picture casts none.
            shade = skia.Paint(Alphaf=dark)
            shade.setColorFilter(skia.ColorFilters.Blend(skia.ColorBLACK, skia.BlendMode.kSrcIn))
            shade.setImageFilter(skia.ImageFilters.Blur(soft, soft))
            canvas.saveLayer(None, shade)
            canvas.translate(u + least, v + least)
            canvas.scale(shrunk, shrunk)
            canvas.concat(turn)
            draw_sign(canvas, self.stage.kit.sign(self.traveller.picture), half)
            canvas.restore()
            return
        fallen = skia.Path()
        path.transform(
            skia.Matrix.Translate(u + least, v + least)
            .preConcat(skia.Matrix.Scale(shrunk, shrunk))
            .preConcat(skia.Matrix.Translate(-at[0], -at[1])),
            fallen,
        )
        fallen.setFillType(skia.PathFillType.kWinding)
        canvas.drawPath(fallen, softened(filled("#000000", dark), soft))

    def _trail(self, canvas: skia.Canvas) -> None:
        """A trail that narrows and fades behind it: one shape, and a fading laid over all of it."""
        curve, traveller = self.drawn.route.curve, self.traveller
        long = min(traveller.trail / 100 * self.view.pose.span, self.way if self.sign > 0 else curve.length - self.way)
        if long <= 0:
            return
        share = np.linspace(0, 1, TRAIL_STEPS + 1)
        ways = np.clip(self.way - self.sign * share * long, 0, curve.length)
        spots = self.view.project(curve.along(ways), traveller.height_at(ways, self.legs))
        if spots[:, 2].min() <= NEAR:
            return
        middle = spots[:, :2]
        ahead = np.gradient(middle, axis=0)
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
        side = np.column_stack([-ahead[:, 1], ahead[:, 0]])
        # A route shorter than the trail has all of its trail, as far as it goes.
        left = 1 - share * long / (traveller.trail / 100 * self.view.pose.span)
        half = traveller.size * 0.11 * self.view.scale * self.drawn.aboard * left[:, None]
        edges = np.concatenate([middle + side * half, (middle - side * half)[::-1]])
        canvas.saveLayer(None, None)
        canvas.drawPath(polygon(edges, True), filled(traveller.colour))
        # Fading runs over from place to place: no step of it can be seen.
        wide = half + 3
        mesh = np.stack([middle + side * wide, middle - side * wide], axis=1).reshape(-1, 2)
        alphas = np.repeat(0.7 * left**1.5, 2)
        fading = skia.Vertices(
            skia.Vertices.kTriangleStrip_VertexMode,
            [skia.Point(u, v) for u, v in mesh.tolist()],
            colors=[skia.Color4f(0, 0, 0, alpha).toColor() for alpha in alphas.tolist()],
        )
        keep = skia.Paint(Color=skia.ColorWHITE)
        keep.setBlendMode(skia.BlendMode.kDstIn)
        canvas.drawVertices(fading, keep, skia.BlendMode.kDst)
        canvas.restore()


TRAIL_STEPS = 48
"""Places along a trail."""


@lru_cache(maxsize=32)
def _drawing(name: str) -> skia.Path:
    path = skia.Path()
    for step in re.findall(r"[MLCZO][^MLCZO]*", PATHS[name]):
        numbers = [float(number) for number in step[1:].split()]
        {"M": path.moveTo, "L": path.lineTo, "C": path.cubicTo, "Z": path.close, "O": path.addCircle}[step[0]](*numbers)
    path.setFillType(skia.PathFillType.kEvenOdd)
    return path


def _turn(traveller: Traveller, half: float, before: XY, after: XY) -> skia.Matrix:
    """Puts what is drawn about 0, 0 on its way: seen from above it is turned, upright it is only mirrored."""
    upright = traveller.symbol in UPRIGHT or (traveller.symbol == "picture" and traveller.upright)
    turn = skia.Matrix.Scale(-half if upright and after[0] < before[0] else half, half)
    if upright:
        return turn
    return skia.Matrix.RotateDeg(math.degrees(math.atan2(after[1] - before[1], after[0] - before[0]))).preConcat(turn)


def _turned(traveller: Traveller, half: float, before: XY, after: XY) -> skia.Path:
    path = skia.Path()
    if traveller.symbol != "picture":
        _drawing(traveller.symbol).transform(_turn(traveller, half, before, after), path)
    return path
