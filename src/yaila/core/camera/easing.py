"""Ease curves: ``cubic-bezier(x1, y1, x2, y2)`` of CSS Easing Functions Level 2 (W3C)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

PRESETS: dict[str, tuple[float, float, float, float]] = {
    "Even": (0.0, 0.0, 1.0, 1.0),
    "Settle": (0.3, 0.0, 0.2, 1.0),
    "Swell": (0.6, 0.0, 0.4, 1.0),
    "Set off": (0.5, 0.0, 0.9, 0.7),
    "Come in": (0.1, 0.3, 0.4, 1.0),
}
"""Named eases: the four numbers of the curve."""


class Ease(BaseModel):
    """How a passage's progress runs over its time: two free handles of a cubic Bezier curve.

    Progress at the ends is 0 and 1. ``x1`` and ``x2`` lie in 0..1; ``y1`` and ``y2`` may overshoot by up to 1.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x1: float = Field(0.3, ge=0, le=1)
    y1: float = Field(0.0, ge=-1, le=2)
    x2: float = Field(0.2, ge=0, le=1)
    y2: float = Field(1.0, ge=-1, le=2)

    @property
    def name(self) -> str:
        """The preset this is, or ``Free``."""
        mine = (self.x1, self.y1, self.x2, self.y2)
        return next((name for name, preset in PRESETS.items() if np.allclose(preset, mine)), "Free")

    def at(self, time: NDArray[np.float64]) -> NDArray[np.float64]:
        """Progress at times 0..1 (clamped), same shape, float64.

        Solves x(s) = time by bisection to the last bit of s, which is sure for every legal curve as x(s) never
        falls, then gives y(s).
        """
        time = np.clip(np.asarray(time, dtype=np.float64), 0.0, 1.0)
        if self.x1 == self.y1 and self.x2 == self.y2:
            return time
        low, high = np.zeros_like(time), np.ones_like(time)
        for _ in range(54):
            middle = (low + high) / 2
            below = _bezier(self.x1, self.x2, middle) < time
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        value = _bezier(self.y1, self.y2, (low + high) / 2)
        return np.where(time <= 0, 0.0, np.where(time >= 1, 1.0, value))


def _bezier(p1: float, p2: float, s: NDArray[np.float64]) -> NDArray[np.float64]:
    return ((1 + 3 * p1 - 3 * p2) * s + 3 * p2 - 6 * p1) * s * s + 3 * p1 * s
