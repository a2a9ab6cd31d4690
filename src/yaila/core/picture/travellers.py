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
from yaila.core.picture.canvas import filled, line, softened
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
            self._cast(canvas, path, (u, v), w, half)
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

    def _cast(self, canvas: skia.Canvas, path: skia.Path, at: XY, depth: float, half: float) -> None:
        """Its shadow: where the light throws it on the ground, softer and paler the higher it is."""
        place = self.places[1] + self.stage.light.fall * float(self.heights[1])
        (u, v, w) = self.view.project(place[None])[0].tolist()
        if w <= NEAR:
            return
        shrunk = depth / w
        least = self.traveller.size * self.view.scale * 0.05
        fallen = skia.Path()
        path.transform(
            skia.Matrix.Translate(u + least, v + least)
            .preConcat(skia.Matrix.Scale(shrunk, shrunk))
            .preConcat(skia.Matrix.Translate(-at[0], -at[1])),
            fallen,
        )
        fallen.setFillType(skia.PathFillType.kWinding)
        away = math.hypot(u - at[0], v - at[1])
        soft = least + 0.08 * away
        dark = self.traveller.shadow / (1 + away / max(6 * half, 1e-6))
        canvas.drawPath(fallen, softened(filled("#000000", dark), soft))

    def _trail(self, canvas: skia.Canvas) -> None:
        """A trail that narrows and fades behind it."""
        curve, traveller, steps = self.drawn.route.curve, self.traveller, 24
        back = np.linspace(0, traveller.trail / 100 * self.view.pose.span, steps + 1)
        ways = np.clip(self.way - self.sign * back, 0, curve.length)
        spots = self.view.project(curve.along(ways), traveller.height_at(ways, self.legs))
        if spots[:, 2].min() <= NEAR:
            return
        points = [skia.Point(u, v) for u, v in spots[:, :2].tolist()]
        for k in range(steps - 1, -1, -1):
            share = 1 - k / steps
            paint = line(traveller.colour, traveller.size * 0.22 * self.view.scale * share * self.drawn.aboard)
            paint.setStrokeCap(skia.Paint.kButt_Cap)
            paint.setAlphaf(0.7 * share**1.5)
            canvas.drawLine(points[k], points[k + 1], paint)


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
    # A picture casts the shadow of a box.
    drawing = _drawing(traveller.symbol) if traveller.symbol != "picture" else _box()
    drawing.transform(_turn(traveller, half, before, after), path)
    return path


def _box() -> skia.Path:
    path = skia.Path()
    path.addRoundRect(skia.Rect(-0.7, -0.7, 0.7, 0.7), 0.3, 0.3)
    return path
