"""Labels: text set by ``yaila.core.type``, laid upright in the frame, on a plane in space or along a route.

Outlines of letters are projected first and painted then, so that edges and halos are as wide as the look says wherever
they stand.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache, partial

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR, View
from yaila.core.film import Label
from yaila.core.film.scene import Present
from yaila.core.film.sunlight import Light
from yaila.core.ground.curve import Curve
from yaila.core.marks import Lettering
from yaila.core.picture.boards import UPRIGHT, axes_of, shifted, standing
from yaila.core.picture.canvas import filled, line, softened, through
from yaila.core.picture.reveals import around, only_uncovered
from yaila.core.picture.stage import Easel, Piece, Stage
from yaila.core.stopping import go_on
from yaila.core.time import smoothstep
from yaila.core.type import Faces, Glyph, SetText, set_text

PresentLabel = Present[Label, Lettering]
BEND_STEPS = 240
"""Places at which it is looked how a line bends that text is set along."""

MIDDLE = 0.35
"""How high the middle of letters is above the line they are set on, in type sizes: half of a capital's height."""

Floats = NDArray[np.float64]

Pieces = list[tuple[skia.Path, float]]
"""Outlines, and how much of each is there."""

FADES = 1.3
"""Beyond the span down or up to which a label is seen it is gone at so many times that span."""

SPARE_FAMILY = "Noto Sans"
"""What a label is set in whose own font is not here."""

MOST_LAYERS = 20
"""Slices that the thickness of letters is drawn in."""

OVERLAP = 4.0
"""Letters or words that are on their way at the same time while a text comes piece by piece."""


@dataclass(frozen=True)
class LaidLabel:
    """A label in the frame.

    ``map`` takes the text (in type sizes, y down, from the start of its first line) to frame pixels, 3x3; ``shade`` to
    where its shadow falls, if it stands above the ground; ``depth`` is the map's change from the front of its letters
    to their back. ``em`` is the type size in frame pixels there, ``box`` the corners of the text, (4, 2).
    """

    text: SetText
    map: NDArray[np.float64]
    shade: NDArray[np.float64] | None
    depth: NDArray[np.float64]
    em: float
    box: NDArray[np.float64]
    place: tuple[float, float] | None
    """Where its place on the ground is in the frame."""


def seen_at(label: Label, span: float) -> float:
    """How much of a label is seen while the camera shows a span, 0..1."""
    seen = 1.0
    for ratio in (span / label.widest if label.widest else 0.0, label.closest / span if label.closest else 0.0):
        if ratio > 1:
            seen *= 1 - smoothstep(math.log(ratio) / math.log(FADES))
    return seen


def _set_as(label_text: str, look: Lettering, faces: Faces) -> SetText:
    text = label_text.upper() if look.capitals else label_text
    # A font that is gone must not stop the film; the soundings tell of it.
    family = look.family if faces.has(look.family) else SPARE_FAMILY
    return _set(text, family, look.bold, look.italic, look.tracking / 100, look.align, faces)


_set = lru_cache(maxsize=512)(set_text)


