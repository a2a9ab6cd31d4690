"""Routes and what rides on them."""

from __future__ import annotations

import math
import re
from functools import lru_cache
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.film.scene import DrawnRoute
from yaila.core.ground.curve import Curve
from yaila.core.marks.travellers import PATHS, UPRIGHT, Traveller
from yaila.core.picture.canvas import LIGHT, NEAR, filled, line, line_path, project, seen, softened
from yaila.core.picture.kit import Kit
from yaila.core.picture.markers import draw_sign

XY = tuple[float, float]

MOST_POINTS = 4000
"""Points that a route is drawn through."""

BLENDS = {
    "normal": skia.BlendMode.kSrcOver,
    "multiply": skia.BlendMode.kMultiply,
    "screen": skia.BlendMode.kScreen,
    "overlay": skia.BlendMode.kOverlay,
}

CAPS = {"round": skia.Paint.kRound_Cap, "flat": skia.Paint.kButt_Cap, "square": skia.Paint.kSquare_Cap}


WAVES = ((1.0, 0.55), (2.3, 0.3), (5.1, 0.15))
"""How often, beside its slowest swing, a wobbling line strays, and how far."""

SWINGS = 13
"""Slow swings of a wobbling line over the whole route."""

SHADES = 64
"""Steps in which a colour runs over to another along a whole route."""


class _Part(NamedTuple):
    """A part of a line as it is drawn: lengths along it, its places on the ground there, and how long the line is up to
    it, frame pixels, or ground units where it lies on the ground. Dashes go on from there."""

    ways: NDArray[np.float64]
    places: NDArray[np.float64]
    before: float

    def cut(self, first: float, last: float) -> NDArray[np.float64]:
        """Its places from one length to another."""
        inner = (self.ways > first) & (self.ways < last)
        ends = np.column_stack([np.interp([first, last], self.ways, axis) for axis in self.places.T])
        return np.concatenate([ends[:1], self.places[inner], ends[1:]])


