"""The practice survey: tiles of the practice world, served as outside imagery services serve theirs, faults included.

Pictures of different zoom levels were taken in different seasons, lie a little off, and the widest have clouds and
curve like a globe. Now and then a tile is slow, or fails the first time it is asked for. All of it is the same every
time.
"""

from __future__ import annotations

import hashlib
import math
import threading
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.ground.mercator import GroundBox, tile_box

if TYPE_CHECKING:
    from yaila.core.film.model import Holds
    from yaila.standin.world import World

BOUNDS = GroundBox(386e3, 182e3, 570e3, 305e3)
"""What the survey covers, Web Mercator metres."""

LAYERS = {
    "aerial": ("Aerial", 18, 256),
    "sheet": ("Drawn sheet", 16, 512),
    "lights": ("Night lights", 12, 256),
    "height": ("Height", 13, 256),
    "sea": ("Sea mask", 14, 256),
    "cloud": ("Cloud", 9, 256),
}
"""Name, closest zoom level and tile size of each layer."""

HOLDS: dict[str, Holds] = {"height": "heights", "lights": "lights"}
"""What the layers hold that are no pictures to be seen by day."""

CREDIT = "Practice survey, an invented world"
TERMS = "Invented imagery: free to use for any purpose, with or without the credit line."

CLOUDY, GLOBE = 9, 10
"""The closest levels that have clouds, and that curve."""


@dataclass(frozen=True)
class Trouble:
    """What befalls a tile: seconds it takes longer, and whether it fails the first time or always."""

    slow: float = 0.0
    fails_once: bool = False
    missing: bool = False


def trouble_of(layer: str, zoom: int, column: int, row: int) -> Trouble:
    """What befalls a tile, by its name alone."""
    digest = hashlib.sha256(f"{layer}/{zoom}/{column}/{row}".encode()).digest()
    chance = int.from_bytes(digest[:4], "big") / 2**32
    if chance < 0.0015:
        return Trouble(missing=True)
    if chance < 0.012:
        return Trouble(fails_once=True)
    return Trouble(slow=0.6) if chance < 0.02 else Trouble()


