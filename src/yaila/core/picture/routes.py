"""Routes: lines over the ground as far as they are drawn."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import lru_cache, partial
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR, View
from yaila.core.film.scene import DrawnRoute
from yaila.core.ground.curve import Curve
from yaila.core.marks import Stroke
from yaila.core.picture.canvas import filled, line, line_path, polygon, softened, through
from yaila.core.picture.dashes import MOST, pieces_along, stray
from yaila.core.picture.stage import Easel, Piece, Stage
from yaila.core.picture.travellers import travelling

MOST_POINTS = 4000
"""Points that a route is drawn through."""

BLENDS = {
    "normal": skia.BlendMode.kSrcOver,
    "multiply": skia.BlendMode.kMultiply,
    "screen": skia.BlendMode.kScreen,
    "overlay": skia.BlendMode.kOverlay,
}

CAPS = {"round": skia.Paint.kRound_Cap, "flat": skia.Paint.kButt_Cap, "square": skia.Paint.kSquare_Cap}


FINE = 0.003
"""How far apart the points of a line are at the most, in spans."""

SHADES = 64
"""Steps in which a colour runs over to another along a whole route."""


class _Part(NamedTuple):
    """A part of a line as it is drawn: lengths along it, and its places on the ground there."""

    ways: NDArray[np.float64]
    places: NDArray[np.float64]

    def cut(self, first: float, last: float) -> NDArray[np.float64]:
        """Its places from one length to another."""
        inner = (self.ways > first) & (self.ways < last)
        ends = self.at(np.array([first, last]))
        return np.concatenate([ends[:1], self.places[inner], ends[1:]])

    def at(self, ways: NDArray[np.float64]) -> NDArray[np.float64]:
        """Its places at lengths along the line."""
        return np.column_stack([np.interp(ways, self.ways, axis) for axis in self.places.T])


class _Pen:
    """Draws parts of one route's line, as filled shapes in frame pixels."""

    def __init__(self, drawn: DrawnRoute, view: View) -> None:
        self.stroke, self.curve, self.view = drawn.look, drawn.route.curve, view
        on_ground = self.stroke.scales == "ground"
        self.ratio = self.stroke.ground * view.pixels_per_unit / self.stroke.width if on_ground else view.scale
        """Frame pixels, at the target, for a pixel of the look."""
        self.unit = self.stroke.ground / self.stroke.width if on_ground else view.scale
        """Ground units for a pixel of the look, where it lies on the ground; else frame pixels."""
        self.on_ground = on_ground
        width = self.stroke.width + self.stroke.glow + self.stroke.edge + self.stroke.shadow + self.stroke.wobble
        self._room = 40 + 2 * self.ratio * width
        """How far beyond the frame a line may reach into it, pixels."""

    def strayed(self, ways: NDArray[np.float64], places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where a wobbling hand puts the places of the line at lengths along it."""
        if not self.stroke.wobble or self.curve.length == 0 or not len(ways):
            return places
        # The bearing is that of the curve itself, so that it is the same however much of the line is drawn.
        step = self.curve.length * 1e-4
        there = np.clip(ways, step, self.curve.length - step)
        ahead = self.curve.along(there + step) - self.curve.along(there - step)
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-12)
        pixel = self.ratio / self.view.pixels_per_unit
        off = stray(ways, pixel) * self.stroke.wobble * pixel
        return np.asarray(places + np.column_stack([ahead[:, 1], -ahead[:, 0]]) * off[:, None])

    def fine(self, first: float, last: float) -> NDArray[np.float64]:
        """Lengths from one to another, close enough together for this frame; the knots are among them. They lie on one
        grid from the route's start on, however much of it is drawn, or a line would shimmer while it grows."""
        step = 2.0 ** math.floor(math.log2(self.view.pose.span * FINE))
        step = max(step, 2.0 ** math.ceil(math.log2(max((last - first) / MOST_POINTS, 1e-12))))
        grid = np.arange(math.ceil(first / step), math.floor(last / step) + 1) * step
        knots = self.curve.knots
        inner = knots[(knots > first) & (knots < last)]
        return np.unique(np.concatenate([[first], grid[(grid > first) & (grid < last)], inner, [last]]))

    def parts(self, first: float, last: float) -> list[_Part]:
        """The parts of the line from one length to another that the frame can show."""
        coarse, places = _coarse(self.curve)
        inner = (coarse > first) & (coarse < last)
        ends = self.curve.along(np.array([first, last]))
        ways = np.concatenate([[first], coarse[inner], [last]])
        found = []
        for a, b in self._shown(np.concatenate([ends[:1], places[inner], ends[1:]])):
            fine = self.fine(float(ways[a]), float(ways[b]))
            places = self.curve.about(fine)
            for c, d in self._shown(places):
                part = fine[c : d + 1]
                found.append(_Part(part, self.strayed(part, places[c : d + 1])))
        return found

    def _shown(self, places: NDArray[np.float64]) -> list[tuple[int, int]]:
        """Which stretches of a line through places come near the frame: first and last index."""
        through = self.view.seen(places)
        front = through[:, 2] > NEAR
        at = np.where(front[:, None], through[:, :2] / np.where(front, through[:, 2], 1.0)[:, None], np.nan)
        low, high = np.fmin(at[:-1], at[1:]), np.fmax(at[:-1], at[1:])
        # What lies on the ground is wider where it is close to the camera.
        room = self._room * (4 if self.on_ground else 1)
        both = front[:-1] & front[1:]
        inside = both & ((high > -room) & (low < np.array(self.view.size) + room)).all(axis=1)
        # Where it passes the camera, the one end tells nothing of the other.
        near = inside | (front[:-1] ^ front[1:])
        edges = np.flatnonzero(np.diff(np.concatenate([[False], near, [False]]).astype(np.int8)))
        return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))

    def dashes(self, part: _Part) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """The dashes or dots of a part: where on the line, how long (dots are not), ground units, and how much of each
        is there, 0..1."""
        stroke, (ways, places) = self.stroke, part
        period = 2 + stroke.width * 0.5 / stroke.spacing if stroke.dash == "dashes" else 1.0
        if self.on_ground:
            size = stroke.spacing * self.unit
            first = math.floor(ways[0] / (size * period))
            middles = np.arange(first, min(ways[-1] // (size * period) + 1, first + MOST) + 1) * size * period
            lengths, there = np.full(len(middles), size), np.ones(len(middles))
        else:
            seen = self.view.seen(places)
            steps = np.hypot(*np.diff(seen[:, :2] / np.maximum(seen[:, 2:], NEAR), axis=0).T)
            # Ground units for a frame pixel along the line, between its places.
            units = np.diff(ways) / np.maximum(steps, 1e-9)
            units = np.clip(units, 1e-12, 64 * self.view.pose.span / self.view.whole.width)
            there_units = np.exp(np.interp(ways, (ways[:-1] + ways[1:]) / 2, np.log(units)))
            middles, lengths, there = pieces_along(ways, stroke.spacing * self.unit * there_units, period)
        return middles, lengths if stroke.dash == "dashes" else np.zeros(len(lengths)), there

    def path(self, places: NDArray[np.float64]) -> skia.Path:
        """The middle of the line through places, frame pixels, or about the target where it lies on the ground."""
        if not self.on_ground:
            return line_path(places, self.view)
        return polygon(places - self.view.target, False)

    def middle(self, part: _Part) -> skia.Path | list[tuple[float, float, float]]:
        """The middle of a part as it is stroked, in the units of :meth:`path`; of dots where they are, and how
        large."""
        if self.stroke.dash not in ("dashes", "dots"):
            return self.path(part.places)
        middles, lengths, there = self.dashes(part)
        first = np.maximum(middles - lengths / 2, part.ways[0])
        last = np.minimum(middles + lengths / 2, part.ways[-1])
        kept = (there > 0.02) & (last >= first)
        if not self.on_ground:
            kept &= self._within(part.at(first), part.at(last))
        first, last, there = first[kept], last[kept], there[kept]
        ways = np.unique(np.concatenate([part.ways, first, last]))
        begins, ends = np.searchsorted(ways, first), np.searchsorted(ways, last)
        points = part.at(ways)
        if self.on_ground:
            points = points - self.view.target
        else:
            points = self.view.project(points)
            behind = np.concatenate([[0], np.cumsum(points[:, 2] <= NEAR)])
            whole = behind[ends + 1] == behind[begins]
            begins, ends, there, points = begins[whole], ends[whole], there[whole], points[:, :2]
        if self.stroke.dash == "dots":
            return [(u, v, size) for (u, v), size in zip(points[begins].tolist(), there.tolist(), strict=True)]
        # One after the other, each from its begin to its end.
        counts = ends - begins + 1
        starts = np.cumsum(counts) - counts
        which = np.arange(int(counts.sum())) + np.repeat(begins - starts, counts)
        verbs = np.full(len(which), int(skia.PathVerb.kLine))
        verbs[starts] = int(skia.PathVerb.kMove)
        spots = [skia.Point(u, v) for u, v in points[which].tolist()]
        return skia.Path.Make(spots, verbs.tolist(), [], skia.PathFillType.kWinding)

    def _within(self, begins: NDArray[np.float64], ends: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which dashes, from one place to another each, the frame can show; one that passes the camera is left out."""
        (u0, v0, near0), (u1, v1, near1) = self.view.project(begins).T, self.view.project(ends).T
        # One that is bent reaches no further to the side than it is long.
        room = self._room + np.hypot(u1 - u0, v1 - v0)
        inside = (near0 > NEAR) & (near1 > NEAR)
        for a, b, side in ((u0, u1, self.view.size.width), (v0, v1, self.view.size.height)):
            inside &= (np.maximum(a, b) > -room) & (np.minimum(a, b) < side + room)
        return np.asarray(inside)

    def shape(self, middle: skia.Path | list[tuple[float, float, float]], width: float) -> skia.Path:
        """A line about its middle, ``width`` pixels of the look wide."""
        made = skia.Path()
        if isinstance(middle, list):
            for u, v, size in middle:
                made.addCircle(u, v, width * self.unit * size / 2)
            return through(made, self.view.plane()) if self.on_ground else made
        paint = line("#000000", width * self.unit)
        paint.setStrokeCap(CAPS[self.stroke.caps])
        if not self.on_ground:
            paint.getFillPath(middle, made)
            return made
        paint.getFillPath(middle, made, None, self.view.pixels_per_unit)
        return through(made, self.view.plane())

    def draw(self, canvas: skia.Canvas, first: float, last: float) -> None:
        """Draw the line from one length along it to another."""
        for part in self.parts(first, last):
            self._draw(canvas, part)

    def _draw(self, canvas: skia.Canvas, part: _Part) -> None:
        stroke, middle = self.stroke, self.middle(part)

        def shape(width: float) -> skia.Path:
            return self.shape(middle, width)

        if stroke.shadow:
            fallen = shape(stroke.width + 2 * stroke.edge)
            away = stroke.shadow * self.ratio * 0.45
            fallen.offset(away, away)
            canvas.drawPath(fallen, softened(filled("#000000", 0.5), stroke.shadow * self.ratio * 0.4))
        if stroke.glow:
            light = self.shape(self.path(part.places), stroke.width + stroke.glow)
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
            canvas.drawPath(self._between_ends(part, stroke.width * 0.4), gone)

    def _between_ends(self, part: _Part, width: float) -> skia.Path:
        """The room between the two lines of a double one, which is open at both ends: it reaches beyond their caps."""
        places = part.places
        reach = self.stroke.width * self.ratio / self.view.pixels_per_unit
        ends = [places[0] - places[1], places[-1] - places[-2]] if len(places) > 1 else []
        first, last = (end / max(float(np.hypot(*end)), 1e-12) * reach for end in ends)
        longer = np.concatenate([[places[0] + first], places, [places[-1] + last]])
        return self.shape(self.path(longer), width)

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
            canvas.drawPath(self.shape(self.path(part.cut(a, b + over)), stroke.width * 1.3), paint)
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


def pieces(routes: Sequence[DrawnRoute], stage: Stage) -> list[Piece]:
    """What is painted of routes: their lines, as far as they are drawn, and what is to come of them if that is seen;
    and what travels along them."""
    lines = [
        Piece(
            drawn.route.id,
            True,
            0.0,
            partial(_draw, drawn, stage.view),
            wide=_widest(drawn, stage.view),
            blends=any(look.blend != "normal" for look in (drawn.look, *_own(drawn))),
        )
        for drawn in routes
    ]
    return lines + [ride for drawn in routes for ride in travelling(drawn, stage)]


def _widest(drawn: DrawnRoute, view: View) -> float:
    """The widest blur of a line, a deviation in pixels."""
    return max(max(one.glow * 0.5, one.shadow * 0.4) for one in (drawn.look, *_own(drawn))) * _Pen(drawn, view).ratio


def _own(drawn: DrawnRoute) -> Iterator[Stroke]:
    """How those legs look that have a look of their own."""
    return (own.of(drawn.look) for _, _, own in drawn.route.legs if own)


def _draw(drawn: DrawnRoute, view: View, easel: Easel) -> None:
    canvas, stroke, length = easel.canvas, drawn.look, drawn.route.curve.length
    pen = _Pen(drawn, view)
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
        double = "double" in (stroke.dash, *(own.dash for _, _, own in drawn.route.legs if own))
        alone = stroke.opacity * share < 1 or stroke.blend != "normal" or double
        canvas.saveLayer(None, layer) if alone else canvas.save()
        for first, last in parts:
            for begin, end, own in _legs(drawn, first, last):
                (_Pen(replace(drawn, look=own), view) if own is not stroke else pen).draw(canvas, begin, end)
        if heads and stroke.head != "none":
            for way, sign in drawn.route.draws.heads(drawn.way, length):
                own = _legs(drawn, way, way)[0][2]
                _head(canvas, replace(drawn, look=own), _Pen(replace(drawn, look=own), view), way, sign)
        canvas.restore()


def _legs(drawn: DrawnRoute, first: float, last: float) -> list[tuple[float, float, Stroke]]:
    """A part of a line, leg by leg where they look different: lengths along it, and how it looks there."""
    if not any(own for _, _, own in drawn.route.legs):
        return [(first, last, drawn.look)]
    found = []
    for begin, end, own in drawn.route.legs:
        if max(begin, first) < min(end, last) or begin <= first == last <= end:
            look = own.of(drawn.look) if own else drawn.look
            found.append((max(begin, first), min(end, last), look))
    return found or [(first, last, drawn.look)]


def _head(canvas: skia.Canvas, drawn: DrawnRoute, pen: _Pen, way: float, sign: int) -> None:
    stroke = drawn.look
    back = pen.view.pose.span * 0.004 * sign
    ways = np.array([way - back, way])
    (u0, v0, w0), (u1, v1, w1) = pen.view.project(pen.strayed(ways, drawn.route.curve.along(ways))).tolist()
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
