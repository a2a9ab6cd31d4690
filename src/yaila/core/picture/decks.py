"""Decks of cloud: layers of generated cloud at a height, seen from above or from below.

What a cloud is made of is gradient noise (K. Perlin, "Improving Noise", SIGGRAPH 2002) in octaves, of which none is
drawn that is finer than a pixel, than the circle of confusion there, or than the way it goes while the shutter is open:
so a deck is never sharper than it may be, and costs no samples for that.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from statistics import NormalDist

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.compiling import Apart, njit
from yaila.core.film.marked import Deck
from yaila.core.film.scene import Present, Scene
from yaila.core.marks import DeckLook
from yaila.core.picture.ground import Quality
from yaila.core.picture.light import GRID, Places, linear_of, night_of
from yaila.core.picture.linear import CHANNEL, WHITE, Light, channels_of, held, spread_out
from yaila.core.picture.optics import Optics
from yaila.core.picture.threads import in_threads
from yaila.core.time import smoothstep

PresentDeck = Present[Deck, DeckLook]

OCTAVES = 8
"""The most octaves of a cloud: its finest part is 128 times smaller than itself."""

GAIN = 0.55
"""How strong an octave is beside the one that is twice as large."""

FINE = {Quality.DRAFT: 4, Quality.FINAL: 2}
"""Pixels from one place to the next at which cloud is worked out; in between it runs evenly."""

SPREAD = 0.303
"""How far an octave of noise strays from its mean (its standard deviation, measured over 250,000 places)."""

BANKS = 0.7
"""How strong the large banks are that say where clouds are, beside the clouds' first octave."""

MOONLIT = 0.7
"""How dark clouds become at night, beside the ground: what there is of light comes from above."""

MELTED = 5.0
"""Over how many pixels light and shade of a cloud melt."""

RELIEF = 0.16
"""How much brighter a cloud is on the side that the light comes from."""

THICK = 0.12
"""The share of its height over which a camera passes through a deck."""

WHOLE = math.sqrt(BANKS**2 + sum(GAIN ** (2 * k) for k in range(OCTAVES)))
"""How strong all octaves are together, beside one."""

MELTS = 1.88
"""Half the width of a smooth step that is as steep as the sum of a normal distribution, in its deviations."""

SEEN = 1e-9
"""What is no nearer than this is beyond the horizon."""

Floats = NDArray[np.float32]


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _hash(x, y, seed):
    h = (
        np.uint32(x) * np.uint32(0x8DA6B343)
        + np.uint32(y) * np.uint32(0xD8163841)
        + np.uint32(seed) * np.uint32(0xCB1AB31F)
    )
    h = (h ^ (h >> np.uint32(15))) * np.uint32(0x2C1B3C6D)
    h = (h ^ (h >> np.uint32(12))) * np.uint32(0x297A2D39)
    return h ^ (h >> np.uint32(15))


_ANGLES = (np.arange(16) + 0.5) * (2 * math.pi / 16)
_SLOPES = np.ascontiguousarray(np.stack([np.cos(_ANGLES), np.sin(_ANGLES)], axis=1) * math.sqrt(2)).astype(np.float32)


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _slope(x, y, seed, u, v):
    """The gradient of a place of the lattice, one of sixteen, times the way from it."""
    k = np.int64(_hash(x, y, seed) & np.uint32(15))
    return _SLOPES[k, 0] * u + _SLOPES[k, 1] * v


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _noise(x, y, seed):
    """Gradient noise, about -1 to 1, features about 1 apart."""
    fx, fy = math.floor(x), math.floor(y)
    ix, iy = np.int32(fx), np.int32(fy)
    u, v, one = np.float32(x - fx), np.float32(y - fy), np.float32(1)
    su = u * u * u * (u * (u * np.float32(6) - np.float32(15)) + np.float32(10))
    sv = v * v * v * (v * (v * np.float32(6) - np.float32(15)) + np.float32(10))
    low = _slope(ix, iy, seed, u, v)
    low += su * (_slope(ix + 1, iy, seed, u - one, v) - low)
    high = _slope(ix, iy + 1, seed, u, v - one)
    high += su * (_slope(ix + 1, iy + 1, seed, u - one, v - one) - high)
    return low + sv * (high - low)