class Survey:
    """Tiles of the practice world."""

    def __init__(self) -> None:
        self._world: World | None = None
        self._lock = threading.Lock()
        self._failed: set[str] = set()

    @property
    def world(self) -> World:
        """The world, made when it is first needed."""
        with self._lock:
            if self._world is None:
                # Loading it takes longer than most of a server, and few ask for it.
                from yaila.standin.world import World

                self._world = World()
            return self._world

    def first_failure(self, name: str) -> bool:
        """Whether a tile that fails once has not failed yet; from then on it has."""
        with self._lock:
            fresh = name not in self._failed
            self._failed.add(name)
            return fresh

    def tile(self, layer: str, zoom: int, column: int, row: int) -> NDArray[np.uint8] | None:
        """A tile, (size, size, 3) uint8; none outside the bounds.

        Raises:
            KeyError: there is no such layer.
        """
        _, most, size = LAYERS[layer]
        box = tile_box(column, row, zoom)
        if zoom > most or box.east < BOUNDS.west or box.west > BOUNDS.east:
            return None
        if box.north < BOUNDS.south or box.south > BOUNDS.north:
            return None
        return self._drawn(layer, zoom, box, size)

    def _drawn(self, layer: str, zoom: int, box: GroundBox, size: int) -> NDArray[np.uint8]:
        if layer == "aerial":
            return self._aerial(zoom, box, size)
        if layer == "sheet":
            return self._sheet(box, size)
        heights = self.world.heights(box, size)
        if layer == "height":
            # Metres above -500 in steps of a tenth, red the high byte.
            steps = np.clip((heights + 500) * 10, 0, 2**24 - 1).astype(np.uint32)
            return np.stack([steps >> 16 & 255, steps >> 8 & 255, steps & 255], axis=-1).astype(np.uint8)
        if layer == "sea":
            return np.repeat(np.where(heights > 0, 255, 0).astype(np.uint8)[..., None], 3, axis=2)
        if layer == "cloud":
            cover = self.world.cloud(box, size, 0.45)
            return np.repeat((cover * 255).astype(np.uint8)[..., None], 3, axis=2)
        return self._lights(box, size, heights)

    def _aerial(self, zoom: int, box: GroundBox, size: int) -> NDArray[np.uint8]:
        pixel = (box.east - box.west) / size
        season = _season(zoom)
        # A little off, the same for the whole level: less than a pixel and a half.
        shifted = _moved(box, *(season[6:8] * 1.4 * pixel))
        if zoom > GLOBE:
            picture = self.world.picture(shifted, size, tuple(season[:6]))
        else:
            picture = self._curved(shifted, size, tuple(season[:6]))
        if zoom <= CLOUDY:
            cover = self.world.cloud(shifted, size, 0.3)[..., None]
            picture = np.asarray(picture * (1 - cover) + 232 * cover, np.uint8)
        return picture

    def _curved(self, box: GroundBox, size: int, tint: tuple[float, ...]) -> NDArray[np.uint8]:
        """The ground as it looks from so far that it curves away from the middle of the archipelago."""
        middle = np.array([(BOUNDS.west + BOUNDS.east) / 2, (BOUNDS.south + BOUNDS.north) / 2])
        reach = math.hypot(BOUNDS.east - BOUNDS.west, BOUNDS.north - BOUNDS.south) / 2
        pixel = (box.east - box.west) / size
        rows, columns = np.mgrid[0:size, 0:size] + 0.5
        off = np.stack([box.west + columns * pixel, box.north - rows * pixel], axis=-1) - middle
        at = middle + off * (1 + 0.012 * np.sum(off**2, axis=-1, keepdims=True) / reach**2)
        room = 0.013 * (np.abs(off).max() * (np.abs(off).max() / reach) ** 2 + 1) * 2 + 4 * pixel
        edge = math.ceil(room / pixel / 2) * 2
        wide = GroundBox(
            box.west - edge * pixel, box.south - edge * pixel, box.east + edge * pixel, box.north + edge * pixel
        )
        source = self.world.picture(wide, size + 2 * edge, tint)
        x = (at[..., 0] - wide.west) / pixel - 0.5
        y = (wide.north - at[..., 1]) / pixel - 0.5
        return np.asarray(cv2.remap(source, x.astype(np.float32), y.astype(np.float32), cv2.INTER_CUBIC), np.uint8)

    def _sheet(self, box: GroundBox, size: int) -> NDArray[np.uint8]:
        """A drawn topographic sheet: land by height, shore, contours, roads and names."""
        heights = self.world.heights(box, size)
        pixel = (box.east - box.west) / size
        stops = np.array([0, 60, 200, 450, 800, 1400], float)
        tones = np.array(
            [(222, 230, 204), (214, 224, 190), (232, 226, 192), (224, 208, 170), (212, 190, 156), (236, 230, 222)],
            float,
        )
        land = np.stack([np.interp(heights, stops, tones[:, c]) for c in range(3)], axis=-1)
        sea = np.where((heights > -20)[..., None], (190, 220, 234), (168, 206, 226))
        sheet = np.where((heights > 0)[..., None], land, sea).astype(np.uint8)
        interval = 20.0 * 2 ** max(round(math.log2(max(pixel, 1) / 4)), 0)
        bands = np.floor(np.maximum(heights, 0) / interval)
        lines = (
            np.abs(np.diff(bands, axis=0, append=bands[-1:])) + np.abs(np.diff(bands, axis=1, append=bands[:, -1:]))
        ) > 0
        sheet[lines & (heights > 1)] = (176, 150, 112)
        shore = (heights > 0).astype(np.uint8)
        width = 3 if pixel < 20 else 2
        edge = cv2.dilate(shore, np.ones((width, width), np.uint8)) - shore
        sheet[edge > 0] = (88, 124, 150)
        for road in self.world.roads():
            points = np.stack([(road[:, 0] - box.west) / pixel, (box.north - road[:, 1]) / pixel], axis=-1)
            whole = [np.round(points * 16).astype(np.int32)]
            for colour, width in (((140, 96, 70), 5), ((246, 206, 132), 3)):
                cv2.polylines(sheet, whole, False, colour, width, cv2.LINE_AA, 4)
        for harbour in self.world.harbours.values():
            at = (int((harbour.x - box.west) / pixel) + 8, int((box.north - harbour.y) / pixel) - 6)
            for colour, width in (((255, 255, 255), 5), ((40, 44, 52), 1)):
                cv2.putText(sheet, harbour.name, at, cv2.FONT_HERSHEY_SIMPLEX, 0.62, colour, width, cv2.LINE_AA)
        return sheet

    def _lights(self, box: GroundBox, size: int, heights: NDArray[np.float64]) -> NDArray[np.uint8]:
        """The ground at night: dark land and sea, and the glow of the towns."""
        pixel = (box.east - box.west) / size
        rows, columns = np.mgrid[0:size, 0:size] + 0.5
        glow = np.zeros((size, size))
        for harbour in self.world.harbours.values():
            far = np.hypot(box.west + columns * pixel - harbour.x, box.north - rows * pixel - harbour.y)
            glow += np.exp(-((far / (harbour.radius * 1.1)) ** 2)) + 0.25 * np.exp(-far / (harbour.radius * 4))
        base = np.where((heights > 0)[..., None], (16, 20, 24), (8, 13, 24)).astype(float)
        return np.asarray(np.clip(base + glow[..., None] * np.array([235.0, 190.0, 120.0]), 0, 255), np.uint8)


@lru_cache(maxsize=32)
def _season(zoom: int) -> NDArray[np.float64]:
    """Tint factors and amounts of a zoom level, and how far it lies off, -1..1 either way."""
    random = np.random.default_rng(900 + zoom)
    factors = 1 + random.uniform(-0.09, 0.09, 3)
    return np.concatenate([factors, random.uniform(-4, 9, 3), random.uniform(-1, 1, 2)])


def _moved(box: GroundBox, x: float, y: float) -> GroundBox:
    return GroundBox(box.west + x, box.south + y, box.east + x, box.north + y)
