"""Rays that are followed to ground that is not flat: raised by heights, and by land that stands out as blocks.

A ray begins where the one below it ended, as what is seen higher up in the frame is, on the whole, farther away (T.
Wright, "A Two-Space Solution to the Hidden Line Problem", 1973), goes on by steps that no slope can hide in, and ends
by secants. About blocks, how far their edges are is known everywhere, so that no step passes one (J. Hart, "Sphere
Tracing", 1996). With a rolled camera the rays are followed level, and their picture is turned.

The functions here are compiled by Numba, release the interpreter lock, and know only arrays. Places count from the
camera's target. ``surface`` is what the ground is made of:

0 to 3: heights: values, starts, sizes and scales of their levels (``heights.py``).
4, 5: from the ground to their grid, 3x3; ground units for a metre of height, 0 where none raise it.
6: how far inside the edge of a block places of the flat picture are, pixels, below 0 outside; of size 0 where there are
   no blocks.
7: how high the block there is, ground units.
8: from the ground to pixels of those, 3x3.
9: the highest block.
10 to 12: how far squares of the heights are from ground that rises (``Heights.clear``), and how steep those are, and in
   what unit (``Heights.slopes``); of size 0 where none raise it.
"""

from __future__ import annotations

import math

import numpy as np

from yaila.core.compiling import Apart, njit
from yaila.core.picture.heights import CLEAR, height_of, slope_of
from yaila.core.picture.linear import MOST, WHITE, channels_of, held, packed_of

GRAZED = 5.0
"""Where the ground goes away by more than so many widths of a ray from one ray to the next, it may be hidden between
them, and pixels get rays of their own."""

BACK = 0.995
"""A ray begins a little before where the one below it ended, as they do not lie in quite one upright plane."""

LEAST_STEP = 1.2
"""A ray that grazes the ground goes on by so many widths of its own at least: what it may miss is as high as a few
hundredths of one, as slopes do not change by more than a third over so short a way."""

MET = 0.02
"""A ray has met the ground where it is so near to it, in widths of its own."""

BLED = 4.0
"""Beside ground that rises, what is read of heights may rise, too, by so many places of the level that is read."""

PARTS, PARTS_BITS = np.uint64(32), np.uint64(5)
HALVES = np.uint64(16 | 16 << 21 | 16 << 42)
WHOLE = np.uint64(0xFFFF | 0xFFFF << 21 | 0xFFFF << 42)
"""Parts of the way from one pixel to the next: a channel has room for so many times what it holds."""

FAR_EDGE = 8.0
"""How far the next edge is taken to be beyond the picture of blocks, pixels."""


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _risen(x, y, values, starts, sizes, scales, inverse, times, level):
    """How high relief is at a place."""
    if times <= 0.0:
        return 0.0
    gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
    gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
    return times * height_of(values, starts, sizes, scales, gx, gy, level)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _clear(x, y, inverse, clear):
    """How far it is from a place to ground that rises, in places of the grid, at least; not less outside of it."""
    rows, columns = clear.shape
    gx = (inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]) * (1.0 / CLEAR)
    gy = (inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]) * (1.0 / CLEAR)
    return clear[int(min(max(gy, 0.0), rows - 1.0)), int(min(max(gx, 0.0), columns - 1.0))]


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _pixel_of(x, y, plane):
    """The pixel of the flat picture that shows a place, and how far away that is."""
    w = plane[2, 0] * x + plane[2, 1] * y + plane[2, 2]
    if w < 1e-6:
        return -1e6, -1e6, w
    return (
        (plane[0, 0] * x + plane[0, 1] * y + plane[0, 2]) / w,
        (plane[1, 0] * x + plane[1, 1] * y + plane[1, 2]) / w,
        w,
    )


@njit(cache=True, nogil=True, fastmath=True)
def _block(x, y, inside, tall, plane):
    """How far inside a block a place is, pixels, and how high that is."""
    u, v, _ = _pixel_of(x, y, plane)
    u, v = u - 0.5, v - 0.5
    rows, columns = inside.shape
    if u < 0.0 or v < 0.0 or u >= columns - 1 or v >= rows - 1:
        return -FAR_EDGE, 0.0
    ix, iy = int(u), int(v)
    fx, fy = u - ix, v - iy
    upper = inside[iy, ix] * (1.0 - fx) + inside[iy, ix + 1] * fx
    lower = inside[iy + 1, ix] * (1.0 - fx) + inside[iy + 1, ix + 1] * fx
    return upper * (1.0 - fy) + lower * fy, tall[iy + int(fy + 0.5), ix + int(fx + 0.5)]


