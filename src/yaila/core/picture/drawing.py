"""Drawing a frame: the film's plates through the camera, at draft or final quality.

The same plates, pose and size always give the same pixels, whichever process or thread draws them and whatever
is in memory already.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Collection, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from enum import Enum
from functools import cache
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film, Plate, Scene
from yaila.core.film.scene import Uncovered
from yaila.core.imagery import PAGE, AdjustedPyramid, PageStore, Pyramid
from yaila.core.imagery.pages import PageKey, PagesFull
from yaila.core.picture import raster
from yaila.core.picture.kit import Kit
from yaila.core.picture.reveals import mask_of
from yaila.core.picture.scene import draw_scene


class Quality(Enum):
    """How much care each pixel is given: sharpness, blend, least and most taps a side of the raster."""

    DRAFT = (0.95, 0.3, 1, 2)
    FINAL = (0.5, 0.4, 2, 16)


@dataclass(frozen=True)
class Layer:
    """A plate ready to be drawn: its picture's pyramid, and how it lies."""

    key: str
    pyramid: Pyramid
    ground_from_plate: NDArray[np.float64]
    opacity: float = 1.0
    feather_shape: str = "rectangle"
    feather: float = 0.0
    """Percent, as in the document."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the plate, pixels."""
        return self.pyramid.sizes[0]


def layers_of(film: Film, open_picture: Callable[[str], Pyramid], hidden: Collection[str] = ()) -> list[Layer]:
    """The shown plates of a film, the top of the stack first.

    Args:
        open_picture: gives the pyramid of a picture by its SHA-256.
        hidden: ids of plates that are left out.
    """
    shown = (plate for plate in reversed(film.plates) if plate.in_film and plate.id not in hidden)
    return [_layer(plate, open_picture) for plate in shown]


def pyramid_of(plate: Plate, open_picture: Callable[[str], Pyramid]) -> Pyramid:
    """The pyramid of a plate, its adjustments worked in."""
    pyramid, adjustments = open_picture(plate.picture.sha256), plate.adjustments
    return pyramid if adjustments.idle else AdjustedPyramid(pyramid, adjustments)


def _layer(plate: Plate, open_picture: Callable[[str], Pyramid]) -> Layer:
    drawn = plate.feather.shape == "outline"
    return Layer(
        plate.look,
        pyramid_of(plate, open_picture),
        plate.matrix,
        plate.opacity,
        "rectangle" if drawn else plate.feather.shape,
        0.0 if drawn else plate.feather.width,
    )


def plates_picture(
    film: Film,
    pose: Pose,
    size: FrameSize,
    quality: Quality,
    open_picture: Callable[[str], Pyramid],
    store: PageStore,
    reveals: Sequence[Uncovered] = (),
) -> NDArray[np.uint8]:
    """What the camera of a film sees of its plates from a pose: (height, width, 3) uint8 sRGB.

    Args:
        reveals: plates that are not all there yet, from the bottom of the stack up.
    """
    hidden = [uncovered.of for uncovered in reveals]

    def shown() -> NDArray[np.uint8]:
        return draw(layers_of(film, open_picture, hidden), pose, size, colour_of(film.background), quality, store)

    picture = shown()
    for uncovered in reveals:
        mask = mask_of(uncovered, film, pose, size)
        hidden.remove(uncovered.of)
        if mask is not None:
            picture = np.asarray(cv2.blendLinear(shown(), picture, mask, 1 - mask))
    return picture


def picture_of(
    film: Film,
    pose: Pose,
    size: FrameSize,
    quality: Quality,
    open_picture: Callable[[str], Pyramid],
    store: PageStore,
    scene: Scene | None = None,
    kit: Kit = Kit(),  # noqa: B008 - frozen
) -> NDArray[np.uint8]:
    """What the camera of a film sees from a pose: (height, width, 3) uint8 sRGB.

    Args:
        scene: the marks that stand there at that moment; without, none are drawn.
        kit: where fonts and signs come from.
    """
    reveals = scene.reveals if scene else ()
    picture = plates_picture(film, pose, size, quality, open_picture, store, reveals)
    return draw_scene(picture, scene, pose, film, kit) if scene else picture


def colour_of(text: str) -> tuple[int, int, int]:
    """Red, green and blue 0..255 of ``#rrggbb``."""
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def draw(
    layers: Sequence[Layer],
    pose: Pose,
    size: FrameSize,
    background: tuple[int, int, int],
    quality: Quality,
    store: PageStore,
) -> NDArray[np.uint8]:
    """Draw layers (the top one first) as the camera sees them: (height, width, 3) uint8 sRGB.

    Rows are drawn in as many bands as it takes for the pages of each to fit in the store.
    """
    out = raster.empty_frame(*size)
    plan = _Plan.of(layers, pose.ground_from_frame(size))
    bands = [(0, size.height)]
    while bands:
        first, last = bands.pop()
        try:
            plan.draw_band(out, first, last, np.asarray(background, np.float32), quality, store)
        except PagesFull:
            if last - first <= raster.CELL:
                raise
            middle = (first + last) // 2
            bands += [(middle, last), (first, middle)]
    return out


