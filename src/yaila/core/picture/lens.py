"""What the lens makes of a picture: depth of field.

A plane that is not in focus is seen from every point of the lens a little elsewhere. For the ground the signed radius
of the circle of confusion is an affine function of the frame, as 1 / depth is (``camera/lens.py``), and a point
``(a, b)`` of the unit disc sees the frame's pixel p at ``p + r(p) (a, b)``. Taken back, what a pixel q sees through it
is at ``q - r(q) (a, b) / (1 + grad r . (a, b))``, exactly. So one picture is enough, and the mean over the disc is a
mean of its pixels, in linear light.

Along a short stretch of a row the radius is as good as constant, so that a sample of it is a run of neighbouring
numbers. Where samples lie further apart than pixels they are taken from pictures that were smoothed before, by a ladder
of B-splines with holes (M. Shensa, "The Discrete Wavelet Transform: Wedding the A Trous and Mallat Algorithms", 1992),
at full size, so that no step between sizes shows.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yaila.core.compiling import Apart, njit
from yaila.core.picture.linear import RUN, add, put_mean, take_out

STRETCH = 128
"""The longest stretch of a row with one radius, pixels."""

EVEN = 0.5
"""How much the radius may change along a stretch, pixels."""

UNEVEN = 8
"""Pixels of a row with one radius at least where the ground is not flat."""

SHARP = 0.3
"""Below this radius nothing is blurred, pixels."""

MOST_STEPS = 4
"""Pictures that are smoothed before, each twice as much as the one before it."""

_TWO, _SIXTEEN = np.uint64(1), np.uint64(4)
_ALL = np.uint64(0xFFFFFFFFFFFFFFFF)
_REST = np.uint64(((1 << 17) - 1) | (((1 << 17) - 1) << 21) | (((1 << 17) - 1) << 42))


COUNTS = (8, 12, 16, 24, 32, 48, 64, 96)
"""How many places of the lens a pixel may be seen from: as many as its circle needs."""


@dataclass(frozen=True)
class Iris:
    """The shape of the opening: round, or a polygon of ``blades`` corners whose sides are bent outwards by
    ``roundness``, 0..1."""

    blades: int = 0
    roundness: float = 0.5


@lru_cache(maxsize=16)
def openings(most: int, iris: Iris) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """Counts of places, up to ``most``, and the places of each, (counts, most, 2), spread evenly over the opening."""
    counts = [count for count in COUNTS if count <= most]
    places = np.zeros((len(counts), most, 2), np.float32)
    for index, count in enumerate(counts):
        places[index, :count] = disc(count, iris)
    return np.array(counts), places


def disc(count: int, iris: Iris) -> NDArray[np.float32]:
    """Places spread evenly over the opening of the lens, (count, 2), within the unit circle: along a spiral by the
    golden angle (H. Vogel, "A Better Way to Construct the Sunflower Head", 1979)."""
    k = np.arange(count, dtype=np.float64)
    radius, angle = np.sqrt((k + 0.5) / count), k * math.pi * (3 - math.sqrt(5))
    if iris.blades >= 3:
        radius = radius * edge_of(angle, iris)
    places = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
    return (places - places.mean(axis=0)).astype(np.float32)


def edge_of(angle: NDArray[np.float64], iris: Iris) -> NDArray[np.float64]:
    """How far the edge of an iris is from its middle at angles: 1 at its corners and, with roundness 1, everywhere."""
    half = math.pi / iris.blades
    side = math.cos(half) / np.cos((angle % (2 * half)) - half)
    return np.asarray(side + iris.roundness * (1 - side))


@njit(cache=True, nogil=True, pipeline_class=Apart)
def _one_two_one(n, before, here, after, out, shift, mask):
    for i in range(n):
        out[i] = ((before[i] + after[i] + (here[i] << _TWO)) >> shift) & mask


@njit(cache=True, nogil=True, fastmath=True)
def deep_rows(places, out, first, last, margin, hold, share):
    """Rows of the signed radius of what pixels show, pixels, without a margin around them: ``hold`` for what is
    infinitely far, as the sky is, whose distance (the last of ``places``) is 0; none at a distance of ``share``."""
    for y in range(first, last):
        for x in range(out.shape[1]):
            away = places[y + margin, x + margin, 3]
            out[y, x] = hold * (np.float32(1) - share / max(away, np.float32(1e-9))) if away > 0 else hold


@njit(cache=True, nogil=True, allocates=True)
def smooth_rows(source, out, first, last, step):
    """Rows smoothed by 1, 2, 1 both ways, ``step`` pixels apart; beyond the edge all is as at the edge."""
    height, width = source.shape
    # What is beyond the edges is kept at both ends.
    column = np.zeros(width + 2 * step, np.uint64)
    for y in range(first, last):
        above, below = source[max(y - step, 0)], source[min(y + step, height - 1)]
        _one_two_one(width, above, source[y], below, column[step:], np.uint64(0), _ALL)
        column[:step] = column[step]
        column[step + width :] = column[step + width - 1]
        _one_two_one(width, column, column[step:], column[2 * step :], out[y], _SIXTEEN, _REST)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _even(deep, x):
    """Over how many pixels from one on the radius is as good as constant."""
    room = deep.shape[0] - x
    least = min(UNEVEN, room)
    here, end = deep[x + least // 2], least
    while end < STRETCH and end + UNEVEN <= room and abs(deep[x + end + UNEVEN // 2] - here) < EVEN:
        end += UNEVEN
    return end


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def blur_rows(steps, ready, out, first, last, left, top, radii, deep, hold, least, counts, places):
    """Rows of a picture as the lens draws it.

    Args:
        steps: the picture and what was smoothed of it, each twice as much, (n, height, width).
        ready: how many of them there are.
        out: what is drawn, of which pixel (0, 0) lies over pixel (left, top) of the picture.
        radii: the signed radius at a place of the picture: at its upper left corner, and what a pixel across and down
            adds.
        deep: the signed radius of each pixel that is drawn, where the ground is not flat; else of size 0.
        hold, least: the radii that are never passed: that of what is infinitely far, and of what is too near, pixels.
        counts, places: see :func:`openings`.
    """
    height, width = steps.shape[1:]
    base, across, down = radii
    stretch = STRETCH
    uneven = deep.shape[0] > 0
    if not uneven and abs(across) * stretch > EVEN:
        stretch = max(int(EVEN / abs(across)), 8)
    red, green, blue = np.zeros(STRETCH, np.float32), np.zeros(STRETCH, np.float32), np.zeros(STRETCH, np.float32)
    run = np.zeros(STRETCH, np.uint64)
    for y in range(first, last):
        following = 0
        while following < out.shape[1]:
            x = following
            end = min(stretch, out.shape[1] - x)
            middle = base + across * (x + left + end * 0.5) + down * (y + top + 0.5)
            if uneven:
                end = _even(deep[y], x)
                middle = float(deep[y, x + end // 2])
            following = x + end
            radius = max(min(middle, hold), least)
            size = abs(radius)
            row = y + top
            if size < SHARP:
                for i in range(end):
                    out[y, x + i] = steps[0, row, x + left + i]
                continue
            which = counts.shape[0] - 1
            while which > 0 and counts[which - 1] >= 4.0 + 4.0 * size * size:
                which -= 1
            used, taps = counts[which], places[which]
            apart = size * math.sqrt(math.pi / used) / 1.2
            level = math.log2(max(apart, 1.0))
            held = 0
            shift_u, shift_v = across, down
            if uneven or middle > hold or middle < least:
                shift_u, shift_v = 0.0, 0.0
            for k in range(used):
                a, b = taps[k, 0], taps[k, 1]
                scale = radius / max(1.0 + shift_u * a + shift_v * b, 0.2)
                dx, dy = math.floor(0.5 - scale * a), math.floor(0.5 - scale * b)
                step = min(int(level + ((k * 0.6180339887) % 1.0)), ready - 1)
                source = min(max(row + dy, 0), height - 1)
                begin = x + left + dx
                if begin >= 0 and begin + end <= width:
                    add(end, steps[step, source, begin:], run)
                else:
                    for i in range(end):
                        run[i] += steps[step, source, min(max(begin + i, 0), width - 1)]
                held += 1
                if held == RUN or k == used - 1:
                    take_out(end, run, red, green, blue)
                    held = 0
            put_mean(end, np.float32(1.0 / used), red, green, blue, out[y, x:])