@njit(cache=True, nogil=True, fastmath=True)
def _trace(dx, dy, dz, eye, surface, bounds, begun):
    """Follow a ray.

    Args:
        dx, dy, dz: its direction, as far forward as the line of sight.
        bounds: the highest ground; the steepest slope; ground units of a place of the grid; how far rays are followed;
            how wide a pixel is at a distance of 1.
        begun: how far it has come for certain. A wall may lean out over what lies below it in the frame: so where there
            are blocks that is no further than where it is as high above the ground as they are.

    Returns:
        How far it goes, 0 if it meets nothing, and whether it meets the side of a block.
    """
    top, steep, finest, far, wide = bounds
    values, starts, sizes, scales, inverse, times, inside, tall, plane, tallest, clear = surface[:11]
    raising, blocks = times > 0.0, inside.shape[0] > 0
    level_way = math.sqrt(dx * dx + dy * dy) + 1e-12
    # Where it comes down to the highest ground.
    enters = 0.0
    if eye[2] > top:
        if dz >= -1e-12:
            return 0.0, False
        enters = (top - eye[2]) / dz
    t = max(enters, begun)
    if clear.shape[0] > 0 and not blocks and dz < -1e-9:
        # Where there is nothing that rises between there and the flat ground, nor near enough to be read with it.
        flat = -eye[2] / dz
        between = (flat - t) * level_way / finest + BLED * max(flat * wide / finest, 1.0)
        if _clear(eye[0] + flat * dx, eye[1] + flat * dy, inverse, clear) > between:
            return flat, False
    level = math.log2(max(t * wide / finest, 1.0))
    z, base, edge, high = 0.0, 0.0, -FAR_EDGE, 0.0
    # No step back goes behind where it came in.
    for _ in range(60):
        z = eye[2] + t * dz
        base = _risen(eye[0] + t * dx, eye[1] + t * dy, values, starts, sizes, scales, inverse, times, level)
        if blocks:
            edge, high = _block(eye[0] + t * dx, eye[1] + t * dy, inside, tall, plane)
        over = z - base - (high if edge > 0.0 else 0.0)
        if over >= 0.0 or t <= enters:
            break
        t = max(enters, t * 0.97)
    if over <= 0.0:
        return max(t, 1e-9), False
    for _ in range(4000):
        if t > far or (dz > 0.0 and z > top):
            break
        pixel = t * wide
        # No slope hides in such a step, but those that are steeper than nearly all.
        free = z - base
        among = False
        if blocks:
            among = free <= tallest
            free = free if among else free - tallest
        step = free / (steep * level_way - min(dz, 0.0) + 1e-9)
        # On level ground it ends on it at once.
        step = max(step * 0.9, max(LEAST_STEP * pixel, 0.15 * finest)) if raising else step * 1.00001 + 1e-3 * pixel
        if among:
            # As far as there is no edge: in pixels of the flat picture, along the ground below the ray.
            u, v, w = _pixel_of(eye[0] + t * dx, eye[1] + t * dy, plane)
            if w > 1e-6:
                du = (plane[0, 0] - u * plane[2, 0]) * dx + (plane[0, 1] - u * plane[2, 1]) * dy
                dv = (plane[1, 0] - v * plane[2, 0]) * dx + (plane[1, 1] - v * plane[2, 1]) * dy
                step = min(step, max(-0.95 * edge, 0.7) * w / (math.sqrt(du * du + dv * dv) + 1e-12))
        before, was, from_edge = t, over, edge
        t += step
        if step > 0.05 * t:
            level = math.log2(max(t * wide / finest, 1.0))
        z = eye[2] + t * dz
        base = _risen(eye[0] + t * dx, eye[1] + t * dy, values, starts, sizes, scales, inverse, times, level)
        if blocks:
            edge, high = _block(eye[0] + t * dx, eye[1] + t * dy, inside, tall, plane)
        over = z - base - (high if edge > 0.0 else 0.0)
        if over <= 0.0:
            # Back to where it met the ground: by secants, and by halves where it stepped over an edge.
            a, b, fa, fb = before, t, was, over
            wall = blocks and from_edge <= 0.0 < edge
            for _ in range(7 if wall else 5):
                m = 0.5 * (a + b) if wall else a + (b - a) * min(max(fa / (fa - fb + 1e-12), 0.05), 0.95)
                z = eye[2] + m * dz
                base = _risen(eye[0] + m * dx, eye[1] + m * dy, values, starts, sizes, scales, inverse, times, level)
                if blocks:
                    edge, high = _block(eye[0] + m * dx, eye[1] + m * dy, inside, tall, plane)
                fm = z - base - (high if edge > 0.0 else 0.0)
                if not blocks and abs(fm) < MET * m * wide:
                    return m, False
                if fm > 0.0:
                    a, fa, from_edge = m, fm, edge
                else:
                    b, fb = m, fm
            if not wall:
                return b, False
            # What is met beyond an edge is its side, unless the ray came down on the top just behind it.
            edge, high = _block(eye[0] + b * dx, eye[1] + b * dy, inside, tall, plane)
            z = eye[2] + b * dz
            base = _risen(eye[0] + b * dx, eye[1] + b * dy, values, starts, sizes, scales, inverse, times, level)
            return b, from_edge <= 0.0 and edge > 0.0 and z < base + high - 0.3 * b * wide
    if dz < 0.0:
        # Beyond all that is followed the ground is flat.
        flat = -eye[2] / dz
        if flat > 0.0:
            return flat, False
    return 0.0, False


