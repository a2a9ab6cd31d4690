"""What an open shutter makes of a picture: motion blur.

What lies on the ground is at any other moment of the exposure the sharp picture of the middle moment under one
homography: from the frame of that moment to the ground, and from there to the frame of the middle. So the picture is
drawn once, with a margin, and averaged in linear light at as many moments as its longest motion needs.
"""

from __future__ import annotations

import numpy as np

from yaila.core.compiling import njit
from yaila.core.picture.linear import BLUE, CHANNEL, GREEN, RUN, add, put_mean, take_out

PIECE = 32
"""The most pixels of a row over which a motion is worked out once."""

EVEN = 0.5
"""How much the motion may differ along a piece of a row that is moved as one, pixels."""

SLOPING = 16
"""Pixels of a row that are moved as one where the ground is not flat."""

SLOPES = 1.05
"""How much farther away than the nearest the farthest of them may be."""


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def average_rows(source, out, first, last, left, top, maps, piece):
    """Rows of the mean of a picture under homographies.

    Args:
        source: the picture of the middle moment, (height, width) uint64.
        out: what is drawn, of which pixel (0, 0) lies over pixel (left, top) of the picture.
        maps: from pixels of the picture at a moment to those of the middle, (n, 3, 3).
        piece: pixels of a row whose motion is worked out once.
    """
    height, width = source.shape
    moments = maps.shape[0]
    run = np.zeros(PIECE, np.uint64)
    red, green, blue = np.zeros(PIECE, np.float32), np.zeros(PIECE, np.float32), np.zeros(PIECE, np.float32)
    for y in range(first, last):
        for x in range(0, out.shape[1], piece):
            end = min(piece, out.shape[1] - x)
            held = 0
            v = y + top + 0.5
            for m in range(moments):
                h = maps[m]
                begin, finish = x + left + 0.5, x + left + end - 0.5
                u0, v0, ok0 = _through(h, begin, v)
                u1, v1, ok1 = _through(h, finish, v)
                if not (ok0 and ok1):
                    u0, v0, u1, v1 = begin, v, finish, v
                step_u = (u1 - u0) / max(end - 1, 1)
                step_v = (v1 - v0) / max(end - 1, 1)
                low_u, high_u = min(u0, u1), max(u0, u1)
                low_v, high_v = min(v0, v1), max(v0, v1)
                inside = low_u >= 0.0 and high_u < width and low_v >= 0.0 and high_v < height
                if inside and abs(u1 - u0 - (end - 1)) < EVEN and abs(v1 - v0) < EVEN:
                    row = int(0.5 * (v0 + v1))
                    begin_u = min(max(int(0.5 * (u0 + u1) - 0.5 * (end - 1)), 0), width - end)
                    add(end, source[row, begin_u:], run)
                elif inside:
                    for i in range(end):
                        run[i] += source[int(v0 + step_v * i), int(u0 + step_u * i)]
                else:
                    for i in range(end):
                        row = min(max(int(v0 + step_v * i), 0), height - 1)
                        run[i] += source[row, min(max(int(u0 + step_u * i), 0), width - 1)]
                held += 1
                if held == RUN or m == moments - 1:
                    take_out(end, run, red, green, blue)
                    held = 0
            put_mean(end, np.float32(1.0 / moments), red, green, blue, out[y, x:])


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _through(h, u, v):
    """A place through a homography, and whether it is before the camera there."""
    w = h[2, 0] * u + h[2, 1] * v + h[2, 2]
    if w < 1e-3:
        return 0.0, 0.0, False
    return (h[0, 0] * u + h[0, 1] * v + h[0, 2]) / w, (h[1, 0] * u + h[1, 1] * v + h[1, 2]) / w, True


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def average_deep_rows(source, out, first, last, margin, spaces, places):
    """As :func:`average_rows`, where the ground is not flat.

    Args:
        spaces: from places in space, counted from the middle moment's target, to the pixels of the picture, at each
            moment, (n, 3, 4).
        places: what each pixel of the picture shows: east, north, height, and how far away, 0 for the sky; of as much
            more around it as it has.
    """
    height, width = source.shape
    moments, beside = spaces.shape[0], (places.shape[0] - height) // 2
    run = np.zeros(SLOPING, np.uint64)
    red, green, blue = np.zeros(SLOPING, np.float32), np.zeros(SLOPING, np.float32), np.zeros(SLOPING, np.float32)
    for y in range(first, last):
        v = y + margin
        for x in range(0, out.shape[1], SLOPING):
            end, u = min(SLOPING, out.shape[1] - x), x + margin
            seen = places[v + beside, u + beside :]
            if _is_one(seen, end):
                # What they show is elsewhere at the first and the last moment, and evenly on its way between them; as
                # far the other way is what was here then.
                du0, dv0, du1, dv1, evenly = _moved(spaces, moments, seen, end, u, v)
                low = min(u - max(du0, du1), v - max(dv0, dv1))
                inside = u + end - min(du0, du1) < width - 1 and v - min(dv0, dv1) < height - 1 and low >= 0.0
                if evenly and inside:
                    held, step = 0, 1.0 / max(moments - 1, 1)
                    for m in range(moments):
                        share = m * step
                        column = int(u + 0.5 - (du0 + (du1 - du0) * share))
                        row = int(v + 0.5 - (dv0 + (dv1 - dv0) * share))
                        add(end, source[row, column:], run)
                        held += 1
                        if held == RUN or m == moments - 1:
                            take_out(end, run, red, green, blue)
                            held = 0
                    put_mean(end, np.float32(1.0 / moments), red, green, blue, out[y, x:])
                    continue
            for i in range(end):
                out[y, x + i] = _mean_of(source, u + i, v, spaces, seen[i])


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _is_one(seen, count):
    """Whether pixels of a row show one ground, no part of it much farther away than the rest."""
    near, far = seen[0, 3], seen[0, 3]
    for i in range(1, count):
        near, far = min(near, seen[i, 3]), max(far, seen[i, 3])
    return near > 0.0 and far < near * SLOPES


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _moved(spaces, moments, seen, count, u, v):
    """How far from here what the middle of some pixels of a row shows is at the first and the last moment; and whether
    that is so of all of them."""
    begin_u0, begin_v0, ok0 = _away(spaces[0], seen[0], u + 0.5, v + 0.5)
    begin_u1, begin_v1, ok1 = _away(spaces[moments - 1], seen[0], u + 0.5, v + 0.5)
    end_u0, end_v0, ok2 = _away(spaces[0], seen[count - 1], u + count - 0.5, v + 0.5)
    end_u1, end_v1, ok3 = _away(spaces[moments - 1], seen[count - 1], u + count - 0.5, v + 0.5)
    across = max(abs(end_u0 - begin_u0), abs(end_u1 - begin_u1))
    down = max(abs(end_v0 - begin_v0), abs(end_v1 - begin_v1))
    evenly = ok0 and ok1 and ok2 and ok3 and max(across, down) < EVEN
    return (
        0.5 * (begin_u0 + end_u0), 0.5 * (begin_v0 + end_v0), 0.5 * (begin_u1 + end_u1), 0.5 * (begin_v1 + end_v1),
        evenly,
    )  # fmt: skip


