"""The ground raster: pages of plates drawn into frame pixels.

Every frame pixel is the mean, over its own square, of what the plates show there. The square is taken to each
plate by the ground-to-frame map and its derivative (P. Heckbert, "Fundamentals of Texture Mapping and Image
Warping", 1989, ch. 3.5). The shorter side of what comes out chooses the two pyramid levels that are blended
(L. Williams, "Pyramidal Parametrics", SIGGRAPH 1983), and a grid of taps covers the longer side; so near and
far of a tilted frame are each as sharp as their pixels allow, without shimmer, and levels never change with a
jump. Plates are taken from the top of the stack down (front to back, Porter & Duff "over", premultiplied), until
nothing shines through any more.

Values are averaged as encoded (sRGB), as the pyramids are; averages over time and lens are another matter.

The functions here are compiled by Numba, release the interpreter lock, and know only arrays.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from yaila.core.compiling import Apart, njit
from yaila.core.imagery.pages import PADDED

CELL = 32
"""Pixels along a side of the cells by which :func:`needed` looks at the frame."""

SHINE = 0.002
"""Below this share of light left, plates further down are not looked at."""

WHOLE = 0.9995
"""Above this share, a plate covers all that is under it."""

FAINT = np.float32(0.0005)
"""Below this share of a pixel, what a plate shows there is not looked at."""

MOST_LEVELS = 20

FAR_TEXELS = 1 << 24
"""The largest level looked at as a whole where the horizon is in sight, texels."""

SEGMENT = 128
"""Pixels of a row drawn at once."""

PADDED_AREA = PADDED * PADDED
PADDED_NEXT = np.uint32(PADDED + 1)

ALIKE = 1.05
"""Levels are alike along a row where pixels are no more than so many times as wide at one end of a cell as at the
other."""

SMALL = np.uint32(0x7FFFFFFF)
"""What places in the store of texels stay below: 8 GiB of them."""

# Columns of a layer's settings.
WIDTH, HEIGHT, OPACITY, FEATHER_SHAPE, FEATHER, OPAQUE, LEVELS, MASK = range(8)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _smooth(t):
    t = min(max(t, 0.0), 1.0)
    return t * t * (3.0 - 2.0 * t)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def coverage_at(x, y, along_x, along_y, width, height, shape, feather):
    """How much of the plate covers a pixel, 0..1: its feather, and its edge softened over the pixel.

    ``along_x`` and ``along_y`` are the widths of the pixel's square in plate pixels.
    """
    cover = 0.0
    if shape == 0.0:
        near_x, near_y = min(x, width - x), min(y, height - y)
        cover = min(max(near_x / along_x + 0.5, 0.0), 1.0) * min(max(near_y / along_y + 0.5, 0.0), 1.0)
        if cover > 0.0 and feather > 0.0:
            ramp = feather * 0.5 * min(width, height)
            cover *= _smooth(near_x / ramp) * _smooth(near_y / ramp)
    else:
        a, b = 2.0 * x / width - 1.0, 2.0 * y / height - 1.0
        radius = math.sqrt(a * a + b * b)
        slope = (abs(a) * 2.0 * along_x / width + abs(b) * 2.0 * along_y / height) / max(radius, 1e-9)
        cover = min(max((1.0 - radius) / max(slope, 1e-12) + 0.5, 0.0), 1.0)
        if cover > 0.0 and feather > 0.0:
            cover *= _smooth((1.0 - radius) / feather)
    return cover


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _level(side, sharpness, levels):
    """The pyramid level, with its fraction, for a pixel whose shorter side is ``side`` plate pixels."""
    value = math.log2(max(side * sharpness, 1e-12))
    return min(max(value, 0.0), levels - 1.0)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _channel(p00, p01, p10, p11, w00, w01, w10, w11, shift):
    """One channel of four texels, weighted."""
    return (
        np.float32(np.int32((p00 >> shift) & np.uint32(255))) * w00
        + np.float32(np.int32((p01 >> shift) & np.uint32(255))) * w01
        + np.float32(np.int32((p10 >> shift) & np.uint32(255))) * w10
        + np.float32(np.int32((p11 >> shift) & np.uint32(255))) * w11
    )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _single(run):
    """A run of texels, as :func:`_course_of_tap` gives it, in the digits that it is worked out with: float32 is
    enough, as its places stay small."""
    across, down, depth, low_x, high_x, low_y, high_y, base_x, base_y = run
    return (
        np.float32(across[0]), np.float32(across[1]), np.float32(down[0]), np.float32(down[1]),
        np.float32(depth[0]), np.float32(depth[1]),
        np.float32(low_x), np.float32(high_x), np.float32(low_y), np.float32(high_y),
        np.int32(base_x), np.int32(base_y),
    )  # fmt: skip


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _place(i, run):
    """Where a bilinear tap of the ``i``-th pixel of a run falls: the texel, and how far beyond it to the next ones."""
    a0, a1, d0, d1, w0, w1, lx0, lx1, ly0, ly1, bx, by = run
    t = np.float32(i)
    inverse = np.float32(1) / (w0 + w1 * t)
    x = min(max((a0 + a1 * t) * inverse, lx0), lx1)
    y = min(max((d0 + d1 * t) * inverse, ly0), ly1)
    kx, ky = np.int32(np.floor(x)), np.int32(np.floor(y))
    return np.uint32(kx + bx), np.uint32(ky + by), x - np.float32(kx), y - np.float32(ky)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _page(ix, iy, first, columns):
    """The place in the table of the page that a texel is on."""
    return np.uint32(first + (iy >> np.uint32(8)) * columns + (ix >> np.uint32(8)))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _corners(ix, iy, slot):
    """The places of a texel and of its three neighbours in the store."""
    at = np.uint32(
        slot * np.uint32(PADDED_AREA)
        + (iy & np.uint32(255)) * np.uint32(PADDED)
        + (ix & np.uint32(255))
        + np.uint32(PADDED + 1)
    )
    # Knowing that these are small, the compiler can gather by 32-bit offsets.
    at01, at10, at11 = np.uint32(at + np.uint32(1)), np.uint32(at + np.uint32(PADDED)), np.uint32(at + PADDED_NEXT)
    return at & SMALL, at01 & SMALL, at10 & SMALL, at11 & SMALL


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _mean(p00, p01, p10, p11, fx, fy):
    """The channels of a place between four texels."""
    w11 = fx * fy
    w10, w01 = fy - w11, fx - w11
    w00 = np.float32(1) - w01 - fy
    return (
        _channel(p00, p01, p10, p11, w00, w01, w10, w11, np.uint32(0)),
        _channel(p00, p01, p10, p11, w00, w01, w10, w11, np.uint32(8)),
        _channel(p00, p01, p10, p11, w00, w01, w10, w11, np.uint32(16)),
        _channel(p00, p01, p10, p11, w00, w01, w10, w11, np.uint32(24)),
    )


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _tap(i, run, first, columns, table, texels):
    """The channels of a bilinear tap of the ``i``-th pixel of a run."""
    ix, iy, fx, fy = _place(i, run)
    a00, a01, a10, a11 = _corners(ix, iy, table[_page(ix, iy, first, columns)])
    return _mean(texels[a00], texels[a01], texels[a10], texels[a11], fx, fy)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _weight(i, begin, rise, share):
    """What a tap counts for in the ``i``-th pixel of a run: 0 to ``share``, from an even run."""
    return min(max(begin + rise * np.float32(np.int32(i)), np.float32(0)), np.float32(1)) * share


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _sample(n, run, columns, start, table, texels, begin, rise, share, red, green, blue, alpha, with_alpha):
    """Add one bilinear tap from one level to ``n`` neighbouring pixels of a row, weighed as :func:`_weight` says. This
    loop and the next ones are written so that the compiler turns them into vector instructions."""
    level, first, wide = _single(run), np.uint32(start), np.uint32(columns)
    for i in range(n):
        r, g, b, a = _tap(i, level, first, wide, table, texels)
        weight = _weight(i, begin, rise, share)
        red[i] += r * weight
        green[i] += g * weight
        blue[i] += b * weight
        if with_alpha:
            alpha[i] += a * weight


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _sample_four(n, runs, columns, start, table, texels, begin, rise, share, red, green, blue, alpha, with_alpha):
    """The same of four taps at once, which is quicker by a quarter."""
    one, two, three, four = _single(runs[0]), _single(runs[1]), _single(runs[2]), _single(runs[3])
    first, wide = np.uint32(start), np.uint32(columns)
    for i in range(n):
        r, g, b, a = _tap(i, one, first, wide, table, texels)
        r2, g2, b2, a2 = _tap(i, two, first, wide, table, texels)
        r3, g3, b3, a3 = _tap(i, three, first, wide, table, texels)
        r4, g4, b4, a4 = _tap(i, four, first, wide, table, texels)
        weight = _weight(i, begin, rise, share)
        red[i] += (r + r2 + r3 + r4) * weight
        green[i] += (g + g2 + g3 + g4) * weight
        blue[i] += (b + b2 + b3 + b4) * weight
        if with_alpha:
            alpha[i] += (a + a2 + a3 + a4) * weight


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _opaque(red, green, blue):
    """A pixel as it is written, of light 0..255."""
    half = np.float32(0.5)
    r, g, b = np.uint32(np.int32(red + half)), np.uint32(np.int32(green + half)), np.uint32(np.int32(blue + half))
    return r | (g << np.uint32(8)) | (b << np.uint32(16)) | np.uint32(0xFF000000)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _sample_whole(n, run, columns, start, table, texels, out):
    """Write ``n`` neighbouring pixels of a row that show nothing but one bilinear tap from one level of an opaque
    plate. Arguments as those of :func:`_sample`; ``out`` takes RGBA."""
    level, first, wide = _single(run), np.uint32(start), np.uint32(columns)
    for i in range(n):
        r, g, b, _ = _tap(i, level, first, wide, table, texels)
        out[i] = _opaque(r, g, b)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _sample_two(
    n, fine, fine_columns, fine_start, coarse, coarse_columns, coarse_start, share, rise, table, texels, out
):  # fmt: skip
    """The same from two taps blended, of one level or of two: the second one's share at the first pixel is ``share``,
    and ``rise`` more at each further one, within 0..1."""
    level, first, wide = _single(fine), np.uint32(fine_start), np.uint32(fine_columns)
    next_level, next_first, next_wide = _single(coarse), np.uint32(coarse_start), np.uint32(coarse_columns)
    for i in range(n):
        other = min(max(share + rise * np.float32(np.int32(i)), np.float32(0)), np.float32(1))
        r, g, b, _ = _tap(i, level, first, wide, table, texels)
        r2, g2, b2, _ = _tap(i, next_level, next_first, next_wide, table, texels)
        out[i] = _opaque(r + (r2 - r) * other, g + (g2 - g) * other, b + (b2 - b) * other)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _write_whole(n, red, green, blue, out):
    """Write ``n`` pixels that show nothing but an opaque plate."""
    for i in range(n):
        out[i] = _opaque(red[i], green[i], blue[i])


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _masked(n, mask, cover):
    """Take from a coverage what a mask hides."""
    for i in range(n):
        cover[i] *= np.float32(np.int32(mask[i])) * np.float32(1 / 255)


def _drawing(single):
    """Compile :func:`draw_rows`; ``single`` with a short way for stretches that take one tap a pixel. It is left out
    where most pixels take more, as the mere presence of that way makes the other one slower by a tenth."""

    @njit(cache=True, nogil=True, fastmath=True, allocates=True)
    def draw_rows(
        out, first, last, top, touched, maps, settings, level_edges, level_starts, level_columns, table, texels,
        masks, background, sharpness, blend, least_taps, most_taps,
    ):  # fmt: skip
        """Draw rows ``first`` to ``last`` - 1 of a frame.

        Args:
            out: (height, width) uint32, written: premultiplied RGBA, red in the lowest byte.
            top, touched: the first row that :func:`needed` looked at, and what it found.
            maps: (n, 3, 3) float64, frame pixels to plate pixels, the top plate first.
            settings: (n, 8) float64, columns as named above.
            level_edges: (n, MOST_LEVELS, 2) float64, the last column and row of each level.
            level_starts, level_columns: (n, MOST_LEVELS) int64, where a level's pages start in ``table``, and
                how many stand in a row.
            table: (m,) uint32, the slot of each page; 0, which is blank, where none was asked for.
            texels: (slots * 258 * 258,) uint32, premultiplied RGBA, red in the lowest byte.
            masks: (k, height, width) uint8, how much is seen of the layers that name one in their settings.
            background: (4,) float32, premultiplied RGBA, 0..255.
            sharpness: texels of the finer level blended, against the pixel's shorter side: 1 for one tap a
                pixel, 0.5 for a grid of 2 x 2.
            blend: the share of an octave over which two neighbouring levels are blended.
            least_taps, most_taps: how many taps along one side of a pixel.
        """
        width = out.shape[1]
        light = np.empty(SEGMENT, np.float32)
        frame = np.empty((3, SEGMENT), np.float32)
        cover = np.empty(SEGMENT, np.float32)
        ends = np.empty(4, np.float64)
        sums = np.empty((4, SEGMENT), np.float32)
        slope = np.float32(1 / blend)
        red, green, blue, alpha = sums[0], sums[1], sums[2], sums[3]
        for row in range(first, last):
            left = 0
            while left < width:
                n = min(SEGMENT, width - left)
                light[:] = np.float32(1)
                frame[:] = np.float32(0)
                fresh, done = True, False
                cells = touched[(row - top) // CELL, left // CELL : (left + n - 1) // CELL + 1]
                for layer in range(maps.shape[0]):
                    met = False
                    for cell in range(cells.shape[0]):
                        met = met or cells[cell, layer]
                    if not met:
                        continue
                    ends[0] = ends[1] = 0.0
                    seen = _look(n, left, row, maps, settings, layer, sharpness, cover, ends)
                    if seen == 0:
                        continue
                    masked = int(settings[layer, MASK])
                    if masked >= 0:
                        seen = 1
                        _masked(n, masks[masked, row, left : left + n], cover)
                    # Only where it covers something that still shines through is it sampled.
                    skipped, end = 0, n
                    while skipped < n and cover[skipped] * light[skipped] <= FAINT:
                        skipped += 1
                    while end > skipped and cover[end - 1] * light[end - 1] <= FAINT:
                        end -= 1
                    begin, count, here = left + skipped, end - skipped, slice(skipped, end)
                    if count == 0:
                        continue
                    finest = min(ends[0], ends[1])
                    rise = np.float32((ends[1] - ends[0]) / max(n - 1, 1))
                    fine = int(finest)
                    texel = 2.0**finest
                    taps_u = int(min(max(ends[2] / texel + 0.25, least_taps), most_taps))
                    taps_v = int(min(max(ends[3] / texel + 0.25, least_taps), most_taps))
                    share = np.float32(1.0 / (taps_u * taps_v))
                    taps, opaque = taps_u * taps_v, settings[layer, OPAQUE] > 0.0
                    alone = fresh and seen == 2 and opaque
                    where = (count, begin, row, taps_u, taps_v)
                    if single and alone and taps <= 2:
                        # The common case: nothing but this layer shows, from one level or two neighbouring ones.
                        level, last_level = fine, int(settings[layer, LEVELS]) - 1
                        highest, edge = max(ends[0], ends[1]) - fine, np.float64(0.5) * blend
                        if finest - fine >= 0.5 + edge and highest <= 1.0:
                            level = fine + 1
                        level = min(level, last_level)
                        columns, start = level_columns[layer, level], level_starts[layer, level]
                        one_level = level > fine or level == last_level or highest <= 0.5 - edge
                        if one_level and taps == 1:
                            run = _course_of_tap(0, where, maps, layer, level, level_edges)
                            _sample_whole(n, run, columns, start, table, texels, out[row, left : left + n])
                            done = True
                            break
                        if one_level or taps == 1:
                            # Two taps of one level, or one of each of two.
                            above = (np.float32(ends[0] - fine) - np.float32(0.5)) * slope
                            next_level, next_share, next_rise = level + 1, np.float32(0.5) + above, rise * slope
                            if one_level:
                                next_level, next_share, next_rise = level, np.float32(0.5), np.float32(0)
                            _sample_two(
                                n, _course_of_tap(0, where, maps, layer, level, level_edges), columns, start,
                                _course_of_tap(taps - 1, where, maps, layer, next_level, level_edges),
                                level_columns[layer, next_level], level_starts[layer, next_level],
                                next_share, next_rise, table, texels, out[row, left : left + n],
                            )  # fmt: skip
                            done = True
                            break
                    fresh = False
                    sums[:] = np.float32(0)
                    if opaque:
                        alpha[:] = np.float32(255)
                    for step in range(2):
                        level = fine + step
                        above = (np.float32(ends[0] - fine) + rise * np.float32(skipped) - np.float32(0.5)) * slope
                        if step == 0:
                            first_share, more = np.float32(0.5) - above, -rise * slope
                        else:
                            first_share, more = np.float32(0.5) + above, rise * slope
                        # They run evenly, so the ends tell of all.
                        last_share = first_share + more * np.float32(count - 1)
                        if max(first_share, last_share) <= 0.0 or level >= int(settings[layer, LEVELS]):
                            continue
                        columns, start = level_columns[layer, level], level_starts[layer, level]
                        tap = 0
                        while tap < taps:
                            run = _course_of_tap(tap, where, maps, layer, level, level_edges)
                            if tap + 4 > taps:
                                _sample(
                                    count, run, columns, start, table, texels, first_share, more, share,
                                    red, green, blue, alpha, not opaque,
                                )  # fmt: skip
                                tap += 1
                                continue
                            runs = (
                                run,
                                _course_of_tap(tap + 1, where, maps, layer, level, level_edges),
                                _course_of_tap(tap + 2, where, maps, layer, level, level_edges),
                                _course_of_tap(tap + 3, where, maps, layer, level, level_edges),
                            )
                            _sample_four(
                                count, runs, columns, start, table, texels, first_share, more, share,
                                red, green, blue, alpha, not opaque,
                            )  # fmt: skip
                            tap += 4
                    if alone:
                        _write_whole(n, red, green, blue, out[row, left : left + n])
                        done = True
                        break
                    _put_under(count, sums, cover[here], light[here], frame[0, here], frame[1, here], frame[2, here])
                    if _brightest(n, light) < SHINE:
                        break
                if not done:
                    _write(n, frame, light, background, out[row, left : left + n])
                left += n

    return draw_rows


draw_rows = {True: _drawing(True), False: _drawing(False)}
"""By whether one tap a pixel is the rule."""


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _course_of_tap(tap, where, maps, layer, level, level_edges):
    """How the texel runs that a tap hits on a level of a layer: the value at the first pixel, and the change per pixel,
    of the numerators and the denominator of the texel's place, the bounds of that place, and the texel it is counted
    from. ``where`` says how many pixels, from which one on, in which row, and how many taps there are along the sides
    of each. No views of arrays are made, as their counts are shared."""
    n, begin, row, taps_u, taps_v = where
    u, v = begin + (tap % taps_u + 0.5) / taps_u, row + (tap // taps_u + 0.5) / taps_v
    shrink = 0.5**level
    wu = maps[layer, 2, 0]
    w = wu * u + maps[layer, 2, 1] * v + maps[layer, 2, 2]
    xu, yu = maps[layer, 0, 0] * shrink, maps[layer, 1, 0] * shrink
    x = xu * u + (maps[layer, 0, 1] * v + maps[layer, 0, 2]) * shrink
    y = yu * u + (maps[layer, 1, 1] * v + maps[layer, 1, 2]) * shrink
    # Texel places count from the middle pixel's, to keep their digits in float32.
    half = n // 2
    middle = w + wu * half
    right, bottom = level_edges[layer, level, 0], level_edges[layer, level, 1]
    base_x = np.floor(min(max((x + xu * half) / middle, 0.0), right))
    base_y = np.floor(min(max((y + yu * half) / middle, 0.0), bottom))
    ox, oy = base_x + 0.5, base_y + 0.5
    across, down, depth = (x - ox * w, xu - ox * wu), (y - oy * w, yu - oy * wu), (w, wu)
    return across, down, depth, -base_x, right - base_x, -base_y, bottom - base_y, base_x, base_y


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _brightest(n, light):
    """The most light that still comes through any of ``n`` pixels."""
    most = np.float32(0)
    for i in range(n):
        most = max(most, light[i])
    return most


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _write(n, frame, light, background, out):
    """Write ``n`` pixels, with the background where light still comes through."""
    half, full = np.float32(0.5), np.float32(255)
    red, green, blue, alpha = background
    for i in range(n):
        r = np.uint32(np.int32(min(frame[0, i] + light[i] * red + half, full)))
        g = np.uint32(np.int32(min(frame[1, i] + light[i] * green + half, full)))
        b = np.uint32(np.int32(min(frame[2, i] + light[i] * blue + half, full)))
        a = np.uint32(np.int32(min((np.float32(1) - light[i]) * full + light[i] * alpha + half, full)))
        out[i] = r | (g << np.uint32(8)) | (b << np.uint32(16)) | (a << np.uint32(24))


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _put_under(n, sums, cover, light, red, green, blue):
    """Put a layer's pixels under those above it."""
    for i in range(n):
        share = light[i] * cover[i]
        red[i] += sums[0, i] * share
        green[i] += sums[1, i] * share
        blue[i] += sums[2, i] * share
        light[i] -= sums[3, i] * share * np.float32(1 / 255)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _map(m, layer, u, v):
    """The plate pixel at a frame pixel, and its derivatives: x, y, dx/du, dx/dv, dy/du, dy/dv (x = nan behind)."""
    w = m[layer, 2, 0] * u + m[layer, 2, 1] * v + m[layer, 2, 2]
    inverse = 1.0 / w if w > 1e-12 else 0.0
    x = (m[layer, 0, 0] * u + m[layer, 0, 1] * v + m[layer, 0, 2]) * inverse
    y = (m[layer, 1, 0] * u + m[layer, 1, 1] * v + m[layer, 1, 2]) * inverse
    xu, xv = (m[layer, 0, 0] - x * m[layer, 2, 0]) * inverse, (m[layer, 0, 1] - x * m[layer, 2, 1]) * inverse
    yu, yv = (m[layer, 1, 0] - y * m[layer, 2, 0]) * inverse, (m[layer, 1, 1] - y * m[layer, 2, 1]) * inverse
    return w > 1e-12, x, y, xu, xv, yu, yv


