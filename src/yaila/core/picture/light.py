"""Light on the ground and air before it: dusk, the sun's colour, lamps, clouds' shadows, haze.

For each place of the frame light makes of what the ground shows a multiple, and adds something: all of that changes
smoothly, so it is worked out on a grid and laid over the picture in between, in linear light.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.colour import LUMINANCE, black_body, decoded, rgb_of
from yaila.core.compiling import Apart, njit
from yaila.core.film.finish import Finish
from yaila.core.film.marked import Lamp
from yaila.core.film.scene import Present, Scene
from yaila.core.marks import LampLook
from yaila.core.picture.linear import CHANNEL, DECODED, WHITE, Light, channels_of, held, on_a_grid, spread_out
from yaila.core.picture.threads import in_threads
from yaila.core.time import smoothstep

GRID = 4
"""Pixels from one place of the grid to the next."""

GLOWS, LEAST_GLOW = 0.03, 0.003
"""How wide light in the air is seen about a lamp at most and at least, in widths of the frame."""

WHERE_GLOWS_END = 4.5
"""Where light in the air is taken to end, in its widths from its middle: less than a code of it is left there."""

GLOW_OF_LIGHTS = 0.003
"""How wide the glow about plates of lights is, a deviation, in widths of the frame; half of it is
four times as wide."""

WAVERS = 9.0
"""How often in a second a light that flickers wavers, about."""

Floats = NDArray[np.float32]
PresentLamp = Present[Lamp, LampLook]


@dataclass(frozen=True)
class Field:
    """What light does over a frame: ``times`` what is there, and ``plus``, each (rows, columns, 3) of linear light on a
    grid of which place (0, 0) lies on the frame's upper left corner."""

    times: Floats
    plus: Floats

    @staticmethod
    def even(view: View, times: Floats) -> Field:
        """The same light everywhere in a view."""
        rows, columns = (-(-side // GRID) + 1 for side in (view.size.height, view.size.width))
        return Field(np.broadcast_to(times, (rows, columns, 3)).copy(), np.zeros((rows, columns, 3), np.float32))

    def with_glow(self, lights: NDArray[np.uint8], strength: float, step: int = 1) -> Field:
        """The same with the glow in the air about lights, (height, width, 4) uint8, that are so bright; they are
        drawn once for so many pixels along each side."""
        rows, columns = self.plus.shape[:2]
        cell = GRID // step
        light = np.zeros((rows, columns, 3), np.float32)
        small = on_a_grid(lights, cell)
        light[: len(small), : small.shape[1]] = small
        wide = GLOW_OF_LIGHTS * lights.shape[1] / cell
        near, far = cv2.GaussianBlur(light, (0, 0), wide), cv2.GaussianBlur(light, (0, 0), 4 * wide)
        glow = np.asarray(cv2.addWeighted(near, 0.5 * strength, far, 0.5 * strength, 0), np.float32)
        return Field(self.times, self.plus + glow)

    def on(self, light: Light, lights: NDArray[np.uint8] | None = None, bright: float = 0.0) -> Light:
        """Light through it. What shines through is lit by as much as it covers. ``lights``, (height, width, 4) uint8,
        that are so bright, shine besides."""
        out = np.empty_like(light.colours)
        covers = light.covers if light.covers is not None else np.zeros((0, 0), np.uint64)
        shining = lights if lights is not None else np.zeros((0, 0, 4), np.uint8)
        how = (self.times, self.plus, shining, DECODED * np.float32(bright * WHITE))
        in_threads(lambda a, b: lit_rows(light.colours, covers, out, a, b, *how), out)
        return Light(out, light.covers)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _lit(n, colours, upper, lower, down, shines, covers, out):
    """A row of light through a field, of which the row of places above it and that below it are spread over its
    pixels: ``times`` and ``plus`` of each channel. It ``shines`` besides where it ``covers``."""
    white = np.float32(WHITE)
    for i in range(n):
        cover = covers[i] * white
        by_r, on_r = upper[0, i] + (lower[0, i] - upper[0, i]) * down, upper[3, i] + (lower[3, i] - upper[3, i]) * down
        by_g, on_g = upper[1, i] + (lower[1, i] - upper[1, i]) * down, upper[4, i] + (lower[4, i] - upper[4, i]) * down
        by_b, on_b = upper[2, i] + (lower[2, i] - upper[2, i]) * down, upper[5, i] + (lower[5, i] - upper[5, i]) * down
        r, g, b = channels_of(colours[i])
        out[i] = held(
            r * by_r + on_r * cover + shines[0, i],
            g * by_g + on_g * cover + shines[1, i],
            b * by_b + on_b * cover + shines[2, i],
        )


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def lit_rows(colours, covers, out, first, last, times, plus, lights, counts):
    """Rows of light through a field, with that of pixels added, (height, width, 4) uint8 or of size 0; ``counts``: what
    their codes count."""
    width = colours.shape[1]
    clear, shining = covers.shape[0] > 0, lights.shape[0] > 0
    upper, lower = np.empty((6, width), np.float32), np.empty((6, width), np.float32)
    shines, cover = np.zeros((3, width), np.float32), np.ones(width, np.float32)
    spread = -1
    for y in range(first, last):
        above = y // GRID
        if above != spread:
            # What was below it is above the next.
            upper, lower = lower, upper
            for k in range(3):
                if spread < 0:
                    spread_out(times[above, :, k], GRID, upper[k])
                    spread_out(plus[above, :, k], GRID, upper[k + 3])
                spread_out(times[above + 1, :, k], GRID, lower[k])
                spread_out(plus[above + 1, :, k], GRID, lower[k + 3])
            spread = above
        if clear:
            for x in range(width):
                cover[x] = np.float32(np.int32(covers[y, x] & CHANNEL)) / np.float32(WHITE)
        if shining:
            for k in range(3):
                for x in range(width):
                    shines[k, x] = counts[lights[y, x, k]]
        _lit(width, colours[y], upper, lower, np.float32((y - above * GRID + 0.5) / GRID), shines, cover, out[y])


@njit(cache=True, nogil=True, fastmath=True)
def field_rows(times, plus, first, last, inverse, shade, even, lamps, colours, glows, haze, hides):
    """Rows of a field of light.

    Args:
        inverse: 3x3, frame to ground, counted from the target.
        shade: how much light clouds let through at each place, or of size 0; ``even``: how much there is of red, green
            and blue besides.
        lamps: (n, 8): each at a place, reaching so far, at a height, so bright, with a soft edge, half as wide as its
            beam and pointing so many degrees from north (180 and over for light all round); ``colours``: (n, 3).
        glows: (m, 6): where light hangs in the air, pixels, how wide, and red, green and blue.
        haze: how far one sees clearly, how far at all, and the most that it hides (0 for none); ``hides``: what it
            hides it with, red, green and blue.
    """
    shaded, hazy = shade.shape[0] > 0, haze[2] > 0.0
    for r in range(first, last):
        v = float(r * GRID)
        for c in range(times.shape[1]):
            u = float(c * GRID)
            nearness = inverse[2, 0] * u + inverse[2, 1] * v + inverse[2, 2]
            let = shade[r, c] if shaded else 1.0
            red, green, blue = let * even[0], let * even[1], let * even[2]
            if nearness > 1e-9 and lamps.shape[0] > 0:
                x = (inverse[0, 0] * u + inverse[0, 1] * v + inverse[0, 2]) / nearness
                y = (inverse[1, 0] * u + inverse[1, 1] * v + inverse[1, 2]) / nearness
                for k in range(lamps.shape[0]):
                    east, north = x - lamps[k, 0], y - lamps[k, 1]
                    reach, height = lamps[k, 2], lamps[k, 3]
                    square = east * east + north * north
                    if square >= reach * reach:
                        continue
                    share = math.sqrt(square) / reach
                    # Light falls off as its way grows and as it grazes the ground; its edge brings it to nothing.
                    fall = 1.0 - share * share
                    if height > 0.0:
                        flat = 1.0 + square / (height * height)
                        fall = 1.0 / (flat * math.sqrt(flat))
                    rim = 1.0
                    if lamps[k, 5] > 0.0:
                        t = min((1.0 - share) / lamps[k, 5], 1.0)
                        rim = t * t * (3.0 - 2.0 * t)
                    half = lamps[k, 6]
                    if half < 180.0:
                        off = abs((math.degrees(math.atan2(east, north)) - lamps[k, 7] + 180.0) % 360.0 - 180.0)
                        # It melts over a quarter of its width at either side.
                        soft = max(half * 0.5, 0.5)
                        t = min(max((half + soft * 0.5 - off) / soft, 0.0), 1.0)
                        rim *= t * t * (3.0 - 2.0 * t)
                    lit = fall * rim * lamps[k, 4]
                    red, green, blue = (
                        red + lit * colours[k, 0],
                        green + lit * colours[k, 1],
                        blue + lit * colours[k, 2],
                    )
            more_red, more_green, more_blue = 0.0, 0.0, 0.0
            for k in range(glows.shape[0]):
                across, down = (u - glows[k, 0]) / glows[k, 2], (v - glows[k, 1]) / glows[k, 2]
                far = across * across + down * down
                if far < WHERE_GLOWS_END * WHERE_GLOWS_END:
                    bright = math.exp(-far * 0.5) * 0.5 + math.exp(-far * 8.0)
                    more_red += bright * glows[k, 3]
                    more_green += bright * glows[k, 4]
                    more_blue += bright * glows[k, 5]
            if hazy:
                # Over the horizon it is as thick as it gets.
                left = 0.0
                if nearness > 1e-9:
                    left = math.exp(-max(1.0 / nearness - haze[0], 0.0) / haze[1])
                hidden = haze[2] * (1.0 - left)
                seen = 1.0 - hidden
                red, green, blue = red * seen, green * seen, blue * seen
                more_red = more_red * seen + hidden * hides[0]
                more_green = more_green * seen + hidden * hides[1]
                more_blue = more_blue * seen + hidden * hides[2]
            times[r, c, 0], times[r, c, 1], times[r, c, 2] = red, green, blue
            plus[r, c, 0], plus[r, c, 1], plus[r, c, 2] = more_red, more_green, more_blue


@lru_cache(maxsize=512)
def linear_of(colour: str) -> Floats:
    """Linear red, green and blue, 0..1, of ``#rrggbb``; not to be written into."""
    made = np.asarray(decoded(np.array(rgb_of(colour))), np.float32)
    made.flags.writeable = False
    return made


@dataclass(frozen=True)
class Places:
    """Where the places of a grid are: on the ground, counted from the target, and how near: 1 / depth, 0 and below over
    the horizon."""

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    nearness: NDArray[np.float64]

    @staticmethod
    def of(view: View, height: float = 0.0, grid: int = GRID) -> Places:
        """The places of a view's grid on a plane at a height."""
        width, rows = (-(-side // grid) + 1 for side in view.size)
        u, v = np.meshgrid(np.arange(width) * float(grid), np.arange(rows) * float(grid))
        inverse = np.linalg.inv(view.plane(height))
        x, y, q = (inverse @ np.stack([u.ravel(), v.ravel(), np.ones(u.size)])).reshape(3, rows, width)
        seen = np.where(q > 1e-9, q, np.nan)
        return Places(x / seen, y / seen, q)


def dusk_of(finish: Finish) -> float:
    """How dark it is, 0..1."""
    return finish.dusk.share if finish.dusk.on else 0.0


def night_of(finish: Finish, share: float = 1.0) -> Floats:
    """What is left of light, red, green and blue, at the dusk that there is, of which something feels a share: as many
    stops less as the night is darker by, in its colour (its luminance in the weights of ITU-R BT.709)."""
    dusk = dusk_of(finish) * share
    if not dusk:
        return np.ones(3, np.float32)
    tint = linear_of(finish.dusk.colour)
    whole = tint / max(float(tint @ LUMINANCE), 1e-6) * 2.0**-finish.dusk.dark
    return np.asarray(np.maximum(whole, 1e-4) ** np.float32(dusk), np.float32)


def is_lit(scene: Scene) -> bool:
    """Whether light changes anything."""
    finish = scene.finish
    tinted = finish.sun.on and finish.sun.tints > 0
    shaded = any(deck.look.shadow > 0 for deck in scene.decks)
    return bool(tinted or shaded or finish.dusk.on or finish.haze.on or scene.lamps)


def lights_of(scene: Scene) -> float:
    """How bright plates of lights are, beside what they show."""
    return dusk_of(scene.finish) * scene.finish.dusk.lights if scene.lights else 0.0


def field_of(scene: Scene, view: View, seconds: float, shade: NDArray[np.float64] | None = None) -> Field:
    """What light does over a view at a time of the film; ``shade``: how much of it clouds let through, on the grid."""
    finish, night = scene.finish, night_of(scene.finish)
    even = night.astype(np.float64)
    if finish.sun.on:
        warm = black_body(finish.sun.warmth) / black_body(6504)
        # No brighter and no darker by it: as bright as it was, in the weights of ITU-R BT.709.
        warm /= float(warm @ LUMINANCE)
        even *= 1 + finish.sun.tints * (warm - 1)
    haze = np.array([finish.haze.clear, finish.haze.sees, finish.haze.most if finish.haze.on else 0.0])
    # Air is lit as the ground is.
    hides = (linear_of(finish.haze.colour) * night).astype(np.float64)
    lamps, glows = _lamps_of(scene, view, dusk_of(finish), seconds)
    rows, columns = (-(-side // GRID) + 1 for side in (view.size.height, view.size.width))
    times, plus = np.empty((rows, columns, 3), np.float32), np.empty((rows, columns, 3), np.float32)
    inverse = np.linalg.inv(view.plane(0.0))
    clouds = np.zeros((0, 0)) if shade is None else np.asarray(shade, np.float64)
    made = (inverse, clouds, even, np.ascontiguousarray(lamps[:, :8]), np.ascontiguousarray(lamps[:, 8:]), glows)
    in_threads(lambda a, b: field_rows(times, plus, a, b, *made, haze, hides), times, worth=4)
    return Field(times, plus)


def _lamps_of(scene: Scene, view: View, dusk: float, seconds: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The lamps that burn, each with its colour behind what :func:`field_rows` says, (n, 11), and what light of theirs
    hangs in the air, (m, 6)."""
    lamps, glows = [], []
    for present in scene.lamps:
        lamp, look = present.mark, present.look
        strength = present.opacity * (dusk if look.burns == "dusk" else 1.0) * wavering(look.flicker, lamp.id, seconds)
        reach = look.reach * present.scale
        if strength <= 0 or reach <= 0:
            continue
        colour = black_body(look.warmth) * linear_of(look.colour)
        x, y = lamp.x - view.pose.x, lamp.y - view.pose.y
        turned = look.points + look.turns * 6.0 * seconds
        # One that lies on the ground still lights it.
        lamps.append((x, y, reach, lamp.height, look.bright * strength, look.edge, look.beam / 2, turned, *colour))
        if look.glow > 0 and (where := _glowing(present, view, reach)):
            glows.append((*where, *(colour * look.glow * strength)))
    return np.array(lamps, np.float64).reshape(-1, 11), np.array(glows, np.float64).reshape(-1, 6)


def _glowing(present: PresentLamp, view: View, reach: float) -> tuple[float, float, float] | None:
    """Where light hangs in the air about a lamp, and how wide, pixels: brightest at it, and never so wide that it veils
    the picture. None where it is not seen."""
    lamp = present.mark
    u, v, depth = view.spot((lamp.x, lamp.y), lamp.height)
    if depth <= 0.02:
        return None
    widest = GLOWS * view.whole.width
    wide = min(max(reach / 12 * view.pixels_per_unit / depth, LEAST_GLOW * view.whole.width), widest)
    beyond = WHERE_GLOWS_END * wide
    seen = -beyond < u < view.size.width + beyond and -beyond < v < view.size.height + beyond
    return (u, v, wide) if seen else None


def wavering(flicker: float, key: str, seconds: float) -> float:
    """How bright a light is that wavers, of its brightness: the same at the same moment, whoever draws it."""
    if flicker <= 0:
        return 1.0
    at = seconds * WAVERS
    whole = math.floor(at)
    start, end = (_random(key, whole + k) for k in (0, 1))
    return 1 - flicker * (start + (end - start) * float(smoothstep(at - whole)))


@lru_cache(maxsize=512)
def _random(key: str, number: int) -> float:
    seed = [*key.encode(), number & 0xFFFF, number >> 16 & 0xFFFF]
    return float(np.random.default_rng(seed).random())
