"""A passage over its frames, and how neighbours run on into each other without a stop."""

from __future__ import annotations

from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from yaila.core.bounded import Bounded
from yaila.core.camera.manners import Manner, Move
from yaila.core.camera.pace import changes
from yaila.core.camera.timing import Timing, bend
from yaila.core.camera.track import FIELDS

SPAN = FIELDS.index("span")
HEADING = FIELDS.index("heading")
ROLL = FIELDS.index("roll")
PLACE = [FIELDS.index("x"), FIELDS.index("y")]
_STEP = 1e-4
"""Share of a passage's time over which a rate is taken."""

_NEAR = 0.5 * 10 ** np.linspace(-4, 0, 48)
_SAMPLES = np.unique(np.concatenate([[0.0], _NEAR, 1 - _NEAR, [1.0]]))
"""Times 0..1 at which a passage is looked at for how it may be bent: close together at its ends."""

_NARROWER = 0.93 ** np.arange(90, dtype=np.float64)
"""Widths that are tried, as shares of the widest."""

WINDING = 1025
"""Places on the way of a passage at which its full turns are counted."""

DENSE = 4096
"""Passages of up to so many frames are worked out whole."""

MOST_PASSAGES = 24 * 2**20
"""Bytes of passages kept in memory."""


@lru_cache(maxsize=1024)
def path_length(move: Move, manner: Manner) -> float:
    """How much the picture changes on the way, in doublings (``pace.changes``)."""
    return float(changes(manner.path(move, np.linspace(0, 1, 257))).sum())


class Passage:
    """The channels (``Track.channels``) of a passage over its frames. What is worked out of them is kept with it."""

    def __init__(self, move: Move, manner: Manner, timing: Timing, frames: int) -> None:
        self._move, self._manner, self._timing, self._frames = move, manner, timing, frames

    @property
    def weight(self) -> int:
        """How many bytes it takes once all of it has been asked for, roughly."""
        return 8_000 + 8 * len(FIELDS) * min(self._frames, DENSE) + 8 * self._manner.winds * WINDING

    def at(self, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """The channels at ``at`` (n,) of its frames, shape (n, 7)."""
        if self._frames <= DENSE and (at == np.floor(at)).all():
            return self._whole[at.astype(np.int64)]
        return self._reckoned(at)

    def _reckoned(self, at: NDArray[np.float64]) -> NDArray[np.float64]:
        progress = self._manner.progress(self._timing, self._frames, at)
        channels = self._manner.path(self._move, progress).channels()
        if self._manner.winds:
            # A heading read off by itself is known but for full turns.
            turns = np.interp(progress, np.linspace(0, 1, WINDING), self._turns)
            channels[:, HEADING] += 360 * np.round((turns - channels[:, HEADING]) / 360)
        return channels

    @cached_property
    def _whole(self) -> NDArray[np.float64]:
        """The channels at each of its frames and at its arrival, shape (frames + 1, 7)."""
        return self._reckoned(np.arange(self._frames + 1, dtype=np.float64))

    @cached_property
    def arrival(self) -> NDArray[np.float64]:
        """The channels that it comes to, full turns of heading and roll included, (7,)."""
        return self._reckoned(np.array([float(self._frames)]))[0]

    @cached_property
    def rates(self) -> NDArray[np.float64]:
        """How fast the channels change at its start and at its end, a frame; shape (2, 7)."""
        step = _STEP * self._frames
        near = np.array([0.0, step, 2 * step])
        weights = np.array([-1.5, 2.0, -0.5]) / step
        return np.stack([weights @ self._reckoned(near), -weights @ self._reckoned(self._frames - near)])

    def widths(self, change: NDArray[np.float64], most: float, end: bool) -> NDArray[np.float64]:
        """Over which outer share of its time each channel is bent (:func:`bent`) when its rate at an end changes, (7,):
        ``most``, or as much less as keeps span, angles and lens within what they have on the way.

        A rail that comes down steeply, slowed over half of its time, would go far below where it is to arrive.
        """
        rows = self._sampled
        at = _SAMPLES if end else 1 - _SAMPLES
        tried = np.asarray(most * _NARROWER, np.float64)
        sign = (1 if end else -1) * change * self._frames
        found = np.full(len(FIELDS), most)
        for k, (column, given) in enumerate(zip(rows.T, sign.tolist(), strict=True)):
            if k in PLACE or not given:
                continue
            low, high = float(column.min()), float(column.max())
            slack = 1e-6 + 1e-3 * (high - low)
            made = column + bend(at, tried[:, None]) * given
            fits = (made > low - slack).all(axis=1) & (made < high + slack).all(axis=1)
            found[k] = tried[int(np.argmax(fits))] if fits.any() else tried[-1]
        return found

    @cached_property
    def _sampled(self) -> NDArray[np.float64]:
        """The channels at ``_SAMPLES``, shape (n, 7)."""
        return self._reckoned(_SAMPLES * self._frames)

    @cached_property
    def _turns(self) -> NDArray[np.float64]:
        """Headings, full turns included, at places spread evenly over its way."""
        return self._manner.path(self._move, np.linspace(0, 1, WINDING)).heading


_PASSAGES: Bounded[tuple[Move, Manner, Timing, int], Passage] = Bounded(MOST_PASSAGES, lambda passage: passage.weight)


def passage_of(move: Move, manner: Manner, timing: Timing, frames: int) -> Passage:
    """A passage, kept by what it depends on: changing one of 200 vantages works out two anew."""
    key = (move, manner, timing, frames)
    return _PASSAGES.get(key) or _PASSAGES.put(key, Passage(*key))


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
    widths: NDArray[np.float64],
    end: bool,
    span: float,
) -> NDArray[np.float64]:
    """Channels (n, 7) at shares ``time`` (n,) of a passage whose rate at the end, or else at the start, is changed by
    ``change`` a frame over the outer ``widths`` (7,) of the time; places and all else at both ends stay.

    The target is bent in frame widths, so that what is seen of it is the same whether the camera is wide or close;
    ``span`` is that of the end at which it is bent.
    """
    at = time[:, None] if end else 1 - time[:, None]
    added = (1 if end else -1) * bend(at, widths) * change * frames
    added[:, PLACE] *= (np.exp(channels[:, SPAN]) / span)[:, None]
    return np.asarray(channels + added)
