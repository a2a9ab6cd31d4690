"""Marks that cannot be read, seen or borne: too short on screen, too small, at the edge, one over another, out of
frame, too fast, or flashing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache, partial
from itertools import pairwise
from typing import Any, Literal

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, View
from yaila.core.colour import bytes_of, contrast, relative_luminance
from yaila.core.film import Choreography, Film, Label, Marker, Region
from yaila.core.film.marked import Deck, Lamp
from yaila.core.film.running import courses_of, resting
from yaila.core.film.scene import present_at
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.picture.labels import box_of, lies_flat, seen_at
from yaila.core.soundings.pieces import Pieces, digest, unseen
from yaila.core.stopping import go_on
from yaila.core.time import Time
from yaila.core.type import Faces, set_text

A_SECOND = 16.0
"""Letters that are read in a second, after half a second in which they are found (common practice, no source)."""

FOUND = 0.5
"""Seconds in which a text is found before it is read."""

LEAST_SIZE = 0.024
"""Type smaller than this share of the frame's height is hard to read from an armchair (common practice, no source)."""

SAFE_AREAS = {"action": 0.035, "graphics": 0.05}
"""How far from every edge action and graphics stay, as a share of width and height (EBU R 95)."""

COVERED = 0.12
"""A label of which another covers this share cannot be read."""

FLEET = 1.0
"""Frame widths a second: a traveller beyond cannot be followed (common practice, no source)."""

FLASHES, FLASH_AREA = 3, 0.25
"""More flashes than this within a second, over more of the picture than this, can harm (Rec. ITU-R BT.1702)."""

CONTRAST = 3.0
"""The least contrast of large letters with what is behind them (WCAG 2.2, 1.4.3)."""

EDGED = 4.0
"""A halo or an outline so wide, pixels of the film, parts letters from the ground by itself (common practice, no
source)."""

MOST_DRAWN = 60
"""Frames that are drawn to see what names stand before."""

BLURS = frozenset({"lens", "shutter", "relief"})
"""Effects that are left out there: they take time, and what is behind stays about as bright."""

BACKDROP = 240
"""Their width, pixels."""

READABLE = 0.6
"""A text counts as there from this opacity on."""

MOST_RIDDEN = 20_000
"""Frames in which a traveller is looked at."""

MOST_LOOKS = 60
"""Moments at which a mark is looked at."""

ALL_LOOKS = 12_000
"""Moments at which all labels together are looked at, as long as that leaves eight to each."""


@dataclass(frozen=True)
class MarkFault:
    """Frames ``first`` to ``last``, worst at ``frame``. ``frames`` is how much longer a mark should stay."""

    kind: Literal["read", "small", "unsafe", "covered", "unseen", "fleet", "flashes", "letters", "pale"]
    grave: bool
    first: int
    last: int
    frame: int
    figure: float
    text: str
    mark: str
    frames: int | None = None
    others: tuple[str, ...] = ()
    """Labels that it is about besides: those that could make room for one another."""


@dataclass(frozen=True)
class _Sight:
    """A label at a frame: its box in the frame, its type size, and whether all of it is there to be read."""

    frame: int
    box: NDArray[np.float32]
    em: float
    whole: bool
    lies: bool = False


