"""What lies under the map: it is seen where no plate covers, and where regions open the map."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yaila.core.film import Scene
from yaila.core.picture import insets, regions
from yaila.core.picture.canvas import image_of, painted
from yaila.core.picture.stage import Easel, Piece, Stage

Pixels = NDArray[np.uint8]


def is_opened(scene: Scene) -> bool:
    """Whether the map is not the lowest there is: something lies under it, or something is cut out of it."""
    return any(inset.mark.under for inset in scene.insets) or any(region.look.opens for region in scene.regions)


def on_what_lies_under(pixels: Pixels, scene: Scene, stage: Stage, ground: tuple[int, int, int, int]) -> Pixels:
    """A map without what regions cut out of it, laid over what is under it, and that over a ground ("over", W3C
    Compositing and Blending Level 1).

    Args:
        pixels: the map over nothing, (height, width, 4) uint8 premultiplied RGBA.
        ground: premultiplied RGBA 0..255.
    """
    opened = pixels.copy()
    with painted(opened, opaque=False) as canvas:
        for region in scene.regions:
            if region.look.opens:
                regions.cut_out(canvas, region, stage)
    out = np.empty_like(pixels)
    out[:] = ground
    with painted(out, opaque=False) as canvas:
        for piece in _from_far(insets.pieces(scene.insets, stage, under=True)):
            piece.paint(Easel(canvas, pixels))
        canvas.drawImage(image_of(opened), 0, 0)
    return out


def _from_far(pieces: Sequence[Piece]) -> list[Piece]:
    """What stands in the frame is behind what lies on the ground: it is the ground of the whole."""
    return sorted(pieces, key=lambda piece: piece.spot is not None)
