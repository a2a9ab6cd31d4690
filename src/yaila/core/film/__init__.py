"""The document that a film is, the acts that change it, and the camera it asks for at every frame."""

from yaila.core.film.choreography import Choreography, Leg, choreograph
from yaila.core.film.model import (
    FRAME_PRESETS,
    Duration,
    Feather,
    Film,
    Frame,
    Ground,
    Passage,
    PictureRef,
    Plate,
    Vantage,
    new_id,
)

__all__ = [
    "FRAME_PRESETS",
    "Choreography",
    "Duration",
    "Feather",
    "Film",
    "Frame",
    "Ground",
    "Leg",
    "Passage",
    "PictureRef",
    "Plate",
    "Vantage",
    "choreograph",
    "new_id",
]
