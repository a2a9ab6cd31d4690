"""Handles of curves."""

from __future__ import annotations

import math
from typing import TypeVar

V = TypeVar("V", tuple[float, float], tuple[float, float, float])


def opposite(handle: V, other: V) -> V:
    """The other handle of a point, turned so that the curve runs on smoothly through it, in its own length."""
    share = -math.hypot(*other) / max(math.hypot(*handle), 1e-9)
    return tuple(value * share for value in handle)  # type: ignore[return-value]
