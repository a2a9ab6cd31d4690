"""Marks: what is drawn over the ground, how it looks, and when it is there."""

from yaila.core.marks.looks import (
    Arrival,
    DeckLook,
    InsetLook,
    LampLook,
    Lettering,
    Look,
    MarkerLook,
    RegionLook,
    Stroke,
)
from yaila.core.marks.run import RouteRun
from yaila.core.marks.travellers import Traveller

__all__ = [
    "Arrival", "DeckLook", "InsetLook", "LampLook", "Lettering", "Look", "MarkerLook", "RegionLook", "RouteRun",
    "Stroke", "Traveller",
]  # fmt: skip
