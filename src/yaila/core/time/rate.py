"""Frame rates as exact rational numbers."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache


@dataclass(frozen=True, order=True)
class Rate:
    """A frame rate in frames per second, exact: 29.97 is 30000/1001.

    The rates that video calls by a rounded decimal are the integer rate times 1000/1001
    (SMPTE ST 12-1, "nominal" against actual frame count per second).
    """

    value: Fraction

    @staticmethod
    @lru_cache(maxsize=256)
    def parse(text: str) -> Rate:
        """Read ``"25"``, ``"30000/1001"`` or a nominal name such as ``"29.97"``.

        Raises:
            ValueError: the text is not a rate of 1 to 240 frames per second.
        """
        text = text.strip()
        if text in _NOMINAL:
            return Rate(_NOMINAL[text])
        # Digits are counted before they are reckoned with: 1e10000000 takes most of a minute.
        if not re.fullmatch(r"\d{1,6}(\.\d{1,6}|/[1-9]\d{0,5})?", text, re.ASCII):
            raise ValueError(f"“{text[:20]}” is not a frame rate: write 25, 29.97 or 30000/1001.")
        value = Fraction(text)
        if not 1 <= value <= 240:
            raise ValueError(f"A frame rate lies between 1 and 240 frames per second, not at {text}.")
        return Rate(value)

    def __str__(self) -> str:
        return str(self.value)

    @property
    def nominal(self) -> int:
        """Whole frames that timecode counts in a second: 30 for 29.97."""
        return round(self.value)

    @property
    def drop_frame(self) -> bool:
        """Whether timecode skips frame numbers at this rate to keep to the clock (29.97 and 59.94)."""
        return self.value in (Fraction(30000, 1001), Fraction(60000, 1001))

    @property
    def name(self) -> str:
        """The rate as people say it: ``29.97``, ``25``."""
        return f"{float(self.value):.3f}".rstrip("0").rstrip(".")

    def seconds(self, frames: int) -> Fraction:
        """Exact time of a frame, in seconds."""
        return Fraction(frames) / self.value

    def frames(self, seconds: float | Fraction) -> int:
        """The whole number of frames nearest to a duration in seconds (halves go up)."""
        exact = Fraction(seconds) * self.value
        return int((exact + Fraction(1, 2)) // 1)


_NOMINAL = {
    "23.976": Fraction(24000, 1001),
    "29.97": Fraction(30000, 1001),
    "59.94": Fraction(60000, 1001),
}

RATES = tuple(Rate.parse(text) for text in ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60"))
"""The rates a film can have."""
