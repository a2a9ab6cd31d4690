"""A picture with a plate's adjustments worked in, page by page, as it is drawn. The picture itself stays as it is.

In this order: the plate is carried on beyond its edges, bent, made see-through where it is not land, faded along
its outline, and given its tone.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.colour import Tone, apply_table, tone_table
from yaila.core.imagery.bend import Bend, bent_grid
from yaila.core.imagery.land import ByBrightness, ByColour, mask_land
from yaila.core.imagery.outline import fade_outside
from yaila.core.imagery.pages import PADDED, PAGE, Pyramid, level_sizes
from yaila.core.quantities import Percent
from yaila.core.time import smoothstep

Floats = NDArray[Any]


class Edges(BaseModel):
    """How a plate goes on beyond its edges: mirrored, or repeated with the joints blended over ``blend`` percent of
    a side. ``reach`` is how much is added on every side, percent of that side's length."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    mode: Literal["mirror", "repeat"] = "mirror"
    reach: Percent = Field(50.0, gt=0, ge=1, le=400, title="Reach on every side")
    blend: Percent = Field(8.0, ge=0, le=50, title="Blend at the joints")

    def margin(self, width: int, height: int) -> tuple[int, int]:
        """Pixels added at the left and at the right, and at the top and at the bottom."""
        return round(width * self.reach / 100), round(height * self.reach / 100)


@dataclass(frozen=True)
class Adjustments:
    """What is done to a plate's picture when it is drawn; ``outline`` is in plate pixels, ``fade`` too."""

    edges: Edges | None = None
    bend: Bend | None = None
    land: ByColour | ByBrightness | None = None
    outline: tuple[tuple[float, float], ...] = ()
    fade: float = 0.0
    tone: Tone | None = None

    @property
    def idle(self) -> bool:
        """Whether the picture stays as it is."""
        return self == Adjustments()

    @property
    def key(self) -> str:
        """A short name that differs when the adjustments do; empty for none."""
        return "" if self.idle else hashlib.sha256(repr(self).encode()).hexdigest()[:16]