@njit(cache=True, nogil=True, fastmath=True)
def cloud_rows(out, lost, first, last, x, y, nearness, finest, size, seed):
    """Noise about 0 at places x, y (rows, columns), of which those are not seen whose ``nearness`` is 0; octaves down
    to ``finest`` (rows, columns), in the units of the places. ``lost`` is how much variance the octaves would have
    that are left out, in that of one octave."""
    for r in range(first, last):
        for c in range(out.shape[1]):
            if nearness[r, c] <= 1e-9:
                out[r, c], lost[r, c] = np.float32(-9.0), np.float32(0.0)
                continue
            px, py = x[r, c] / size, y[r, c] / size
            least = finest[r, c] / size
            # Large banks decide where clouds are, octaves what they look like.
            total = BANKS * _noise(px * 0.31 + 7.3, py * 0.31 - 2.9, seed + 101)
            strength, wave, gone = 1.0, 1.0, 0.0
            for k in range(OCTAVES):
                # An octave goes as it comes to be as fine as may be.
                seen = min(max(wave / (2.0 * least) - 1.0, 0.0), 1.0) if least > 0 else 1.0
                if seen > 0.0:
                    total += seen * strength * _noise(px / wave + 13.7 * k, py / wave - 5.1 * k, seed + k)
                gone += (1.0 - seen * seen) * strength * strength
                strength *= GAIN
                wave *= 0.5
            out[r, c], lost[r, c] = np.float32(total), np.float32(gone)


@njit(cache=True, nogil=True, fastmath=True, pipeline_class=Apart)
def _clouded(n, colours, upper, lower, down, colour, lightens, dense, out):
    """A row of light with cloud over it, of which the row of places above it and that below it are spread over its
    pixels: how dense it is, and how bright beside its colour. ``dense``: how dense it is here."""
    none, half, white = np.float32(0), np.float32(0.5), np.float32(WHITE)
    red, green, blue = colour[0], colour[1], colour[2]
    for i in range(n):
        share = upper[0, i] + (lower[0, i] - upper[0, i]) * down
        shine = (upper[1, i] + (lower[1, i] - upper[1, i]) * down) * white
        r, g, b = channels_of(colours[i])
        left_r, left_g, left_b = (
            max(white - r, none) / white,
            max(white - g, none) / white,
            max(white - b, none) / white,
        )
        r += share * (red * shine * left_r if lightens else red * shine - r)
        g += share * (green * shine * left_g if lightens else green * shine - g)
        b += share * (blue * shine * left_b if lightens else blue * shine - b)
        dense[i] = share
        out[i] = held(r + half, g + half, b + half)


@njit(cache=True, nogil=True, fastmath=True, allocates=True)
def laid_rows(colours, covers, out, covered, first, last, density, bright, grid, colour, lightens):
    """Rows of light with cloud over them: how dense it is and how ``bright`` beside its ``colour``, on a grid of so
    many pixels."""
    width, clear, white = colours.shape[1], covers.shape[0] > 0, np.float32(WHITE)
    upper, lower = np.empty((2, width), np.float32), np.empty((2, width), np.float32)
    dense, spread = np.empty(width, np.float32), -1
    for y in range(first, last):
        above = y // grid
        if above != spread:
            spread_out(density[above], grid, upper[0])
            spread_out(bright[above], grid, upper[1])
            spread_out(density[above + 1], grid, lower[0])
            spread_out(bright[above + 1], grid, lower[1])
            spread = above
        down = np.float32((y - above * grid + 0.5) / grid)
        _clouded(width, colours[y], upper, lower, down, colour, lightens, dense, out[y])
        if clear:
            for x in range(width):
                cover = np.float32(np.int32(covers[y, x] & CHANNEL))
                covered[y, x] = np.uint64(np.int64(cover + dense[x] * (white - cover) + np.float32(0.5)))


@njit(cache=True, nogil=True, fastmath=True, forceinline=True)
def _beside(at, last):
    """The places on both sides of one in a row, and how far they are apart; at an edge it stands for the other."""
    before, after = max(at - 1, 0), min(at + 1, last)
    return before, after, max(after - before, 1)


