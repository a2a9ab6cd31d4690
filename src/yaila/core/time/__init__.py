"""Time: rates and timecode, moments and ranges, how progress runs, and values that change."""

from yaila.core.time.courses import Changes, Course, Stop
from yaila.core.time.easing import PRESETS, STARTS, Ease, SpeedPoint, smoothstep
from yaila.core.time.film_time import ZERO, Time, TimeRange
from yaila.core.time.moments import (
    FilmMoment,
    Hung,
    MarkMoment,
    Moment,
    PassageMoment,
    RouteMoment,
    VantageMoment,
)
from yaila.core.time.rate import RATES, Rate
from yaila.core.time.timecode import frame_at_timecode, timecode

__all__ = [
    "PRESETS", "RATES", "STARTS", "ZERO", "Changes", "Course", "Ease", "FilmMoment", "Hung", "MarkMoment", "Moment",
    "PassageMoment", "Rate", "RouteMoment", "SpeedPoint", "Stop", "Time", "TimeRange", "VantageMoment",
    "frame_at_timecode", "smoothstep", "timecode",
]  # fmt: skip