def lay(
    present: PresentLabel,
    view: View,
    faces: Faces,
    light: Light = Light(),  # noqa: B008 - frozen
    away: float = 0.0,
) -> LaidLabel | None:
    """Where a label that does not run along a route is in the frame, one that faces the camera ``away`` pixels below
    its own place; none if it is behind the camera."""
    label, look, pose, size, scale = present.mark, present.look, view.pose, view.whole, view.scale
    text = _set_as(label.text, look, faces)
    if label.stands == "frame":
        em = look.size * scale
        own = shifted(-text.width / 2, _middle(text))
        grown = standing(label.u * size.width - view.left, label.v * size.height - view.top, em * present.scale) @ own
        return _laid(text, grown, None, _down(look, scale), em, None)
    space = view.space
    origin = np.array([label.x - pose.x, label.y - pose.y, label.height, 1.0])
    ground = space @ np.array([origin[0], origin[1], 0.0, 1.0])
    u, v, depth = (space @ origin).tolist()
    if depth <= NEAR:
        return None
    u, v = u / depth, v / depth
    per_pixel = depth / view.pixels_per_unit
    """Ground units of a frame pixel at its depth."""
    units = look.ground if look.scales == "ground" else look.size * scale * per_pixel
    place = (float(ground[0] / ground[2]), float(ground[1] / ground[2])) if ground[2] > NEAR else None
    if label.stands == "board":
        return _board(present, text, origin, units, view, place, light)
    em = units / per_pixel
    ratio = em / look.size
    """Frame pixels for a pixel of the look."""
    if label.leader:
        du, dv = label.leader.dx * scale, label.leader.dy * scale
        own = _beside_leader(text, look, du, dv)
    else:
        du = dv = 0.0
        own = _beside(text, label.sits, label.gap / look.size + (look.pad / look.size if look.box != "none" else 0.0))
    upright = standing(u + du, v + dv + away, em * present.scale) @ own
    shade = None
    if label.height > 0 and look.shadow and not label.leader:
        # Where its foot's shadow falls, as upright as itself: squashed on the ground it could not be read.
        east, north = (light.fall * label.height).tolist()
        fallen_u, fallen_v, far = view.spot((label.x + east, label.y + north))
        if far > NEAR:
            shade = standing(fallen_u, fallen_v, em * present.scale * depth / far) @ own
    return _laid(text, upright, shade, _down(look, ratio), em, place)


def _board(
    present: PresentLabel,
    text: SetText,
    origin: NDArray[np.float64],
    units: float,
    view: View,
    place: tuple[float, float] | None,
    light: Light,
) -> LaidLabel | None:
    label, look, space = present.mark, present.look, view.space
    across, upward, front = axes_of(label, view)
    # An upright board stands on its place; one that lies flat has its middle there.
    sits = label.sits if label.sits != "over" or label.tilt < UPRIGHT else "above"
    own = _beside(text, sits, label.gap / look.size)
    deep = front * look.thickness / look.size * units
    right, down = across * units * present.scale, -upward * units * present.scale
    raised = origin + np.append(deep, 0.0)
    board = np.column_stack([space[:, :3] @ right, space[:, :3] @ down, space @ raised]) @ own
    corners = _corners(text) @ board.T
    if (corners[:, 2] <= NEAR).any():
        return None
    back = np.zeros((3, 3))
    back[:, 2] = -(space[:, :3] @ deep)
    shade = _fallen(space, raised, right, down, light) @ own if look.shadow and (label.height or label.tilt) else None
    middle = board @ np.array([text.width / 2, 0.0, 1.0])
    em = float(units / middle[2]) * view.pixels_per_unit
    return _laid(text, board, shade, back @ own, em, place)


def _laid(
    text: SetText,
    board: NDArray[np.float64],
    shade: NDArray[np.float64] | None,
    depth: NDArray[np.float64],
    em: float,
    place: tuple[float, float] | None,
) -> LaidLabel:
    corners = _corners(text) @ board.T
    return LaidLabel(text, board, shade, depth, em, corners[:, :2] / corners[:, 2:], place)


def _corners(text: SetText) -> NDArray[np.float64]:
    left, top, right, bottom = 0.0, -text.ascent, text.width, text.depth
    return np.array([[left, top, 1], [right, top, 1], [right, bottom, 1], [left, bottom, 1.0]])


def _middle(text: SetText) -> float:
    """What brings the middle of the capitals of its lines to 0."""
    lines = text.depth - min(text.depth, 0.3)
    return 0.35 - lines / 2


def _down(look: Lettering, ratio: float) -> NDArray[np.float64]:
    """The back of letters that stand upright in the frame lies below their front."""
    back = np.zeros((3, 3))
    back[1, 2] = look.thickness * ratio
    return back


def _fallen(
    space: NDArray[np.float64],
    origin: NDArray[np.float64],
    right: NDArray[np.float64],
    down: NDArray[np.float64],
    light: Light,
) -> NDArray[np.float64]:
    """The map of a plane in space to where its shadow falls on the ground in the frame."""
    fall = np.array([[1.0, 0.0, light.east], [0.0, 1.0, light.north], [0.0, 0.0, 0.0]])
    foot = np.append(fall @ origin[:3], 1.0)
    return np.column_stack([space[:, :3] @ (fall @ right), space[:, :3] @ (fall @ down), space @ foot])


