"""The soundings of a film: what is wrong, when, where, and what can be done about it."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from itertools import pairwise
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.errors import NotFound
from yaila.core.film import Choreography, Film, Inset, Plate, Region, Route, choreograph
from yaila.core.film.acts import Act, MakeRoom, MoveMark, OpenMap, RemovePlate, RestackPlate
from yaila.core.film.fitting import ground_of, pixel_on_ground
from yaila.core.ground.placement import through
from yaila.core.picture import Renderer
from yaila.core.soundings.budget import CARRIED, SEEN, SHARP, Budget, budget_of, frame_places
from yaila.core.soundings.finish import FinishFault, finish_faults
from yaila.core.soundings.marks import MarkFault, mark_faults
from yaila.core.soundings.pace import Paces, pace_faults, paces_of
from yaila.core.soundings.pieces import Pieces
from yaila.core.soundings.sound import Listening, SoundFault, sound_faults
from yaila.core.stopping import go_on
from yaila.core.time import Course, timecode
from yaila.core.type import Faces

BARE = 0.001
"""From this share of a frame on, bare ground is found."""

OPEN = 0.5
"""The share of a frame's time that a shutter of 180 degrees is open."""

GRAVE_TIMES = 1.5
"""Imagery enlarged more than this over a fifth of the frame is mush (common practice, no source)."""

STEP = 2.0
"""A step of tone from this CIEDE2000 on is seen along an edge (common practice, no source)."""

HARD = 4.0
"""Percent: a feather narrower than this does not hide a step."""

MOST_LOOKED_AT = 400
"""Frames in which it is looked for what hides a plate."""

SIDES = {
    (-1, -1): "at the upper left", (0, -1): "at the upper edge", (1, -1): "at the upper right",
    (-1, 0): "at the left edge", (1, 0): "at the right edge",
    (-1, 1): "at the lower left", (0, 1): "at the lower edge", (1, 1): "at the lower right",
}  # fmt: skip

OUTER, INNER = 0.3, 0.17
"""How far from the middle of the frame places are at its edges, and up to where they are in its middle, in frames."""

CLEARLY = 1.5
"""How many times as much is bare at some edges as at the others to be there alone."""


class Remedy(BaseModel):
    """What mends a finding: ``act`` alone does, where it has one. ``capture`` names a box of ground and the size of the
    picture that is missing there, and so does ``lay`` on a plain ground, where no survey can help; the others name the
    plate they are about."""

    kind: Literal["act", "capture", "again", "lay", "feather", "credit"]
    text: str
    act: Act | None = None
    plate: str | None = None
    box: tuple[float, float, float, float] | None = None
    size: tuple[int, int] | None = None


class Finding(BaseModel):
    """Something wrong: over frames ``first`` to ``last``, worst at ``frame``, at a place on the ground.

    ``figure`` is the share of the frame that is bare, how many times imagery is enlarged, the step of a seam, or the
    pace that is too fast. ``vantage`` is where the pace is wrong, ``mark`` the mark that it is about.
    """

    id: str
    kind: Literal[
        "bare", "soft", "seam", "hole", "credit", "unused", "fast", "strobe", "turn", "rest", "miss", "jump", "still",
        "read", "small", "unsafe", "covered", "unseen", "fleet", "flashes", "letters", "pale", "picture",
        "soft name", "behind", "no blur", "all blurred", "open", "night", "under",
        "lost sound", "cut off", "silence", "loudness", "pressed",
    ]  # fmt: skip
    grave: bool
    first: int
    last: int
    frame: int
    time: str
    at: tuple[float, float] | None
    plate: str | None
    figure: float
    text: str
    remedy: Remedy | None
    vantage: str | None = None
    mark: str | None = None