@njit(cache=True, nogil=True, fastmath=True)
def width_rows(out, first, last, x, y, nearness, straight):
    """How wide places (rows, columns) are on their plane, which is ``straight`` where it is as far as the target."""
    rows, columns = out.shape
    for r in range(first, last):
        above, below, down = _beside(r, rows - 1)
        for c in range(columns):
            wide = straight / max(nearness[r, c], 1e-9)
            if min(nearness[above, c], nearness[below, c]) > SEEN:
                east, north = (x[below, c] - x[above, c]) / down, (y[below, c] - y[above, c]) / down
                wide = max(wide, math.sqrt(east * east + north * north))
            out[r, c] = wide


@njit(cache=True, nogil=True, fastmath=True)
def density_rows(out, first, last, noise, lost, middle, soft):
    """How dense cloud is whose noise is half dense at a ``middle``; see :func:`density_of`."""
    for r in range(first, last):
        for c in range(out.shape[1]):
            melts = MELTS * SPREAD
            half = math.sqrt(soft * soft + melts * melts * lost[r, c])
            t = min(max((noise[r, c] - middle) / (2.0 * half) + 0.5, 0.0), 1.0)
            out[r, c] = np.float32(t * t * (3.0 - 2.0 * t))


@njit(cache=True, nogil=True, fastmath=True)
def bright_rows(out, first, last, noise, x, y, nearness, east, north, size):
    """How bright cloud is, as it rises towards the light, which is to the ``east`` and ``north``."""
    rows, columns = out.shape
    for r in range(first, last):
        above, below, down = _beside(r, rows - 1)
        for c in range(columns):
            left, right, across = _beside(c, columns - 1)
            least = min(min(nearness[above, c], nearness[below, c]), min(nearness[r, left], nearness[r, right]))
            rises = 0.0
            if least > SEEN:
                # By as much as the way along each axis of the frame goes towards the light.
                on = (x[below, c] - x[above, c]) * east + (y[below, c] - y[above, c]) * north
                if on != 0.0:
                    rises += (noise[below, c] - noise[above, c]) / down * (1.0 if on > 0.0 else -1.0)
                aside_x, aside_y = (x[r, right] - x[r, left]) / across, (y[r, right] - y[r, left]) / across
                on = aside_x * east + aside_y * north
                if on != 0.0:
                    rises += (noise[r, right] - noise[r, left]) / across * (1.0 if on > 0.0 else -1.0)
                rises *= size / 4.0 / max(math.sqrt(aside_x * aside_x + aside_y * aside_y), 1e-9)
            out[r, c] = np.float32(1.0 - RELIEF + RELIEF * math.tanh(-rises * 0.6))


def parted(eye: float, height: float, parts: float) -> float:
    """How much is left, 0..1, of what is at a height below a camera and goes before it: from where the camera is
    ``parts`` times as high on, less and less."""
    return float(smoothstep((eye / height - 1) / (parts - 1))) if eye > height > 0 else 1.0


