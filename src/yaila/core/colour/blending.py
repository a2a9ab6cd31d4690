"""Blend modes: what becomes of a colour under another (W3C Compositing and Blending Level 1, 9 and 10)."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from yaila.core.compiling import njit

BlendMode = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity",
]  # fmt: skip
"""By the names of the standard."""

MODES: tuple[str, ...] = BlendMode.__args__  # type: ignore[attr-defined]
"""In the order by which kernels know them."""

NEUTRAL = dict.fromkeys(("multiply", "darken", "color-burn"), 1.0) | dict.fromkeys(
    ("screen", "lighten", "color-dodge", "difference", "exclusion"), 0.0
)
"""The grey that leaves a colour as it is, 0..1, of those modes that have one; half for those that lean both ways."""

_ONE, _HALF, _TWO, _NOTHING = np.float32(1), np.float32(0.5), np.float32(2), np.float32(0)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _channel(mode, below, above):
    """The separable modes, of one channel, 0..1."""
    if mode == 1:
        return below * above
    if mode == 2:
        return below + above - below * above
    if mode == 3:
        return _hard(above, below)
    if mode == 4:
        return min(below, above)
    if mode == 5:
        return max(below, above)
    if mode == 6:
        if below <= _NOTHING:
            return _NOTHING
        return _ONE if above >= _ONE else min(_ONE, below / (_ONE - above))
    if mode == 7:
        if below >= _ONE:
            return _ONE
        return _NOTHING if above <= _NOTHING else _ONE - min(_ONE, (_ONE - below) / above)
    if mode == 8:
        return _hard(below, above)
    if mode == 9:
        if above <= _HALF:
            return below - (_ONE - _TWO * above) * below * (_ONE - below)
        if below <= np.float32(0.25):
            root = ((np.float32(16) * below - np.float32(12)) * below + np.float32(4)) * below
        else:
            root = np.float32(math.sqrt(below))
        return below + (_TWO * above - _ONE) * (root - below)
    if mode == 10:
        return abs(below - above)
    if mode == 11:
        return below + above - _TWO * below * above
    return above


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _hard(below, above):
    if above <= _HALF:
        return below * _TWO * above
    more = _TWO * above - _ONE
    return below + more - below * more


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _light(r, g, b):
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _with_light(r, g, b, light):
    """A colour as light as that, clipped to what can be shown."""
    more = light - _light(r, g, b)
    r, g, b = r + more, g + more, b + more
    low, high = min(r, g, b), max(r, g, b)
    if low < _NOTHING:
        by = light / (light - low)
        r, g, b = light + (r - light) * by, light + (g - light) * by, light + (b - light) * by
    if high > _ONE:
        by = (_ONE - light) / (high - light)
        r, g, b = light + (r - light) * by, light + (g - light) * by, light + (b - light) * by
    return r, g, b


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _with_saturation(r, g, b, saturation):
    low, high = min(r, g, b), max(r, g, b)
    by = saturation / (high - low) if high > low else _NOTHING
    return (r - low) * by, (g - low) * by, (b - low) * by


@njit(cache=True, nogil=True, fastmath=True)
def blended(mode, r, g, b, over_r, over_g, over_b):
    """An encoded colour, 0..1 float32 each, under another, in a mode (its place in ``MODES``), both opaque."""
    if mode < 12:
        return _channel(mode, r, over_r), _channel(mode, g, over_g), _channel(mode, b, over_b)
    light = _light(r, g, b)
    if mode == 12:
        to = _with_saturation(over_r, over_g, over_b, max(r, g, b) - min(r, g, b))
        return _with_light(to[0], to[1], to[2], light)
    if mode == 13:
        to = _with_saturation(r, g, b, max(over_r, over_g, over_b) - min(over_r, over_g, over_b))
        return _with_light(to[0], to[1], to[2], light)
    if mode == 14:
        return _with_light(over_r, over_g, over_b, light)
    return _with_light(r, g, b, _light(over_r, over_g, over_b))