def _beside(text: SetText, sits: str, gap: float) -> NDArray[np.float64]:
    """Moves a text so that its place is at 0, 0."""
    if sits == "over":
        return shifted(-text.width / 2, _middle(text))
    if sits == "above":
        return shifted(-text.width / 2, -text.depth - gap)
    if sits == "below":
        return shifted(-text.width / 2, text.ascent + gap)
    return shifted(gap if sits == "right" else -text.width - gap, _middle(text))


def _beside_leader(text: SetText, look: Lettering, du: float, dv: float) -> NDArray[np.float64]:
    """Moves a text so that the end of its leader meets the nearest side of it."""
    pad = (look.pad if look.box != "none" else 12.0) / look.size
    if abs(du) >= abs(dv) * 0.5:
        return _beside(text, "right" if du >= 0 else "left", pad)
    return _beside(text, "above" if dv <= 0 else "below", pad)


def place_on_route(present: PresentLabel) -> tuple[float, float]:
    """Where the middle of a label is that runs along a route, on the ground."""
    assert present.route
    curve = present.route.curve
    x, y = curve.along(np.array([present.mark.along * curve.length]))[0].tolist()
    return x, y


def lies_flat(label: Label) -> bool:
    """Whether a label lies on the ground, and so under all that stands on it."""
    return label.stands == "route" or (label.stands == "board" and not label.tilt and not label.height)


def box_of(present: PresentLabel, view: View, faces: Faces) -> tuple[NDArray[np.float64], float] | None:
    """The corners of a label in the frame, (4, 2), and its type size there, frame pixels; none if it is not to be seen.
    Of one along a route it is the smallest upright or turned rectangle around it."""
    if present.mark.stands != "route":
        laid = lay(present, view, faces)
        return (laid.box, laid.em) if laid else None
    letters, ratio = _along_route(replace(present, came=1.0, gone=1.0), view, faces)
    if not letters:
        return None
    spots = []
    for path, _ in letters:
        bounds = path.getBounds()
        spots += [(bounds.left(), bounds.top()), (bounds.right(), bounds.bottom())]
        spots += [(bounds.left(), bounds.bottom()), (bounds.right(), bounds.top())]
    box = cv2.boxPoints(cv2.minAreaRect(np.array(spots, np.float32)))
    return np.asarray(box, np.float64), ratio * present.look.size


def pieces(presents: Sequence[PresentLabel], stage: Stage, away: Mapping[str, float]) -> list[Piece]:
    """What is painted of labels: what lies flat on the ground or along a route, and what stands; ``away`` is how far
    some are moved in the frame (``room.py``)."""
    made = []
    for present in presents:
        go_on()
        label = present.mark
        place = place_on_route(present) if label.stands == "route" else label.place
        lies = lies_flat(label)
        if stage.raised and not lies and label.stands != "frame":
            label = label.model_copy(update={"height": label.height + stage.ground_at(place)})
            present = replace(present, mark=label)
        depth = 0.0 if label.stands == "frame" else stage.view.depth(place, label.height)
        if depth > NEAR or label.stands == "frame":
            made.append(
                Piece(
                    label.id,
                    lies,
                    depth,
                    partial(_uncovering, present, place, away.get(label.id, 0.0), stage),
                    None if label.stands == "frame" else (*place, label.height),
                    wide=stage.view.scale * max(present.look.shadow * 0.5, present.look.halo * 0.35),
                )
            )
    return made


def _uncovering(present: PresentLabel, place: tuple[float, float], away: float, stage: Stage, easel: Easel) -> None:
    with only_uncovered(easel.canvas, present.uncovered, around(place, stage.view), stage.view):
        _draw(easel.canvas, present, stage, away)