def soundings_of(
    film: Film,
    pieces: Pieces | None = None,
    length: Callable[[float], str] = lambda value: f"{value:,.0f}",
    faces: Faces = Faces(),  # noqa: B008 - frozen
    renderer: Renderer | None = None,
    listening: Listening | None = None,
) -> list[Finding]:
    """All findings of a film, the grave ones first, then in time.

    Args:
        pieces: gives pictures, and keeps what was worked out before; without, seams are not looked at, nor what is
            see-through in plates.
        length: says a length on the ground in words.
        faces: where the fonts of labels come from.
        renderer: draws what names stand before; without, their contrast is not looked at.
        listening: hears the film; without, its loudness is not looked at, nor whether its sounds are in store.
    """
    choreography = choreograph(film)
    if not choreography.frames:
        return []
    pieces = pieces or Pieces()
    look, paces = budget_of(film, choreography, pieces=pieces), paces_of(film, choreography)
    findings = [
        *_bare(film, _with_what_lies_under(film, choreography, look)),
        *_soft(film, look, choreography, paces, length),
        *_unused(film, look),
        *_uncredited(film),
        *_holes(film),
        *_pace(film, choreography, paces),
        *_marks(film, choreography, faces, pieces, renderer),
        *_pictures(film, pieces),
        *_insets(film, choreography, listening),
        *_under(film, choreography, look),
        *_finish(film, choreography, paces, pieces, renderer),
        *_sound(film, choreography, listening),
        *_seams(film, look, pieces),
    ]
    return sorted(findings, key=lambda finding: (not finding.grave, finding.first, finding.kind))


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Stretches in which a mask is true: first and last index."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return [(int(a), int(b) - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _box(places: NDArray[np.float64]) -> tuple[float, float, float, float]:
    low, high = np.nanmin(places, axis=0), np.nanmax(places, axis=0)
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def _missing(film: Film, look: Budget, run: slice, wrong: NDArray[np.bool_]) -> Remedy | None:
    """The picture that is missing in a run of frames, of which places (f, n) are wrong: as close as the closest of
    them asks."""
    needs = np.where(wrong & np.isfinite(look.needs[run]), look.needs[run], np.inf)
    closest = float(needs.min())
    # One plate serves what asks for at most twice as coarse a pixel; what is wider is another plate's.
    box = _box(look.places[run][needs < 2 * closest])
    spread = max(box[2] - box[0], box[3] - box[1], closest * 200) * 0.06
    box = (box[0] - spread, box[1] - spread, box[2] + spread, box[3] + spread)
    size = tuple(int(np.ceil((high - low) / closest / 100) * 100) for low, high in ((box[0], box[2]), (box[1], box[3])))
    if max(size) > 200_000:
        return None
    what = f"{size[0]:,} × {size[1]:,} px"
    if film.ground.kind == "plain":
        return Remedy(kind="lay", text=f"Lay a picture of {what} here", box=box, size=(size[0], size[1]))
    return Remedy(kind="capture", text=f"Capture a plate of {what} here", box=box, size=(size[0], size[1]))


def _bare(film: Film, look: Budget) -> list[Finding]:
    share = look.bare_share
    middle = frame_places(film.frame.size) / [film.frame.width, film.frame.height] - 0.5
    found = []
    for first, last in _runs(share > BARE):
        run = slice(first, last + 1)
        worst = first + int(np.argmax(share[run]))
        lack = look.bare[worst]
        percent = f"{100 * share[worst]:.{0 if share[worst] > 0.1 else 1}f}"
        # Where next to nothing shines through all over, the place is where most does.
        at = np.nanmean(look.places[worst][lack > min(SEEN, lack.max() / 2)], axis=0)
        found.append(
            Finding(
                id=f"bare-{look.frames[first]}",
                kind="bare",
                grave=True,
                first=int(look.frames[first]),
                last=int(look.frames[last]),
                frame=int(look.frames[worst]),
                time=timecode(int(look.frames[worst]), film.fps),
                at=(float(at[0]), float(at[1])),
                plate=None,
                figure=float(share[worst]),
                text=f"{percent} % of the frame is bare {_where(lack, middle)}",
                remedy=_missing(film, look, run, look.bare[run] > min(SEEN, float(look.bare[worst].max()) / 2)),
            )
        )
    return found


