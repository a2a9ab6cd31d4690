"""A surface from a picture of one's own."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.imagery import Pyramid
from yaila.core.surfaces.kinds import Material
from yaila.core.surfaces.noise import SIDE, softer

MELTS = 192
"""Pixels at the edges of a tile that melt into those of its other side."""

RISE = 24.0
"""How high white is above black, in pixels of a tile: light and shade are taken to be those of folds."""


def material_of(pyramid: Pyramid) -> Material:
    """The middle of a picture, without edges: what goes beyond one side of the tile melts into the other. Where the
    picture is see-through it has the colour that it has on average."""
    whole = SIDE + MELTS
    sizes = pyramid.sizes
    level = max((at for at, size in enumerate(sizes) if min(size) >= whole), default=0)
    width, height = sizes[level]
    side = min(width, height, 2 * whole)
    pixels = pyramid.window(level, (width - side) // 2, (height - side) // 2, side, side).astype(np.float32)
    cover = pixels[..., 3:] / 255
    mean = pixels[..., :3].sum((0, 1)) / max(float(cover.sum()), 1e-6)
    colours = np.clip(pixels[..., :3] + (1 - cover) * mean, 0, 255)
    how = cv2.INTER_AREA if side > whole else cv2.INTER_CUBIC
    colours = np.asarray(cv2.resize(colours, (whole, whole), interpolation=how), np.float32)
    colours = melted(melted(colours).transpose(1, 0, 2)).transpose(1, 0, 2)
    grey = softer(np.ascontiguousarray(colours.mean(axis=-1)), 2.0)
    return Material(np.rint(np.clip(colours, 0, 255)).astype(np.uint8), (grey - grey.mean()) * np.float32(RISE / 255))


def melted(colours: NDArray[np.float32]) -> NDArray[np.float32]:
    """(height, side + MELTS, channels) to (height, side, channels), the same at its left and right ends."""
    share = np.linspace(0, 1, MELTS + 2, dtype=np.float32)[1:-1][None, :, None]
    made = colours[:, :SIDE].copy()
    made[:, :MELTS] = made[:, :MELTS] * share + colours[:, SIDE:] * (1 - share)
    return made
