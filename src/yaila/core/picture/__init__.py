"""The picture: what the camera sees of the plates, and of the marks upon them, at one moment."""

from yaila.core.picture.drawing import Layer, Quality, draw, layers_of, picture_of, plates_picture, pyramid_of
from yaila.core.picture.kit import Kit
from yaila.core.picture.scene import draw_scene

__all__ = ["Kit", "Layer", "Quality", "draw", "draw_scene", "layers_of", "picture_of", "plates_picture", "pyramid_of"]