@dataclass(frozen=True)
class _Plan:
    """Layers as arrays for the raster."""

    layers: Sequence[Layer]
    maps: NDArray[np.float64]
    settings: NDArray[np.float64]
    level_edges: NDArray[np.float64]
    level_starts: NDArray[np.int64]
    level_columns: NDArray[np.int64]
    page_count: int

    @staticmethod
    def of(layers: Sequence[Layer], ground_from_frame: NDArray[np.float64]) -> _Plan:
        count = len(layers)
        maps = np.zeros((count, 3, 3))
        settings = np.zeros((count, 7))
        edges = np.zeros((count, raster.MOST_LEVELS, 2))
        starts = np.zeros((count, raster.MOST_LEVELS), np.int64)
        columns = np.ones((count, raster.MOST_LEVELS), np.int64)
        pages = 0
        for i, layer in enumerate(layers):
            plate_from_ground = np.linalg.inv(layer.ground_from_plate)
            maps[i] = plate_from_ground @ ground_from_frame
            levels = layer.pyramid.sizes[: raster.MOST_LEVELS]
            settings[i] = (
                *layer.size,
                layer.opacity,
                0.0 if layer.feather_shape == "rectangle" else 1.0,
                layer.feather / 100,
                0.0 if layer.pyramid.alpha else 1.0,
                len(levels),
            )
            for level, (width, height) in enumerate(levels):
                edges[i, level] = width - 1, height - 1
                starts[i, level] = pages
                columns[i, level] = -(-width // PAGE)
                pages += -(-width // PAGE) * -(-height // PAGE)
        return _Plan(layers, maps, settings, edges, starts, columns, int(pages))

    def draw_band(
        self,
        out: NDArray[np.uint8],
        first: int,
        last: int,
        background: NDArray[np.float32],
        quality: Quality,
        store: PageStore,
    ) -> None:
        sharpness = quality.value[0]
        wanted = np.zeros(self.page_count + 1, np.bool_)
        shape = (self.maps, self.settings, self.level_edges, self.level_starts, self.level_columns)
        cells = -(-(last - first) // raster.CELL), -(-out.shape[1] // raster.CELL)
        touched = np.zeros((*cells, len(self.layers)), np.bool_)
        raster.needed(first, last, out.shape[1], *shape, sharpness, wanted, touched)
        indices = np.flatnonzero(wanted)
        keys = self._keys(indices)
        with store.pinned({key: self.layers[layer].pyramid for layer, key in keys}) as slots:
            table = np.zeros(self.page_count + 1, np.uint32)
            table[indices] = [slots[key] for _, key in keys]

            def rows(start: int, end: int) -> None:
                raster.draw_rows(
                    out, start, end, first, touched, *shape, table, store.texels, background, *quality.value
                )

            _in_threads(rows, first, last)

    def _keys(self, indices: NDArray[np.int64]) -> list[tuple[int, PageKey]]:
        """Layer and page of places in the table."""
        starts, places = [], []
        for i, layer in enumerate(self.layers):
            for level in range(int(self.settings[i, raster.LEVELS])):
                starts.append(int(self.level_starts[i, level]))
                places.append((i, layer.key, level, int(self.level_columns[i, level])))
        keys: list[tuple[int, PageKey]] = []
        for index, place in zip(
            indices.tolist(), (np.searchsorted(starts, indices, side="right") - 1).tolist(), strict=True
        ):
            layer_index, key, level, columns = places[place]
            row, column = divmod(index - starts[place], columns)
            keys.append((layer_index, (key, level, column, row)))
        return keys


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 2, thread_name_prefix="draw", initializer=_yield_to_others)


def _yield_to_others() -> None:
    """Drawing gives way to whatever answers a person in the same process."""
    if hasattr(os, "setpriority"):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), os.getpriority(os.PRIO_PROCESS, 0) + 5)


def _in_threads(rows: Callable[[int, int], None], first: int, last: int) -> None:
    """Call ``rows`` for parts of a range of rows side by side, one for each processor and a few to spare."""
    count = (os.cpu_count() or 2) * 4
    edges = np.linspace(first, last, count + 1).astype(int)
    for done in [_threads().submit(rows, int(a), int(b)) for a, b in pairwise(edges) if b > a]:
        done.result()
