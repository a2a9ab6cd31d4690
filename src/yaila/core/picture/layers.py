"""What stands, as lens and shutter draw it: each thing is one layer, all of it as far away, with one blur and motion.

What lies behind it is complete, so that no halo of it is left.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.compiling import njit
from yaila.core.picture.lens import SHARP, Iris, edge_of
from yaila.core.picture.linear import CODES, DECODED
from yaila.core.picture.threads import in_threads

STILL = 0.5
"""A motion below this is not seen, pixels."""

SMALL = 12.0
"""Circles that are larger, in pixels, are drawn from a smaller copy."""


@dataclass(frozen=True)
class Moments:
    """How many moments of an exposure are averaged: for each pixel of a motion, at least, and at most."""

    rate: float
    least: int
    most: int

    def of(self, motion: float) -> int:
        """The moments that a motion of so many pixels needs."""
        return min(max(math.ceil(motion * self.rate), self.least), self.most)


@dataclass(frozen=True)
class Motion:
    """How something moves in the frame while the shutter is open: where it is in the middle, how far off it is when it
    opens and closes, pixels, and how large it is then."""

    at: tuple[float, float] = (0.0, 0.0)
    before: tuple[float, float] = (0.0, 0.0)
    after: tuple[float, float] = (0.0, 0.0)
    grown_before: float = 1.0
    grown_after: float = 1.0

    @property
    def length(self) -> float:
        """Pixels from the first to the last moment."""
        return math.hypot(self.after[0] - self.before[0], self.after[1] - self.before[1])

    def seen(self, reach: float) -> bool:
        """Whether it is seen on something that reaches so many pixels from its place."""
        return self.length >= STILL or abs(self.grown_after - self.grown_before) * reach >= STILL


def softened_layer(
    pixels: NDArray[np.uint8], radius: float, motion: Motion, iris: Iris, moments: Moments
) -> tuple[NDArray[np.float32], tuple[int, int]] | None:
    """A layer as lens and shutter draw it: premultiplied light, and where its upper left corner is in the layer; none
    where nothing is on it.

    Args:
        pixels: (height, width, 4) uint8, premultiplied.
        motion: with places counted in the layer.
    """
    left, top, width, height = cv2.boundingRect(cv2.extractChannel(pixels, 3))
    if not width:
        return None
    right, bottom = left + width, top + height
    far = max(abs(motion.at[0] - left), abs(motion.at[0] - right), abs(motion.at[1] - top), abs(motion.at[1] - bottom))
    grown = max(abs(motion.grown_before - 1), abs(motion.grown_after - 1)) * far
    pad = math.ceil(abs(radius) + max(map(abs, (*motion.before, *motion.after))) + grown) + 2
    padded = cv2.copyMakeBorder(pixels[top:bottom, left:right], pad, pad, pad, pad, cv2.BORDER_CONSTANT)
    light = light_of(np.asarray(padded, np.uint8))
    if abs(radius) >= SHARP:
        light = _disc_blurred(light, abs(radius), iris)
    if motion.seen(far):
        light = _moved(light, motion, (left - pad, top - pad), moments)
    return light, (left - pad, top - pad)


def put_over(pixels: NDArray[np.uint8], light: NDArray[np.float32], at: tuple[int, int]) -> None:
    """Lay premultiplied light over premultiplied pixels, its corner at a place ("over", W3C Compositing and Blending
    Level 1): what is seen through for a share of the exposure, or from a share of the lens, gives that share of its
    light."""
    left, top = at
    x, y = max(left, 0), max(top, 0)
    width = min(left + light.shape[1], pixels.shape[1]) - x
    height = min(top + light.shape[0], pixels.shape[0]) - y
    if width > 0 and height > 0:
        # Whole arrays, as a loop is compiled anew for parts of some.
        light = np.ascontiguousarray(light)
        where = (left, top, x, x + width)
        in_threads(lambda a, b: over_rows(pixels, light, a, b, where, DECODED, CODES), pixels, y, y + height)


def light_of(pixels: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Premultiplied encoded pixels as premultiplied light, (height, width, 4) float32, 0..1."""
    light = np.empty(pixels.shape, np.float32)
    in_threads(lambda a, b: light_rows(pixels, light, a, b, DECODED), light, worth=2)
    return light


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _light(value, alpha, decoded_values):
    """The light, not premultiplied, of a premultiplied code."""
    if alpha == 255:
        return decoded_values[value]
    at = min(np.float32(value) * np.float32(255) / np.float32(alpha), np.float32(255))
    k = min(np.int32(at), np.int32(254))
    return decoded_values[k] + (decoded_values[k + 1] - decoded_values[k]) * (at - np.float32(k))