@njit(cache=True, nogil=True, fastmath=True)
def _look(n, left, row, maps, settings, layer, sharpness, cover, ends):
    """How a layer meets ``n`` pixels of a row. Writes its coverage of each.

    ``ends`` takes the level at the first pixel and at the last, and the longest sides of a pixel along and across
    the row, in plate pixels. Between the ends the level runs evenly to within a hundredth. Returns 0 if no pixel is
    covered, 2 if all are and nothing shines through, 1 else.
    """
    width, height = settings[layer, WIDTH], settings[layer, HEIGHT]
    shape, feather, opacity = (
        settings[layer, FEATHER_SHAPE], settings[layer, FEATHER], settings[layer, OPACITY],
    )  # fmt: skip
    v = row + 0.5
    whole, front = 0, 0
    west, east, north, south = 1e30, -1e30, 1e30, -1e30
    ends[2] = ends[3] = 0.0
    for end in range(2):
        ahead, x, y, xu, xv, yu, yv = _map(maps, layer, left + 0.5 + end * (n - 1), v)
        if not ahead:
            continue
        front += 1
        along_x, along_y = abs(xu) + abs(xv), abs(yu) + abs(yv)
        west, east = min(west, x - along_x), max(east, x + along_x)
        north, south = min(north, y - along_y), max(south, y + along_y)
        if coverage_at(x, y, along_x, along_y, width, height, shape, feather) > 0.9999:
            whole += 1
        side_u, side_v = math.sqrt(xu * xu + yu * yu), math.sqrt(xv * xv + yv * yv)
        ends[end] = _level(min(side_u, side_v), sharpness, settings[layer, LEVELS])
        ends[2], ends[3] = max(ends[2], side_u), max(ends[3], side_v)
    if front == 0:
        return 0
    if front == 2:
        if east < 0.0 or south < 0.0 or west > width or north > height:
            return 0
        if whole == 2:
            # What is covered whole is convex, so all between the ends is too.
            for i in range(n):
                cover[i] = np.float32(opacity)
            return 2 if opacity > 0.9999 else 1
    else:
        ends[0] = ends[1] = max(ends[0], ends[1])
    m = maps[layer]
    u = left + 0.5
    place = (
        (m[0, 0] * u + m[0, 1] * v + m[0, 2], m[1, 0] * u + m[1, 1] * v + m[1, 2], m[2, 0] * u + m[2, 1] * v + m[2, 2]),
        (m[0, 0], m[1, 0], m[2, 0]),
        (m[0, 1], m[1, 1], m[2, 1]),
    )
    if shape == 0.0:
        _cover_rectangle(n, place, width, height, feather, opacity, cover)
    else:
        _cover_ellipse(n, place, width, height, feather, opacity, cover)
    return 1 if _brightest(n, cover) > 0.0 else 0


