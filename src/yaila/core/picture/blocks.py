"""Land with thickness: parts of the ground that stand out as blocks, with sides that are seen and shadows.

Regions give their outlines, plates their land. What rays need to know of blocks is painted as the flat ground's picture
is: where they are, how far inside or outside of their edges each pixel is (P. Felzenszwalb and D. Huttenlocher,
"Distance Transforms of Sampled Functions", 2012, as OpenCV has it), and how high they are.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import NEAR, FrameSize, Pose, View
from yaila.core.film import Film, Plate
from yaila.core.film.scene import Scene, Uncovered
from yaila.core.picture.canvas import filled, painted, polygon, through
from yaila.core.picture.light import linear_of
from yaila.core.picture.reveals import only_uncovered
from yaila.core.time import smoothstep

MOST_BESIDE = 0.6
"""How much of the flat ground beside the frame is looked at for blocks at most, in widths and heights of it."""

MOST_BLOCKS = 250
"""Blocks that are told apart by their colours."""

BORDER = 4
"""Beyond its edge a block's height is known for so many pixels, so that rays may end beside it."""

FARTHEST = 30_000.0
"""Corners further away than this are taken to be there, pixels."""

Floats = NDArray[np.float32]


@dataclass(frozen=True)
class Block:
    """A part of the ground that stands out by ``high`` ground units: how it is painted, the colour of its sides, linear
    red, green and blue 0..1, and how dark its shadow is, 0..1."""

    high: float
    side: Floats
    dark: float
    cover: Callable[[View], NDArray[np.uint8]]
    """How much of each pixel of a view of the flat ground it covers, (height, width) uint8."""


@dataclass(frozen=True)
class Blocks:
    """Blocks in a view of the flat ground.

    Attributes:
        view: it shows all that is seen of them in a frame, and what casts shadows into it.
        inside: how far inside its edge each pixel is, pixels; below 0 outside of blocks.
        tall: how high they are, ground units; ``dark`` how dark their shadows are, 0..1.
        which: which of ``sides`` (n, 3) each pixel's has.
    """

    view: View
    inside: Floats
    tall: Floats
    dark: Floats
    which: NDArray[np.uint8]
    sides: Floats
    tallest: float

    @staticmethod
    def of(blocks: list[Block], view: View, lifted: float, fall: NDArray[np.float64]) -> Blocks:
        """Blocks, of which the first are the lowest in the stack, on ground that relief lifts by as much as ``lifted``,
        as a frame sees them."""
        tallest = max(block.high for block in blocks)
        wide = _wide_enough(view, lifted + tallest, fall * tallest)
        rows, columns = wide.size.height, wide.size.width
        cover = np.zeros((rows, columns), np.uint8)
        tall, dark = np.zeros((rows, columns), np.float32), np.zeros((rows, columns), np.float32)
        which = np.zeros((rows, columns), np.uint8)
        sides = np.zeros((MOST_BLOCKS, 3), np.float32)
        known: dict[bytes, int] = {}
        for block in blocks:
            own = block.cover(wide)
            number = known.setdefault(block.side.tobytes(), min(len(known), MOST_BLOCKS - 1))
            sides[number] = block.side
            there = own >= 128
            tall[there], dark[there], which[there] = block.high, block.dark, number
            cover = np.maximum(cover, own)
        # Beside a block all of this is known too.
        around = np.ones((2 * BORDER + 1, 2 * BORDER + 1), np.uint8)
        outside = cover < 128
        for plane in (tall, dark, which):
            plane[outside] = cv2.dilate(plane, around)[outside]
        return Blocks(wide, _distance(cover), tall, dark, which, sides, tallest)


def _distance(cover: NDArray[np.uint8]) -> Floats:
    """How far pixels are inside the edge of what is covered, pixels."""
    there = (cover >= 128).astype(np.uint8)
    if not there.any():
        return np.full(cover.shape, -1e4, np.float32)
    out = cv2.distanceTransform(1 - there, cv2.DIST_L2, cv2.DIST_MASK_3)
    distance = 0.5 - out
    if not there.all():
        deep = cv2.distanceTransform(there, cv2.DIST_L2, cv2.DIST_MASK_3)
        distance = np.where(there, deep - np.float32(0.5), distance)
    # On the edge itself the share that is covered says where it runs.
    half = (cover > 0) & (cover < 255)
    distance[half] = cover[half].astype(np.float32) / np.float32(255) - np.float32(0.5)
    return np.ascontiguousarray(distance, np.float32)