def _draw(canvas: skia.Canvas, present: PresentLabel, stage: Stage, away: float) -> None:
    view, scale, faces = stage.view, stage.view.scale, stage.kit.faces
    label, look = present.mark, present.look
    strength = present.opacity * look.opacity * seen_at(label, view.pose.span)
    if strength <= 0 and not (label.leader and present.led > 0 and present.gone >= 1):
        return
    if label.stands == "route":
        if present.route:
            _along(canvas, present, view, faces, strength)
        return
    laid = lay(present, view, faces, stage.light, away)
    if laid is None:
        return
    if label.leader and laid.place:
        _leader(canvas, present, laid, scale, look.opacity * present.gone * seen_at(label, view.pose.span))
    if strength <= 0 or present.scale <= 0:
        return
    pieces = _pieces(laid.text, present)
    ratio = laid.em / look.size
    canvas.save()
    if _wiping(present):
        top, bottom = -laid.text.ascent - 1, laid.text.depth + 1
        shown = _rectangle(-0.3, top, (laid.text.width + 0.3) * _share(present), bottom)
        canvas.clipPath(through(shown, laid.map), skia.ClipOp.kIntersect, True)
    if look.box != "none":
        _box(canvas, laid, look, strength)
    if look.shadow:
        fallen = [(through(path, laid.map if laid.shade is None else laid.shade), share) for path, share in pieces]
        _shadow(canvas, fallen, look, ratio, strength, aside=laid.shade is None)
    for share_of_depth in _layers(look, ratio):
        behind = laid.map + laid.depth * share_of_depth
        _sides(canvas, [(through(path, behind), share) for path, share in pieces], look, strength)
    _letters(canvas, [(through(path, laid.map), share) for path, share in pieces], look, ratio, strength)
    canvas.restore()


def _letters(canvas: skia.Canvas, pieces: Pieces, look: Lettering, ratio: float, strength: float) -> None:
    """Letters in frame pixels: halo, outline and fill, one over the other."""
    if look.halo:
        for path, share in pieces:
            light = line(look.halo_colour, look.halo * ratio * 0.8)
            light.setStyle(skia.Paint.kStrokeAndFill_Style)
            light.setAlphaf(0.8 * strength * share)
            canvas.drawPath(path, softened(light, look.halo * ratio * 0.35))
    if look.outline:
        for path, share in pieces:
            edge = line(look.outline_colour, 2 * look.outline * ratio)
            edge.setAlphaf(strength * share)
            canvas.drawPath(path, edge)
    for path, share in pieces:
        canvas.drawPath(path, filled(look.colour, strength * share))


def _moved(pieces: Pieces, dx: float, dy: float) -> Pieces:
    moved = [(skia.Path(path), share) for path, share in pieces]
    for path, _ in moved:
        path.offset(dx, dy)
    return moved


def _shadow(canvas: skia.Canvas, pieces: Pieces, look: Lettering, ratio: float, strength: float, aside: bool) -> None:
    """The shadow of letters where it falls, in frame pixels; or a little ``aside`` of the letters themselves."""
    soft = look.shadow * ratio * 0.5
    for path, share in _moved(pieces, soft, soft) if aside else pieces:
        canvas.drawPath(path, softened(filled("#000000", look.shadow_opacity * strength * share), soft))


def _layers(look: Lettering, ratio: float) -> list[float]:
    """The slices that the thickness of letters is drawn in, from the back (1) on."""
    count = int(min(max(look.thickness * ratio, 2), MOST_LAYERS)) if look.thickness else 0
    return [k / count for k in range(count, 0, -1)]


def _sides(canvas: skia.Canvas, pieces: Pieces, look: Lettering, strength: float) -> None:
    for path, share in pieces:
        canvas.drawPath(path, filled(look.side_colour, strength * share))


def _box(canvas: skia.Canvas, laid: LaidLabel, look: Lettering, strength: float) -> None:
    pad = look.pad / look.size
    left, top, right, bottom = -pad, -laid.text.ascent * 0.86 - pad, laid.text.width + pad, laid.text.depth * 0.9 + pad
    path = skia.Path()
    if look.box == "round":
        radius = min((bottom - top) / 2, 0.45)
        path.addRoundRect(skia.Rect(left, top, right, bottom), radius, radius)
    else:
        path = _rectangle(left, top, right, bottom)
    grown = through(path, laid.map)
    if look.shadow:
        shade = skia.Path(grown)
        shade.offset(look.shadow * laid.em / look.size * 0.4, look.shadow * laid.em / look.size * 0.4)
        soft = look.shadow * laid.em / look.size * 0.5
        canvas.drawPath(shade, softened(filled("#000000", look.shadow_opacity * strength * look.box_opacity), soft))
    canvas.drawPath(grown, filled(look.box_colour, look.box_opacity * strength))


