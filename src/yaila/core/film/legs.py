"""Holds and passages resolved to whole frames, one after the other from frame 0."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yaila.core.camera import Move, Pose, Timing, path_length
from yaila.core.camera.manners import Follow
from yaila.core.errors import BadEdit
from yaila.core.film.model import Film, Vantage

MOST_FRAMES = 24 * 3600 * 240
"""The longest film, frames: a day at the highest rate."""

LEAST_SECONDS = 0.4
"""A move of no length still takes a moment, or natural time would make a jump of it."""


@dataclass(frozen=True)
class Leg:
    """One vantage's stretch of the film, in frames: its hold, then the passage onward (0 for the last and for cuts)."""

    start: int
    hold: int
    passage: int
    length: float
    """Length of the passage's path, doublings."""

    @property
    def leaves(self) -> int:
        """First frame of the passage."""
        return self.start + self.hold

    @property
    def end(self) -> int:
        """The frame after the passage's last."""
        return self.start + self.hold + self.passage


def leaving_pose(vantage: Vantage) -> Pose:
    """Where the camera stands when it leaves a vantage: its pose, and what it has breathed since."""
    if vantage.breath and vantage.hold and not vantage.flow:
        return vantage.breath.leaves(vantage.pose)
    return vantage.pose


def move_of(film: Film, index: int) -> Move:
    """The passage from the vantage at a place in the film to the next."""
    start, end = film.vantages[index], film.vantages[index + 1]
    manner = start.passage.manner
    route = film.route(manner.route).curve if isinstance(manner, Follow) else None
    return Move(leaving_pose(start), end.pose, route)


def flows(film: Film, index: int) -> bool:
    """Whether a vantage is passed without a stop: the first and the last cannot be."""
    return film.vantages[index].flow and 0 < index < len(film.vantages) - 1


def passage_frames(film: Film, index: int, pace: float | None) -> tuple[float, float]:
    """Frames (not yet whole) that a passage takes, and its length in doublings.

    Args:
        pace: that of the passage before, doublings a second; none for the first.
    """
    vantage, rate = film.vantages[index], film.fps
    passage = vantage.passage
    length = path_length(move_of(film, index), passage.manner)
    duration = passage.duration
    if duration.unit == "frames":
        return max(duration.value, 1.0), length
    if duration.unit == "seconds":
        return max(duration.value * float(rate.value), 1.0), length
    pace = duration.value if duration.unit == "natural" else duration.value * (pace or 1.0)
    seconds = max(length / pace, LEAST_SECONDS)
    return seconds * float(rate.value) + passage.manner.rests, length


def legs_of(film: Film) -> tuple[Leg, ...]:
    """Every vantage's stretch of the film, in whole frames.

    Raises:
        BadEdit: the film would be longer than ``MOST_FRAMES``, or its holds do not fit a locked length.
    """
    rate, last = film.fps, len(film.vantages) - 1
    holds, passages, lengths = [], [], []
    pace: float | None = None
    for index, vantage in enumerate(film.vantages):
        hold = 0 if flows(film, index) else rate.frames(vantage.hold)
        frames, length = 0.0, 0.0
        if index == last or vantage.cuts:
            hold = max(hold, 1)
        if index < last and not vantage.cuts:
            frames, length = passage_frames(film, index, pace)
            moving = frames - vantage.passage.manner.rests
            pace = max(length, 0.01) / max(moving, 1.0) * float(rate.value)
        holds.append(hold)
        passages.append(frames)
        lengths.append(length)
    whole = [_rounded(frames) for frames in passages]
    if film.length is not None and film.vantages:
        whole = _locked(passages, rate.frames(film.length) - sum(holds))
    legs: list[Leg] = []
    start = 0
    for hold, taken, length in zip(holds, whole, lengths, strict=True):
        legs.append(Leg(start, hold, taken, length))
        start = legs[-1].end
    if start > MOST_FRAMES:
        raise BadEdit(f"The film would be over {MOST_FRAMES:,} frames long. Shorten a hold or a passage.")
    return tuple(legs)


def _rounded(frames: float) -> int:
    return max(round(frames), 1) if frames else 0


def _locked(passages: list[float], time: int) -> list[int]:
    """Whole frames for the passages that together take ``time``, each in its proportion and 1 at least."""
    moving = [index for index, frames in enumerate(passages) if frames]
    if not moving:
        return [0] * len(passages)
    if time < len(moving):
        raise BadEdit(
            "The holds alone take longer than the length that the film is locked to. Shorten a hold, or unlock the "
            "length."
        )
    given = np.array([passages[index] for index in moving])
    edges = np.round(np.concatenate([[0], np.cumsum(given)]) / given.sum() * time).astype(int)
    for k in range(1, len(edges)):
        edges[k] = max(edges[k], edges[k - 1] + 1)
    for k in range(len(edges) - 2, -1, -1):
        edges[k] = min(edges[k], time - (len(edges) - 1 - k))
    whole = [0] * len(passages)
    for index, frames in zip(moving, np.diff(edges).tolist(), strict=True):
        whole[index] = frames
    return whole


def timing_of(film: Film, index: int) -> Timing:
    """How a passage's progress runs: its ease, open towards vantages that are passed without a stop."""
    passage = film.vantages[index].passage
    return Timing(passage.ease, flows(film, index), flows(film, index + 1), passage.settle)