class _Pen:
    """Draws parts of one route's line, as filled shapes in frame pixels."""

    def __init__(self, drawn: DrawnRoute, pose: Pose, size: FrameSize, scale: float) -> None:
        self.stroke, self.curve = drawn.look, drawn.route.curve
        self.pose, self.size = pose, size
        per_unit = size.width / pose.span
        on_ground = self.stroke.scales == "ground"
        self.ratio = self.stroke.ground * per_unit / self.stroke.width if on_ground else scale
        """Frame pixels, at the target, for a pixel of the look."""
        self.unit = self.stroke.ground / self.stroke.width if on_ground else scale
        """Ground units for a pixel of the look, where it lies on the ground; else frame pixels."""
        self.on_ground = on_ground
        shift = np.array([[1, 0, pose.x], [0, 1, pose.y], [0, 0, 1.0]])
        plane = pose.frame_from_ground(size) @ shift
        self.plane = skia.Matrix((plane / np.abs(plane).max()).ravel().tolist())

    def strayed(self, ways: NDArray[np.float64], places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where a wobbling hand puts the places of the line at lengths along it, in order."""
        curve, stroke = self.curve, self.stroke
        if not stroke.wobble or curve.length == 0 or len(ways) < 2:
            return places
        slow = ways / curve.length * SWINGS * 2 * np.pi
        often, share = (np.array(column)[:, None] for column in zip(*WAVES, strict=True))
        stray = (share * np.sin(slow * often + often)).sum(axis=0)
        ahead = np.gradient(places, axis=0)
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-12)
        reach = stroke.wobble * self.ratio * self.pose.span / self.size.width
        return np.asarray(places + np.column_stack([ahead[:, 1], -ahead[:, 0]]) * (stray * reach)[:, None])

    def fine(self, first: float, last: float) -> NDArray[np.float64]:
        """Lengths from one to another, close enough together for this frame; the knots are among them."""
        count = int(min(max((last - first) / (self.pose.span * 0.004), 32), MOST_POINTS))
        knots = self.curve.knots
        inner = knots[(knots > first) & (knots < last)]
        return np.unique(np.concatenate([np.linspace(first, last, count), inner]))

    def parts(self, first: float, last: float) -> list[_Part]:
        """The parts of the line from one length to another that the frame can show."""
        coarse, places = _coarse(self.curve)
        inner = (coarse > first) & (coarse < last)
        ends = self.curve.along(np.array([first, last]))
        ways = np.concatenate([[first], coarse[inner], [last]])
        found = []
        for a, b, before in self._shown(np.concatenate([ends[:1], places[inner], ends[1:]])):
            fine = self.fine(float(ways[a]), float(ways[b]))
            places = self.curve.about(fine)
            for c, d, more in self._shown(places):
                part = fine[c : d + 1]
                up_to = float(part[0] - first) if self.on_ground else before + more
                found.append(_Part(part, self.strayed(part, places[c : d + 1]), up_to))
        return found

    def _shown(self, places: NDArray[np.float64]) -> list[tuple[int, int, float]]:
        """Which stretches of a line through places come near the frame: first and last index, and how many frame pixels
        it is long before."""
        through = seen(self.pose, self.size, places)
        front = through[:, 2] > NEAR
        at = np.where(front[:, None], through[:, :2] / np.where(front, through[:, 2], 1.0)[:, None], np.nan)
        low, high = np.fmin(at[:-1], at[1:]), np.fmax(at[:-1], at[1:])
        stroke = self.stroke
        room = 40 + 2 * self.ratio * (stroke.width + stroke.glow + stroke.edge + stroke.shadow + stroke.wobble)
        if self.on_ground:
            # What is close to the camera is wider.
            room *= 4
        both = front[:-1] & front[1:]
        inside = both & ((high > -room) & (low < np.array(self.size) + room)).all(axis=1)
        # Where it passes the camera, the one end tells nothing of the other.
        near = inside | (front[:-1] ^ front[1:])
        steps = np.where(both, np.nan_to_num(np.hypot(*np.diff(at, axis=0).T)), 0.0)
        before = np.concatenate([[0.0], np.cumsum(steps)])
        edges = np.flatnonzero(np.diff(np.concatenate([[False], near, [False]]).astype(np.int8)))
        return [(a, b, float(before[a])) for a, b in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)]

    def path(self, places: NDArray[np.float64]) -> skia.Path:
        """The middle of the line through places, frame pixels, or about the target where it lies on the ground."""
        if not self.on_ground:
            return line_path(places, self.pose, self.size)
        flat = skia.Path()
        flat.addPoly([skia.Point(x, y) for x, y in (places - [self.pose.x, self.pose.y]).tolist()], False)
        return flat

    def shape(self, path: skia.Path, width: float, dashed: bool = True, before: float = 0.0) -> skia.Path:
        """The line about its middle, ``width`` pixels of the look wide; ``before``: how long it is up to there."""
        stroke = self.stroke
        paint = line("#000000", width * self.unit)
        paint.setStrokeCap(CAPS[stroke.caps])
        spacing = stroke.spacing * self.unit
        if dashed and stroke.dash == "dashes":
            gap = spacing + stroke.width * self.unit * 0.5
            paint.setPathEffect(skia.DashPathEffect.Make([spacing, gap], before % (spacing + gap)))
        elif dashed and stroke.dash == "dots":
            paint.setStrokeCap(skia.Paint.kRound_Cap)
            paint.setPathEffect(skia.DashPathEffect.Make([spacing * 1e-3, spacing], before % (spacing * 1.001)))
        shape, made = skia.Path(), skia.Path()
        if not self.on_ground:
            paint.getFillPath(path, shape)
            return shape
        paint.getFillPath(path, shape, None, self.size.width / self.pose.span)
        shape.transform(self.plane, made)
        return made

    def draw(self, canvas: skia.Canvas, first: float, last: float) -> None:
        """Draw the line from one length along it to another."""
        for part in self.parts(first, last):
            self._draw(canvas, part)

    def _draw(self, canvas: skia.Canvas, part: _Part) -> None:
        stroke, path = self.stroke, self.path(part.places)

        def shape(width: float) -> skia.Path:
            return self.shape(path, width, before=part.before)

        if stroke.shadow:
            fallen = shape(stroke.width + 2 * stroke.edge)
            away = stroke.shadow * self.ratio * 0.45
            fallen.offset(away, away)
            canvas.drawPath(fallen, softened(filled("#000000", 0.5), stroke.shadow * self.ratio * 0.4))
        if stroke.glow:
            light = self.shape(path, stroke.width + stroke.glow, dashed=False)
            canvas.drawPath(light, softened(filled(stroke.colour), stroke.glow * self.ratio * 0.5))
        if stroke.edge:
            canvas.drawPath(shape(stroke.width + 2 * stroke.edge), filled(stroke.edge_colour))
        self._colour(canvas, shape(stroke.width), part)
        if stroke.core:
            canvas.drawPath(shape(stroke.core), filled("#ffffff"))
        if stroke.dash == "double":
            # What runs in its middle is taken out again.
            gone = filled("#000000")
            gone.setBlendMode(skia.BlendMode.kDstOut)
            canvas.drawPath(shape(stroke.width * 0.4), gone)

    def _colour(self, canvas: skia.Canvas, shape: skia.Path, part: _Part) -> None:
        stroke, length = self.stroke, max(self.curve.length, 1e-12)
        if not stroke.end_colour:
            canvas.drawPath(shape, filled(stroke.colour))
            return
        canvas.saveLayer(None, None)
        canvas.drawPath(shape, filled(stroke.colour))
        first, last = float(part.ways[0]), float(part.ways[-1])
        count = max(math.ceil((last - first) / length * SHADES), 1)
        edges = np.linspace(first, last, count + 1)
        for k, (a, b) in enumerate(pairwise(edges.tolist())):
            # Only what is drawn already takes the colour.
            share = (a + b) / 2 / length
            paint = filled(_between(stroke.colour, stroke.end_colour, share))
            paint.setBlendMode(skia.BlendMode.kSrcATop)
            over = 0.0 if k == count - 1 else (b - a) * 0.1
            shade = self.path(part.cut(a, b + over))
            canvas.drawPath(self.shape(shade, stroke.width * 1.3, dashed=False), paint)
        canvas.restore()


@lru_cache(maxsize=64)
def _coarse(curve: Curve) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lengths along a curve, and the places there, close enough to tell which of its parts a frame can show."""
    count = min(max(len(curve.control) * 16, 512), MOST_POINTS)
    ways = np.unique(np.concatenate([np.linspace(0, curve.length, count), curve.knots]))
    return ways, curve.along(ways)


def _between(start: str, end: str, share: float) -> str:
    """A colour between two, evenly in their encoded values."""
    both = [[int(text[i : i + 2], 16) for i in (1, 3, 5)] for text in (start, end)]
    return "#" + "".join(f"{round(a + (b - a) * share):02x}" for a, b in zip(*both, strict=True))


def draw_route(canvas: skia.Canvas, drawn: DrawnRoute, pose: Pose, size: FrameSize, scale: float) -> None:
    """A line as far as it is drawn, and what is to come of it if that is seen."""
    stroke, length = drawn.look, drawn.route.curve.length
    pen = _Pen(drawn, pose, size, scale)
    pieces = drawn.route.draws.pieces(drawn.way, length)
    layers = [(pieces, 1.0, True)]
    if stroke.to_come > 0:
        edges = [0.0, *(edge for piece in pieces for edge in piece), length]
        gaps = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if b > a]
        layers.insert(0, (gaps, stroke.to_come / 100, False))
    for parts, share, heads in layers:
        if not parts:
            continue
        layer = skia.Paint(Alphaf=stroke.opacity * share)
        layer.setBlendMode(BLENDS[stroke.blend])
        alone = stroke.opacity * share < 1 or stroke.blend != "normal" or stroke.dash == "double"
        canvas.saveLayer(None, layer) if alone else canvas.save()
        for first, last in parts:
            pen.draw(canvas, first, last)
        if heads and stroke.head != "none":
            for way, sign in drawn.route.draws.heads(drawn.way, length):
                _head(canvas, drawn, pen, way, sign)
        canvas.restore()