@njit(cache=True, nogil=True, fastmath=True)
def march_columns(found, sides, first, last, surface, eye, axes, middle, across_pixel, bounds):
    """Follow the rays of columns of a level view, from the lowest row up.

    Args:
        found: what they meet: east, north, height, and how far away (along the line of sight); (rows, columns, 4). 0
            away is the sky.
        sides: whether that is the side of a block, (rows, columns) uint8.
        axes: right, up, forward; ``middle``: the pixel that looks straight forward.
        across_pixel: how much of right a ray's pixel is, at a distance of 1.
    """
    rows = found.shape[0]
    tallest = surface[9]
    for c in range(first, last):
        across = (c + 0.5 - middle[0]) * across_pixel
        begun = 0.0
        for r in range(rows - 1, -1, -1):
            above = (middle[1] - r - 0.5) * across_pixel
            dx = axes[2, 0] + across * axes[0, 0] + above * axes[1, 0]
            dy = axes[2, 1] + across * axes[0, 1] + above * axes[1, 1]
            dz = axes[2, 2] + across * axes[0, 2] + above * axes[1, 2]
            t, side = _trace(dx, dy, dz, eye, surface, bounds, begun * BACK - 1.5 * tallest / max(-dz, 0.02))
            found[r, c, 3] = t
            sides[r, c] = side
            if t > 0.0:
                found[r, c, 0], found[r, c, 1] = eye[0] + t * dx, eye[1] + t * dy
                found[r, c, 2] = max(eye[2] + t * dz, 0.0)
                begun = t


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _shade(x, y, t, surface, light, wide, finest):
    """How much light falls on a place that is so far away, beside flat ground: by its slope (Lambert's cosine), and by
    what is before the light."""
    sun, strength, cast, sizes, to_cast, shadows, times = light
    starts, levels, scales, inverse = surface[1:5]
    clear, slopes, unit = surface[10:]
    shade = 1.0
    if strength > 0.0:
        reach = max(t * wide / finest, 1.0)
        nx, ny = 0.0, 0.0
        if _clear(x, y, inverse, clear) <= (1.0 + BLED) * reach:
            gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
            gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
            across, down = slope_of(slopes, unit, starts, levels, scales, gx, gy, math.log2(reach))
            nx = -times * (across * inverse[0, 0] + down * inverse[1, 0])
            ny = -times * (across * inverse[0, 1] + down * inverse[1, 1])
        facing = (nx * sun[0] + ny * sun[1] + sun[2]) / math.sqrt(nx * nx + ny * ny + 1.0)
        shade += strength * (min(max(facing / max(sun[2], 0.2), 0.15), 1.8) - 1.0)
    if shadows > 0.0:
        rows, columns = sizes[0, 0], sizes[0, 1]
        gx = to_cast[0, 0] * x + to_cast[0, 1] * y + to_cast[0, 2] - 0.5
        gy = to_cast[1, 0] * x + to_cast[1, 1] * y + to_cast[1, 2] - 0.5
        if 0.0 <= gx < columns - 1 and 0.0 <= gy < rows - 1:
            ix, iy = int(gx), int(gy)
            fx, fy = gx - ix, gy - iy
            k = iy * columns + ix
            upper = cast[k] * (1.0 - fx) + cast[k + 1] * fx
            lower = cast[k + columns] * (1.0 - fx) + cast[k + columns + 1] * fx
            shade *= 1.0 - shadows * (1.0 - (upper * (1.0 - fy) + lower * fy))
    return shade


@njit(cache=True, nogil=True, fastmath=True)
def shade_rows(shade, first, last, found, surface, light, wide, finest):
    """How much light falls on what rays met, beside flat ground.

    Args:
        light: what points to it, east, north and up; how strong light and shade of slopes are; the shadows that are
            cast: how much light places get, the size of their grid, from the ground to it; how strong they are; and
            ground units for a metre of height.
    """
    for r in range(first, last):
        for c in range(found.shape[1]):
            x, y, t = found[r, c, 0], found[r, c, 1], found[r, c, 3]
            if t > 0.0:
                shade[r, c] = _shade(x, y, t, surface, light, wide, finest)


