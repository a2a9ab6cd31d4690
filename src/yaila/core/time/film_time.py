"""Moments and ranges of a film's time as values.

They count frames, of which a part may be meant: a shutter is open between two frames. Frame ``n`` of a film stands for
the time ``n``; a rate (``Rate``) says how many seconds that is.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from yaila.core.time.rate import Rate


@dataclass(frozen=True, order=True)
class Time:
    """A moment of a film, or how long something takes: ``frames`` of it, any part of one included."""

    frames: float

    @staticmethod
    def of_seconds(seconds: float | Fraction, rate: Rate) -> Time:
        """The moment so many seconds after the film's start, exactly."""
        return Time(float(Fraction(seconds) * rate.value))

    def seconds(self, rate: Rate) -> float:
        """Seconds from the film's start."""
        return float(Fraction(self.frames) / rate.value)

    @property
    def frame(self) -> int:
        """The frame that shows it: the last one that begins at it or before."""
        return math.floor(self.frames + 1e-9)

    @property
    def nearest(self) -> Time:
        """The nearest whole frame; halves go up."""
        return Time(math.floor(self.frames + 0.5))

    @property
    def first_frame(self) -> int:
        """The first frame at it or after."""
        return math.ceil(self.frames - 1e-9)

    def __add__(self, other: Time) -> Time:
        return Time(self.frames + other.frames)

    def __sub__(self, other: Time) -> Time:
        return Time(self.frames - other.frames)

    def __mul__(self, factor: float) -> Time:
        return Time(self.frames * factor)

    def __truediv__(self, other: Time) -> float:
        return self.frames / other.frames


ZERO = Time(0.0)


@dataclass(frozen=True)
class TimeRange:
    """From ``start`` to before ``end``."""

    start: Time
    end: Time

    @staticmethod
    def of_frames(first: float, end: float) -> TimeRange:
        """From one frame to before another."""
        return TimeRange(Time(first), Time(end))

    @property
    def length(self) -> Time:
        """How long it is; nothing if it ends before it starts."""
        return Time(max(self.end.frames - self.start.frames, 0.0))

    def __contains__(self, time: Time) -> bool:
        return self.start <= time < self.end

    def share(self, time: Time) -> float:
        """How much of it is over at a moment, 0..1."""
        if self.length.frames <= 0:
            return float(time >= self.start)
        return min(max((time - self.start) / self.length, 0.0), 1.0)

    def common(self, other: TimeRange) -> TimeRange:
        """What both hold; of no length where they do not meet."""
        start = max(self.start, other.start)
        return TimeRange(start, max(min(self.end, other.end), start))

    def shifted(self, by: Time) -> TimeRange:
        """The same, later."""
        return TimeRange(self.start + by, self.end + by)