def _head(canvas: skia.Canvas, drawn: DrawnRoute, pen: _Pen, way: float, sign: int) -> None:
    stroke = drawn.look
    back = pen.pose.span * 0.004 * sign
    (u0, v0, w0), (u1, v1, w1) = project(
        pen.pose, pen.size, drawn.route.curve.along(np.array([way - back, way]))
    ).tolist()
    if w0 <= NEAR or w1 <= NEAR:
        return
    wide = stroke.width * pen.ratio / (w1 if pen.on_ground else 1.0)
    canvas.save()
    canvas.translate(u1, v1)
    canvas.rotate(math.degrees(math.atan2(v1 - v0, u1 - u0)))
    reach = wide * 1.9
    path = skia.Path()
    if stroke.head == "arrow":
        path.addPoly([skia.Point(reach, 0), skia.Point(-reach * 0.7, -reach), skia.Point(-reach * 0.7, reach)], True)
    else:
        path.addCircle(0, 0, wide * 1.2)
    colour = (
        _between(stroke.colour, stroke.end_colour, way / max(drawn.route.curve.length, 1e-12))
        if stroke.end_colour
        else stroke.colour
    )
    if stroke.edge:
        canvas.drawPath(path, line(stroke.edge_colour, 2 * stroke.edge * pen.ratio))
    canvas.drawPath(path, filled(colour))
    canvas.restore()


@lru_cache(maxsize=32)
def _drawing(name: str) -> skia.Path:
    path = skia.Path()
    for step in re.findall(r"[MLCZO][^MLCZO]*", PATHS[name]):
        numbers = [float(number) for number in step[1:].split()]
        {"M": path.moveTo, "L": path.lineTo, "C": path.cubicTo, "Z": path.close, "O": path.addCircle}[step[0]](*numbers)
    path.setFillType(skia.PathFillType.kEvenOdd)
    return path