def _where(lack: NDArray[np.float64], places: NDArray[np.float64]) -> str:
    """Where in the frame most is bare, of so much at places, frames from its middle."""
    x, y = ((lack[:, None] * places).sum(axis=0) / lack.sum()).tolist()
    side = int(np.sign(round(x * 3))), int(np.sign(round(y * 3)))
    if side in SIDES:
        return SIDES[side]
    if lack.min() > 0.5 * lack.max():
        return "all over"
    off = np.abs(places)
    if lack[(off < INNER).all(axis=1)].mean() > lack.mean():
        return "in the middle"
    across, down = (float(lack[off[:, axis] > OUTER].mean()) for axis in (0, 1))
    if across > CLEARLY * down:
        return "at both sides"
    return "above and below" if down > CLEARLY * across else "all round"


def _with_what_lies_under(film: Film, choreography: Choreography, look: Budget) -> Budget:
    """The same, nothing bare where an inset under the map fills all of the frame."""
    bare = look.bare.copy()
    for inset in film.insets:
        if inset.under and inset.stands == "full" and inset.shown:
            bare[_there(choreography, inset, look)] = 0
    return dataclasses.replace(look, bare=bare)


def _there(choreography: Choreography, mark: Inset | Region, look: Budget) -> NDArray[np.bool_]:
    """At which of its frames a mark is there."""
    there = choreography.timeline.ranges[mark.id]
    return (look.frames >= there.start.frames) & (look.frames < there.end.frames)


def _under(film: Film, choreography: Choreography, look: Budget) -> list[Finding]:
    """Insets under the map that nothing lets be seen."""
    opens = [region for region in film.regions if region.shown and _ever(film.look_of(region).opens)]
    found = []
    for inset in film.insets:
        there = _there(choreography, inset, look)
        if not inset.under or not inset.shown or not there.any() or look.bare[there].max() > SEEN:
            continue
        if any((there & _there(choreography, region, look)).any() for region in opens):
            continue
        region = film.regions[-1] if film.regions else None
        remedy = None
        if region:
            remedy = Remedy(kind="act", text=f"Let “{region.name}” open the map", act=OpenMap(regions=[region.id]))
        text = f"“{inset.name}” is under the map, and nothing lets it be seen. Mark a region that opens the map"
        found.append(_of_inset(film, choreography, inset, "unseen", False, text, remedy))
    return found


def _ever(value: Any) -> bool:
    """Whether a share is ever more than nothing."""
    return any(stop.value > 0 for stop in value.stops) if isinstance(value, Course) else value > 0


def _smeared(film: Film, paces: Paces, frames: NDArray[np.int64]) -> NDArray[np.float64]:
    """How many pixels of the film's frame the picture moves while a shutter of 180 degrees is open, at each of some
    frames, in the median of nine places: what is finer is not seen. A cut smears nothing."""
    if not len(paces.frames):
        return np.zeros(len(frames))
    moved = paces.median / float(film.fps.value) * film.frame.width * OPEN
    after = np.minimum(np.searchsorted(paces.frames, frames), len(moved) - 1)
    before = np.maximum(np.searchsorted(paces.frames, frames - 1), 0)
    there = np.where(frames <= paces.frames[-1], moved[after], np.inf)
    return np.minimum(there, np.where(frames > 0, moved[np.minimum(before, len(moved) - 1)], np.inf))


def _most(plates: NDArray[np.int16], count: int) -> NDArray[np.int64]:
    """Which plate is named most in each row (f, n), counted from 0; -1 where there is none."""
    rows, columns = np.nonzero(plates >= 0)
    named = np.bincount(rows * max(count, 1) + plates[rows, columns], minlength=len(plates) * max(count, 1))
    table = named.reshape(len(plates), -1)
    return np.where(table.any(axis=1), table.argmax(axis=1), -1)


