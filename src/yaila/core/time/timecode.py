"""SMPTE ST 12-1 timecode: hours, minutes, seconds, frames; drop frame at 29.97 and 59.94.

Drop frame leaves out frame *numbers*, never frames: the first two (at 59.94 the first four) of every minute
that is not a multiple of ten, so that the count keeps within a frame or so of the clock.
"""

from __future__ import annotations

import re

from yaila.core.time.rate import Rate


def timecode(frame: int, rate: Rate) -> str:
    """The timecode of a frame counted from 0.

    Fields are parted by colons; before the frames stands a semicolon where frame numbers are dropped.

    Raises:
        ValueError: the frame is negative.
    """
    if frame < 0:
        raise ValueError("A frame number is 0 or more.")
    fps = rate.nominal
    number = frame
    if rate.drop_frame:
        dropped = fps // 15
        per_minute = fps * 60 - dropped
        per_ten = per_minute * 10 + dropped
        tens, rest = divmod(frame, per_ten)
        minutes = 0 if rest < fps * 60 else 1 + (rest - fps * 60) // per_minute
        number = frame + dropped * (9 * tens + minutes)
    seconds, frames = divmod(number, fps)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    mark = ";" if rate.drop_frame else ":"
    return f"{hours % 24:02d}:{minutes:02d}:{seconds:02d}{mark}{frames:02d}"


def frame_at_timecode(text: str, rate: Rate) -> int:
    """The frame that a timecode names.

    Raises:
        ValueError: the text is no timecode, or names a number that drop frame leaves out.
    """
    match = re.fullmatch(r"(\d{1,2}):(\d{2}):(\d{2})[:;](\d{2,3})", text.strip())
    if not match:
        raise ValueError(f"“{text}” is not a timecode: write hours, minutes, seconds, frames as 00:00:04:12.")
    hours, minutes, seconds, frames = map(int, match.groups())
    fps = rate.nominal
    if minutes > 59 or seconds > 59 or frames >= fps:
        raise ValueError(f"“{text}” has a field out of range at {rate.name} frames per second.")
    number = ((hours * 60 + minutes) * 60 + seconds) * fps + frames
    if not rate.drop_frame:
        return number
    dropped = fps // 15
    if seconds == 0 and frames < dropped and minutes % 10:
        raise ValueError(f"“{text}” does not exist: drop frame leaves this number out.")
    total = hours * 60 + minutes
    return number - dropped * (total - total // 10)
