"""What moves in the frame after it was drawn: a lens that bends, fringes of colour, edges that melt, a gate in which
the film does not stand still, and ways into a scene and out of it. Means over places are taken in linear light."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.colour import decoded, encoded
from yaila.core.film.finish import Finish, Glass
from yaila.core.picture.soft import blurred
from yaila.core.picture.wear import weaving
from yaila.core.time import smoothstep

Pixels = NDArray[np.uint8]
Light = NDArray[np.uint16]
Floats = NDArray[np.float32]

GROWS = 1.2
"""How much larger the picture is when the camera has shot through it."""

THROWN = 1.1
"""By how much of its width the picture has gone when it is thrown aside."""

MELTS_FROM = 0.35
"""From where on edges melt, of the way to a corner."""

_LIGHT = np.rint(decoded(np.arange(256) / 255) * 65535).astype(np.uint16)
_BYTE = np.rint(encoded(np.arange(65536) / 65535) * 255).astype(np.uint8)


def moved(pixels: Pixels, finish: Finish, view: View, frame: int, opening: float, closing: float) -> Pixels:
    """A whole frame, (height, width, 4) uint8, with all that moves in it.

    Args:
        finish: with the values of the moment.
        opening, closing: how far the film still is from being there, and how far it has gone, 0..1.
    """
    if finish.glass.on:
        pixels = _through_glass(pixels, finish.glass, view)
    if finish.ends.on:
        for how, share, aside in ((finish.ends.opens, opening, -1), (finish.ends.closes, closing, 1)):
            if share > 0 and how == "zoom":
                pixels = shot_through(pixels, share)
            elif share > 0 and how == "whip":
                pixels = thrown(pixels, share, aside)
    if finish.wear.on and finish.wear.weave:
        right, down = weaving(finish.wear, frame)
        by = view.scale
        moved_by = np.array([[1, 0, right * by], [0, 1, down * by]], np.float64)
        size = (pixels.shape[1], pixels.shape[0])
        pixels = np.asarray(
            cv2.warpAffine(pixels, moved_by, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT), np.uint8
        )
    return pixels


def _through_glass(pixels: Pixels, glass: Glass, view: View) -> Pixels:
    height, width = pixels.shape[:2]
    if glass.soft:
        pixels = _melted(pixels, glass.soft * view.scale)
    if not glass.distortion and not glass.fringes:
        return pixels
    bend = round(glass.distortion * 8) / 800
    apart = round(glass.fringes * view.scale * 16) / 16
    if not apart:
        return np.asarray(cv2.remap(pixels, *maps(width, height, bend, 0.0), cv2.INTER_LINEAR), np.uint8)
    red, green, blue, alpha = cv2.split(pixels)
    planes = [
        cv2.remap(plane, *maps(width, height, bend, by), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        for plane, by in ((red, -apart), (green, 0.0), (blue, apart), (alpha, 0.0))
    ]
    return np.asarray(cv2.merge(planes), np.uint8)


@lru_cache(maxsize=12)
def maps(width: int, height: int, bend: float, apart: float) -> tuple[Floats, Floats]:
    """Where each pixel of the frame is taken from, columns and rows: as the cube of its way to a corner bends it
    (D. Brown, "Decentering Distortion of Lenses", 1966, the first radial term), and so many pixels further out there.
    The frame stays full."""
    u = np.arange(width, dtype=np.float32) + 0.5 - width / 2
    v = (np.arange(height, dtype=np.float32) + 0.5 - height / 2)[:, None]
    half = np.float32(np.hypot(width, height) / 2)
    square = (u * u + v * v) / (half * half)
    # What bulges keeps its corners, what is drawn in the nearest sides.
    fixed = 1.0 if bend > 0 else (min(width, height) / 2 / float(half)) ** 2
    by = (1 + np.float32(bend) * square) / np.float32(1 + bend * fixed) * np.float32(1 + apart / half)
    columns, rows = u * by + (width / 2 - 0.5), v * by + (height / 2 - 0.5)
    return np.asarray(columns, np.float32), np.asarray(rows, np.float32)


def _melted(pixels: Pixels, wide: float) -> Pixels:
    """With edges that melt: blurred by a deviation of so many pixels in the corners."""
    height, width = pixels.shape[:2]
    light = np.asarray(cv2.LUT(pixels, _LIGHT), np.uint16)
    soft = blurred(light, wide)
    share = _edges(width, height)
    made = light + (soft.astype(np.float32) - light) * share
    return _encoded(np.asarray(made + np.float32(0.5), np.uint16))


@lru_cache(maxsize=6)
def _edges(width: int, height: int) -> Floats:
    """How much of each pixel melts."""
    u = (np.arange(width) + 0.5 - width / 2) / (np.hypot(width, height) / 2)
    v = ((np.arange(height) + 0.5 - height / 2) / (np.hypot(width, height) / 2))[:, None]
    far = (np.hypot(u, v) - MELTS_FROM) / (1 - MELTS_FROM)
    return np.asarray(smoothstep(far)[..., None], np.float32)


def shot_through(pixels: Pixels, share: float) -> Pixels:
    """A frame as the camera shoots through its middle, blurred along its way."""
    light = _larger(np.asarray(cv2.LUT(pixels, _LIGHT), np.uint16), 1 + GROWS * share * share)
    # Each turn adds the picture to itself, half as far on as the one before: 32 places along the way from five turns.
    streak = 1 + 0.5 * share
    for turn in range(5):
        ahead = _larger(light, streak ** (0.5 ** (turn + 1)))
        light = np.asarray(cv2.addWeighted(light, 0.5, ahead, 0.5, 0), np.uint16)
    return _encoded(light)


def _larger(light: Light, by: float) -> Light:
    """Larger about its middle."""
    height, width = light.shape[:2]
    to = np.array([[by, 0, (1 - by) * (width - 1) / 2], [0, by, (1 - by) * (height - 1) / 2]], np.float64)
    return np.asarray(cv2.warpAffine(light, to, (width, height), flags=cv2.INTER_LINEAR), np.uint16)


def thrown(pixels: Pixels, share: float, aside: int) -> Pixels:
    """A frame as it is thrown aside, to the left above 0, blurred along its way; it goes on mirrored."""
    width = pixels.shape[1]
    gone = THROWN * share**3 * width * aside
    wide = 2 * max(round(0.45 * share * share * width / 2), 0) + 1
    light = cv2.LUT(pixels, _LIGHT)
    columns = np.arange(width) + round(gone)
    columns = np.abs((columns + width) % (2 * width) - width)
    light = np.ascontiguousarray(light[:, np.minimum(columns, width - 1)])
    streaked = cv2.blur(light, (wide, 1), borderType=cv2.BORDER_REFLECT_101) if wide > 1 else light
    return _encoded(np.asarray(streaked, np.uint16))


def _encoded(light: Light) -> Pixels:
    """Pixels of linear light, 0..65535."""
    return np.take(_BYTE, light)