def _soft(
    film: Film, look: Budget, choreography: Choreography, paces: Paces, length: Callable[[float], str]
) -> list[Finding]:
    spans = choreography.camera.spans(look.frames.astype(np.float64))
    smeared = _smeared(film, paces, look.frames)
    soft = (look.enlarged > SHARP) & (look.bare < 0.5)
    share = soft.mean(axis=1)
    times = np.quantile(look.enlarged, CARRIED, axis=1)
    seen = (times > GRAVE_TIMES) & (times > smeared)
    # Where it is grave, each plate that carries the frame is a finding of its own.
    main = _most(look.plate, len(film.plates))
    found = []
    for whole_first, whole_last in _runs(share > 1 - CARRIED):
        whole = slice(whole_first, whole_last + 1)
        if times[whole].max() <= SHARP:
            continue
        changes = np.flatnonzero(np.diff(main[whole])).tolist() if seen[whole].any() else []
        go_on()
        cuts = [whole_first, *(whole_first + 1 + change for change in changes), whole_last + 1]
        for first, end in pairwise(cuts):
            run = slice(int(first), int(end))
            worst = int(first) + int(np.argmax(times[run]))
            plate = film.plates[int(main[worst])]
            begins = int(first) + int(np.argmax(share[run] > 1 - CARRIED))
            at = np.nanmean(look.places[worst][soft[worst]], axis=0)
            limit = float(spans[begins])
            grave = bool(seen[run].any())
            if times[worst] > GRAVE_TIMES and not grave:
                # It is over before anybody sees it.
                continue
            found.append(
                Finding(
                    id=f"soft-{look.frames[int(first)]}-{plate.id}",
                    kind="soft",
                    grave=grave,
                    first=int(look.frames[int(first)]),
                    last=int(look.frames[int(end) - 1]),
                    frame=int(look.frames[worst]),
                    time=timecode(int(look.frames[worst]), film.fps),
                    at=(float(at[0]), float(at[1])),
                    plate=plate.id,
                    figure=float(times[worst]),
                    text=f"{plate.name} is enlarged {times[worst]:.1f} times, soft from a span of {length(limit)}",
                    remedy=_missing(film, look, run, soft[run]),
                )
            )
    return found


def _unused(film: Film, look: Budget) -> list[Finding]:
    """Plates that are never seen: hidden under another that should lie below, or of no use."""
    found = []
    for index, plate in enumerate(film.plates):
        if not plate.in_film or look.fills[:, index].max() >= 0.0005:
            continue
        over = _hiding(film, look, index)
        if over is not None and pixel_on_ground(plate) < pixel_on_ground(film.plates[over]):
            text = f"{plate.name} is hidden under {film.plates[over].name}, whose pixels are coarser"
            remedy = Remedy(kind="act", text="Raise it", act=RestackPlate(plate=plate.id, to=over))
        else:
            text = f"{plate.name} is never seen in the film"
            remedy = Remedy(kind="act", text="Take it off the ground", act=RemovePlate(plate=plate.id))
        found.append(
            Finding(
                id=f"unused-{plate.id}", kind="unused", grave=False, first=0, last=int(look.frames[-1]), frame=0,
                time=timecode(0, film.fps), at=None, plate=plate.id, figure=0.0, text=text, remedy=remedy,
            )
        )  # fmt: skip
    return found


def _hiding(film: Film, look: Budget, index: int) -> int | None:
    """The plate that is seen most where another one lies; none where the camera never looks there."""
    some = np.unique(np.linspace(0, len(look.frames) - 1, min(len(look.frames), MOST_LOOKED_AT)).astype(int))
    plate = film.plates[index]
    places, seen = look.places[some].reshape(-1, 2), look.plate[some].ravel()
    on = through(np.linalg.inv(plate.matrix), places)
    inside = (on > 0).all(axis=1) & (on < plate.extent).all(axis=1) & (seen > index)
    return int(np.bincount(seen[inside]).argmax()) if inside.any() else None


