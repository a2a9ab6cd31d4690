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
from yaila.core.compiling import njit
from yaila.core.film.finish import Finish
from yaila.core.film.marked import Lamp
from yaila.core.film.scene import Present, Scene
from yaila.core.marks import LampLook
from yaila.core.picture.linear import BLUE, CHANNEL, GREEN, MOST, WHITE, Light, on_a_grid
from yaila.core.picture.threads import in_threads
from yaila.core.time import smoothstep

GRID = 4
"""Pixels from one place of the grid to the next."""

GLOWS, LEAST_GLOW = 0.03, 0.003
"""How wide light in the air is seen about a lamp at most and at least, in widths of the frame."""

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
        glow = cv2.GaussianBlur(light, (0, 0), wide) * 0.5 + cv2.GaussianBlur(light, (0, 0), 4 * wide) * 0.5
        return Field(self.times, self.plus + (glow * np.float32(strength)).astype(np.float32))

    def on(self, light: Light) -> Light:
        """Light through it. What shines through is lit by as much as it covers."""
        out = np.empty_like(light.colours)
        covers = light.covers if light.covers is not None else np.zeros((0, 0), np.uint64)
        in_threads(lambda a, b: lit_rows(light.colours, covers, out, a, b, self.times, self.plus), out)
        return Light(out, light.covers)


