"""What the map lies on: a colour or a table where no plate is, the sheet's edge and shadow, and the sky."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.colour import bytes_of
from yaila.core.compiling import njit
from yaila.core.film.finish import Backdrop, Surface
from yaila.core.film.sunlight import Light as Sunlight
from yaila.core.picture.soft import blurred
from yaila.core.picture.surface import laid_on, shipped
from yaila.core.picture.threads import in_threads
from yaila.core.time import smoothstep

Pixels = NDArray[np.uint8]
Cover = NDArray[np.float32]

SHRINK = 4
"""Rims are found on a copy so many times smaller."""

SIDE_OF_SHEET = (0.82, 0.80, 0.76)
"""The colour of a sheet's edge, of white."""

LIFT = 2.5
"""How far a shadow falls for the thickness of a sheet, which curls up a little."""

HIGH = 0.55
"""How far above the horizon the sky has its own colour, in distances of the frame's nearness."""


@njit(cache=True, nogil=True, fastmath=True)
def backdrop_rows(out, table, cover, shade, side, first, last, nearness, horizon, sky, far, strength, edge):
    """Rows of a map, premultiplied, laid over what it lies on.

    Args:
        out: the map; it becomes the whole, opaque.
        table: what it lies on, opaque.
        cover: how much of the map is left at its rim, 0..1; or of size 0.
        shade, side: how much of each pixel is in its shadow, and shows its edge, 0..1.
        nearness: 1 / depth of the frame's pixels: by columns, by rows, and at its corner.
        horizon, sky, edge: colours, 0..255.
        far: at which distance, in those to the target, the ground is the horizon's colour by two thirds.
        strength: of the shadow.
    """
    one, half, melts = np.float32(1), np.float32(0.5), cover.shape[0] > 0
    for y in range(first, last):
        for x in range(out.shape[1]):
            near = nearness[0] * (x + 0.5) + nearness[1] * (y + 0.5) + nearness[2]
            up = np.float32(min(max(-near / HIGH, 0.0), 1.0))
            up = up * (np.float32(2) - up)
            # So much of the ground is lost in the distance, and all of it above the horizon.
            lost = one if near <= 1e-6 else np.float32(math.exp(-near * far * 1.1))
            left = cover[y, x] if melts else one
            hides = np.float32(out[y, x, 3]) / np.float32(255) * left
            dark, rim = one - strength * shade[y, x], side[y, x]
            for c in range(3):
                below = np.float32(table[y, x, c]) * dark
                below += rim * (edge[c] - below)
                value = np.float32(out[y, x, c]) * left + (one - hides) * below
                beyond = horizon[c] + up * (sky[c] - horizon[c])
                out[y, x, c] = np.uint8(
                    min(max(value + lost * (beyond - value) + half, np.float32(0)), np.float32(255))
                )
            out[y, x, 3] = 255


def on_backdrop(pixels: Pixels, backdrop: Backdrop, view: View, light: Sunlight, closest: float) -> Pixels:
    """A map as a view shows it, premultiplied (height, width, 4) uint8, on what it lies on: opaque.

    Args:
        backdrop: with the values of a moment.
        closest: the smallest span of the film, ground units.
    """
    table = np.empty_like(pixels)
    table[:] = (*bytes_of(backdrop.colour), 255)
    if backdrop.kind != "colour":
        laid = Surface(on=True, blend="normal", strength=1.0, own_colour=1.0, folds=0.0, scale=backdrop.scale)
        table = laid_on(table, laid, shipped(backdrop.kind), view, light, closest)
    alpha = np.ascontiguousarray(pixels[..., 3])
    out, scale = pixels.copy(), view.scale
    shade = _fallen(alpha, view, light, backdrop.thick * scale)
    side = _sides(alpha, backdrop.thick * scale * math.sin(math.radians(view.pose.tilt)))
    cover = _rim(alpha, backdrop.rim * scale) if backdrop.rim * scale >= 0.5 else np.zeros((0, 0), np.float32)
    inverse = np.linalg.inv(view.plane())
    colours = (np.array(bytes_of(one), np.float32) for one in (backdrop.horizon, backdrop.sky))
    edge = np.array(SIDE_OF_SHEET, np.float32) * 255
    how = (inverse[2].copy(), *colours, float(backdrop.far), np.float32(backdrop.shadow), edge)
    in_threads(lambda a, b: backdrop_rows(out, table, cover, shade, side, a, b, *how), out)
    return out


def _fallen(alpha: Pixels, view: View, light: Sunlight, thick: float) -> Cover:
    """How much of each pixel is in the shadow of a sheet that is so many pixels thick."""
    height, width = alpha.shape
    if alpha.min() == 255:
        return np.zeros((height, width), np.float32)
    # Which way it falls in the frame, at the target.
    foot, head = view.project(np.array([view.target, view.target + light.fall * view.unit]))[:, :2]
    way = (head - foot) / max(float(np.hypot(*(head - foot))), 1e-9)
    long = LIFT * thick * min(float(np.hypot(*light.fall)), 3.0)
    soft = np.asarray(blurred(alpha, max(0.5 * long + thick, 0.5)), np.float32) / np.float32(255)
    to = np.array([[1, 0, way[0] * long], [0, 1, way[1] * long]], np.float64)
    moved = cv2.warpAffine(soft, to, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(moved, np.float32)


def _sides(alpha: Pixels, high: float) -> Cover:
    """How much of each pixel shows the edge of a sheet that is so many pixels high in the frame, or lies behind it."""
    cover = alpha.astype(np.float32) / np.float32(255)
    whole = math.floor(high)
    below, further = (_below(cover, rows) for rows in (whole, whole + 1))
    return np.asarray(below + (further - below) * np.float32(high - whole), np.float32)


def _below(cover: Cover, rows: int) -> Cover:
    """What is covered, and so many rows below it."""
    column = np.ones((rows + 1, 1), np.uint8)
    return np.asarray(cv2.dilate(cover, column, anchor=(0, rows), borderType=cv2.BORDER_REPLICATE), np.float32)


def _rim(alpha: Pixels, wide: float) -> Cover:
    """How much of the map is left at its rim, which melts over so many pixels inwards."""
    height, width = alpha.shape
    solid = np.pad((cv2.resize(alpha, (max(width // SHRINK, 1), max(height // SHRINK, 1))) > 127).astype(np.uint8), 1,
                   mode="edge")  # fmt: skip
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5)[1:-1, 1:-1] * SHRINK
    smooth = np.asarray(smoothstep(inside / wide), np.float32)
    return np.asarray(cv2.resize(smooth, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