@njit(cache=True, nogil=True, fastmath=True)
def metre_rows(metres, first, last, found, values, starts, sizes, scales, inverse, finest, wide):
    """The heights of what rays met, metres; below 0 where there is none."""
    for r in range(first, last):
        for c in range(found.shape[1]):
            t = found[r, c, 3]
            metres[r, c] = -1.0
            if t > 0.0:
                x, y = found[r, c, 0], found[r, c, 1]
                gx = inverse[0, 0] * x + inverse[0, 1] * y + inverse[0, 2]
                gy = inverse[1, 0] * x + inverse[1, 1] * y + inverse[1, 2]
                level = math.log2(max(t * wide / finest, 1.0))
                metres[r, c] = height_of(values, starts, sizes, scales, gx, gy, level)


@njit(cache=True, nogil=True, fastmath=True)
def contour_rows(out, first, last, metres, found, sides, turned, every, colour, width, grazed):
    """Rows of light with lines of one height drawn on them: each fifth one almost twice as wide, and those that cannot
    be told apart not at all."""
    rows, columns = metres.shape
    scale = math.sqrt(turned[0, 0] * turned[0, 0] + turned[0, 1] * turned[0, 1])
    for y in range(first, last):
        for x in range(out.shape[1]):
            u = turned[0, 0] * (x + 0.5) + turned[0, 1] * (y + 0.5) + turned[0, 2] - 0.5
            v = turned[1, 0] * (x + 0.5) + turned[1, 1] * (y + 0.5) + turned[1, 2] - 0.5
            c, r = min(max(int(u), 0), columns - 2), min(max(int(v), 0), rows - 2)
            a, b = metres[r, c], metres[r, c + 1]
            d, e = metres[r + 1, c], metres[r + 1, c + 1]
            if min(min(a, b), min(d, e)) <= 0.0 or sides[r, c]:
                continue
            # Not across the edge of a mountain.
            near = min(min(found[r, c, 3], found[r, c + 1, 3]), min(found[r + 1, c, 3], found[r + 1, c + 1, 3]))
            far = max(max(found[r, c, 3], found[r, c + 1, 3]), max(found[r + 1, c, 3], found[r + 1, c + 1, 3]))
            if far - near > 4.0 * grazed * near:
                continue
            fx, fy = min(max(u - c, 0.0), 1.0), min(max(v - r, 0.0), 1.0)
            here = (a * (1.0 - fx) + b * fx) * (1.0 - fy) + (d * (1.0 - fx) + e * fx) * fy
            across = (b - a) * (1.0 - fy) + (e - d) * fy
            down = (d - a) * (1.0 - fx) + (e - b) * fx
            # Metres from one pixel to the next.
            slope = math.sqrt(across * across + down * down) * scale + 1e-9
            cover = 0.0
            for k in range(2):
                step = every * (5.0 if k else 1.0)
                apart = step / slope
                line = width * (1.8 if k else 1.0)
                seen = min(max((apart - 2.0 * line) / (2.0 * line), 0.0), 1.0)
                if seen <= 0.0:
                    continue
                nearest = math.floor(here / step + 0.5) * step
                if nearest <= 0.0:
                    continue
                off = abs(here - nearest) / slope
                cover = max(cover, seen * min(max(0.5 * line + 0.5 - off, 0.0), 1.0))
            if cover > 0.0:
                red, green, blue = channels_of(out[y, x])
                red += cover * (colour[0] * WHITE - red)
                green += cover * (colour[1] * WHITE - green)
                blue += cover * (colour[2] * WHITE - blue)
                out[y, x] = held(red + 0.5, green + 0.5, blue + 0.5)


