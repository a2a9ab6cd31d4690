"""Rates and timecode."""

from yaila.core.time.rate import RATES, Rate
from yaila.core.time.timecode import frame_at_timecode, timecode

__all__ = ["RATES", "Rate", "frame_at_timecode", "timecode"]