@njit(cache=True, nogil=True, fastmath=True)
def lit_rows(colours, covers, out, first, last, times, plus):
    """Rows of light through a field."""
    width, columns = colours.shape[1], times.shape[1]
    clear = covers.shape[0] > 0
    white, most, step = np.float32(WHITE), np.float32(MOST), np.float32(1.0 / GRID)
    row = np.zeros((columns, 6), np.float32)
    for y in range(first, last):
        gy = y // GRID
        down = np.float32(y - gy * GRID + 0.5) * step
        for gx in range(columns):
            for k in range(3):
                row[gx, k] = times[gy, gx, k] + (times[gy + 1, gx, k] - times[gy, gx, k]) * down
                row[gx, k + 3] = (plus[gy, gx, k] + (plus[gy + 1, gx, k] - plus[gy, gx, k]) * down) * white
        for gx in range((width + GRID - 1) // GRID):
            by_r, by_g, by_b = row[gx, 0], row[gx, 1], row[gx, 2]
            on_r, on_g, on_b = row[gx, 3], row[gx, 4], row[gx, 5]
            step_r, step_g = (row[gx + 1, 0] - by_r) * step, (row[gx + 1, 1] - by_g) * step
            step_b, more_r = (row[gx + 1, 2] - by_b) * step, (row[gx + 1, 3] - on_r) * step
            more_g, more_b = (row[gx + 1, 4] - on_g) * step, (row[gx + 1, 5] - on_b) * step
            for i in range(min(GRID, width - gx * GRID)):
                x, t = gx * GRID + i, np.float32(i + 0.5)
                value = colours[y, x]
                cover = np.float32(1)
                if clear:
                    cover = np.float32(np.int32(covers[y, x] & CHANNEL)) / white
                r = np.float32(np.int32(value & CHANNEL)) * (by_r + step_r * t) + (on_r + more_r * t) * cover
                g = np.float32(np.int32((value >> GREEN) & CHANNEL)) * (by_g + step_g * t) + (on_g + more_g * t) * cover
                b = np.float32(np.int32(value >> BLUE)) * (by_b + step_b * t) + (on_b + more_b * t) * cover
                out[y, x] = (
                    np.uint64(np.uint32(np.int32(min(max(r, np.float32(0)), most))))
                    | (np.uint64(np.uint32(np.int32(min(max(g, np.float32(0)), most)))) << GREEN)
                    | (np.uint64(np.uint32(np.int32(min(max(b, np.float32(0)), most)))) << BLUE)
                )


@njit(cache=True, nogil=True, fastmath=True)
def lamp_rows(times, first, last, x, y, nearness, lamps, colours):
    """What lamps add to rows of ``times``: each at a place, reaching so far, at a height, so bright, with a soft edge,
    half as wide as its beam and pointing so many degrees from north (180 and over for light all round)."""
    for r in range(first, last):
        for c in range(times.shape[1]):
            if nearness[r, c] <= 1e-9:
                continue
            for k in range(lamps.shape[0]):
                east, north = x[r, c] - lamps[k, 0], y[r, c] - lamps[k, 1]
                reach, height = lamps[k, 2], lamps[k, 3]
                square = east * east + north * north
                if square >= reach * reach:
                    continue
                far = math.sqrt(square)
                share = far / reach
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
                for channel in range(3):
                    times[r, c, channel] += np.float32(lit * colours[k, channel])


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
    finish, places = scene.finish, Places.of(view)
    shape = (*places.x.shape, 3)
    times, plus = np.ones(shape, np.float32), np.zeros(shape, np.float32)
    dusk = dusk_of(finish)
    if shade is not None:
        times *= shade[..., None].astype(np.float32)
    if finish.sun.on:
        warm = black_body(finish.sun.warmth) / black_body(6504)
        # No brighter and no darker by it: as bright as it was, in the weights of ITU-R BT.709.
        warm /= float(warm @ LUMINANCE)
        times *= (1 + finish.sun.tints * (warm - 1)).astype(np.float32)
    times *= night_of(finish)
    _lit_by_lamps(scene, view, places, dusk, seconds, Field(times, plus))
    if finish.haze.on:
        _hazed(finish, places, times, plus)
    return Field(times, plus)


def _hazed(finish: Finish, places: Places, times: Floats, plus: Floats) -> None:
    haze = finish.haze
    with np.errstate(divide="ignore"):
        depth = np.where(places.nearness > 1e-9, 1 / np.maximum(places.nearness, 1e-9), np.inf)
    left = np.exp(-np.maximum(depth - haze.clear, 0) / haze.sees)
    hidden = (haze.most * (1 - left))[..., None].astype(np.float32)
    # Air is lit as the ground is.
    colour = linear_of(haze.colour) * night_of(finish)
    times *= 1 - hidden
    plus *= 1 - hidden
    plus += hidden * colour


def _lit_by_lamps(scene: Scene, view: View, places: Places, dusk: float, seconds: float, field: Field) -> None:
    rows, colours = [], []
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
        rows.append((x, y, reach, lamp.height, look.bright * strength, look.edge, look.beam / 2, turned))
        colours.append(colour)
        if look.glow > 0:
            _glowing(present, view, strength, colour, reach, field.plus)
    if rows:
        lamps, tints = np.array(rows, np.float64), np.array(colours, np.float64)
        in_threads(
            lambda a, b: lamp_rows(field.times, a, b, places.x, places.y, places.nearness, lamps, tints),
            field.times,
            worth=4,
        )


def _glowing(present: PresentLamp, view: View, strength: float, colour: Floats, reach: float, plus: Floats) -> None:
    """Light in the air about a lamp: brightest at it, and never so wide that it veils the picture."""
    lamp, look = present.mark, present.look
    u, v, depth = view.project(np.array([[lamp.x, lamp.y]]), lamp.height)[0].tolist()
    if depth <= 0.02:
        return
    widest = GLOWS * view.whole.width
    wide = min(max(reach / 12 * view.pixels_per_unit / depth, LEAST_GLOW * view.whole.width), widest)
    rows, columns = plus.shape[:2]
    left, right = (int(np.clip((u + side * 4 * wide) / GRID, 0, columns)) for side in (-1, 1))
    top, bottom = (int(np.clip((v + side * 4 * wide) / GRID, 0, rows)) for side in (-1, 1))
    if right <= left or bottom <= top:
        return
    at_u = np.arange(left, min(right + 1, columns)) * GRID - u
    at_v = np.arange(top, min(bottom + 1, rows)) * GRID - v
    far = np.hypot(at_u[None, :], at_v[:, None]) / wide
    bright = np.exp(-(far**2) / 2) * 0.5 + np.exp(-(far**2) * 8)
    plus[top : top + far.shape[0], left : left + far.shape[1]] += (bright * look.glow * strength)[..., None].astype(
        np.float32
    ) * colour


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