def _wide_enough(view: View, top: float, shadow: NDArray[np.float64]) -> View:
    """The view with as much more of the flat ground as is seen in it when it is raised, and throws shadows into it."""
    width, height = view.size
    u, v = np.meshgrid(np.linspace(0, width, 7), np.linspace(0, height, 7))
    through = np.column_stack([u.ravel(), v.ravel(), np.ones(u.size)])
    plane = view.plane()
    spots = [through[:, :2]]
    for high, away in ((0.0, shadow), (top, np.zeros(2)), (top, shadow)):
        places = through @ np.linalg.inv(view.plane(high)).T
        places = places[places[:, 2] > 1e-9]
        places = np.column_stack([places[:, :2] / places[:, 2:] - away, np.ones(len(places))])
        seen = places @ plane.T
        seen = seen[seen[:, 2] > 0.02]
        spots.append(seen[:, :2] / seen[:, 2:])
    found = np.concatenate(spots)
    return view.reaching(found, MOST_BESIDE, BORDER)


def stands_out(film: Film) -> bool:
    """Whether anything of a film stands out of the ground as land at any time."""
    looks = (film.look_of(region) for region in film.regions)
    return any(one.raised != 0 for one in (*film.plates, *looks))


def blocks_of(scene: Scene, georeferenced: bool, land_of: Callable[[Plate, View], NDArray[np.uint8]]) -> list[Block]:
    """What stands out in a scene: plates, from the bottom of the stack up, then regions. ``land_of`` says how much of
    each pixel of a view a plate covers."""
    made = [
        Block(float(plate.raised), linear_of(plate.side_colour), SHADOW, partial(land_of, plate))
        for plate in scene.plates
        if plate.raised > 0 and plate.opacity > 0
    ]
    for present in scene.regions:
        look = present.look
        there = float(smoothstep(present.came)) * present.gone
        if look.raised <= 0 or there <= 0 or present.opacity <= 0:
            continue
        rings = [np.array(ring) for ring in present.mark.outline(georeferenced)]
        if present.scale != 1:
            middle = np.array(present.mark.place)
            rings = [middle + (ring - middle) * present.scale for ring in rings]
        made.append(
            Block(
                float(look.raised) * there,
                linear_of(look.side_colour),
                float(look.shadow_opacity),
                partial(_outlined, rings, present.uncovered),
            )
        )
    return made


SHADOW = 0.5
"""How dark the shadow of a plate's land is."""


def height_of_blocks(blocks: list[Block], place: tuple[float, float], fine: float) -> float:
    """How high the block is that stands at a place of the ground, ground units, where places so far apart are told
    apart."""
    above = View.of(Pose(*place, 3 * fine), FrameSize(3, 3))
    return next((block.high for block in reversed(blocks) if block.cover(above)[1, 1] >= 128), 0.0)


def _outlined(rings: list[NDArray[np.float64]], uncovered: Uncovered | None, view: View) -> NDArray[np.uint8]:
    """How much of each pixel outlines cover, by the even-odd rule, as far as they are uncovered."""
    seen = [view.seen(ring) for ring in rings]
    path = skia.Path()
    if all((ring[:, 2] > NEAR).all() for ring in seen):
        for ring in seen:
            path.addPath(polygon(np.clip(ring[:, :2] / ring[:, 2:], -FARTHEST, FARTHEST), True))
    else:
        flat = skia.Path()
        for ring in rings:
            flat.addPath(polygon(ring - view.target, True))
        path = through(flat, view.plane())
    path.setFillType(skia.PathFillType.kEvenOdd)
    layer = np.zeros((view.size.height, view.size.width, 4), np.uint8)
    with painted(layer, opaque=False) as canvas, only_uncovered(canvas, uncovered, np.concatenate(rings), view):
        canvas.drawPath(path, filled("#ffffff"))
    return np.ascontiguousarray(layer[..., 3])
