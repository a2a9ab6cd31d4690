"""Drawing the ground: a film's plates through the camera, at draft or final quality.

The same plates, pose and size always give the same pixels, whichever process or thread draws them and whatever
is in memory already.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from copy import copy
from dataclasses import dataclass, replace
from enum import Enum
from functools import partial

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.errors import YailaError
from yaila.core.film import Plate
from yaila.core.film.scene import Uncovered
from yaila.core.imagery import PAGE, AdjustedPyramid, PageStore, Pyramid
from yaila.core.imagery.moving import MovingPyramid
from yaila.core.imagery.pages import PageKey, PagesFull
from yaila.core.picture import raster
from yaila.core.picture.kit import Kit
from yaila.core.picture.reveals import mask_of
from yaila.core.picture.threads import in_threads
from yaila.core.stopping import go_on


class Quality(Enum):
    """How much care each pixel is given: sharpness, blend, least and most taps a side of the raster."""

    DRAFT = (0.95, 0.3, 1, 2)
    FINAL = (0.5, 0.4, 2, 16)


@dataclass(frozen=True)
class PlateLayer:
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


def pyramid_of(plate: Plate, open_picture: Callable[[str], Pyramid]) -> Pyramid:
    """The pyramid of a plate, its adjustments worked in."""
    pyramid, adjustments = open_picture(plate.picture.sha256), plate.adjustments
    return pyramid if adjustments.idle else AdjustedPyramid(pyramid, adjustments)


def layer_of(plate: Plate, open_picture: Callable[[str], Pyramid]) -> PlateLayer:
    """A plate ready to be drawn."""
    drawn = plate.feather.shape == "outline"
    return PlateLayer(
        plate.look,
        pyramid_of(plate, open_picture),
        plate.matrix,
        plate.opacity,
        "rectangle" if drawn else plate.feather.shape,
        0.0 if drawn else plate.feather.width,
    )


@dataclass(frozen=True)
class Shot:
    """What a plate shows in place of its picture: a short name that differs whenever its pixels do, and they."""

    key: str
    pyramid: Pyramid


def shot_of(plate: Plate, moment: float, open_picture: Callable[[str], Pyramid], kit: Kit) -> Shot | None:
    """What a plate's clip shows at a moment of the clip, seconds, its adjustments worked in; none if the clip is
    gone."""
    if plate.plays is None or not kit.has_clip(key := plate.plays.clip.sha256):
        return None
    adjustments = plate.adjustments
    moving = MovingPyramid(open_picture(plate.picture.sha256), partial(kit.clip_at, key, moment))
    seen = moving if adjustments.idle else AdjustedPyramid(moving, adjustments)
    return Shot(f"{key}@{moment:.5f}{adjustments.key}", seen)


def draw_plates(
    stack: Stack,
    plates: Sequence[Plate],
    reveals: Mapping[str, Uncovered],
    view: View,
    quality: Quality,
    store: PageStore,
    background: tuple[int, int, int, int],
) -> NDArray[np.uint8]:
    """What a view shows of plates, from the bottom of the stack up, of which some are uncovered in part: premultiplied
    RGBA, (height, width, 4) uint8, over a background. ``stack`` is theirs."""
    top_first = list(reversed(plates))
    masks = {
        index: mask_of(reveals[plate.id], plate, view) for index, plate in enumerate(top_first) if plate.id in reveals
    }
    return stack.draw(view, background, quality, store, masks)


def draw(
    layers: Sequence[PlateLayer],
    view: View,
    background: tuple[int, int, int, int],
    quality: Quality,
    store: PageStore,
) -> NDArray[np.uint8]:
    """Draw layers, the top one first; see :meth:`Stack.draw`."""
    return Stack(layers).draw(view, background, quality, store)


class Stack:
    """Layers, the top one first, as arrays for the raster: all of them that does not depend on the view."""

    def __init__(self, layers: Sequence[PlateLayer]) -> None:
        count = len(layers)
        self.layers = tuple(layers)
        self._inverse = np.zeros((count, 3, 3))
        self._settings = np.zeros((count, 8))
        self._edges = np.zeros((count, raster.MOST_LEVELS, 2))
        self._starts = np.zeros((count, raster.MOST_LEVELS), np.int64)
        self._columns = np.ones((count, raster.MOST_LEVELS), np.int64)
        self._first: list[int] = []
        self._places: list[tuple[int, str, int, int]] = []
        """Where the pages of each level start in the table, and layer, key, level and pages in a row of each."""
        pages = 0
        for i, layer in enumerate(layers):
            self._inverse[i] = np.linalg.inv(layer.ground_from_plate)
            levels = layer.pyramid.sizes[: raster.MOST_LEVELS]
            self._settings[i] = (
                *layer.size,
                layer.opacity,
                0.0 if layer.feather_shape == "rectangle" else 1.0,
                layer.feather / 100,
                0.0 if layer.pyramid.alpha else 1.0,
                len(levels),
                -1.0,
            )
            for level, (width, height) in enumerate(levels):
                columns = -(-width // PAGE)
                self._edges[i, level] = width - 1, height - 1
                self._starts[i, level], self._columns[i, level] = pages, columns
                self._first.append(pages)
                self._places.append((i, layer.key, level, columns))
                pages += columns * -(-height // PAGE)
        self._count = int(pages)

    def showing(self, shots: Mapping[int, Shot]) -> Stack:
        """The same stack, other pixels of the same sizes in some of its layers, by their place."""
        made = copy(self)
        made.layers = tuple(
            replace(layer, key=shots[i].key, pyramid=shots[i].pyramid) if i in shots else layer
            for i, layer in enumerate(self.layers)
        )
        made._places = [(i, made.layers[i].key, level, columns) for i, _, level, columns in self._places]
        return made

    def draw(
        self,
        view: View,
        background: tuple[int, int, int, int],
        quality: Quality,
        store: PageStore,
        masks: Mapping[int, NDArray[np.uint8]] | None = None,
    ) -> NDArray[np.uint8]:
        """Draw as a view shows it: (height, width, 4) uint8 premultiplied RGBA, sRGB.

        Rows are drawn in as many bands as it takes for the pages of each to fit in the store.

        Args:
            background: premultiplied RGBA 0..255, what shines through where no layer covers.
            masks: how much is seen, (height, width) uint8, of layers by their place.
        """
        out = raster.empty_frame(*view.size)
        maps, settings = self._inverse @ view.ground_from_frame, self._settings
        hiding = np.zeros((0, 1, 1), np.uint8)
        if masks:
            settings = settings.copy()
            settings[list(masks), raster.MASK] = range(len(masks))
            hiding = np.stack(list(masks.values()))
        bands = [(0, view.size.height)]
        while bands:
            go_on()
            first, last = bands.pop()
            try:
                self._band(out, first, last, maps, settings, hiding, background, quality, store)
            except PagesFull:
                if last - first <= raster.CELL:
                    raise
                middle = (first + last) // 2
                bands += [(middle, last), (first, middle)]
        return out

    def read_ahead(self, view: View, quality: Quality, store: PageStore) -> None:
        """Have those pages in the store that :meth:`draw` will need, as far as they fit. What is wrong with one is said
        where it is drawn."""
        maps = self._inverse @ view.ground_from_frame
        indices, _ = self._needed(0, view.size.height, view.size.width, maps, self._settings, quality)
        with suppress(PagesFull, YailaError), store.pinned(self._pages(self._keys(indices))):
            pass

    def _needed(
        self,
        first: int,
        last: int,
        width: int,
        maps: NDArray[np.float64],
        settings: NDArray[np.float64],
        quality: Quality,
    ) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """The places in the table of the pages that rows need, and which layers show in which cells of them."""
        wanted = np.zeros(self._count + 1, np.bool_)
        cells = -(-(last - first) // raster.CELL), -(-width // raster.CELL)
        touched = np.zeros((*cells, len(self.layers)), np.bool_)
        shape = (maps, settings, self._edges, self._starts, self._columns)
        raster.needed(first, last, width, *shape, *quality.value[:2], wanted, touched)
        return np.flatnonzero(wanted), touched

    def _band(
        self,
        out: NDArray[np.uint8],
        first: int,
        last: int,
        maps: NDArray[np.float64],
        settings: NDArray[np.float64],
        masks: NDArray[np.uint8],
        background: tuple[int, int, int, int],
        quality: Quality,
        store: PageStore,
    ) -> None:
        indices, touched = self._needed(first, last, out.shape[1], maps, settings, quality)
        keys, shape = self._keys(indices), (maps, settings, self._edges, self._starts, self._columns)
        pixels, under = out.view(np.uint32)[..., 0], np.asarray(background, np.float32)
        # The smallest band waits for its turn: what else is drawn at once, of the same frame too, has pages in use.
        smallest = last - first <= raster.CELL
        with store.pinned(self._pages(keys), waits=smallest) as slots:
            table = np.zeros(self._count + 1, np.uint32)
            table[indices] = [slots[key] for _, key in keys]

            draw_rows = raster.draw_rows[quality is Quality.DRAFT]

            def rows(start: int, end: int) -> None:
                draw_rows(pixels, start, end, first, touched, *shape, table, store.texels, masks, under, *quality.value)

            in_threads(rows, out, first, last)

    def _pages(self, keys: list[tuple[int, PageKey]]) -> dict[PageKey, Pyramid]:
        return {key: self.layers[layer].pyramid for layer, key in keys}

    def _keys(self, indices: NDArray[np.int64]) -> list[tuple[int, PageKey]]:
        """Layer and page of places in the table."""
        levels = np.searchsorted(self._first, indices, side="right") - 1
        keys: list[tuple[int, PageKey]] = []
        for index, at in zip(indices.tolist(), levels.tolist(), strict=True):
            layer, key, level, columns = self._places[at]
            row, column = divmod(index - self._first[at], columns)
            keys.append((layer, (key, level, column, row)))
        return keys
