"""Markers: signs at places of the ground."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR
from yaila.core.film import Marker
from yaila.core.film.scene import Present
from yaila.core.marks import MarkerLook
from yaila.core.picture.canvas import filled, line, matrix_of, softened, through
from yaila.core.picture.kit import Kit
from yaila.core.picture.reveals import around, only_uncovered
from yaila.core.picture.stage import Easel, Piece, Stage

PresentMarker = Present[Marker, MarkerLook]


def pieces(presents: Sequence[PresentMarker], stage: Stage) -> list[Piece]:
    """What is painted of markers: those that lie on the ground, and those that stand at their place."""
    made = []
    for present in presents:
        lies = present.look.scales == "ground"
        high = 0.0 if lies else stage.ground_at(present.mark.place)
        depth = stage.view.depth(present.mark.place, high)
        if depth > NEAR and present.scale > 0 and present.opacity > 0:
            paint = partial(_uncovering, present, stage, high)
            made.append(Piece(present.mark.id, lies, depth, paint, (*present.mark.place, high)))
    return made


def _uncovering(present: PresentMarker, stage: Stage, high: float, easel: Easel) -> None:
    corners = around(present.mark.place, stage.view)
    with only_uncovered(easel.canvas, present.uncovered, corners, stage.view):
        _draw(easel.canvas, present, stage, high)


STANDING = ("pin", "flag")
"""Signs whose foot is on their place; others lie about it, a little above the ground."""

ABOVE = 0.3
"""How far above the ground what lies about its place is, for its shadow, in halves of its width."""

SOFT = 0.07
"""How soft a shadow is, a deviation in halves of a sign's width."""


def _draw(canvas: skia.Canvas, present: PresentMarker, stage: Stage, high: float) -> None:
    view, kit = stage.view, stage.kit
    marker, look, scale = present.mark, present.look, view.scale
    place = marker.place
    u, v, depth = view.spot(place, high)
    turned = np.eye(3)
    turned[:2, 2] = u, v
    lifted = 0.0
    if look.scales == "ground":
        # It lies on the ground: the projection near its place, foreshortened as the ground is.
        step = view.pose.span * 1e-4
        near = view.project(np.array([[place[0] + step, place[1]], [place[0], place[1] + step]]))
        (a, b), (c, d) = ((near[:, :2] - [u, v]) / step * look.ground / 2).tolist()
        # Its own down is south.
        turned[:2, :2] = [[a, -c], [b, -d]]
        turned = turned @ _turned(marker.turn)
        half = 1.0
        edge = look.edge / max(look.size / 2, 1)
    else:
        half, edge = look.size / 2 * scale, look.edge * scale
        if look.scales == "between":
            # The size at which both would be the same is that of its own.
            grown = look.ground * view.pixels_per_unit / depth / (look.size * scale)
            half, edge = half * math.sqrt(grown), edge * math.sqrt(grown)
        lifted = present.lift * look.size * scale
    strength = present.opacity * look.opacity
    turned = turned @ np.array([[1, 0, 0], [0, 1, -lifted], [0, 0, 1.0]])
    sized = turned @ np.diag([present.scale, present.scale, 1.0]) @ _turned(360 * look.spin * present.seconds)
    if look.shadow and strength and present.drawn >= 1:
        _cast(canvas, present, stage, (u, v, depth), half, sized, lifted, high)
    canvas.save()
    canvas.concat(matrix_of(turned))
    canvas.saveLayerAlpha(None, round(255 * strength)) if strength < 1 else canvas.save()
    for k in range(math.ceil(look.pulses)):
        # Rings run out one after the other, each in a second.
        share = (present.seconds * max(look.pulses, 1e-6) + k / max(math.ceil(look.pulses), 1)) % 1
        ring = line(look.colour, half * 0.12)
        ring.setAlphaf((1 - share) * 0.9)
        canvas.drawCircle(0, 0, half * (1 + 1.6 * share), ring)
    canvas.scale(present.scale, present.scale)
    canvas.rotate(360 * look.spin * present.seconds)
    if present.drawn < 1 and look.symbol != "picture":
        # Its outline draws itself before it is filled, and as long as it goes.
        path, hollow = _symbol(look.symbol, half)
        drawn = line(look.colour, hollow or half * 0.14)
        drawn.setPathEffect(skia.TrimPathEffect.Make(0, present.drawn))
        canvas.drawPath(path, drawn)
    else:
        _sign(canvas, look, kit, half, edge)
    canvas.restore()
    canvas.restore()