def mark_faults(
    film: Film,
    choreography: Choreography,
    faces: Faces,
    pieces: Pieces | None = None,
    renderer: Renderer | None = None,
) -> list[MarkFault]:
    """All that is wrong with marks, in no order; ``pieces`` keeps what is found of each, and ``renderer`` draws what
    names stand before, if that is to be looked at."""
    pieces = pieces or Pieces()
    found = [*_unseen(film, choreography), *_fleet(film, choreography), *_flashing(film, choreography)]
    step = max(round(float(film.fps.value) / 5), 1)
    sights: dict[str, list[_Sight]] = {}
    looks = min(max(ALL_LOOKS // max(len(film.labels), 1), 8), MOST_LOOKS)

    @cache
    def view(frame: int) -> View:
        return View.of(choreography.pose(Time(frame)), film.frame.size)

    for label in film.labels:
        go_on()
        if label.shown:
            frames = _frames(choreography, label.id, step, looks)
            sights[label.id] = pieces.kept(
                ("sights", faces, _made_of(film, choreography, label, frames)),
                lambda label=label, frames=frames: _sights(film, choreography, label, frames, view, faces),
                lambda made: 300 * len(made),
            )
            found += _reading(film, label, sights[label.id], choreography, step)
        found += _letters(film, label, choreography, faces)
    found += _covered(film, sights, step, pieces)
    found += _under_signs(film, choreography, sights, step, view)
    if renderer:
        found += _pale(film, choreography, sights, pieces, renderer)
    return found


def _frames(choreography: Choreography, key: str, step: int, looks: int) -> list[int]:
    there = choreography.timeline.ranges[key]
    first, end = max(there.start.first_frame, 0), min(there.end.first_frame, choreography.frames)
    # All films' marks are looked at on the same frames, so that they can be compared.
    wide = step * max(-(-(end - first) // (step * looks)), 1)
    return [frame for frame in range(first - first % step, end, wide) if frame >= first]


def _made_of(film: Film, choreography: Choreography, label: Label, frames: list[int]) -> bytes:
    """All that decides where a label is seen at some frames."""
    timeline, look = choreography.timeline, film.look_of(label)
    there = timeline.ranges[label.id]
    stops = [stop for part in (label, look) for _, course, _ in courses_of(part) for stop in course.stops]
    times = [there.start, there.end, *(timeline.time(stop.at, label) for stop in stops)]
    if label.reveal and label.reveal.how != "route":
        times.append(timeline.reveals[label.id])
    routes = [label.route if label.stands == "route" else None, label.counter.route if label.counter else None]
    route = "".join(film.route(key).model_dump_json() + str(timeline.runs[key]) for key in routes if key)
    poses = choreography.camera.at(np.array(frames, np.float64)).rows()
    facts = f"{film.frame.size} {film.rate} {[time.frames for time in times]} {frames}"
    return digest(label.model_dump_json(), look.model_dump_json(), route, facts, poses)


def _sights(
    film: Film,
    choreography: Choreography,
    label: Label,
    frames: list[int],
    view: Callable[[int], View],
    faces: Faces,
) -> list[_Sight]:
    found = []
    for frame in frames:
        present = present_at(film, choreography, label, Time(frame))
        if not present or present.opacity * present.look.opacity * seen_at(label, view(frame).pose.span) < READABLE:
            continue
        spot = box_of(replace(present, scale=1.0), view(frame), faces)
        if spot is None:
            continue
        whole = present.came >= 1 and present.gone >= 1
        found.append(_Sight(frame, spot[0].astype(np.float32), spot[1], whole, lies_flat(label)))
    return found


def _area(box: NDArray[np.float32]) -> float:
    return float(cv2.contourArea(box))


def _inside(box: NDArray[np.float32], size: FrameSize, away: float = 0.0) -> float:
    """The share of a box that lies in the frame, ``away`` of width and height from its edges."""
    left, top, right, bottom = away * size.width, away * size.height, (1 - away) * size.width, (1 - away) * size.height
    frame = np.array([[left, top], [right, top], [right, bottom], [left, bottom]], np.float32)
    area = _area(box)
    return float(cv2.intersectConvexConvex(frame, box)[0]) / area if area > 1 else 0.0


def _reading(film: Film, label: Label, sights: list[_Sight], choreography: Choreography, step: int) -> list[MarkFault]:
    size, rate = film.frame.size, float(film.fps.value)
    shown = [sight for sight in sights if sight.whole and _inside(sight.box, size) > 0.9]
    there_is = choreography.timeline.ranges[label.id]
    if not sights:
        return []
    if not shown:
        partly = max(sights, key=lambda sight: _inside(sight.box, size))
        if _inside(partly.box, size) < 0.05:
            return []
        text = f"“{label.name}” is never wholly in the frame"
        return [
            MarkFault("unsafe", True, there_is.start.frame, there_is.end.frame - 1, partly.frame, 0.0, text, label.id)
        ]
    first, last = shown[0].frame, shown[-1].frame
    found = []
    wide = min((b.frame - a.frame for a, b in pairwise(shown)), default=step)
    there = (len(shown) * wide) / rate
    letters = sum(not letter.isspace() for letter in label.text)
    needed = letters / A_SECOND + FOUND
    if there < needed - step / rate:
        frames = int(np.ceil((needed - there) * rate))
        text = f"“{label.name}” can be read for {there:.1f} s; it takes {needed:.1f} s"
        found.append(MarkFault("read", there < needed / 2, first, last, first, there, text, label.id, frames))
    tall = max(sight.em for sight in shown) / size.height
    if tall < LEAST_SIZE:
        text = f"The letters of “{label.name}” are {tall * 100:.1f} % of the frame's height"
        found.append(MarkFault("small", tall < LEAST_SIZE / 2, first, last, first, tall, text, label.id))
    # At the edge for most of the time in which it can be read: not just while the camera leaves it.
    edged = [sight for sight in shown if _inside(sight.box, size, SAFE_AREAS["graphics"]) < 0.995]
    if len(edged) > len(shown) / 2:
        share = len(edged) / len(shown)
        text = f"“{label.name}” stands outside the graphics-safe area"
        found.append(MarkFault("unsafe", False, edged[0].frame, edged[-1].frame, edged[0].frame, share, text, label.id))
    return found


def _letters(film: Film, label: Label, choreography: Choreography, faces: Faces) -> list[MarkFault]:
    """Letters that no font here has, or a font that is gone."""
    family, first = film.look_of(label).family, choreography.timeline.ranges[label.id].start.frame
    if not label.shown:
        return []
    if not faces.has(family):
        text = f"The font of “{label.name}” is not here; it stands in another. Bring it again, or choose one"
        return [MarkFault("letters", True, first, first, first, 0.0, text, label.id)]
    missing = set_text(label.text, family, False, False, 0, "left", faces).missing
    if not missing:
        return []
    text = f"“{label.name}”: no font here has {' '.join(missing[:12])}. Bring one that does"
    return [MarkFault("letters", True, first, first, first, float(len(missing)), text, label.id)]


def _boxed(boxes: list[NDArray[np.float32]]) -> Any:
    """Upright boxes around boxes."""
    corners = np.array(boxes)
    return shapely.box(*corners.min(axis=1).T, *corners.max(axis=1).T)


def _by_frame(sights: dict[str, list[_Sight]]) -> dict[int, list[tuple[str, _Sight]]]:
    seen: dict[int, list[tuple[str, _Sight]]] = {}
    for key, mine in sights.items():
        for sight in mine:
            seen.setdefault(sight.frame, []).append((key, sight))
    return seen


def _overlaps(seen: list[tuple[str, _Sight]]) -> list[tuple[int, int, float]]:
    """Which two of the labels in a frame cover each other, and by what share of the smaller one."""
    upright = _boxed([sight.box for _, sight in seen])
    pairs = shapely.STRtree(upright).query(upright).T
    pairs, found = pairs[pairs[:, 0] < pairs[:, 1]], []
    for start in range(0, len(pairs), 256):
        go_on()
        for i, j in pairs[start : start + 256].tolist():
            mine, theirs = seen[i][1].box, seen[j][1].box
            shared = float(cv2.intersectConvexConvex(mine, theirs)[0])
            share = shared / max(min(_area(mine), _area(theirs)), 1.0)
            if share > COVERED:
                found.append((i, j, share))
    return found


def _covered(film: Film, sights: dict[str, list[_Sight]], step: int, pieces: Pieces) -> list[MarkFault]:
    """Labels of which others cover a part: the worst pair of each label, and how many others there are."""
    names = {label.id: label.name for label in film.labels}
    # What makes room is not hidden, or not for long.
    facing = {label.id for label in film.labels if label.stands == "facing"}
    gives = {label.id for label in film.labels if label.gives_way} & facing
    upright = facing | {label.id for label in film.labels if label.stands == "frame"}
    meets: dict[tuple[str, str], list[tuple[float, int]]] = {}
    for frame, seen in _by_frame(sights).items():
        go_on()
        boxes = digest(np.array([sight.box for _, sight in seen]))
        for i, j, share in pieces.kept(
            ("overlaps", boxes),
            lambda seen=seen: _overlaps(seen),
            lambda made: 200 * len(made),
        ):
            meets.setdefault((seen[i][0], seen[j][0]), []).append((share, frame))
    found: dict[str, tuple[list[tuple[float, int]], str, int]] = {}
    for (one, other), them in meets.items():
        if {one, other} & gives and {one, other} <= upright:
            continue
        if len(them) * step >= 10:
            worst, partner, count = found.get(one, ([], "", 0))
            found[one] = (*((them, other) if max(them) > max(worst, default=(0.0, 0)) else (worst, partner)), count + 1)
    faults = []
    for one, (them, other, count) in found.items():
        share, frame = max(them)
        text = f"“{names[one]}” and “{names[other]}” cover each other"
        if count > 1:
            text += f"; {count - 1} more {'covers' if count == 2 else 'cover'} it"
        first, last = min(f for _, f in them), max(f for _, f in them)
        both = tuple(key for key in (one, other) if key in facing)
        faults.append(MarkFault("covered", False, first, last, frame, share, text, one, others=both))
    return faults


def _unseen(film: Film, choreography: Choreography) -> list[MarkFault]:
    """Marks whose place is out of the frame during all of their time."""
    found = []
    size = film.frame.size

    @cache
    def view(frame: int) -> NDArray[np.float64]:
        return choreography.pose(Time(frame)).frame_from_ground(size)

    for mark in film.timed:
        go_on()
        if not mark.shown or isinstance(mark, Deck) or (isinstance(mark, Label) and mark.stands in ("frame", "route")):
            continue
        if isinstance(mark, Lamp) and mark.hangs:
            continue
        there = choreography.timeline.ranges[mark.id]
        first, end = there.start.frame, min(there.end.frame, choreography.frames)
        count = min(max(end - first, 0), 120)
        frames = [int(frame) for frame in np.linspace(first, end - 1, count)]
        # A region may reach into the frame though its middle does not.
        corners = [corner for ring in _rings(film, mark) for corner in ring][:400]
        places = np.array([mark.place, *corners])
        if any(_any_inside(view(frame), places, size) for frame in frames):
            continue
        text = f"{mark.name} is never in the frame" if end > first else f"{mark.name} has no time: it ends as it comes"
        at = min(first, max(choreography.frames - 1, 0))
        found.append(MarkFault("unseen", False, at, max(end - 1, at), at, 0.0, text, mark.id))
    return found


def _rings(film: Film, mark: object) -> tuple[tuple[tuple[float, float], ...], ...]:
    return resting(mark).outline(film.ground.kind == "mercator") if isinstance(mark, Region) else ()


def _any_inside(matrix: NDArray[np.float64], places: NDArray[np.float64], size: FrameSize) -> bool:
    u, v, w = matrix @ np.column_stack([places, np.ones(len(places))]).T
    with np.errstate(divide="ignore", invalid="ignore"):
        inside = (w > 0) & (u / w > 0) & (u / w < size.width) & (v / w > 0) & (v / w < size.height)
    return bool(inside.any())


def _fleet(film: Film, choreography: Choreography) -> list[MarkFault]:
    """Travellers that cross the frame faster than anybody follows."""
    found = []
    size, rate = film.frame.size, float(film.fps.value)
    for route in film.routes:
        run = choreography.timeline.runs[route.id]
        if not route.draws.shown or not route.traveller:
            continue
        first, end = max(int(run.start), 0), min(int(run.end) + 1, choreography.frames)
        frames = (
            np.arange(first, end) if end - first < MOST_RIDDEN else np.arange(first, end, (end - first) // MOST_RIDDEN)
        )
        if len(frames) < 2:
            continue
        places = np.column_stack([route.curve.along(run.way(frames.astype(np.float64))), np.ones(len(frames))])
        views = choreography.camera.at(frames.astype(np.float64)).frame_from_ground(size)
        # Its own way within one frame's view: what the camera does is the camera's affair.
        seen = np.einsum("nij,nj->ni", views, places)
        after = np.column_stack([route.curve.along(run.way((frames + 1).astype(np.float64))), np.ones(len(frames))])
        next_seen = np.einsum("nij,nj->ni", views, after)
        with np.errstate(divide="ignore", invalid="ignore"):
            at, then = seen[:, :2] / seen[:, 2:], next_seen[:, :2] / next_seen[:, 2:]
        inside = (seen[:, 2] > 0) & (at >= 0).all(axis=1) & (at[:, 0] <= size.width) & (at[:, 1] <= size.height)
        pace = np.where(inside, np.linalg.norm(then - at, axis=1) / size.width * rate, 0.0)
        fast = np.flatnonzero(pace > FLEET)
        if len(fast):
            worst = int(fast[np.argmax(pace[fast])])
            text = f"{route.name}: what travels crosses {pace[worst]:.1f} frame widths a second"
            first, last = int(frames[fast[0]]), int(frames[fast[-1]])
            found.append(MarkFault("fleet", False, first, last, int(frames[worst]), float(pace[worst]), text, route.id))
    return found


def _flashing(film: Film, choreography: Choreography) -> list[MarkFault]:
    """More flashes within a second than can be borne, of one region or of several, of signs that blink too."""
    rate, size = float(film.fps.value), film.frame.size
    flashes: list[tuple[float, float, str, str]] = []
    lit: list[Region | Marker] = [*film.regions, *film.markers]
    for mark in map(film.in_style, lit):
        count, each = (mark.flashes, mark.flash) if isinstance(mark, Region) else (mark.blinks, mark.blink)
        if not mark.shown or not count:
            continue
        start = choreography.timeline.ranges[mark.id].start.frames
        start += mark.comes.frames if mark.comes.how != "cut" else 0
        frame = min(int(start) + each // 2, max(choreography.frames - 1, 0))
        share = _share_of_frame(film, choreography, mark, frame, size)
        flashes += [(start + k * each, share, mark.id, mark.name) for k in range(count)]
    flashes.sort()
    times = np.array([time for time, *_ in flashes])
    # What flashes at different moments adds up in number, what flashes together in area.
    summed = np.concatenate([[0.0], np.cumsum([share for _, share, _, _ in flashes])])
    found: dict[str, MarkFault] = {}
    for first, (time, _, key, _) in enumerate(flashes):
        end = int(np.searchsorted(times, time + rate))
        if end - first <= FLASHES or key in found:
            continue
        second = times[first:end]
        low = np.searchsorted(times[first:end], second - 1, side="right") + first
        high = np.searchsorted(times[first:end], second + 1) + first
        area = float((summed[high] - summed[low]).max())
        if area > FLASH_AREA:
            names = list(dict.fromkeys(one[3] for one in flashes[first:end]))
            said = f"{names[0]} flashes" if len(names) == 1 else f"{' and '.join(names[:3])} flash"
            text = f"{said} {end - first} times within a second, over {area * 100:.0f} % of the picture"
            found[key] = MarkFault(
                "flashes", True, int(time), int(second[-1]), int(time), float(end - first), text, key
            )
    return list(found.values())


def _under_signs(
    film: Film,
    choreography: Choreography,
    sights: dict[str, list[_Sight]],
    step: int,
    view: Callable[[int], View],
) -> list[MarkFault]:
    """Text that lies on the ground under signs that stand on it."""
    lying = {label.id: label.name for label in film.labels if label.id in sights and lies_flat(label)}
    signs = [marker for marker in film.markers if marker.shown and film.look_of(marker).scales != "ground"]
    if not lying or not signs:
        return []
    places = np.array([marker.place for marker in signs])
    halves = np.array([resting(film.look_of(marker)).size / 2 for marker in signs])
    meets: dict[tuple[str, int], list[tuple[float, int]]] = {}
    for frame, seen in _by_frame({key: sights[key] for key in lying}).items():
        go_on()
        u, v, depth = view(frame).project(places).T
        there = (depth > 0) & [Time(frame) in choreography.timeline.ranges[marker.id] for marker in signs]
        which = np.flatnonzero(there)
        if not len(which):
            continue
        u, v, half = u[which], v[which], halves[which]
        boxes = np.stack(
            [np.stack([u + a * half, v + b * half], axis=1) for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))], axis=1
        ).astype(np.float32)
        tree = shapely.STRtree(_boxed([sight.box for _, sight in seen]))
        for i, j in tree.query(_boxed(list(boxes))).T.tolist():
            key, sight = seen[j]
            share = float(cv2.intersectConvexConvex(sight.box, boxes[i])[0]) / max(_area(sight.box), 1.0)
            if share > COVERED:
                meets.setdefault((key, int(which[i])), []).append((share, frame))
    found = []
    for (key, sign), them in meets.items():
        if len(them) * step >= 10:
            share, frame = max(them)
            text = f"“{signs[sign].name}” stands on “{lying[key]}”"
            first, last = min(f for _, f in them), max(f for _, f in them)
            found.append(MarkFault("covered", False, first, last, frame, share, text, key))
    return found


def _pale(
    film: Film, choreography: Choreography, sights: dict[str, list[_Sight]], pieces: Pieces, renderer: Renderer
) -> list[MarkFault]:
    """Names that hardly stand out from what the renderer draws behind them."""
    found = []
    bare = unseen(film, "label")
    made_of = digest(bare.model_dump_json()) if sights else b""
    height = max(round(BACKDROP * film.frame.height / film.frame.width), 2)
    size, drawn = FrameSize(BACKDROP, height), set[int]()

    def backdrop(frame: int) -> NDArray[np.uint8]:
        return renderer.render(Request(bare, Time(frame), size, Quality.DRAFT, without=BLURS)).rgb

    for label in film.labels:
        look, whole = resting(film.look_of(label)), [sight for sight in sights.get(label.id, []) if sight.whole]
        if not whole or look.box != "none" or (look.outline >= EDGED / 2 and _apart(look.colour, look.outline_colour)):
            continue
        if look.halo >= EDGED and _apart(look.colour, look.halo_colour):
            continue
        sight = whole[len(whole) // 2]
        if len(drawn) >= MOST_DRAWN and sight.frame not in drawn:
            continue
        drawn.add(sight.frame)
        picture = pieces.kept(
            ("backdrop", made_of, sight.frame), partial(backdrop, sight.frame), lambda made: made.nbytes
        )
        mask = np.zeros((height, BACKDROP), np.uint8)
        cv2.fillConvexPoly(mask, np.round(sight.box * (BACKDROP / film.frame.width)).astype(np.int32), 1)
        behind = picture[mask > 0]
        if not len(behind):
            continue
        letters = relative_luminance(np.array([bytes_of(look.colour)], np.uint8))[0]
        ratios = contrast(letters, relative_luminance(behind))
        ratio = float(np.median(ratios))
        if ratio < CONTRAST:
            text = f"“{label.name}” hardly stands out from what is behind it: {ratio:.1f} to 1"
            first, last = whole[0].frame, whole[-1].frame
            found.append(MarkFault("pale", ratio < CONTRAST / 2, first, last, sight.frame, ratio, text, label.id))
    return found


def _apart(one: str, other: str) -> bool:
    """Whether two colours stand out from each other."""
    both = relative_luminance(np.array([bytes_of(one), bytes_of(other)], np.uint8))
    return bool(contrast(both[0], both[1:])[0] >= CONTRAST)


def _share_of_frame(
    film: Film, choreography: Choreography, mark: Region | Marker, frame: int, size: FrameSize
) -> float:
    """How much of the frame a region or a sign covers, by counting on a coarse grid."""
    width, height = 96, 54
    view = View.of(choreography.pose(Time(frame)), size)
    if isinstance(mark, Marker):
        look, depth = resting(film.look_of(mark)), view.depth(np.array(mark.place))
        wide = look.ground * view.pixels_per_unit / max(depth, 1e-6) if look.scales == "ground" else look.size
        return float(min(wide * wide / (size.width * size.height), 1.0)) if depth > 0 else 0.0
    mask = np.zeros((height, width), np.uint8)
    rings = []
    for ring in _rings(film, mark):
        u, v, w = view.frame_from_ground @ np.column_stack([np.array(ring), np.ones(len(ring))]).T
        if (w <= 0).any():
            continue
        cells = np.column_stack([u / w * width / size.width, v / w * height / size.height])
        rings.append(np.clip(cells.round(), -10_000, 10_000).astype(np.int32))
    cv2.fillPoly(mask, rings, 1)
    return float(mask.mean())
