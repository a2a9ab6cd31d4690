"""Colour: the sRGB transfer, a perceptual space, the difference the eye sees, and adjustments of a picture's tone."""

from yaila.core.colour.difference import ciede2000
from yaila.core.colour.spaces import (
    LINEAR_OF_BYTE,
    LUMINANCE,
    bytes_of,
    contrast,
    decoded,
    encoded,
    linear_from_oklab,
    mixed,
    oklab_from_linear,
    oklab_of,
    relative_luminance,
    rgb_of,
)
from yaila.core.colour.temperature import black_body
from yaila.core.colour.tone import Tone, ToneMatch, apply_table, tone_table

__all__ = [
    "LINEAR_OF_BYTE",
    "LUMINANCE",
    "Tone",
    "ToneMatch",
    "apply_table",
    "black_body",
    "bytes_of",
    "ciede2000",
    "contrast",
    "decoded",
    "encoded",
    "linear_from_oklab",
    "mixed",
    "oklab_from_linear",
    "oklab_of",
    "relative_luminance",
    "rgb_of",
    "tone_table",
]
