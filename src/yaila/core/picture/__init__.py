"""The picture: what the camera sees of the plates at one moment."""

from yaila.core.picture.drawing import Layer, Quality, draw, layers_of, picture_of, pyramid_of

__all__ = ["Layer", "Quality", "draw", "layers_of", "picture_of", "pyramid_of"]
