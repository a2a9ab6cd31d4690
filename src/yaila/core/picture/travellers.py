"""What rides at the head of a route's line: turned along its way as it is seen in the frame, its shadow, its trail."""

from __future__ import annotations

import math
import re
from functools import cached_property, lru_cache, partial
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR
from yaila.core.film import Route
from yaila.core.film.scene import DrawnRoute
from yaila.core.marks.travellers import PATHS, UPRIGHT, Traveller
from yaila.core.picture.canvas import filled, line, matrix_of, polygon, softened, through
from yaila.core.picture.markers import cast_sign, draw_sign
from yaila.core.picture.stage import Easel, Piece, Stage

XY = tuple[float, float]
Floats = NDArray[Any]


def travelling(drawn: DrawnRoute, stage: Stage) -> list[Piece]:
    """What is painted of what travels along a route."""
    traveller = drawn.route.traveller
    if not traveller or drawn.aboard <= 0:
        return []
    curve = drawn.route.curve
    head, sign = drawn.route.draws.heads(drawn.way, curve.length)[0]
    apart = traveller.apart / 100 * stage.view.pose.span
    ridden = [way for way in (head - sign * k * apart for k in range(traveller.count)) if 0 <= way <= curve.length]
    rides = [_Ride(drawn, _on_leg(drawn.route, traveller, way), way, sign, stage) for way in ridden[::-1]]
    return [
        Piece(drawn.route.id, False, ride.depth, partial(_Ride.paint, ride), ride.spot, ride.moves)
        for ride in rides
        if ride.seen
    ]


def _on_leg(route: Route, traveller: Traveller, way: float) -> Traveller:
    """What travels at a length along a route: a leg may have its own."""
    symbol = next((own.symbol for begin, end, own in route.legs if own and begin <= way < end), None)
    return traveller.model_copy(update={"symbol": symbol}) if symbol else traveller


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
        if stage.raised:
            ground = stage.raised(self.places)
            # One that flies at a height over the sea still goes over what is higher.
            self.heights = np.maximum(self.heights, ground) if traveller.above == "sea" else self.heights + ground
        self.spots = self.view.project(self.places, self.heights)
        self.seen = bool(self.spots[:, 2].min() > NEAR)
        self.depth = float(self.spots[1, 2])

    @property
    def spot(self) -> tuple[float, float, float]:
        """Where it is: east, north, height."""
        x, y = self.places[1].tolist()
        return x, y, float(self.heights[1])

    @property
    def moves(self) -> tuple[float, float, float]:
        """How far it goes in a frame."""
        curve, pace = self.drawn.route.curve, self.sign * self.drawn.pace / 2
        ways = np.clip([self.way - pace, self.way + pace], 0, curve.length)
        (x, y), (high,) = np.diff(curve.along(ways), axis=0)[0], np.diff(self.traveller.height_at(ways, self.legs))
        return float(x), float(y), float(high)

    @cached_property
    def half(self) -> float:
        """Half of its length, frame pixels."""
        traveller, view, depth = self.traveller, self.view, self.depth
        if traveller.scales == "ground":
            return traveller.ground / 2 * view.pixels_per_unit / depth * self.drawn.aboard
        # What is nearer to the camera looks larger.
        nearer = view.depth(self.places[1]) / depth if traveller.height else 1.0
        return float(traveller.size / 2 * view.scale * self.drawn.aboard * nearer)

    def _onto(self, frame: XY, place: Floats, height: float, depth: float) -> Floats:
        """3x3: the square in which it is drawn to the frame, where it is or where its shadow falls."""
        (u0, v0, _), _, (u1, v1, _) = self.spots.tolist()
        ahead = self.places[2] - self.places[0]
        reach = float(np.hypot(*ahead))
        if not self.traveller.lies or not reach:
            shrunk = self.half * self.depth / depth
            return np.array([[1, 0, frame[0]], [0, 1, frame[1]], [0, 0, 1.0]]) @ _turn(
                self.traveller, shrunk, (u0, v0), (u1, v1)
            )
        units = self.half * self.depth / self.view.pixels_per_unit / reach
        along, across = np.append(ahead, 0) * units, np.array([ahead[1], -ahead[0], 0]) * units
        origin = np.array([*(place - self.view.target), height, 1.0])
        space = self.view.space
        return np.column_stack([space[:, :3] @ along, space[:, :3] @ across, space @ origin])

    def paint(self, easel: Easel) -> None:
        canvas, traveller, scale = easel.canvas, self.traveller, self.view.scale
        u, v, w = self.spots[1].tolist()
        board = self._onto((u, v), self.places[1], float(self.heights[1]), w)
        path = self._shape(board)
        if traveller.trail:
            self._trail(canvas)
        if traveller.shadow:
            self._cast(canvas, (u, v))
        if traveller.symbol == "picture":
            canvas.save()
            canvas.concat(matrix_of(board))
            draw_sign(canvas, self.stage.kit.sign(traveller.picture), 1.0)
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

    def _shape(self, board: Floats) -> skia.Path:
        if self.traveller.symbol == "picture":
            return skia.Path()
        path = through(_drawing(self.traveller.symbol), board)
        path.setFillType(skia.PathFillType.kEvenOdd)
        return path

    def _cast(self, canvas: skia.Canvas, at: XY) -> None:
        """Its shadow: where the light throws it on the ground, softer and paler the higher it is."""
        place = self.places[1] + self.stage.light.fall * float(self.heights[1])
        u, v, w = self.view.spot(place)
        if w <= NEAR:
            return
        least = 0.1 * self.half
        away = math.hypot(u - at[0], v - at[1])
        soft = least + 0.08 * away
        dark = self.traveller.shadow / (1 + away / max(6 * self.half, 1e-6))
        board = np.array([[1, 0, least], [0, 1, least], [0, 0, 1.0]]) @ self._onto((u, v), place, 0.0, w)
        if self.traveller.symbol == "picture":
            return cast_sign(canvas, self.stage.kit.sign(self.traveller.picture), board, 1.0, dark, soft)
        fallen = self._shape(board)
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
        places = curve.along(ways)
        raised = self.stage.raised(places) if self.stage.raised else 0.0
        spots = self.view.project(places, traveller.height_at(ways, self.legs) + raised)
        if spots[:, 2].min() <= NEAR:
            return
        middle = spots[:, :2]
        ahead = np.gradient(middle, axis=0)
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
        side = np.column_stack([-ahead[:, 1], ahead[:, 0]])
        # A route shorter than the trail has all of its trail, as far as it goes.
        left = 1 - share * long / (traveller.trail / 100 * self.view.pose.span)
        half = 0.22 * self.half * left[:, None]
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


def _turn(traveller: Traveller, half: float, before: XY, after: XY) -> Floats:
    """3x3: puts what is drawn about 0, 0 on its way. Seen from above it is turned, upright it is only mirrored."""
    upright = traveller.symbol in UPRIGHT or (traveller.symbol == "picture" and traveller.upright)
    if upright:
        return np.diag([-half if after[0] < before[0] else half, half, 1.0])
    angle = math.atan2(after[1] - before[1], after[0] - before[0])
    cos, sin = half * math.cos(angle), half * math.sin(angle)
    return np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1.0]])