@njit(cache=True, nogil=True, fastmath=True)
def block_shadow_rows(shade, first, last, found, sides, surface, darks, fall, soft):
    """Darken what lies in the shadow of blocks.

    Args:
        darks: how dark the shadow of the block is that stands at a pixel of the flat picture, 0..1.
        fall: how far east and north a shadow falls for a height of 1.
        soft: how far the light's edges are from its middle, radians.
    """
    inside, tall, plane, tallest = surface[6:10]
    long = math.sqrt(fall[0] * fall[0] + fall[1] * fall[1])
    if long < 1e-6:
        return
    ex, ey = -fall[0] / long, -fall[1] / long
    for r in range(first, last):
        for c in range(found.shape[1]):
            if found[r, c, 3] <= 0.0 or sides[r, c]:
                continue
            x, y = found[r, c, 0], found[r, c, 1]
            edge, high = _block(x, y, inside, tall, plane)
            height = high if edge > 0.0 else 0.0
            u, v, w = _pixel_of(x, y, plane)
            if w < 1e-6:
                continue
            # How many pixels a ground unit towards the light is here.
            du = (plane[0, 0] - u * plane[2, 0]) * ex + (plane[0, 1] - u * plane[2, 1]) * ey
            dv = (plane[1, 0] - v * plane[2, 0]) * ex + (plane[1, 1] - v * plane[2, 1]) * ey
            along = max(math.sqrt(du * du + dv * dv) / w, 1e-12)
            # The light's edges are so much lower and to the side, for each unit of the way to what is before it.
            lower, aside = soft * (1.0 + 1.0 / (long * long)), soft * math.sqrt(1.0 + 1.0 / (long * long))
            way = 0.7 / along
            most = (tallest - height) / max(1.0 / long - lower, 0.25 / long)
            dark = 0.0
            for _ in range(200):
                if way > most:
                    break
                px, py = x + ex * way, y + ey * way
                edge, high = _block(px, py, inside, tall, plane)
                melts = max(way * aside * along, 0.35)
                if high > 0.0 and edge > -melts:
                    share = min((edge / melts + 1.0) * 0.5, ((high - height - way / long) / (way * lower) + 1.0) * 0.5)
                    if share > 0.0:
                        pu, pv, _ = _pixel_of(px, py, plane)
                        dark = max(dark, min(share, 1.0) * darks[int(pv), int(pu)])
                        if share >= 1.0:
                            break
                way += max(0.8 * (abs(edge) - melts), 0.7) / along
            shade[r, c] *= 1.0 - dark


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _bilinear(source, fx, fy):
    """Red, green and blue at a place of packed light; at its edge it goes on."""
    height, width = source.shape
    fx, fy = min(max(fx - 0.5, 0.0), width - 1.001), min(max(fy - 0.5, 0.0), height - 1.001)
    ix, iy = int(fx), int(fy)
    jx, jy = min(ix + 1, width - 1), min(iy + 1, height - 1)
    tx, ty = np.float32(fx - ix), np.float32(fy - iy)
    one = np.float32(1.0)
    a00, a10 = (one - tx) * (one - ty), tx * (one - ty)
    a01, a11 = (one - tx) * ty, tx * ty
    p00, p10, p01, p11 = source[iy, ix], source[iy, jx], source[jy, ix], source[jy, jx]
    r00, g00, b00 = channels_of(p00)
    r10, g10, b10 = channels_of(p10)
    r01, g01, b01 = channels_of(p01)
    r11, g11, b11 = channels_of(p11)
    return (
        r00 * a00 + r10 * a10 + r01 * a01 + r11 * a11,
        g00 * a00 + g10 * a10 + g01 * a01 + g11 * a11,
        b00 * a00 + b10 * a10 + b01 * a01 + b11 * a11,
    )


@njit(cache=True, nogil=True, fastmath=True)
def _side_light(x, y, z, inside, tall, plane, which, colours, sun, base):
    """Light of the side of a block: its colour, brighter as it faces the light, darker towards its foot."""
    u, v, _ = _pixel_of(x, y, plane)
    rows, columns = which.shape
    iu, iv = min(max(int(u), 0), columns - 1), min(max(int(v), 0), rows - 1)
    # Across its edge, in the flat picture and from there on the ground.
    ax, bx = min(iu + 2, columns - 1), max(iu - 2, 0)
    ay, by = min(iv + 2, rows - 1), max(iv - 2, 0)
    eu, ev = inside[iv, ax] - inside[iv, bx], inside[ay, iu] - inside[by, iu]
    nx = -(eu * (plane[0, 0] - u * plane[2, 0]) + ev * (plane[1, 0] - v * plane[2, 0]))
    ny = -(eu * (plane[0, 1] - u * plane[2, 1]) + ev * (plane[1, 1] - v * plane[2, 1]))
    long = math.sqrt(nx * nx + ny * ny) + 1e-12
    level = math.sqrt(sun[0] * sun[0] + sun[1] * sun[1]) + 1e-12
    facing = max((nx * sun[0] + ny * sun[1]) / (long * level), 0.0)
    high = tall[iv, iu]
    rises = min(max((z - base) / max(high, 1e-9), 0.0), 1.0)
    bright = np.float32((0.42 + 0.58 * facing) * (0.72 + 0.28 * rises)) * np.float32(WHITE)
    k = which[iv, iu]
    return colours[k, 0] * bright, colours[k, 1] * bright, colours[k, 2] * bright


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _lit(value, x, y, flat, times, plus, grid):
    """Light that is on no picture through the field of light of the flat picture, at a place of the ground."""
    u, v, _ = _pixel_of(x, y, flat)
    r = min(max(int(v / grid), 0), times.shape[0] - 1)
    c = min(max(int(u / grid), 0), times.shape[1] - 1)
    white = np.float32(WHITE)
    return (
        value[0] * times[r, c, 0] + plus[r, c, 0] * white,
        value[1] * times[r, c, 1] + plus[r, c, 1] * white,
        value[2] * times[r, c, 2] + plus[r, c, 2] * white,
    )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _evenly(a, b, c, d):
    """What goes on evenly between four places: how much it is at the first, more to the right, more downwards, and more
    for both."""
    return a, b - a, c - a, (d - c) - (b - a)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _on(even, right, down):
    return even[0] + right * even[1] + down * (even[2] + right * even[3])