def _sign(canvas: skia.Canvas, look: MarkerLook, kit: Kit, half: float, edge: float) -> None:
    """A sign about 0, 0, of that half width."""
    if look.symbol == "picture":
        return draw_sign(canvas, kit.sign(look.picture), half)
    path, hollow = _symbol(look.symbol, half)
    if hollow:
        canvas.drawPath(path, line(look.edge_colour, hollow + 2 * edge))
        return canvas.drawPath(path, line(look.colour, hollow))
    if edge:
        canvas.drawPath(path, line(look.edge_colour, 2 * edge))
    return canvas.drawPath(path, filled(look.colour))


def _turned(degrees: float) -> NDArray[np.float64]:
    cos, sin = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1.0]])


def _cast(
    canvas: skia.Canvas,
    present: PresentMarker,
    stage: Stage,
    seen: tuple[float, float, float],
    half: float,
    sized: NDArray[np.float64],
    lifted: float,
    high: float,
) -> None:
    """The shadow of a sign: of one that stands, upright and across the line of sight, where each of its points falls;
    of one that lies about its place, a little aside.

    Args:
        seen: its place in the frame, pixels, and how far away that is.
        half: of its width, in its own units; ``sized`` takes these to the frame.
        lifted: how far it is raised in the frame, pixels.
        high: the ground there.
    """
    look, view, (u, v, depth) = present.look, stage.view, seen
    # Ground units for a pixel of the frame at that distance.
    unit = depth / view.pixels_per_unit
    fall, place = stage.light.fall, np.array(present.mark.place)
    if look.scales != "ground" and look.symbol in STANDING:
        right, _, _ = view.pose.axes()
        origin = np.array([*(place - view.target), high, 1.0])
        across = view.space[:, :3] @ np.array([*right[:2], 0.0]) * unit
        down = view.space[:, :3] @ np.array([*-fall, 0.0]) * unit
        board = np.column_stack([across, down, view.space @ origin]) @ np.linalg.inv(
            np.array([[1, 0, u], [0, 1, v], [0, 0, 1.0]])
        )
    else:
        ground = look.ground / 2 if look.scales == "ground" else half * unit
        fallen = view.spot(place + fall * (ABOVE * ground + lifted * unit), high)
        if fallen[2] <= NEAR:
            return
        board = np.array([[1, 0, fallen[0] - u], [0, 1, fallen[1] - v + lifted], [0, 0, 1.0]])
    onto = board @ sized
    dark, soft = look.shadow * present.opacity * look.opacity, SOFT * half * _grown(onto)
    if look.symbol == "picture":
        return cast_sign(canvas, stage.kit.sign(look.picture), onto, half, dark, soft)
    fallen = through(_silhouette(look, half, look.edge / max(look.size / 2, 1) * half), onto)
    return canvas.drawPath(fallen, softened(filled("#000000", dark), soft))


def _grown(onto: NDArray[np.float64]) -> float:
    """How much larger a 3x3 map makes what is about 0, 0."""
    weight = onto[2, 2]
    return math.sqrt(abs(np.linalg.det((onto[:2, :2] - np.outer(onto[:2, 2] / weight, onto[2, :2])) / weight)))


def _silhouette(look: MarkerLook, half: float, edge: float) -> skia.Path:
    """All that a drawn sign of that half width covers, about 0, 0."""
    path, hollow = _symbol(look.symbol, half)
    pen = line("#000000", (hollow or 0.0) + 2 * edge)
    if not hollow:
        pen.setStyle(skia.Paint.kStrokeAndFill_Style)
    covered = skia.Path()
    pen.getFillPath(path, covered)
    return covered