@njit(cache=True, nogil=True, fastmath=True)
def light_rows(pixels, light, first, last, decoded_values):
    """Rows of premultiplied pixels as premultiplied light."""
    for y in range(first, last):
        for x in range(pixels.shape[1]):
            alpha = pixels[y, x, 3]
            share = np.float32(alpha) / np.float32(255)
            light[y, x, 3] = share
            for c in range(3):
                light[y, x, c] = share * _light(pixels[y, x, c], alpha, decoded_values) if alpha > 0 else np.float32(0)


@njit(cache=True, nogil=True, fastmath=True)
def over_rows(pixels, light, first, last, where, decoded_values, codes):
    """Rows of premultiplied pixels with premultiplied light over them; ``where`` in them its corner is, column and row,
    and from which column to which it is laid."""
    left, top, begin, end = where
    steps, full, half = np.float32(codes.shape[0] - 1), np.float32(255), np.float32(0.5)
    for y in range(first, last):
        for x in range(begin, end):
            u, v = x - left, y - top
            cover = light[v, u, 3]
            if cover <= np.float32(0):
                continue
            rest = max(np.float32(1) - cover, np.float32(0))
            alpha = pixels[y, x, 3]
            below = np.float32(alpha) / full
            made = min(cover + below * rest, np.float32(1))
            for c in range(3):
                value = light[v, u, c]
                if alpha > 0:
                    value += rest * below * _light(pixels[y, x, c], alpha, decoded_values)
                at = min(max(value / made, np.float32(0)), np.float32(1)) * steps
                k = min(np.int32(at), np.int32(codes.shape[0] - 2))
                code = codes[k] + (codes[k + 1] - codes[k]) * (at - np.float32(k))
                pixels[y, x, c] = np.uint8(code * made + half)
            pixels[y, x, 3] = np.uint8(made * full + half)


def _disc_blurred(light: NDArray[np.float32], radius: float, iris: Iris) -> NDArray[np.float32]:
    halvings = max(math.ceil(math.log2(radius / SMALL)), 0)
    height, width = light.shape[:2]
    if halvings:
        size = (max(width >> halvings, 1), max(height >> halvings, 1))
        light = np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)
        radius = radius * size[0] / width
    blurred = cv2.filter2D(light, -1, _kernel(radius, iris), borderType=cv2.BORDER_CONSTANT)
    if halvings:
        blurred = cv2.resize(blurred, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(blurred, np.float32)


def _kernel(radius: float, iris: Iris) -> NDArray[np.float32]:
    """The opening of the lens as weights that add up to 1: how much of each pixel it covers."""
    reach, fine = math.ceil(radius), 8
    at = (np.arange((2 * reach + 1) * fine) + 0.5) / fine - reach - 0.5
    x, y = np.meshgrid(at, at)
    far = np.hypot(x, y) / radius
    edge = edge_of(np.arctan2(y, x), iris) if iris.blades >= 3 else 1.0
    inside = (far <= edge).astype(np.float32)
    side = 2 * reach + 1
    weights = inside.reshape(side, fine, side, fine).mean(axis=(1, 3))
    return np.asarray(weights / weights.sum(), np.float32)


def _moved(
    light: NDArray[np.float32], motion: Motion, origin: tuple[int, int], moments: Moments
) -> NDArray[np.float32]:
    """The mean of a layer over the exposure: moved and scaled about its place."""
    count = moments.of(motion.length)
    u, v = motion.at[0] - origin[0], motion.at[1] - origin[1]
    total = np.zeros_like(light)
    for k in range(count):
        share = (k + 0.5) / count * 2 - 1
        off = motion.before if share < 0 else motion.after
        grown = motion.grown_before if share < 0 else motion.grown_after
        way = abs(share)
        scale = grown**way
        matrix = np.array([[scale, 0.0, u + off[0] * way - scale * u], [0.0, scale, v + off[1] * way - scale * v]])
        cv2.accumulate(cv2.warpAffine(light, matrix, light.shape[1::-1], flags=cv2.INTER_LINEAR), total)
    return total / np.float32(count)