@njit(cache=True, nogil=True, fastmath=True)
def node_rows(nodes, first, last, found, shade, flat):
    """What lies between rays goes on evenly from: (rows, 8 * columns) float32, of each east, north, height, and how far
    away, 0 for what the flat picture has not; the pixel of that across and down; and how much light there is. ``flat``
    takes the ground to its pixels."""
    for r in range(first, last):
        for c in range(found.shape[1]):
            node = nodes[r, 8 * c :]
            for k in range(4):
                node[k] = found[r, c, k]
            node[4], node[5], w = _pixel_of(found[r, c, 0], found[r, c, 1], flat)
            node[6], node[7] = shade[r, c], 0.0
            if w < 1e-6:
                node[3] = 0.0


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _goes_on(n, above, below, down, line):
    """The row of nodes that is so far down between two."""
    for k in range(n):
        line[k] = above[k] + down * (below[k] - above[k])


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _evens(above, below, even, grazed):
    """Where, between two rows of nodes, the ground goes on evenly from one place to the next."""
    for c in range(even.shape[0]):
        k = 8 * c + 3
        near = min(min(above[k], above[k + 8]), min(below[k], below[k + 8]))
        far = max(max(above[k], above[k + 8]), max(below[k], below[k + 8]))
        even[c] = near > 0.0 and far - near < grazed * near