def cast_sign(
    canvas: skia.Canvas, image: skia.Image | None, onto: NDArray[np.float64], half: float, dark: float, soft: float
) -> None:
    """The shadow of a picture that is drawn about 0, 0: what is see-through in it casts none.

    Args:
        onto: takes its units to the frame.
        half: of its longer side, in its own units.
        dark: how dark it is, 0..1; ``soft``: its deviation, pixels.
    """
    corners = onto @ np.array([[-half, -half, 1], [half, -half, 1], [half, half, 1], [-half, half, 1]]).T
    u, v = corners[:2] / corners[2]
    shade = skia.Paint(Alphaf=dark)
    shade.setColorFilter(skia.ColorFilters.Blend(skia.ColorBLACK, skia.BlendMode.kSrcIn))
    shade.setImageFilter(skia.ImageFilters.Blur(soft, soft))
    # A layer of all of the frame would take fifty times as long.
    canvas.saveLayer(skia.Rect(u.min(), v.min(), u.max(), v.max()), shade)
    canvas.concat(matrix_of(onto))
    draw_sign(canvas, image, half)
    canvas.restore()


def draw_sign(canvas: skia.Canvas, image: skia.Image | None, half: float) -> None:
    """A picture about 0, 0 whose longer side is twice ``half``; a plain square while there is none."""
    if image is None:
        return canvas.drawRect(skia.Rect(-half, -half, half, half), line("#ffffff", half * 0.1))
    share = 2 * half / max(image.width(), image.height())
    wide, high = image.width() * share / 2, image.height() * share / 2
    sampling = skia.SamplingOptions(skia.FilterMode.kLinear, skia.MipmapMode.kLinear)
    return canvas.drawImageRect(image, skia.Rect(-wide, -high, wide, high), sampling)


def _symbol(name: str, half: float) -> tuple[skia.Path, float]:
    """A symbol of that half width, and the width of the line it is drawn with, 0 for one that is filled."""
    path = skia.Path()
    if name in ("ring", "target"):
        path.addCircle(0, 0, half * 0.82)
        if name == "target":
            # A star of short lines, whose round ends make it a dot: a ring as small as it is wide would have a hole.
            for k in range(6):
                x, y = half * 0.1 * math.cos(k * math.pi / 6), half * 0.1 * math.sin(k * math.pi / 6)
                path.moveTo(-x, -y)
                path.lineTo(x, y)
        return path, half * 0.3
    if name == "dot":
        path.addCircle(0, 0, half * 0.8)
    elif name == "square":
        path.addRect(skia.Rect(-half * 0.8, -half * 0.8, half * 0.8, half * 0.8))
    elif name == "cross":
        for sign in (1, -1):
            path.moveTo(-half * 0.75, -half * 0.75 * sign)
            path.lineTo(half * 0.75, half * 0.75 * sign)
        return path, half * 0.3
    elif name == "star":
        points = []
        for k in range(10):
            reach = half * (1.0 if k % 2 == 0 else 0.42)
            points.append(skia.Point(reach * math.sin(k * math.pi / 5), -reach * math.cos(k * math.pi / 5)))
        path.addPoly(points, True)
    elif name == "flag":
        # It flies from a pole that stands on the place.
        path.addRect(skia.Rect(-half * 0.06, -half * 2, half * 0.06, 0))
        path.moveTo(half * 0.06, -half * 2)
        path.cubicTo(half * 0.5, -half * 2.25, half * 0.8, -half * 1.75, half * 1.3, -half * 1.95)
        path.lineTo(half * 1.3, -half * 1.15)
        path.cubicTo(half * 0.8, -half * 0.95, half * 0.5, -half * 1.45, half * 0.06, -half * 1.2)
        path.close()
    else:
        # A pin stands with its tip on the place.
        path.moveTo(0, 0)
        path.cubicTo(-half * 0.25, -half * 0.7, -half * 0.75, -half * 0.95, -half * 0.75, -half * 1.45)
        path.arcTo(skia.Rect(-half * 0.75, -half * 2.2, half * 0.75, -half * 0.7), 180, 180, False)
        path.cubicTo(half * 0.75, -half * 0.95, half * 0.25, -half * 0.7, 0, 0)
        path.close()
    return path, 0.0