def _leader(canvas: skia.Canvas, present: PresentLabel, laid: LaidLabel, scale: float, strength: float) -> None:
    """The line of a callout draws itself from its place to its text; the dot swells first."""
    leader, look = present.mark.leader, present.look
    assert leader
    assert laid.place
    u, v = laid.place
    share = smoothstep(present.led)
    end = (u + leader.dx * scale * share, v + leader.dy * scale * share)
    under = line(look.box_colour if look.box != "none" else look.halo_colour, (leader.width + 3) * scale)
    under.setAlphaf(strength * 0.8)
    canvas.drawLine(u, v, *end, under)
    canvas.drawCircle(u, v, (leader.dot + 1.5) * scale * min(present.led * 3, 1), _solid(under))
    over = line(look.colour, leader.width * scale)
    over.setAlphaf(strength)
    canvas.drawLine(u, v, *end, over)
    canvas.drawCircle(u, v, leader.dot * scale * min(present.led * 3, 1), _solid(over))


def _solid(paint: skia.Paint) -> skia.Paint:
    whole = skia.Paint(paint)
    whole.setStyle(skia.Paint.kFill_Style)
    return whole


def _along_route(present: PresentLabel, view: View, faces: Faces) -> tuple[Pieces, float]:
    """Text that lies on the ground along a route, the way that reads from left to right in the frame: outlines of its
    letters, frame pixels, and frame pixels for a pixel of its look there."""
    label, look, route = present.mark, present.look, present.route
    assert route
    text, curve = _set_as(label.text, look, faces), route.curve
    pose, space = view.pose, view.space
    depth = view.depth(np.array(place_on_route(present)))
    if depth <= NEAR:
        return [], 1.0
    units = look.ground if look.scales == "ground" else look.size * view.scale / view.pixels_per_unit * depth
    ratio = units * view.pixels_per_unit / depth / look.size
    half = text.width / 2 * units
    ends = curve.along(np.clip(label.along * curve.length + np.array([-half, half]), 0, curve.length))
    shown = view.seen(ends)
    forward = 1.0 if shown[1, 0] / shown[1, 2] >= shown[0, 0] / shown[0, 2] else -1.0
    lift = {"above": text.depth + label.gap / look.size, "below": -text.ascent - label.gap / look.size}.get(
        label.sits, -MIDDLE
    )
    pieces: Pieces = []
    middle, ways = _along_bend(curve, label.along * curve.length, half, (MIDDLE + lift) * units * forward)
    for glyph, moved, share in _glyphs(text, present):
        # Where its middle is, counted as the line is drawn.
        way = float(np.interp(forward * (glyph.x + glyph.advance / 2 - text.width / 2) * units, middle, ways))
        step = units * max(glyph.advance / 2, 0.2)
        before, at, after = curve.along(np.clip(np.array([way - step, way, way + step]), 0, curve.length))
        tangent = (after - before) * forward
        reach = float(np.hypot(*tangent))
        if reach <= 0 or not 0 <= way <= curve.length:
            continue
        across = np.append(tangent / reach, 0.0) * units * present.scale
        down = np.array([across[1], -across[0], 0.0])
        origin = np.array([at[0] - pose.x, at[1] - pose.y, 0.0, 1.0])
        board = np.column_stack([space[:, :3] @ across, space[:, :3] @ down, space @ origin])
        if board[2, 2] <= NEAR:
            continue
        path = skia.Path(moved)
        path.offset(-glyph.x - glyph.advance / 2, -lift)
        pieces.append((through(path, board), share))
    return pieces, ratio


