"""A passage over its frames, and how neighbours run on into each other without a stop."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners import Manner, Move
from yaila.core.camera.pace import changes
from yaila.core.camera.timing import Timing, bend
from yaila.core.camera.track import FIELDS
from yaila.core.shelf import Shelf

SPAN = FIELDS.index("span")
HEADING = FIELDS.index("heading")
PLACE = [FIELDS.index("x"), FIELDS.index("y")]
_STEP = 1e-4
"""Share of a passage's time over which a rate is taken."""


@lru_cache(maxsize=4096)
def path_length(move: Move, manner: Manner) -> float:
    """How much the picture changes on the way, in doublings (``pace.changes``)."""
    return float(changes(manner.path(move, np.linspace(0, 1, 257))).sum())


def channels_at(
    move: Move, manner: Manner, timing: Timing, frames: int, at: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The channels (``Track.channels``) of a passage at ``at`` (n,) of its frames, shape (n, 7)."""
    progress = manner.progress(timing, frames, at)
    channels = manner.path(move, progress).channels()
    if manner.winds:
        # A heading read off by itself is known but for full turns.
        near = _winding(move, manner)
        turns = np.interp(progress, np.linspace(0, 1, len(near)), near)
        channels[:, HEADING] += 360 * np.round((turns - channels[:, HEADING]) / 360)
    return channels


_CHANNELS: Shelf[tuple[Move, Manner, Timing, int], NDArray[np.float64]] = Shelf(64 * 2**20, lambda made: made.nbytes)


def channels_of(move: Move, manner: Manner, timing: Timing, frames: int) -> NDArray[np.float64]:
    """The channels of a passage at each of its frames and at its arrival, shape (frames + 1, 7)."""
    key = (move, manner, timing, frames)
    made = _CHANNELS.get(key)
    if made is None:
        made = _CHANNELS.put(key, channels_at(*key, np.arange(frames + 1, dtype=np.float64)))
        made.flags.writeable = False
    return made


@lru_cache(maxsize=2048)
def _winding(move: Move, manner: Manner) -> NDArray[np.float64]:
    """Headings along a passage, full turns included, at places spread evenly over its way."""
    return manner.path(move, np.linspace(0, 1, 1025)).heading


@lru_cache(maxsize=4096)
def arrival(move: Move, manner: Manner, timing: Timing, frames: int) -> float:
    """The heading that a passage comes to, full turns included."""
    return float(channels_at(move, manner, timing, frames, np.array([float(frames)]))[0, HEADING])


@lru_cache(maxsize=4096)
def rates_of(move: Move, manner: Manner, timing: Timing, frames: int) -> NDArray[np.float64]:
    """How fast the channels change at the start and at the end of a passage, a frame; shape (2, 7)."""
    step = _STEP * frames
    near = np.array([0.0, step, 2 * step])
    weights = np.array([-1.5, 2.0, -0.5]) / step
    start = weights @ channels_at(move, manner, timing, frames, near)
    end = -weights @ channels_at(move, manner, timing, frames, frames - near)
    return np.stack([start, end])


def through_rate(before: NDArray[np.float64], after: NDArray[np.float64]) -> NDArray[np.float64]:
    """The rate at which a vantage is passed, from those of the passages on either side, (7,) each.

    Places take the mean; the other channels the harmonic mean if both run the same way and else stand still for the
    moment, so that none of them overshoots (Fritsch and Butland, "A method for constructing local monotone piecewise
    cubic interpolants", 1984).
    """
    same = before * after > 0
    total = np.where(same, before + after, 1.0)
    rate = np.where(same, 2 * before * after / total, 0.0)
    rate[PLACE] = (before[PLACE] + after[PLACE]) / 2
    return np.asarray(rate)


def bent(
    channels: NDArray[np.float64],
    time: NDArray[np.float64],
    frames: int,
    change: NDArray[np.float64],
    width: float,
    end: bool,
    span: float,
) -> NDArray[np.float64]:
    """Channels (n, 7) at shares ``time`` (n,) of a passage whose rate at the end, or else at the start, is changed by
    ``change`` a frame over the outer ``width`` of the time; places and all else at both ends stay.

    The target is bent in frame widths, so that what is seen of it is the same whether the camera is wide or close;
    ``span`` is that of the end at which it is bent.
    """
    shape = bend(time, width) if end else -bend(1 - time, width)
    added = shape[:, None] * change * frames
    added[:, PLACE] *= (np.exp(channels[:, SPAN]) / span)[:, None]
    return np.asarray(channels + added)
