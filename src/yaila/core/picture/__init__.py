"""The picture: what the camera sees of the plates, and of the marks upon them, at one moment."""

from yaila.core.picture.ground import PlateLayer, Quality, draw, draw_plates, pyramid_of
from yaila.core.picture.kit import Kit
from yaila.core.picture.render import (
    PART_NAMES,
    PARTS_OF_MARKS,
    Part,
    Picture,
    Renderer,
    Request,
    jpeg,
    painted_marks,
    tiles_of,
)

__all__ = [
    "PARTS_OF_MARKS", "PART_NAMES", "Kit", "Part", "Picture", "PlateLayer", "Quality", "Renderer", "Request",
    "draw", "draw_plates", "jpeg", "painted_marks", "pyramid_of",
    "tiles_of",
]  # fmt: skip
