"""Type: families of fonts, and text set into glyphs."""

from yaila.core.type.faces import FAMILIES, Face, Faces, read_face
from yaila.core.type.setting import Glyph, SetText, set_text

__all__ = ["FAMILIES", "Face", "Faces", "Glyph", "SetText", "read_face", "set_text"]