@njit(cache=True, nogil=True, fastmath=True)
def _mean_of(source, u, v, spaces, place):
    """The mean of a picture where what a pixel shows is at moments, as light."""
    height, width = source.shape
    moments, here = spaces.shape[0], source[v, u]
    if place[3] <= 0.0:
        return here
    du0, dv0, ok0 = _away(spaces[0], place, u + 0.5, v + 0.5)
    du1, dv1, ok1 = _away(spaces[moments - 1], place, u + 0.5, v + 0.5)
    if not (ok0 and ok1):
        return here
    step = 1.0 / max(moments - 1, 1)
    step_u, step_v = (du1 - du0) * step, (dv1 - dv0) * step
    red, green, blue = np.int64(0), np.int64(0), np.int64(0)
    at_u, at_v, run = u + 0.5 - du0, v + 0.5 - dv0, np.uint64(0)
    end_u, end_v = at_u - (du1 - du0), at_v - (dv1 - dv0)
    inside = min(at_u, end_u) >= 0.0 and max(at_u, end_u) < width
    inside = inside and min(at_v, end_v) >= 0.0 and max(at_v, end_v) < height
    for m in range(moments):
        column, row = int(at_u - step_u * m), int(at_v - step_v * m)
        if not inside:
            column, row = min(max(column, 0), width - 1), min(max(row, 0), height - 1)
        run += source[row, column]
        if m % RUN == RUN - 1 or m == moments - 1:
            red += np.int64(run & CHANNEL)
            green += np.int64((run >> GREEN) & CHANNEL)
            blue += np.int64(run >> BLUE)
            run = np.uint64(0)
    half = moments // 2
    return (
        np.uint64((red + half) // moments)
        | (np.uint64((green + half) // moments) << GREEN)
        | (np.uint64((blue + half) // moments) << BLUE)
    )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _away(space, place, u, v):
    """How far a place in space is from a pixel at a moment, and whether it is before the camera."""
    east, north, up = place[0], place[1], place[2]
    w = space[2, 0] * east + space[2, 1] * north + space[2, 2] * up + space[2, 3]
    if w < 1e-3:
        return 0.0, 0.0, False
    return (
        (space[0, 0] * east + space[0, 1] * north + space[0, 2] * up + space[0, 3]) / w - u,
        (space[1, 0] * east + space[1, 1] * north + space[1, 2] * up + space[1, 3]) / w - v,
        True,
    )