def _uncredited(film: Film) -> list[Finding]:
    return [
        Finding(
            id=f"credit-{plate.id}", kind="credit", grave=False, first=0, last=0, frame=0, time=timecode(0, film.fps),
            at=None, plate=plate.id, figure=0.0, text=f"{plate.name} has no credit line",
            remedy=Remedy(kind="credit", text="Say whose picture it is", plate=plate.id),
        )
        for plate in film.plates
        if plate.in_film and not plate.credit.strip()
    ]  # fmt: skip


def _of_plate(
    film: Film,
    plate: Plate,
    kind: Literal["hole", "picture"],
    grave: bool,
    at: NDArray[np.float64],
    figure: float,
    text: str,
    remedy: Remedy | None = None,
) -> Finding:
    """A finding about a plate, at no moment of the film."""
    return Finding(
        id=f"{kind}-{plate.id}", kind=kind, grave=grave, first=0, last=0, frame=0, time=timecode(0, film.fps),
        at=(float(at[0]), float(at[1])), plate=plate.id, figure=float(figure), text=text, remedy=remedy,
    )  # fmt: skip


def _holes(film: Film) -> list[Finding]:
    found = []
    for plate in film.plates:
        if not plate.in_film or not plate.holes:
            continue
        x, y, width, height = plate.holes[0]
        at = ground_of(plate, np.array([[x + width / 2, y + height / 2]]))[0]
        count = len(plate.holes)
        text = f"{count} {'tile is' if count == 1 else 'tiles are'} missing in {plate.name}"
        remedy = Remedy(kind="again", text="Ask for them again", plate=plate.id) if plate.captured else None
        found.append(_of_plate(film, plate, "hole", False, at, count, text, remedy))
    return found


def _pictures(film: Film, pieces: Pieces) -> list[Finding]:
    """Plates whose pictures are not there."""
    if pieces.open is None:
        return []
    found = []
    for plate in film.plates:
        try:
            pieces.open(plate.picture.sha256)
        except NotFound:
            at = ground_of(plate, np.array([[plate.picture.width / 2, plate.picture.height / 2]]))[0]
            text = f"The picture of {plate.name} is gone or damaged; it is left out. Drop its file again"
            found.append(_of_plate(film, plate, "picture", plate.in_film, at, 1, text))
    return found


def _insets(film: Film, choreography: Choreography, listening: Listening | None) -> list[Finding]:
    """Insets whose pictures or clips are not there, and plates whose clips are not."""
    found = []
    missing = [use for use in film.files if listening and use.kind != "sound" and not listening.there(use)]
    lost, still = {use.of for use in missing}, {use.of for use in missing if use.kind == "picture"}
    for plate in film.plates:
        if plate.id not in lost - still:
            continue
        at = ground_of(plate, np.array([[plate.picture.width / 2, plate.picture.height / 2]]))[0]
        text = f"The clip of {plate.name} is gone, so it stands still. Drop it again"
        found.append(_of_plate(film, plate, "picture", plate.in_film, at, 1, text))
    for inset in film.insets:
        if inset.id not in lost or not inset.shown:
            continue
        text = f"The {inset.shows.kind} of “{inset.name}” is gone, so a grey card stands there. Drop it again"
        found.append(_of_inset(film, choreography, inset, "picture", True, text))
    return found


def _of_inset(
    film: Film,
    choreography: Choreography,
    inset: Inset,
    kind: Any,
    grave: bool,
    text: str,
    remedy: Remedy | None = None,
) -> Finding:
    """What is wrong with an inset for as long as it is there."""
    there, last = choreography.timeline.ranges[inset.id], choreography.frames - 1
    first = min(max(there.start.frame, 0), last)
    return Finding(
        id=f"{kind}-{inset.id}",
        kind=kind,
        grave=grave,
        first=first,
        last=min(max(there.end.frame - 1, first), last),
        frame=first,
        time=timecode(first, film.fps),
        at=inset.place,
        plate=None,
        figure=1.0,
        text=text,
        remedy=remedy,
        mark=inset.id,
    )


