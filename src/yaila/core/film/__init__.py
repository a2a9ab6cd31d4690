"""The document that a film is, the acts that change it, and the camera it asks for at every frame."""

from yaila.core.film.choreography import Choreography, choreograph
from yaila.core.film.legs import Leg
from yaila.core.film.marked import Inset, Label, Marker, Region, Route, RoutePoint, Style
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
)
from yaila.core.film.part import new_id
from yaila.core.film.scene import Scene, scene_at

__all__ = [
    "FRAME_PRESETS",
    "Choreography",
    "Duration",
    "Feather",
    "Film",
    "Frame",
    "Ground",
    "Inset",
    "Label",
    "Leg",
    "Marker",
    "Passage",
    "PictureRef",
    "Plate",
    "Region",
    "Route",
    "RoutePoint",
    "Scene",
    "Style",
    "Vantage",
    "choreograph",
    "new_id",
    "scene_at",
]
