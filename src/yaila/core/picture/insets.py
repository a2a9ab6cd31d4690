"""Insets: pictures and clips that lie on the ground, stand on it, face the camera or stand in the frame."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR, View
from yaila.core.film import Inset
from yaila.core.film.marked import ShownClip
from yaila.core.film.scene import Present
from yaila.core.marks import InsetLook
from yaila.core.picture.boards import UPRIGHT, axes_of, shifted, standing
from yaila.core.picture.canvas import colour_of, filled, image_of, matrix_of, softened
from yaila.core.picture.kit import Kit
from yaila.core.picture.reveals import around, only_uncovered
from yaila.core.picture.stage import Easel, Piece, Stage
from yaila.core.stopping import go_on
from yaila.core.time import smoothstep

PresentInset = Present[Inset, InsetLook]

GONE = "#6f7c80"
"""What is shown of a picture that is not in store."""

DARK = 0.5
"""How dark a shadow is."""


def pieces(presents: Sequence[PresentInset], stage: Stage, under: bool = False) -> list[Piece]:
    """What is painted of insets: what lies flat on the ground, and what stands; or of those that are under the map."""
    made = []
    for present in presents:
        go_on()
        inset = present.mark
        if inset.under != under:
            continue
        in_frame = inset.stands in ("frame", "full")
        lies = inset.stands == "board" and not inset.tilt and not inset.height
        high = inset.height
        if stage.raised and not lies and not in_frame:
            high += stage.ground_at(inset.place)
        depth = 0.0 if in_frame else stage.view.depth(inset.place, high)
        if (depth > NEAR or in_frame) and present.opacity > 0 and present.scale > 0:
            paint = partial(_uncovering, present, high, stage)
            spot = None if in_frame else (*inset.place, high)
            wide = stage.view.scale * max(present.look.shadow / 2, present.look.soft / 4)
            made.append(Piece(inset.id, lies, depth, paint, spot, wide=wide, blends=present.look.lies == "light"))
    return made


def aspect_of(inset: Inset) -> float:
    """How high what is left of its picture is, in its widths."""
    crop, shows = inset.crop, inset.shows
    return (shows.height * (100 - crop.top - crop.bottom)) / (shows.width * (100 - crop.left - crop.right))


def map_of(present: PresentInset, view: View, high: float) -> NDArray[np.float64] | None:
    """The 3x3 map of an inset, 0..1 across and 0 to its aspect down, to frame pixels; none where it passes the
    camera."""
    inset, look = present.mark, present.look
    aspect, grown = aspect_of(inset), present.scale
    width, height = view.whole
    if inset.stands == "full":
        wide = max(width, height / aspect)
        return standing(width / 2 - view.left, height / 2 - view.top, wide * grown) @ shifted(-0.5, -aspect / 2)
    if inset.stands == "frame":
        middle = (inset.u * width - view.left, inset.v * height - view.top)
        return standing(*middle, look.size * view.scale * grown) @ shifted(-0.5, -aspect / 2)
    pose = view.pose
    origin = np.array([inset.x - pose.x, inset.y - pose.y, high, 1.0])
    u, v, depth = (view.space @ origin).tolist()
    if depth <= NEAR:
        return None
    per_pixel = depth / view.pixels_per_unit
    units = look.ground if look.scales == "ground" else look.size * view.scale * per_pixel
    if inset.stands == "facing":
        return standing(u / depth, v / depth, units / per_pixel * grown) @ shifted(
            -0.5, -aspect - inset.gap / look.size
        )
    across, upward, _ = axes_of(inset, view)
    right = view.space[:, :3] @ (across * units * grown)
    down = view.space[:, :3] @ (-upward * units * grown)
    own = shifted(-0.5, -aspect if inset.tilt >= UPRIGHT else -aspect / 2)
    made = np.column_stack([right, down, view.space @ origin]) @ own
    return None if (_corners(made, aspect)[:, 2] <= NEAR).any() else made


def _corners(plane: NDArray[np.float64], aspect: float) -> NDArray[np.float64]:
    """Its corners in the frame before the division by depth, (4, 3)."""
    return np.array([[0, 0, 1], [1, 0, 1], [1, aspect, 1], [0, aspect, 1.0]]) @ plane.T


def _uncovering(present: PresentInset, high: float, stage: Stage, easel: Easel) -> None:
    with only_uncovered(easel.canvas, present.uncovered, around(present.mark.place, stage.view), stage.view):
        _draw(easel.canvas, present, high, stage)


def _width_of(plane: NDArray[np.float64], aspect: float) -> float:
    """How many pixels wide it is in the frame, its longer edge."""
    corners = _corners(plane, aspect)
    spots = corners[:, :2] / corners[:, 2:]
    return float(max(np.hypot(*(spots[1] - spots[0])), np.hypot(*(spots[2] - spots[3]))))


def _draw(canvas: skia.Canvas, present: PresentInset, high: float, stage: Stage) -> None:
    inset, look = present.mark, present.look
    plane, aspect = map_of(present, stage.view, high), aspect_of(inset)
    if plane is None:
        return
    moment = None
    if isinstance(inset.shows, ShownClip) and (moment := _moment(present, inset.shows)) is None:
        return
    pixels = _pixels(present, _width_of(plane, aspect), moment, stage.kit)
    strength = present.opacity * look.opacity
    full = inset.stands == "full"
    pixel = 1.0 if full else 1 / look.size
    light = look.lies == "light"
    soft = 0.0 if full else look.soft / look.size
    if strength < 1 or light or soft:
        layer = skia.Paint(Alphaf=strength)
        if light:
            layer.setBlendMode(skia.BlendMode.kScreen)
        canvas.saveLayer(None, layer)
    else:
        canvas.save()
    canvas.concat(matrix_of(plane))
    _opened(canvas, present, aspect)
    box = skia.Rect(0, 0, 1, aspect)
    rounded = skia.RRect.MakeRectXY(box, look.round * pixel, look.round * pixel)
    if not full:
        edge = look.edge * pixel
        outer = skia.RRect.MakeRectXY(box.makeOutset(edge, edge), look.round * pixel + edge, look.round * pixel + edge)
        if look.shadow and not light and not soft:
            wide = look.shadow * pixel
            shadow = softened(skia.Paint(Color=colour_of("#000000", DARK), AntiAlias=True), wide / 2)
            canvas.save()
            canvas.translate(wide * 0.15, wide * 0.35)
            canvas.drawRRect(outer, shadow)
            canvas.restore()
        if edge:
            canvas.drawRRect(outer, filled(look.edge_colour))
        if look.round:
            canvas.clipRRect(rounded, skia.ClipOp.kIntersect, True)
    if pixels is None:
        canvas.drawRect(box, filled(GONE))
    else:
        image, crop = image_of(pixels), inset.crop
        wide, tall = image.width() / 100, image.height() / 100
        source = skia.Rect(crop.left * wide, crop.top * tall, (100 - crop.right) * wide, (100 - crop.bottom) * tall)
        sampling = skia.SamplingOptions(skia.FilterMode.kLinear, skia.MipmapMode.kLinear)
        paint = skia.Paint(AntiAlias=True)
        canvas.drawImageRect(image, source, box, sampling, paint, skia.Canvas.kStrict_SrcRectConstraint)
    if soft:
        _melted(canvas, box.makeOutset(look.edge * pixel, look.edge * pixel), soft)
    canvas.restore()


def _melted(canvas: skia.Canvas, box: skia.Rect, soft: float) -> None:
    """Of what was painted on a layer, what is left when it melts from the edge of a box inwards."""
    soft = min(soft, box.width() / 2, box.height() / 2)
    keep = skia.Paint()
    keep.setBlendMode(skia.BlendMode.kDstIn)
    canvas.saveLayer(None, keep)
    canvas.drawRect(box.makeInset(soft / 2, soft / 2), softened(filled("#000000"), soft / 4))
    canvas.restore()


def _opened(canvas: skia.Canvas, present: PresentInset, aspect: float) -> None:
    """What is seen of one that unfolds or opens as an iris, while it does."""
    for arrival, share in ((present.mark.comes, present.came), (present.mark.goes, present.gone)):
        if share >= 1:
            continue
        eased = smoothstep(share)
        if arrival.how == "unfold":
            canvas.translate(0.5, 0)
            canvas.scale(max(eased, 1e-3), 1)
            canvas.translate(-0.5, 0)
        elif arrival.how == "iris":
            path = skia.Path()
            path.addCircle(0.5, aspect / 2, math.hypot(0.5, aspect / 2) * 1.06 * eased)
            canvas.clipPath(path, skia.ClipOp.kIntersect, True)


def _moment(present: PresentInset, clip: ShownClip) -> float | None:
    """The moment of its clip, seconds; none when it is over and gone."""
    return clip.at(present.seconds - (present.coming if clip.waits else 0.0))


def _pixels(present: PresentInset, width: float, moment: float | None, kit: Kit) -> NDArray[np.uint8] | None:
    """Its picture, or that of its clip at a moment, about as large as it is seen; none if it is gone."""
    inset = present.mark
    crop = inset.crop
    wanted = math.ceil(width / (1 - (crop.left + crop.right) / 100))
    if moment is not None:
        return kit.clip_at(inset.shows.sha256, moment, wanted)
    return kit.picture(inset.shows.sha256, wanted)