# What coverage_at says of a pixel, for n neighbouring pixels of a row at once. ``place`` holds the numerators and the
# denominator of the plate pixel at the first of them, and their changes along and across the row. Without branches,
# these become vector instructions.


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _cover_rectangle(n, place, width, height, feather, opacity, cover):
    (x0, y0, w0), (ax, ay, aw), (dx, dy, dw) = place
    # Without a feather, the ramp is high already at the edge.
    soft = 0.0 if feather > 0.0 else 1.0
    ramp = (1.0 - soft) / max(feather * 0.5 * min(width, height), 1e-12)
    for i in range(n):
        t = np.float64(np.int32(i))
        w = w0 + aw * t
        inverse = 1.0 / max(w, 1e-12)
        x, y = (x0 + ax * t) * inverse, (y0 + ay * t) * inverse
        along_x = (abs(ax - x * aw) + abs(dx - x * dw)) * inverse + 1e-12
        along_y = (abs(ay - y * aw) + abs(dy - y * dw)) * inverse + 1e-12
        near_x, near_y = min(x, width - x), min(y, height - y)
        edge_x = min(max(near_x / along_x + 0.5, 0.0), 1.0)
        edge_y = min(max(near_y / along_y + 0.5, 0.0), 1.0)
        covered = edge_x * edge_y * _smooth(near_x * ramp + soft) * _smooth(near_y * ramp + soft) * opacity
        cover[i] = np.float32(covered if w > 1e-12 else 0.0)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _cover_ellipse(n, place, width, height, feather, opacity, cover):
    (x0, y0, w0), (ax, ay, aw), (dx, dy, dw) = place
    soft = 0.0 if feather > 0.0 else 1.0
    ramp = (1.0 - soft) / max(feather, 1e-12)
    for i in range(n):
        t = np.float64(np.int32(i))
        w = w0 + aw * t
        inverse = 1.0 / max(w, 1e-12)
        x, y = (x0 + ax * t) * inverse, (y0 + ay * t) * inverse
        along_x = (abs(ax - x * aw) + abs(dx - x * dw)) * inverse
        along_y = (abs(ay - y * aw) + abs(dy - y * dw)) * inverse
        a, b = 2.0 * x / width - 1.0, 2.0 * y / height - 1.0
        radius = math.sqrt(a * a + b * b)
        slope = (abs(a) * 2.0 * along_x / width + abs(b) * 2.0 * along_y / height) / max(radius, 1e-9)
        edge = min(max((1.0 - radius) / (slope + 1e-12) + 0.5, 0.0), 1.0)
        covered = edge * _smooth((1.0 - radius) * ramp + soft) * opacity
        cover[i] = np.float32(covered if w > 1e-12 else 0.0)


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def needed(
    first, last, width, maps, settings, level_edges, level_starts, level_columns, sharpness, blend, wanted, touched
):  # fmt: skip
    """Mark in ``wanted`` (m,) bool the pages that :func:`draw_rows` will look at, and in ``touched`` (rows of cells,
    cells in a row, layers) bool which layers show in which cell, over-asking a little.

    Of two neighbouring levels only those are asked for that have a share of what is blended; of what has none
    :func:`draw_rows` may read, but it counts for nothing. As it chooses levels for a stretch of a row at once, that is
    told only where they are alike along some cells.
    """
    rows, columns, count = touched.shape
    # What every corner of the cells says, and which cells nothing shines through any more.
    corners, hidden = np.empty((rows + 1, columns + 1, 6)), np.zeros((rows, columns), np.bool_)
    for layer in range(count):
        for r in range(rows + 1):
            for c in range(columns + 1):
                u, v = float(min(c * CELL, width)), float(min(first + r * CELL, last))
                corners[r, c] = _at_corner(maps, settings, layer, u, v)
        for r in range(rows):
            for c in range(columns):
                if hidden[r, c]:
                    continue
                front, inside = 0, 0
                least, most, reach = 1e30, 0.0, 0.0
                x0, x1, y0, y1 = 1e30, -1e30, 1e30, -1e30
                for corner in range(4):
                    ahead, x, y, side, along, covers = corners[r + corner // 2, c + corner % 2]
                    if ahead > 0.0:
                        front += 1
                        x0, x1, y0, y1 = min(x0, x), max(x1, x), min(y0, y), max(y1, y)
                        least, most, reach = min(least, side), max(most, side), max(reach, along)
                        inside += covers > 0.0
                if front == 0:
                    continue
                levels = int(settings[layer, LEVELS])
                if front < 4:
                    # The horizon runs through the cell, so any part of the plate may show: all of it, from the
                    # finest level in front of the camera up, but for levels too large to be meant so far away.
                    x0, y0, x1, y1 = 0.0, 0.0, settings[layer, WIDTH], settings[layer, HEIGHT]
                    low, high = int(_level(least * 0.98, sharpness, settings[layer, LEVELS])), levels - 1
                    while low < high and level_edges[layer, low, 0] * level_edges[layer, low, 1] > FAR_TEXELS:
                        low += 1
                else:
                    x0, x1, y0, y1 = x0 - reach, x1 + reach, y0 - reach, y1 + reach
                    if x1 < 0 or y1 < 0 or x0 > settings[layer, WIDTH] or y0 > settings[layer, HEIGHT]:
                        continue
                    finest = _level(least * 0.98, sharpness, settings[layer, LEVELS])
                    coarsest = _level(most * 1.02, sharpness, settings[layer, LEVELS])
                    above, below = (
                        (corners[r, c, 3], corners[r, c + 1, 3]),
                        (corners[r + 1, c, 3], corners[r + 1, c + 1, 3]),
                    )
                    uneven = max(max(above) / min(above), max(below) / min(below))
                    if uneven < ALIKE:
                        low, high = int(finest + 0.5 - 0.5 * blend), int(coarsest + 0.5 + 0.5 * blend)
                    else:
                        low, high = int(finest), int(coarsest) + 1
                    low, high = min(low, levels - 1), min(high, levels - 1)
                touched[r, c, layer] = True
                hidden[r, c] = inside == 4
                for level in range(low, high + 1):
                    shrink = 1.0 / (1 << level)
                    right, bottom = level_edges[layer, level, 0], level_edges[layer, level, 1]
                    c0 = int(min(max(x0 * shrink - 1.0, 0), right)) >> 8
                    c1 = int(min(max(x1 * shrink + 0.5, 0), right)) >> 8
                    r0 = int(min(max(y0 * shrink - 1.0, 0), bottom)) >> 8
                    r1 = int(min(max(y1 * shrink + 0.5, 0), bottom)) >> 8
                    start, along_row = level_starts[layer, level], level_columns[layer, level]
                    for row in range(r0, r1 + 1):
                        for column in range(c0, c1 + 1):
                            wanted[start + row * along_row + column] = True


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _at_corner(maps, settings, layer, u, v):
    """How a layer meets a corner of a cell: 1 where that is before the camera; the plate pixel there; the shorter side
    of a pixel of the frame, and how wide it is, in plate pixels; and 1 where nothing shines through the layer."""
    ahead, x, y, xu, xv, yu, yv = _map(maps, layer, u, v)
    if not ahead:
        return 0.0, 0.0, 0.0, 1.0, 0.0, 0.0
    side = min(math.sqrt(xu * xu + yu * yu), math.sqrt(xv * xv + yv * yv))
    along_x, along_y = abs(xu) + abs(xv), abs(yu) + abs(yv)
    covers = 0.0
    if settings[layer, OPACITY] * settings[layer, OPAQUE] > WHOLE and settings[layer, MASK] < 0.0:
        width, height = settings[layer, WIDTH], settings[layer, HEIGHT]
        shape, feather = settings[layer, FEATHER_SHAPE], settings[layer, FEATHER]
        covers = 1.0 if coverage_at(x, y, along_x, along_y, width, height, shape, feather) > WHOLE else 0.0
    return 1.0, x, y, side, max(along_x, along_y), covers


def empty_frame(width: int, height: int) -> NDArray[np.uint8]:
    """A frame to draw into: (height, width, 4) premultiplied RGBA."""
    return np.empty((height, width, 4), dtype=np.uint8)