def _along_bend(curve: Curve, way: float, half: float, up: float) -> tuple[Floats, Floats]:
    """How far the middles of letters are along a line that keeps ``up`` ground units to the left of a curve, counted
    from beside the length ``way`` of it, and at what lengths of the curve that is.

    Letters stand above the line they are set on: at even distances on that, they would crowd inside a bend and spread
    outside it.
    """
    # Only texts along a route need it, and it takes long to load.
    from scipy.ndimage import gaussian_filter1d

    room = 1.5 * half + abs(up)
    ways = np.linspace(way - room, way + room, BEND_STEPS)
    places = curve.along(np.clip(ways, 0, curve.length))
    # Beyond its ends it goes straight on.
    ahead = np.gradient(places, axis=0)
    ahead = gaussian_filter1d(ahead, max(abs(up) / (4 * room) * BEND_STEPS, 1.0), axis=0, mode="nearest")
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-12)
    beside = places + up * np.column_stack([-ahead[:, 1], ahead[:, 0]])
    steps = np.linalg.norm(np.diff(beside, axis=0), axis=1)
    outside = (ways[1:] <= 0) | (ways[:-1] >= curve.length)
    steps[outside] = np.diff(ways)[outside]
    # Inside a bend that is tighter than the letters are high, the line would stand still.
    steps = np.maximum(steps, 0.25 * np.diff(ways))
    far = np.concatenate([[0.0], np.cumsum(steps)])
    return far - np.interp(way, ways, far), ways


def _along(canvas: skia.Canvas, present: PresentLabel, view: View, faces: Faces, strength: float) -> None:
    look = present.look
    pieces, ratio = _along_route(present, view, faces)
    if look.shadow:
        _shadow(canvas, pieces, look, ratio, strength, aside=True)
    for share_of_depth in _layers(look, ratio):
        _sides(canvas, _moved(pieces, 0.0, look.thickness * ratio * share_of_depth), look, strength)
    _letters(canvas, pieces, look, ratio, strength)


def _rectangle(left: float, top: float, right: float, bottom: float) -> skia.Path:
    path = skia.Path()
    path.addRect(skia.Rect(left, top, right, bottom))
    return path


def _placed(glyph: Glyph, dy: float = 0.0) -> skia.Path:
    path = skia.Path(glyph.face.outline(glyph.number))
    path.offset(glyph.x, glyph.y + dy)
    return path


def _share(present: PresentLabel) -> float:
    """How far a text has come, and, while it goes, how much of it is left."""
    return present.came if present.gone >= 1 or present.mark.goes.how not in PIECEWISE | {"wipe"} else present.gone


def _wiping(present: PresentLabel) -> bool:
    comes, goes = present.mark.comes.how == "wipe", present.mark.goes.how == "wipe"
    return (comes and present.came < 1) or (goes and present.gone < 1)


PIECEWISE = {"letters", "words", "typed", "rise"}


def _how(present: PresentLabel) -> str:
    if present.came < 1 and present.mark.comes.how in PIECEWISE:
        return present.mark.comes.how
    return present.mark.goes.how if present.gone < 1 and present.mark.goes.how in PIECEWISE else ""


def _glyphs(text: SetText, present: PresentLabel) -> list[tuple[Glyph, skia.Path, float]]:
    """Each glyph with its outline, where it is on its way, and how much of it is there."""
    how, share = _how(present), _share(present)
    found = []
    for glyph in text.glyphs:
        there, dy = 1.0, 0.0
        if how == "typed":
            there = float(glyph.letter < share * text.letters)
        elif how == "rise":
            eased = 1 - (1 - share) ** 3
            there, dy = share, (1 - eased) * 0.7
        elif how:
            unit, units = (glyph.word, text.words) if how == "words" else (glyph.letter, text.letters)
            local = min(max(share * (units + OVERLAP) - unit, 0.0) / OVERLAP, 1.0)
            there, dy = local, (1 - local) ** 2 * 0.3
        if there > 0:
            found.append((glyph, _placed(glyph, dy), there))
    return found


def _pieces(text: SetText, present: PresentLabel) -> Pieces:
    """The text as outlines in type sizes, with how much of each is there: in one piece where all is."""
    if not _how(present):
        return [(_whole(text), 1.0)]
    pieces: Pieces = []
    whole = skia.Path()
    for _, path, share in _glyphs(text, present):
        if share >= 1:
            whole.addPath(path)
        else:
            pieces.append((path, share))
    return [(whole, 1.0), *pieces]


@lru_cache(maxsize=256)
def _whole(text: SetText) -> skia.Path:
    path = skia.Path()
    for glyph in text.glyphs:
        path.addPath(_placed(glyph))
    return path