def _pace(film: Film, choreography: Choreography, paces: Paces) -> list[Finding]:
    found = []
    faults = pace_faults(film, choreography, paces, _runs)
    there = choreography.camera.at(np.array([fault.frame for fault in faults], np.float64))
    for fault, x, y in zip(faults, there.x.tolist(), there.y.tolist(), strict=True):
        go_on()
        remedy = Remedy(kind="act", text=fault.mends, act=fault.act) if fault.act else None
        found.append(
            Finding(
                id=f"{fault.kind}-{fault.first}-{fault.vantage}",
                kind=fault.kind,
                grave=False,
                first=fault.first,
                last=fault.last,
                frame=fault.frame,
                time=timecode(fault.frame, film.fps),
                at=(x, y),
                plate=None,
                figure=fault.figure,
                text=fault.text,
                remedy=remedy,
                vantage=fault.vantage,
            )
        )
    return found


def _marks(
    film: Film, choreography: Choreography, faces: Faces, pieces: Pieces, renderer: Renderer | None
) -> list[Finding]:
    found = []
    for fault in mark_faults(film, choreography, faces, pieces, renderer):
        remedy = None
        mark = film.mark(fault.mark)
        if fault.frames is not None and not isinstance(mark, Route) and mark.ends:
            text = f"Let it stay {fault.frames} frames longer"
            remedy = Remedy(kind="act", text=text, act=MoveMark(mark=mark.id, edge="ends", by=fault.frames))
        elif fault.others:
            text = "Let them make room for one another"
            remedy = Remedy(kind="act", text=text, act=MakeRoom(marks=list(fault.others)))
        found.append(_of_fault(film, fault, remedy))
    return found


def _finish(
    film: Film, choreography: Choreography, paces: Paces, pieces: Pieces, renderer: Renderer | None
) -> list[Finding]:
    return [
        _of_fault(film, fault, Remedy(kind="act", text=fault.says, act=fault.act) if fault.act else None)
        for fault in finish_faults(film, choreography, paces, pieces, renderer)
    ]


def _sound(film: Film, choreography: Choreography, listening: Listening | None) -> list[Finding]:
    return [
        _of_fault(film, fault, Remedy(kind="act", text=fault.says, act=fault.act) if fault.act else None)
        for fault in sound_faults(film, choreography, listening)
    ]


def _of_fault(film: Film, fault: MarkFault | FinishFault | SoundFault, remedy: Remedy | None) -> Finding:
    return Finding(
        id=f"{fault.kind}-{fault.first}-{fault.mark or ''}",
        kind=fault.kind,
        grave=fault.grave,
        first=fault.first,
        last=fault.last,
        frame=fault.frame,
        time=timecode(fault.frame, film.fps),
        at=None,
        plate=None,
        figure=fault.figure,
        text=fault.text,
        remedy=remedy,
        mark=fault.mark,
    )


def _seams(film: Film, look: Budget, pieces: Pieces) -> list[Finding]:
    found = []
    for index, plate in enumerate(film.plates):
        # A wide feather melts a step away; so does a plate that fills the frame whenever it is seen.
        partly = (look.fills[:, index] > 0.02) & (look.fills[:, index] < 0.98)
        if index == 0 or not plate.in_film or plate.feather.width >= HARD or not partly.any():
            continue
        try:
            rim = pieces.rim(film, plate)
        except NotFound:
            # That a picture is gone is a finding of its own.
            continue
        if rim is None or rim.step < STEP:
            continue
        first, last = _runs(partly)[0]
        frame = int(look.frames[(first + last) // 2])
        found.append(
            Finding(
                id=f"seam-{plate.id}",
                kind="seam",
                grave=False,
                first=int(look.frames[first]),
                last=int(look.frames[last]),
                frame=frame,
                time=timecode(frame, film.fps),
                at=rim.at,
                plate=plate.id,
                figure=rim.step,
                text=f"The edge of {plate.name} steps by {rim.step:.1f} in tone",
                remedy=Remedy(kind="feather", text="Match its tone and feather its edge", plate=plate.id),
            )
        )
    return found