@dataclass(frozen=True)
class Sky:
    """The decks of a scene as a view sees them at a time of the film."""

    scene: Scene
    view: View
    seconds: float

    def _drift(self, look: DeckLook) -> tuple[float, float]:
        """How far the wind has carried a deck, east and north."""
        turn = math.radians(look.towards)
        way = look.wind * self.seconds
        return math.sin(turn) * way, math.cos(turn) * way

    def noise(self, deck: PresentDeck, places: Places, finest: NDArray[np.float64]) -> tuple[Floats, Floats]:
        """Noise at places, and the variance of what is finer."""
        look, pose = deck.look, self.view.pose
        east, north = self._drift(look)
        out, lost = np.empty(places.x.shape, np.float32), np.empty(places.x.shape, np.float32)
        x, y = places.x + (pose.x - east), places.y + (pose.y - north)
        settings = (look.size, look.seed * 1013)
        in_threads(lambda a, b: cloud_rows(out, lost, a, b, x, y, places.nearness, finest, *settings), out, worth=16)
        return out, lost

    def shade(self) -> NDArray[np.float64] | None:
        """How much light clouds let through to the ground, 0..1, on the grid of light; none where they cast nothing."""
        decks = [deck for deck in self.scene.decks if deck.look.shadow > 0 and deck.opacity > 0]
        if not decks:
            return None
        places = Places.of(self.view)
        left = np.ones(places.x.shape)
        wide = _pixel(places, self.view, GRID)
        for deck in decks:
            # What lies in the shadow of a cloud is where the light falls to from it.
            east, north = self.scene.light.fall * -deck.mark.height
            shifted = Places(places.x + east, places.y + north, places.nearness)
            # It is softer than the cloud itself.
            dense = density_of(*self.noise(deck, shifted, np.maximum(wide, deck.look.size / 12)), deck.look)
            left *= 1 - dense * deck.look.shadow * deck.look.opacity * deck.opacity
        return left

    def over(self, light: Light, deck: PresentDeck, optics: Optics) -> Light:
        """Light with a deck before it."""
        look, eye = deck.look, self.view.pose.eye()[2]
        height = deck.mark.height
        grid = FINE[optics.quality]
        places = Places.of(self.view, height, grid)
        through = abs(eye / height - 1)
        # It parts before the camera: the nearer one comes, the less of it is left.
        near = parted(eye, height, look.parts)
        strength = look.opacity * deck.opacity * near
        veil = look.white * deck.opacity * math.exp(-((through / THICK) ** 2))
        if strength < 0.002 and veil < 0.002:
            return light
        finest = np.maximum(_pixel(places, self.view, grid), optics.unsharp(places.nearness, self.view))
        noise, lost = self.noise(deck, places, finest)
        density = density_of(noise, lost, look) * np.float32(strength)
        bright = self._bright(noise, places, look, grid)
        # Towards the horizon clouds stand so close that they are one.
        far = np.exp(-np.maximum(1 / np.maximum(places.nearness, 1e-9) - 8, 0) / 12)
        density *= far.astype(np.float32)
        density = np.float32(1) - (np.float32(1) - density) * np.float32(1 - veil)
        colour = linear_of(look.colour) * night_of(self.scene.finish, MOONLIT)
        out = np.empty_like(light.colours)
        covers = light.covers if light.covers is not None else np.zeros((0, 0), np.uint64)
        covered = np.empty_like(covers)
        in_threads(
            lambda a, b: laid_rows(
                light.colours, covers, out, covered, a, b, density, bright, grid, colour, look.lies == "light"
            ),
            out,
        )
        return Light(out, None if light.covers is None else covered)

    def _bright(self, noise: Floats, places: Places, look: DeckLook, grid: int) -> Floats:
        """How bright a cloud is: what rises towards the light is lit, what falls away from it is in shade."""
        east, north = (-self.scene.light.fall / max(float(np.hypot(*self.scene.light.fall)), 1e-9)).tolist()
        # The finest parts are too thin to have a side in shade.
        noise = np.asarray(cv2.GaussianBlur(np.maximum(noise, -3), (0, 0), MELTED / grid), np.float32)
        out, at = np.empty_like(noise), (places.x, places.y, places.nearness)
        in_threads(lambda a, b: bright_rows(out, a, b, noise, *at, east, north, look.size), out, worth=8)
        return out


def density_of(noise: Floats, lost: Floats, look: DeckLook) -> Floats:
    """How dense cloud is, 0..1: as much of it is half dense or more as the deck covers (noise is spread about as
    normally as sums of octaves are). Where octaves are too fine to be drawn, their mean is: what they would have made
    of the edges melts these."""
    if look.cover <= 0:
        return np.zeros_like(noise)
    middle = SPREAD * WHOLE * NormalDist().inv_cdf(1 - min(look.cover, 0.999))
    out = np.empty_like(noise)
    in_threads(lambda a, b: density_rows(out, a, b, noise, lost, middle, 0.04 + 0.36 * look.soft), out, worth=4)
    return out


def _pixel(places: Places, view: View, grid: int) -> NDArray[np.float64]:
    """How wide a place of a grid is on its plane, ground units: the longer side, where it is seen aslant."""
    out, at = np.empty_like(places.x), (places.x, places.y, places.nearness)
    in_threads(lambda a, b: width_rows(out, a, b, *at, grid / view.pixels_per_unit), out, worth=4)
    return out
