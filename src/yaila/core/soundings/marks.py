"""Marks that cannot be read, seen or borne: too short on screen, too small, at the edge, one over another, out of
frame, too fast, or flashing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from itertools import combinations, pairwise
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, View
from yaila.core.film import Choreography, Film, Label, Region
from yaila.core.film.scene import present_at
from yaila.core.picture.labels import lay, seen_at
from yaila.core.time import Time
from yaila.core.type import Faces, set_text

A_SECOND = 16.0
"""Letters that are read in a second, after half a second in which they are found (common practice, no source)."""

FOUND = 0.5
"""Seconds in which a text is found before it is read."""

LEAST_SIZE = 0.024
"""Type smaller than this share of the frame's height is hard to read from an armchair (common practice, no source)."""

SAFE = 0.05
"""Graphics stay this share of width and height away from every edge (EBU R 95, graphics-safe area)."""

COVERED = 0.12
"""A label of which another covers this share cannot be read."""

FLEET = 1.0
"""Frame widths a second: a traveller beyond cannot be followed (common practice, no source)."""

FLASHES, FLASH_AREA = 3, 0.25
"""More flashes than this within a second, over more of the picture than this, can harm (Rec. ITU-R BT.1702)."""

READABLE = 0.6
"""A text counts as there from this opacity on."""

MOST_RIDDEN = 20_000
"""Frames in which a traveller is looked at."""

MOST_LOOKS = 60
"""Moments at which a mark is looked at."""


@dataclass(frozen=True)
class MarkFault:
    """Frames ``first`` to ``last``, worst at ``frame``. ``frames`` is how much longer a mark should stay."""

    kind: Literal["read", "small", "unsafe", "covered", "unseen", "fleet", "flashes", "letters"]
    grave: bool
    first: int
    last: int
    frame: int
    figure: float
    text: str
    mark: str
    frames: int | None = None


@dataclass(frozen=True)
class _Sight:
    """A label at a frame: its box in the frame, its type size, and whether all of it is there to be read."""

    frame: int
    box: NDArray[np.float32]
    em: float
    whole: bool


def mark_faults(film: Film, choreography: Choreography, faces: Faces) -> list[MarkFault]:
    """All that is wrong with marks, in no order."""
    found = [*_unseen(film, choreography), *_fleet(film, choreography), *_flashing(film, choreography)]
    step = max(round(float(film.fps.value) / 5), 1)
    sights: dict[str, list[_Sight]] = {}
    for label in film.labels:
        if label.shown and label.stands != "route":
            sights[label.id] = _sights(film, choreography, label, step, faces)
            found += _reading(film, label, sights[label.id], choreography, step)
        found += _letters(film, label, choreography, faces)
    found += _covered(film, sights, step)
    return found


def _frames(choreography: Choreography, key: str, step: int) -> list[int]:
    there = choreography.timeline.ranges[key]
    first, end = max(there.start.first_frame, 0), min(there.end.first_frame, choreography.frames)
    # All films' marks are looked at on the same frames, so that they can be compared.
    wide = step * max(-(-(end - first) // (step * MOST_LOOKS)), 1)
    return [frame for frame in range(first - first % step, end, wide) if frame >= first]


def _sights(film: Film, choreography: Choreography, label: Label, step: int, faces: Faces) -> list[_Sight]:
    found = []
    size = film.frame.size
    for frame in _frames(choreography, label.id, step):
        pose = choreography.pose(Time(frame))
        present = present_at(film, choreography, label, Time(frame))
        if not present or present.opacity * present.look.opacity * seen_at(label, pose.span) < READABLE:
            continue
        laid = lay(replace(present, scale=1.0), View.of(pose, size), faces)
        if laid is None:
            continue
        whole = present.came >= 1 and present.gone >= 1
        found.append(_Sight(frame, laid.box.astype(np.float32), laid.em, whole))
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
    edged = [sight for sight in shown if _inside(sight.box, size, SAFE) < 0.995]
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


def _covered(film: Film, sights: dict[str, list[_Sight]], step: int) -> list[MarkFault]:
    names = {label.id: label.name for label in film.labels}
    found = []
    for (one, mine), (other, theirs) in combinations(sights.items(), 2):
        boxes = {sight.frame: sight.box for sight in theirs}
        meets = []
        for sight in mine:
            if sight.frame in boxes:
                box = boxes[sight.frame]
                shared = float(cv2.intersectConvexConvex(sight.box, box)[0])
                share = shared / max(min(_area(sight.box), _area(box)), 1.0)
                if share > COVERED:
                    meets.append((share, sight.frame))
        if len(meets) * step >= 10:
            share, frame = max(meets)
            first, last = min(f for _, f in meets), max(f for _, f in meets)
            text = f"“{names[one]}” and “{names[other]}” cover each other"
            found.append(MarkFault("covered", False, first, last, frame, share, text, one))
    return found


def _unseen(film: Film, choreography: Choreography) -> list[MarkFault]:
    """Marks whose place is out of the frame during all of their time."""
    found = []
    size = film.frame.size

    @cache
    def view(frame: int) -> NDArray[np.float64]:
        return choreography.pose(Time(frame)).frame_from_ground(size)

    for mark in film.timed:
        if not mark.shown or (isinstance(mark, Label) and mark.stands in ("frame", "route")):
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
    return mark.outline(film.ground.kind == "mercator") if isinstance(mark, Region) else ()


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
        views = np.array([choreography.pose(Time(int(frame))).frame_from_ground(size) for frame in frames])
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
    found = []
    rate, size = float(film.fps.value), film.frame.size
    for region in film.regions:
        there = choreography.timeline.ranges[region.id]
        if not region.shown or region.flashes <= FLASHES or rate / region.flash <= FLASHES:
            continue
        came = region.comes.frames if region.comes.how != "cut" else 0
        frame = min(there.start.frame + came + region.flash // 2, max(choreography.frames - 1, 0))
        share = _share_of_frame(film, choreography, region, frame, size)
        if share > FLASH_AREA:
            pace = rate / region.flash
            text = f"{region.name} flashes {pace:.1f} times a second over {share * 100:.0f} % of the picture"
            last = max(min(there.start.frame + came + region.flashes * region.flash, choreography.frames) - 1, frame)
            found.append(MarkFault("flashes", True, frame, last, frame, pace, text, region.id))
    return found


def _share_of_frame(film: Film, choreography: Choreography, region: Region, frame: int, size: FrameSize) -> float:
    """How much of the frame a region covers, by counting on a coarse grid."""
    width, height = 96, 54
    matrix = choreography.pose(Time(frame)).frame_from_ground(size)
    mask = np.zeros((height, width), np.uint8)
    rings = []
    for ring in _rings(film, region):
        u, v, w = matrix @ np.column_stack([np.array(ring), np.ones(len(ring))]).T
        if (w <= 0).any():
            continue
        cells = np.column_stack([u / w * width / size.width, v / w * height / size.height])
        rings.append(np.clip(cells.round(), -10_000, 10_000).astype(np.int32))
    cv2.fillPoly(mask, rings, 1)
    return float(mask.mean())
