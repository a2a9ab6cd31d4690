"""The picture: what the camera sees of the plates, and of the marks upon them, at one moment."""

from yaila.core.picture.ground import PlateLayer, Quality, draw, draw_plates, pyramid_of
from yaila.core.picture.kit import Kit
from yaila.core.picture.render import Layer, Part, Picture, Renderer, Request, jpeg

__all__ = [
    "Kit", "Layer", "Part", "Picture", "PlateLayer", "Quality", "Renderer", "Request", "draw", "draw_plates", "jpeg",
    "pyramid_of",
]  # fmt: skip
