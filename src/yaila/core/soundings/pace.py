"""Pace and comfort: what is too fast to follow, likely to strobe, too short to read, or jerks.

Thresholds are common practice without a source, but for strobing: a thing should take about 7 s to cross the frame at
24 frames a second and a shutter of 180 degrees (common practice, cinematographers' rule of thumb).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import Track
from yaila.core.camera.manners import Glide, Hop, Steps
from yaila.core.camera.pace import changes_between, moves
from yaila.core.camera.passages import passage_of
from yaila.core.film import Choreography, Film
from yaila.core.film.acts import Act, ChangeManner, PassThrough, Retime
from yaila.core.film.legs import flows, move_of, timing_of

MOST_FRAMES = 20_000
"""Up to so many frames of a film are checked one by one."""

LEVELS = ("brisk", "fast", "unreadable")
"""What is said of a pace beyond each of the limits."""

ZOOMS = (3.0, 5.0, 8.0)
"""Doublings a second from which a zoom is brisk, fast, and beyond what anybody can follow."""

PANS = (0.6, 0.9, 1.2)
"""Frame widths a second from which a pan is. Beyond the last it is a whip, in which nothing is meant to be seen."""

TOLD_AFTER = (1.5, 0.4, 0.0)
"""Seconds for which a pace lasts before it is told: a moment of speed in the middle of a move is what gives it life."""

WHIP_LASTS = 0.8
"""Seconds: a pan that is quick for longer is no whip between two places, but a picture that nobody sees."""

STILL_ZOOM, STILL_PAN = 0.03, 0.01
"""Doublings and frame widths a second below which nothing seems to move."""

STILL_FOR, STILL_REST = 15.0, 4.0
"""Seconds after which a picture in which nothing happens is dead time, and how long it may well rest."""

CROSSING = 7.0
"""Seconds in which a thing should cross the frame at 24 frames a second."""

STROBES_FOR = 0.6
"""Seconds for which a pan strobes before it is told."""

SHORT_REST = 0.48
"""Seconds: a shorter rest reads as a stumble. Twelve frames at 25."""

QUICK_TURN = 100.0
"""Degrees a second."""

NEAR_MISS = 3
"""Frames: what begins so near to a beat, but not on it, looks like a mistake."""

JUMP = 0.05
"""Frame widths a second: a sudden change of speed from here on is seen as a jerk."""


Runs = Callable[[NDArray[np.bool_]], list[tuple[int, int]]]
"""Gives the stretches in which a mask is true: first and last index."""


@dataclass(frozen=True)
class Paces:
    """How fast the picture is from each of ``frames`` (n,) to the next, shape (n,): doublings a second, frame widths a
    second of the middle, of the median of nine places and of the fastest of them, degrees of heading, tilt and roll a
    second, and doublings of the span alone."""

    frames: NDArray[np.int64]
    doublings: NDArray[np.float64]
    middle: NDArray[np.float64]
    median: NDArray[np.float64]
    fastest: NDArray[np.float64]
    turn: NDArray[np.float64]
    tilt: NDArray[np.float64]
    roll: NDArray[np.float64]
    zoom: NDArray[np.float64]


def levels_of(paces: Paces) -> NDArray[np.int64]:
    """How quick the picture is at each frame, (n,): 0 is comfortable, 1 to 3 are ``LEVELS``."""
    zoom, pan = (np.searchsorted(limits, values) for limits, values in _measures(paces))
    return np.maximum(zoom, pan)


def _measures(paces: Paces) -> list[tuple[tuple[float, ...], NDArray[np.float64]]]:
    # A zoom carries the eye along, so that a pan is judged where there is hardly any.
    panning = paces.zoom < 0.7
    return [(ZOOMS, np.where(panning, 0.0, paces.doublings)), (PANS, np.where(panning, paces.middle, 0.0))]


def looked_at(choreography: Choreography) -> NDArray[np.int64]:
    """The frames of a film that are checked: all of a short one; of a long one so many in each hold and passage."""
    frames = choreography.frames
    if frames <= MOST_FRAMES:
        return np.arange(frames)
    each = max(MOST_FRAMES // (2 * len(choreography.legs)), 8)
    edges = sorted({0, frames, *(edge for leg in choreography.legs for edge in (leg.start, leg.leaves, leg.end))})
    found = [np.linspace(a, b - 1, min(each, b - a)).round().astype(np.int64) for a, b in pairwise(edges)]
    return np.unique(np.concatenate(found))


def paces_of(film: Film, choreography: Choreography) -> Paces:
    """The pace strip of a film."""
    frames = looked_at(choreography)
    return _paces_at(film, choreography, frames[frames < choreography.frames - 1])


def _paces_at(film: Film, choreography: Choreography, frames: NDArray[np.int64]) -> Paces:
    rate = float(film.fps.value)
    if not len(frames):
        return Paces(frames, *(np.zeros(0),) * 8)
    both = np.unique(np.concatenate([frames, frames + 1]))
    track, first = choreography.camera.at(both.astype(np.float64)), np.searchsorted(both, frames)
    now, later = track.taken(first), track.taken(first + 1)
    moved = moves(now, later, film.frame.size) * rate
    turn, tilt, roll = (
        np.abs(getattr(later, name) - getattr(now, name)) * rate for name in ("heading", "tilt", "roll")
    )
    zoom = np.abs(np.log2(later.span / now.span)) * rate
    made = changes_between(now, later) * rate
    # A cut is no motion.
    cuts = [leg.end - 1 for leg, one in zip(choreography.legs[:-1], film.vantages, strict=False) if one.cuts]
    cut = np.isin(frames, cuts)
    made[cut] = turn[cut] = tilt[cut] = roll[cut] = zoom[cut] = 0
    moved[cut] = 0
    return Paces(frames, made, moved[:, 0], np.median(moved, axis=1), moved.max(axis=1), turn, tilt, roll, zoom)


@dataclass(frozen=True)
class PaceFault:
    """Frames ``first`` to ``last``, worst at ``frame``; ``vantage`` is the one whose rest or onward passage it is in.

    ``act`` is what would mend it, and ``mends`` says so.
    """

    kind: Literal["fast", "strobe", "turn", "rest", "miss", "jump", "still"]
    first: int
    last: int
    frame: int
    figure: float
    text: str
    vantage: str | None
    act: Act | None = None
    mends: str = ""


def pace_faults(film: Film, choreography: Choreography, paces: Paces, runs: Runs) -> list[PaceFault]:
    """All that is wrong with the pace of a film, in no order."""
    return [
        *_fast(film, choreography, paces, runs),
        *_strobing(film, choreography, paces, runs),
        *_turning(film, choreography, paces, runs),
        *_short_rests(film, choreography),
        *_near_misses(film, choreography),
        *_jumps(film, choreography),
        *_still(film, choreography, paces, runs),
    ]


LONGEST = 40.0
"""Seconds: time beyond that nobody would give to a passage is no remedy."""


def _slower(film: Film, choreography: Choreography, frame: int, factor: float) -> tuple[Act | None, str]:
    """What makes the passage at a frame slower by a factor, and a little more."""
    index = choreography.leg_at(frame)
    leg = choreography.legs[index]
    if not leg.leaves <= frame < leg.end:
        return None, ""
    frames = int(np.ceil(leg.passage * factor * 1.03))
    seconds = float(film.fps.seconds(frames))
    if seconds < LONGEST:
        return Retime(vantage=film.vantages[index].id, passage=frames), f"Give the passage {seconds:.1f} s"
    return None, ""


def _worst(
    frames: NDArray[np.int64], values: NDArray[np.float64], mask: NDArray[np.bool_], runs: Runs
) -> list[tuple[int, int, int, float]]:
    """Stretches in which a mask is true: first and last frame, the frame of the highest value there, and that."""
    found = []
    for first, last in runs(mask):
        worst = first + int(np.argmax(values[first : last + 1]))
        found.append((int(frames[first]), int(frames[last]), int(frames[worst]), float(values[worst])))
    return found


def _fast(film: Film, choreography: Choreography, paces: Paces, runs: Runs) -> list[PaceFault]:
    """What is brisk, fast or unreadable, once for each stretch, as its worst part is."""
    rate = float(film.fps.value)
    found = []
    for (limits, values), unit in zip(_measures(paces), ("doublings", "frame widths"), strict=True):
        for first, last in runs(values > limits[0]):
            run, frames = values[first : last + 1], paces.frames[first : last + 1]
            for level in (2, 1, 0):
                beyond = np.flatnonzero(run > limits[level])
                if not len(beyond) or (len(beyond) + 1) / rate < TOLD_AFTER[level]:
                    continue
                if unit == "frame widths" and float(film.fps.seconds(int(frames[-1] - frames[0]))) < WHIP_LASTS:
                    break
                worst = int(np.argmax(run))
                pace, at = float(run[worst]), int(frames[worst])
                text = f"{LEVELS[level].capitalize()}: the picture goes through {pace:.1f} {unit} a second"
                slower = _slower(film, choreography, at, pace / limits[0])
                name = film.vantages[choreography.leg_at(at)].id
                found.append(PaceFault("fast", int(frames[0]), int(frames[-1]) + 1, at, pace, text, name, *slower))
                break
    return found


def _still(film: Film, choreography: Choreography, paces: Paces, runs: Runs) -> list[PaceFault]:
    """Dead time: nothing moves, and nothing comes or goes."""
    if not len(paces.frames):
        return []
    rate, timeline = float(film.fps.value), choreography.timeline
    quiet = (paces.doublings < STILL_ZOOM) & (paces.fastest < STILL_PAN)
    for run in timeline.runs.values():
        quiet &= (paces.frames < run.start) | (paces.frames > run.end)
    edges = [edge for there in timeline.ranges.values() for edge in (there.start.frame, there.end.frame)]
    edges += [start.frame for start in timeline.reveals.values()]
    for at in np.searchsorted(paces.frames, [edge for edge in edges if 0 < edge < choreography.frames]).tolist():
        quiet[min(at, len(quiet) - 1)] = False
    found = []
    for first, last in runs(quiet):
        begin, end = int(paces.frames[first]), int(paces.frames[last]) + 1
        seconds = (end - begin) / rate
        if seconds < STILL_FOR:
            continue
        index = choreography.leg_at((begin + end) // 2)
        leg, vantage = choreography.legs[index], film.vantages[index]
        text = f"Nothing moves and nothing comes for {seconds:.0f} s"
        act: Act
        if leg.hold >= leg.passage:
            rest = max(leg.hold - (end - begin) + round(STILL_REST * rate), 1)
            act, mends = Retime(vantage=vantage.id, hold=rest), f"Rest for {rest / rate:.1f} s"
        else:
            # As quick as is comfortable, however little there is to see on the way.
            frames = max(round(leg.length / ZOOMS[0] * 2 * rate), round(STILL_REST * rate))
            act, mends = Retime(vantage=vantage.id, passage=frames), f"Give the passage {frames / rate:.1f} s"
        found.append(PaceFault("still", begin, end, begin, seconds, text, vantage.id, act, mends))
    return found


def _strobing(film: Film, choreography: Choreography, paces: Paces, runs: Runs) -> list[PaceFault]:
    rate = float(film.fps.value)
    limit = rate / 24 / CROSSING
    # A zoom carries the eye along; a pan does not.
    panning = (paces.middle > limit) & (paces.middle < PANS[-1]) & (paces.zoom < 0.7)
    found = []
    for first, last, worst, speed in _worst(paces.frames, paces.middle, panning, runs):
        if last - first + 1 < STROBES_FOR * rate:
            continue
        found.append(
            PaceFault(
                "strobe", first, last + 1, worst, speed,
                f"What the camera passes crosses the frame in {1 / speed:.1f} s, likely to strobe",
                film.vantages[choreography.leg_at(worst)].id,
                *_calmer(film, choreography, worst, speed / limit, runs),
            )
        )  # fmt: skip
    return found


def _calmer(film: Film, choreography: Choreography, frame: int, factor: float, runs: Runs) -> tuple[Act | None, str]:
    """What ends a strobing pan: more time, or, where that would be too long, an arc that rises over it."""
    act, mends = _slower(film, choreography, frame, factor)
    index = choreography.leg_at(frame)
    if act or not isinstance(film.vantages[index].passage.manner, Glide):
        return act, mends
    leg, rate = choreography.legs[index], float(film.fps.value)
    # The passage alone is looked at, as if both its ends were stops.
    way = passage_of(move_of(film, index), Hop(), timing_of(film, index), leg.passage)
    track = Track.of_channels(way.at(np.arange(leg.passage + 1, dtype=np.float64)))
    now, later = track.part(slice(None, -1)), track.part(slice(1, None))
    middle = moves(now, later, film.frame.size)[:, 0] * rate
    zoom = np.abs(np.log2(later.span / now.span)) * rate
    panning = (middle > rate / 24 / CROSSING) & (middle < PANS[-1]) & (zoom < 0.7)
    if max((last - first + 1 for first, last in runs(panning)), default=0) >= STROBES_FOR * rate:
        return None, ""
    return ChangeManner(vantage=film.vantages[index].id, manner=Hop()), "Let it hop over"


def _turning(film: Film, choreography: Choreography, paces: Paces, runs: Runs) -> list[PaceFault]:
    # A spin that was asked for is meant.
    end = choreography.frames - (film.closing.frames if film.closing else 0)
    found = []
    for name, turns in (("heading", paces.turn), ("tilt", paces.tilt), ("roll", paces.roll)):
        for first, last, worst, turn in _worst(paces.frames, turns, turns > QUICK_TURN, runs):
            if worst >= end:
                continue
            found.append(
                PaceFault(
                    "turn", first, last + 1, worst, turn, f"The {name} turns {turn:.0f}° a second",
                    film.vantages[choreography.leg_at(worst)].id,
                    *_slower(film, choreography, worst, turn / QUICK_TURN),
                )
            )  # fmt: skip
    return found


def _short_rests(film: Film, choreography: Choreography) -> list[PaceFault]:
    rate = float(film.fps.value)
    least = int(np.ceil(SHORT_REST * rate))
    found = []
    for index, (leg, vantage) in enumerate(zip(choreography.legs, film.vantages, strict=True)):
        cut = index and film.vantages[index - 1].cuts
        if index and not flows(film, index) and not cut and leg.passage and leg.hold < least:
            text = f"The rest at {vantage.name} of {leg.hold} frames is too short to read"
            act: Act = Retime(vantage=vantage.id, hold=least)
            if not leg.hold and _hard(film, index, arrives=True, leaves=True):
                continue
            if not leg.hold:
                text, act = f"The camera stops at {vantage.name} and goes on at once", PassThrough(vantage=vantage.id)
            mends = "Pass it without a stop" if not leg.hold else f"Rest for {least} frames"
            found.append(
                PaceFault("rest", leg.start, leg.leaves, leg.start, leg.hold / rate, text, vantage.id, act, mends)
            )
        manner = vantage.passage.manner
        if leg.passage and isinstance(manner, Steps):
            edges = manner.edges(leg.passage)
            rest, wanted = edges[1][0] - edges[0][1], round(manner.rest)
            first, last = leg.leaves + edges[0][1], leg.leaves + edges[1][0]
            if rest < wanted:
                frames = leg.passage + (wanted - rest) * (manner.count - 1)
                text = f"The steps rest {rest} instead of {wanted} frames: the passage is too short for them"
                act, mends = Retime(vantage=vantage.id, passage=frames), f"Give the passage {frames / rate:.1f} s"
            elif 0 < rest < least:
                text = f"The rests of {rest} frames between steps are too short to read"
                act = ChangeManner(vantage=vantage.id, manner=manner.model_copy(update={"rest": float(least)}))
                mends = f"Rest for {least} frames"
            else:
                continue
            found.append(PaceFault("rest", first, last, first, rest / rate, text, vantage.id, act, mends))
    return found


def _near_misses(film: Film, choreography: Choreography) -> list[PaceFault]:
    """What the camera does all but on a beat, or all but when a line sets out or a marker comes or goes."""
    timeline = choreography.timeline
    others = [(film.fps.frames(beat), "a beat") for beat in film.beats]
    others += [
        (round(timeline.runs[route.id].start), f"{route.name} sets out")
        for route in film.routes
        if route.draws.shown and route.draws.starts.offset == 0
    ]
    for mark in film.timed:
        # An offset was given on purpose, and what is there from the first frame on was not meant to come.
        there = timeline.ranges[mark.id]
        if mark.starts.offset == 0 and there.start.frame > 0:
            others.append((there.start.frame, f"{mark.name} comes"))
        if mark.ends and mark.ends.offset == 0:
            others.append((there.end.frame, f"{mark.name} goes"))
    if not others:
        return []
    frames = np.array([frame for frame, _ in others])
    found = []
    for index, (leg, vantage) in enumerate(zip(choreography.legs, film.vantages, strict=True)):
        for what, frame in (("arrives", leg.start), ("leaves", leg.leaves)):
            if (what == "arrives" and index == 0) or (what == "leaves" and not leg.passage):
                continue
            near = int(np.argmin(np.abs(frames - frame)))
            off = int(frame - frames[near])
            if 0 < abs(off) <= NEAR_MISS:
                found.append(
                    PaceFault(
                        "miss", frame, frame, frame, off,
                        f"The camera {what} at {vantage.name} {abs(off)} {'frame' if abs(off) == 1 else 'frames'} "
                        f"{'after' if off > 0 else 'before'} {others[near][1]}", vantage.id,
                    )
                )  # fmt: skip
    return found


def _jumps(film: Film, choreography: Choreography) -> list[PaceFault]:
    """Speeds that change from one frame to the next where a rest and a passage meet, or two passages."""
    found = []
    edges = {edge for leg in choreography.legs for edge in (leg.start, leg.leaves)}
    near = np.unique(np.array([edge + k for edge in edges for k in range(-4, 4)], np.int64))
    near = near[(near >= 0) & (near < choreography.frames - 1)]
    paces = _paces_at(film, choreography, near)
    speeds = dict(zip(near.tolist(), paces.fastest.tolist(), strict=True))
    last = choreography.frames - 1
    for index, (leg, vantage) in enumerate(zip(choreography.legs, film.vantages, strict=True)):
        for frame in sorted({leg.start, leg.leaves}):
            if not 1 < frame < last - 1:
                continue
            cut = (index and frame == leg.start and film.vantages[index - 1].cuts) or (
                frame >= leg.leaves and vantage.cuts
            )
            asked = _hard(film, index, frame == leg.start, frame == leg.leaves)
            around = np.abs(np.diff([speeds[k] for k in range(max(frame - 4, 0), min(frame + 4, last))]))
            at = abs(speeds[frame] - speeds[frame - 1])
            usual = float(np.sort(around)[: max(len(around) - 1, 1)].max(initial=0))
            if not cut and not asked and at > JUMP and at > 3 * usual:
                found.append(
                    PaceFault(
                        "jump", frame - 1, frame + 1, frame, at,
                        f"The picture’s speed jumps by {at:.2f} frame widths a second at {vantage.name}", vantage.id,
                    )
                )  # fmt: skip
    return found


def _hard(film: Film, index: int, arrives: bool, leaves: bool) -> bool:
    """Whether an ease asks for a sudden stop or start there."""
    asked = False
    if arrives and index:
        asked = asked or film.vantages[index - 1].passage.ease.hard[1]
    if leaves and index < len(film.vantages) - 1:
        asked = asked or film.vantages[index].passage.ease.hard[0]
    return asked