@njit(cache=True, nogil=True, forceinline=True)
def _part_way(one, other, share):
    """Light so many 32nds of the way from one pixel to another: all channels at once, which is why not finer."""
    return ((one * (PARTS - share) + other * share + HALVES) >> PARTS_BITS) & WHOLE


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _even_row(n, colours, line, before, rights, out):
    """Light of pixels of a row as if its ground went on evenly. ``before`` and ``rights``: of each pixel the place of
    the line before it, and how far it is on its way to the next."""
    height, width = colours.shape
    none, half, most = np.float32(0), np.float32(0.5), np.float32(MOST)
    most_u, most_v = np.float32(width - 1.001), np.float32(height - 1.001)
    for x in range(n):
        k, share = 8 * before[x], rights[x]
        u = line[k + 4] + share * (line[k + 12] - line[k + 4]) - half
        v = line[k + 5] + share * (line[k + 13] - line[k + 5]) - half
        lit = line[k + 6] + share * (line[k + 14] - line[k + 6])
        u, v = min(max(u, none), most_u), min(max(v, none), most_v)
        column, row = np.int32(u), np.int32(v)
        right = np.uint64(np.int32((u - np.float32(column)) * np.float32(32) + half))
        down = np.uint64(np.int32((v - np.float32(row)) * np.float32(32) + half))
        upper = _part_way(colours[row, column], colours[row, column + 1], right)
        lower = _part_way(colours[row + 1, column], colours[row + 1, column + 1], right)
        red, green, blue = channels_of(_part_way(upper, lower, down))
        # None is below nothing.
        red, green, blue = min(red * lit + half, most), min(green * lit + half, most), min(blue * lit + half, most)
        out[x] = packed_of(np.uint32(np.int32(red)), np.uint32(np.int32(green)), np.uint32(np.int32(blue)))


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _shown_row(n, line, before, rights, places):
    """What pixels of a row show as if its ground went on evenly."""
    for x in range(n):
        k, share = 8 * before[x], rights[x]
        for j in range(4):
            places[x, j] = line[k + j] + share * (line[k + j + 8] - line[k + j])


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def laid_rows(
    colours, covers, out, covered, places, first, last, found, sides, shade, turned, flat, offset,
    surface, eye, axes, middle, wide, bounds, spots, light, which, tints, times, plus, grid, nodes,
):  # fmt: skip
    """Rows of the flat ground's light laid over what rays meet.

    Args:
        colours, covers: light of the flat ground, and how much it covers, or of size 0; ``flat`` takes the ground to
            its pixels, ``offset`` is where in them the frame begins.
        out, covered, places: what is drawn, how much of it covers, and what pixels show (see :func:`march_columns`), or
            of size 0.
        found, sides, shade: what rays meet, and how much light there is, beside the flat ground. Where they meet one
            ground all around, it goes on evenly between them; elsewhere each pixel has rays of its own, through
            ``spots`` of it, (n, 2).
        turned: from pixels of the frame to places of ``found``, whose rays look forward at ``middle``.
        wide: how much of right a place of ``found`` is, at a distance of 1.
        light: as in :func:`shade_rows`.
        which, tints: which block stands at a pixel of the flat picture of blocks, and the light of its side, 0..1.
        times, plus, grid: the field of light on the flat picture, or of size 0.
        nodes: see :func:`node_rows`, where all of the ground is covered relief seen by a level camera; or of size 0.
    """
    rows, columns = found.shape[0], found.shape[1]
    clear, deep = covers.shape[0] > 0, places.shape[0] > 0
    values, starts, sizes, scales, inverse, times_high, inside, tall, plane, tallest = surface[:10]
    blocks, raising = inside.shape[0] > 0, times_high > 0.0
    count = spots.shape[0]
    by_rows, pixels = nodes.shape[0] > 0, out.shape[1]
    # Of each pixel the ray before it, and how far it is on its way to the next.
    before, rights = np.zeros(pixels, np.int32), np.zeros(pixels, np.float32)
    line, evens, evens_of = np.zeros(8 * columns, np.float32), np.zeros(columns - 1, np.bool_), -1
    for x in range(pixels if by_rows else 0):
        a = turned[0, 0] * (x + 0.5) + turned[0, 2] - 0.5
        before[x] = min(max(math.floor(a), 0), columns - 2)
        rights[x] = min(max(a - before[x], 0.0), 1.0)
    for y in range(first, last):
        if by_rows:
            b = turned[1, 1] * (y + 0.5) + turned[1, 2] - 0.5
            r = min(max(math.floor(b), 0), rows - 2)
            if r != evens_of:
                evens_of = r
                _evens(nodes[r], nodes[r + 1], evens, GRAZED * wide)
            # What does not go on evenly is drawn over it.
            _goes_on(8 * columns, nodes[r], nodes[r + 1], np.float32(min(max(b - r, 0.0), 1.0)), line)
            _even_row(pixels, colours, line, before, rights, out[y])
            if deep:
                _shown_row(pixels, line, before, rights, places[y])
        # What four rays say serves for all pixels between them.
        at_c, at_r = -1, -1
        c1, r1, even, nearest, farthest = 0, 0, False, 0.0, 0.0
        zero = np.float32(0.0)
        east = north = height = distant = lit_by = (zero, zero, zero, zero)
        for x in range(out.shape[1]):
            if by_rows and evens[before[x]]:
                continue
            u = turned[0, 0] * (x + 0.5) + turned[0, 1] * (y + 0.5) + turned[0, 2]
            v = turned[1, 0] * (x + 0.5) + turned[1, 1] * (y + 0.5) + turned[1, 2]
            a, b = u - 0.5, v - 0.5
            c0, r0 = min(max(math.floor(a), 0), columns - 1), min(max(math.floor(b), 0), rows - 1)
            if c0 != at_c or r0 != at_r:
                at_c, at_r = c0, r0
                c1, r1 = min(c0 + 1, columns - 1), min(r0 + 1, rows - 1)
                t00, t10, t01, t11 = found[r0, c0, 3], found[r0, c1, 3], found[r1, c0, 3], found[r1, c1, 3]
                nearest, farthest = min(min(t00, t10), min(t01, t11)), max(max(t00, t10), max(t01, t11))
                even = nearest > 0.0 and (not raising or farthest - nearest < GRAZED * wide * nearest)
                if blocks:
                    walls = sides[r0, c0] + sides[r0, c1] + sides[r1, c0] + sides[r1, c1]
                    even = even and (walls == 0 or walls == 4)
                    if even and walls == 0 and not raising:
                        # Nor is there a step between them.
                        lowest = min(min(found[r0, c0, 2], found[r0, c1, 2]), min(found[r1, c0, 2], found[r1, c1, 2]))
                        highest = max(max(found[r0, c0, 2], found[r0, c1, 2]), max(found[r1, c0, 2], found[r1, c1, 2]))
                        even = highest - lowest < 0.02 * tallest
                if even:
                    east = _evenly(found[r0, c0, 0], found[r0, c1, 0], found[r1, c0, 0], found[r1, c1, 0])
                    north = _evenly(found[r0, c0, 1], found[r0, c1, 1], found[r1, c0, 1], found[r1, c1, 1])
                    height = _evenly(found[r0, c0, 2], found[r0, c1, 2], found[r1, c0, 2], found[r1, c1, 2])
                    distant = _evenly(t00, t10, t01, t11)
                    lit_by = _evenly(shade[r0, c0], shade[r0, c1], shade[r1, c0], shade[r1, c1])
            if farthest <= 0.0:
                # The sky.
                sy = min(max(y - int(offset[1]), 0), colours.shape[0] - 1)
                sx = min(max(x - int(offset[0]), 0), colours.shape[1] - 1)
                out[y, x] = colours[sy, sx]
                if clear:
                    covered[y, x] = covers[sy, sx]
                if deep:
                    places[y, x, 3] = 0.0
                continue
            red, green, blue, cover = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            if even:
                right, down = np.float32(min(max(a - c0, 0.0), 1.0)), np.float32(min(max(b - r0, 0.0), 1.0))
                gx, gy, gz = _on(east, right, down), _on(north, right, down), _on(height, right, down)
                if blocks and sides[r0, c0]:
                    base = _risen(gx, gy, values, starts, sizes, scales, inverse, times_high, 0.0)
                    value = _side_light(gx, gy, gz, inside, tall, plane, which, tints, light[0], base)
                    if grid > 0:
                        value = _lit(value, gx, gy, flat, times, plus, grid)
                    red, green, blue = value
                    cover = np.float32(WHITE)
                else:
                    if not raising:
                        # Level ground: where its own ray meets it.
                        across, above = (u - middle[0]) * wide, (middle[1] - v) * wide
                        dz = axes[2, 2] + across * axes[0, 2] + above * axes[1, 2]
                        if dz < -1e-9:
                            t = (gz - eye[2]) / dz
                            gx = eye[0] + t * (axes[2, 0] + across * axes[0, 0] + above * axes[1, 0])
                            gy = eye[1] + t * (axes[2, 1] + across * axes[0, 1] + above * axes[1, 1])
                    fx, fy, w = _pixel_of(gx, gy, flat)
                    if w < 1e-6:
                        fx, fy = x + 0.5 - offset[0], y + 0.5 - offset[1]
                    red, green, blue = _bilinear(colours, fx, fy)
                    lit = _on(lit_by, right, down)
                    red, green, blue = red * lit, green * lit, blue * lit
                    if clear:
                        cover, _, _ = _bilinear(covers, fx, fy)
                if deep:
                    places[y, x, 0], places[y, x, 1], places[y, x, 2] = gx, gy, gz
                    places[y, x, 3] = _on(distant, right, down)
            else:
                begun = BACK * nearest
                # One for ground that is only seen aslant.
                aslant = not blocks and nearest > 0.0 and farthest - nearest < 3.0 * GRAZED * wide * nearest
                rays = 1 if aslant else count
                for k in range(rays):
                    px, py = (x + 0.5, y + 0.5) if aslant else (x + spots[k, 0], y + spots[k, 1])
                    su = turned[0, 0] * px + turned[0, 1] * py + turned[0, 2]
                    sv = turned[1, 0] * px + turned[1, 1] * py + turned[1, 2]
                    across, above = (su - middle[0]) * wide, (middle[1] - sv) * wide
                    dx = axes[2, 0] + across * axes[0, 0] + above * axes[1, 0]
                    dy = axes[2, 1] + across * axes[0, 1] + above * axes[1, 1]
                    dz = axes[2, 2] + across * axes[0, 2] + above * axes[1, 2]
                    t, side = _trace(dx, dy, dz, eye, surface, bounds, begun - 1.5 * tallest / max(-dz, 0.02))
                    gx, gy, gz = eye[0] + t * dx, eye[1] + t * dy, max(eye[2] + t * dz, 0.0)
                    if deep and k == 0:
                        places[y, x, 0], places[y, x, 1], places[y, x, 2], places[y, x, 3] = gx, gy, gz, t
                    if t > 0.0 and side:
                        base = _risen(gx, gy, values, starts, sizes, scales, inverse, times_high, 0.0)
                        value = _side_light(gx, gy, gz, inside, tall, plane, which, tints, light[0], base)
                        if grid > 0:
                            value = _lit(value, gx, gy, flat, times, plus, grid)
                        red, green, blue = red + value[0], green + value[1], blue + value[2]
                        cover += np.float32(WHITE)
                        continue
                    fx, fy = px - offset[0], py - offset[1]
                    here = np.float32(1.0)
                    if t > 0.0:
                        pu, pv, w = _pixel_of(gx, gy, flat)
                        if w > 1e-6:
                            fx, fy = pu, pv
                        if raising and not blocks:
                            here = np.float32(_shade(gx, gy, t, surface, light, bounds[4], bounds[2]))
                        else:
                            # As much light as falls on the ray beside it that met the same ground.
                            off = np.float32(1e30)
                            for n in range(4):
                                rr, cc = (r1 if n >= 2 else r0), (c1 if n & 1 else c0)
                                if found[rr, cc, 3] > 0.0 and not sides[rr, cc]:
                                    away = abs(found[rr, cc, 3] - t) + abs(found[rr, cc, 2] - gz)
                                    if away < off:
                                        off, here = np.float32(away), shade[rr, cc]
                    one = _bilinear(colours, fx, fy)
                    red, green, blue = red + one[0] * here, green + one[1] * here, blue + one[2] * here
                    if clear:
                        part, _, _ = _bilinear(covers, fx, fy)
                        cover += part
                share = np.float32(1.0 / rays)
                red, green, blue, cover = red * share, green * share, blue * share, cover * share
            half = np.float32(0.5)
            out[y, x] = held(red + half, green + half, blue + half)
            if clear:
                covered[y, x] = np.uint64(np.int64(cover + np.float32(0.5)))