def draw_traveller(canvas: skia.Canvas, drawn: DrawnRoute, pose: Pose, size: FrameSize, scale: float, kit: Kit) -> None:
    """What rides at the head of the line, turned along its way as it is seen in the frame, its shadow and its trail."""
    traveller = drawn.route.traveller
    if not traveller or drawn.aboard <= 0:
        return
    curve = drawn.route.curve
    head, sign = drawn.route.draws.heads(drawn.way, curve.length)[0]
    apart = traveller.apart / 100 * pose.span
    ridden = [way for way in (head - sign * k * apart for k in range(traveller.count)) if 0 <= way <= curve.length]
    for way in ridden[::-1]:
        _ride(canvas, drawn, traveller, way, sign, pose, size, scale, kit)


def _ride(
    canvas: skia.Canvas,
    drawn: DrawnRoute,
    traveller: Traveller,
    way: float,
    sign: int,
    pose: Pose,
    size: FrameSize,
    scale: float,
    kit: Kit,
) -> None:
    curve = drawn.route.curve
    legs = [*curve.knots[drawn.route.stops].tolist(), *([curve.length] if drawn.route.closed else [])]
    reach = pose.span * traveller.turning / 100 * sign
    ways = np.array([way - reach, way, way + reach])
    places = curve.along(ways)
    heights = traveller.height_at(np.clip(ways, 0, curve.length), legs)
    spots = _in_space(pose, size, places, heights)
    if spots[:, 2].min() <= NEAR:
        return
    (u0, v0, _), (u, v, w), (u1, v1, _) = spots.tolist()
    ground = _in_space(pose, size, places[1:2], np.zeros(1))[0]
    # What is nearer to the camera looks larger.
    half = traveller.size / 2 * scale * drawn.aboard * (float(ground[2]) / w if traveller.height else 1.0)
    path = _turned(traveller, half, (u0, v0), (u1, v1))
    path.offset(u, v)
    path.setFillType(skia.PathFillType.kEvenOdd)
    if traveller.trail:
        _trail(canvas, drawn, traveller, way, sign, legs, pose, size, scale)
    if traveller.shadow:
        _cast(canvas, traveller, path, (u, v), places[1], float(heights[1]), w, half, pose, size, scale)
    if traveller.symbol == "picture":
        canvas.save()
        canvas.translate(u, v)
        canvas.concat(_turn(traveller, 1.0, (u0, v0), (u1, v1)))
        draw_sign(canvas, kit.sign(traveller.picture), half)
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


def _in_space(
    pose: Pose, size: FrameSize, places: NDArray[np.float64], heights: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Frame pixels and depth (in distances to the target) of places at heights: (n, 3)."""
    away = np.column_stack([places - [pose.x, pose.y], heights, np.ones(len(places))])
    spots = away @ pose.frame_from_space(size).T
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.column_stack([spots[:, :2] / spots[:, 2:], spots[:, 2]])


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


def _cast(
    canvas: skia.Canvas,
    traveller: Traveller,
    path: skia.Path,
    at: tuple[float, float],
    place: NDArray[np.float64],
    height: float,
    depth: float,
    half: float,
    pose: Pose,
    size: FrameSize,
    scale: float,
) -> None:
    """Its shadow: where the light throws it on the ground, softer and paler the higher it is."""
    (u, v, w) = _in_space(pose, size, place[None] + LIGHT * height, np.zeros(1))[0].tolist()
    if w <= NEAR:
        return
    shrunk = depth / w
    least = traveller.size * scale * 0.05
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
    dark = traveller.shadow / (1 + away / max(6 * half, 1e-6))
    canvas.drawPath(fallen, softened(filled("#000000", dark), soft))


def _trail(
    canvas: skia.Canvas,
    drawn: DrawnRoute,
    traveller: Traveller,
    way: float,
    sign: int,
    legs: list[float],
    pose: Pose,
    size: FrameSize,
    scale: float,
) -> None:
    """A trail that narrows and fades behind it."""
    curve, steps = drawn.route.curve, 24
    ways = np.clip(way - sign * np.linspace(0, traveller.trail / 100 * pose.span, steps + 1), 0, curve.length)
    spots = _in_space(pose, size, curve.along(ways), traveller.height_at(ways, legs))
    if spots[:, 2].min() <= NEAR:
        return
    points = [skia.Point(u, v) for u, v in spots[:, :2].tolist()]
    for k in range(steps - 1, -1, -1):
        share = 1 - k / steps
        paint = line(traveller.colour, traveller.size * 0.22 * scale * share * drawn.aboard)
        paint.setStrokeCap(skia.Paint.kButt_Cap)
        paint.setAlphaf(0.7 * share**1.5)
        canvas.drawLine(points[k], points[k + 1], paint)