class AdjustedPyramid:
    """A pyramid seen through adjustments. Its pixels count from the outer corner of what edges add."""

    def __init__(self, base: Pyramid, adjustments: Adjustments) -> None:
        self._base, self._do = base, adjustments
        width, height = base.sizes[0]
        self.margin = adjustments.edges.margin(width, height) if adjustments.edges else (0, 0)
        self._sizes = base.sizes
        if adjustments.edges:
            wide, high = width + 2 * self.margin[0], height + 2 * self.margin[1]
            self._sizes = tuple(level_sizes(wide, high)[: len(base.sizes)])
        self.alpha = bool(base.alpha or adjustments.bend or adjustments.land or adjustments.outline)

    @property
    def sizes(self) -> tuple[tuple[int, int], ...]:
        """Width and height of every level, the full picture first."""
        return self._sizes

    def page(self, level: int, column: int, row: int, out: NDArray[np.uint8]) -> None:
        """Fill ``out``, shape (258, 258, 4), with a page and its border: premultiplied RGBA."""
        do, texel = self._do, 2.0**level
        if do.edges or do.bend:
            width, height = self._sizes[level]
            # Beyond the plate's edge the border repeats the last texel.
            across = np.clip(np.arange(PADDED) + column * PAGE - 1, 0, width - 1)
            down = np.clip(np.arange(PADDED) + row * PAGE - 1, 0, height - 1)
            xs = (across + 0.5) * texel - self.margin[0]
            ys = (down + 0.5) * texel - self.margin[1]
            out[:] = self._gathered(level, xs, ys)
        else:
            self._base.page(level, column, row, out)
        if do.land:
            mask_land(out, do.land)
        if do.outline:
            left, top = (column * PAGE - 1) * texel - self.margin[0], (row * PAGE - 1) * texel - self.margin[1]
            fade_outside(out, np.array(do.outline), do.fade, left, top, texel)
        if do.tone and not do.tone.idle:
            apply_table(out, tone_table(do.tone))

    def window(self, level: int, x: int, y: int, width: int, height: int) -> NDArray[np.uint8]:
        """Part of a level, (height, width, 4) premultiplied RGBA; beyond the plate it is clear."""
        out = np.zeros((height, width, 4), np.uint8)
        level_width, level_height = self._sizes[level]
        page = np.empty((PADDED, PADDED, 4), np.uint8)
        for row in range(max(y, 0) // PAGE, (min(y + height, level_height) - 1) // PAGE + 1):
            for column in range(max(x, 0) // PAGE, (min(x + width, level_width) - 1) // PAGE + 1):
                self.page(level, column, row, page)
                x0, y0 = max(column * PAGE, x), max(row * PAGE, y)
                x1 = min(column * PAGE + PAGE, x + width, level_width)
                y1 = min(row * PAGE + PAGE, y + height, level_height)
                left, top = 1 - column * PAGE, 1 - row * PAGE
                out[y0 - y : y1 - y, x0 - x : x1 - x] = page[top + y0 : top + y1, left + x0 : left + x1]
        return out

    def _gathered(self, level: int, xs: Floats, ys: Floats) -> NDArray[np.uint8]:
        """Texels whose centres are at crossings of plate xs and ys."""
        width, height = self._base.sizes[0]
        total = np.zeros((len(ys), len(xs), 4), np.float32)
        for down, share_down in self._folded(ys, height):
            for across, share_across in self._folded(xs, width):
                share = (share_down[:, None] * share_across[None, :]).astype(np.float32)
                if share.any():
                    total += share[..., None] * self._sampled(level, across, down)
        return np.asarray(np.clip(total + 0.5, 0, 255), np.uint8)

    def _folded(self, places: Floats, length: int) -> list[tuple[Floats, Floats]]:
        """Where places of an axis are found inside 0..length, with their shares."""
        edges = self._do.edges
        if edges is None:
            return [(places, np.ones(len(places)))]
        if edges.mode == "mirror":
            turned = np.mod(places, 2 * length)
            return [(np.minimum(turned, 2 * length - turned), np.ones(len(places)))]
        repeated = np.mod(places, length)
        outside = (places < 0) | (places > length)
        blend = max(length * edges.blend / 100, 1e-9)
        # At a joint, the side nearer the plate goes on mirrored and melts into the repeat.
        away = np.where(places < 0, length - repeated, repeated)
        own = np.where(outside, smoothstep(away / blend), 1.0)
        return [(repeated, own), (length - repeated, 1 - own)]

    def _sampled(self, level: int, xs: Floats, ys: Floats) -> NDArray[np.float32]:
        """Texels (len(ys), len(xs), 4) of the picture at crossings of plate xs and ys, bent."""
        width, height = self._base.sizes[0]
        texel = 2.0**level
        if self._do.bend:
            order_x, order_y = np.argsort(xs, kind="stable"), np.argsort(ys, kind="stable")
            sorted_x, sorted_y = bent_grid(self._do.bend, width, height).sources(xs[order_x], ys[order_y])
            map_x, map_y = np.empty_like(sorted_x), np.empty_like(sorted_y)
            map_x[np.ix_(order_y, order_x)] = sorted_x
            map_y[np.ix_(order_y, order_x)] = sorted_y
        else:
            map_x, map_y = (
                np.broadcast_to(xs[None, :], (len(ys), len(xs))),
                np.broadcast_to(ys[:, None], (len(ys), len(xs))),
            )
        level_width, level_height = self._base.sizes[level]
        u, v = map_x / texel - 0.5, map_y / texel - 0.5
        left, top = int(np.clip(u.min(), 0, level_width - 1)) - 2, int(np.clip(v.min(), 0, level_height - 1)) - 2
        right, bottom = int(np.clip(u.max(), 0, level_width - 1)) + 4, int(np.clip(v.max(), 0, level_height - 1)) + 4
        window = self._base.window(level, left, top, right - left, bottom - top)
        picked = cv2.remap(
            window,
            (u - left).astype(np.float32),
            (v - top).astype(np.float32),
            cv2.INTER_CUBIC if self._do.bend else cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        ).astype(np.float32)
        if self._do.bend:
            inside = np.minimum(np.minimum(map_x, width - map_x), np.minimum(map_y, height - map_y)) / texel + 0.5
            picked *= np.clip(inside, 0, 1).astype(np.float32)[..., None]
            picked[..., :3] = np.minimum(picked[..., :3], picked[..., 3:])
        return picked
