"""What painters are given, and what they give back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.film.sunlight import Light
from yaila.core.picture.canvas import image_of, painted
from yaila.core.picture.kit import Kit


@dataclass(frozen=True)
class Stage:
    """The view that marks are painted in, whether the ground is the Earth's, the light, fonts and signs, and relief."""

    view: View
    georeferenced: bool
    light: Light
    kit: Kit
    raised: Callable[[NDArray[np.float64]], NDArray[np.float64]] | None = None
    """How high the ground is at places (n, 2), ground units, where there is relief."""

    def ground_at(self, place: tuple[float, float]) -> float:
        """How high the ground is at a place, ground units."""
        return float(self.raised(np.array([place]))[0]) if self.raised else 0.0


@dataclass(frozen=True)
class Easel:
    """A canvas, and the picture of the ground that was there before any mark, (height, width, 4) RGBA."""

    canvas: skia.Canvas
    ground: NDArray[np.uint8]


@dataclass(frozen=True)
class Piece:
    """Something to be painted, of the mark ``of``. What ``lies`` belongs to the ground and is under all that stands;
    ``depth`` is how far what stands is from the camera, in distances to the target, 0 for what stands in the frame.
    ``spot`` is where that is, ``moves`` how far it goes by itself in a frame: east, north and height. ``wide`` is the
    widest blur in it, a deviation in pixels. What ``shows_ground`` is painted with the picture of the ground; what
    ``blends`` looks different on each ground."""

    of: str
    lies: bool
    depth: float
    paint: Callable[[Easel], None]
    spot: tuple[float, float, float] | None = None
    moves: tuple[float, float, float] = (0.0, 0.0, 0.0)
    wide: float = 0.0
    shows_ground: bool = False
    blends: bool = False
    bounds: tuple[int, int, int, int] | None = None
    """The pixels of the view that it may cover, where they are known: left, top, right and bottom."""

    def recorded(self, seen: skia.Rect) -> Piece:
        """The same, worked out now and only played back when it is painted; what shows the ground stays as it is.
        ``seen`` is all of the view that comes into the frame."""
        if self.shows_ground:
            return self
        recorder = skia.PictureRecorder()
        # A tree of what is recorded knows how far all of it reaches.
        self.paint(Easel(recorder.beginRecording(seen, TREES()), NO_GROUND))
        picture = recorder.finishRecordingAsPicture()
        covered = picture.cullRect().makeOutset(BESIDE, BESIDE).roundOut()
        bounds = covered.left(), covered.top(), covered.right(), covered.bottom()
        return replace(self, paint=lambda easel: easel.canvas.drawPicture(picture), bounds=bounds)

    def pictured(self, seen: skia.IRect) -> Piece:
        """The same, painted on a layer of its own now, which is only laid over the picture when it is painted; what has
        to be painted on the picture itself, and what takes too much room, stays as it is. ``seen`` is all of the view
        that comes into the frame: what is cut off there is cut off here, as Skia smooths edges by what is left."""
        if self.shows_ground or self.blends or not self.bounds:
            return self
        there = skia.IRect(*self.bounds)
        if not there.intersect(seen) or there.width() * there.height() > ROOM:
            return self
        left, top = there.left(), there.top()
        layer = np.zeros((there.height(), there.width(), 4), np.uint8)
        with painted(layer, opaque=False) as canvas:
            canvas.translate(-left, -top)
            self.paint(Easel(canvas, NO_GROUND))
        image = image_of(layer)
        return replace(self, paint=lambda easel: easel.canvas.drawImage(image, left, top))


ROOM = 2**21
"""Pixels of the largest layer that is kept of a piece."""

BESIDE = 4
"""What is blurred is not the same where it is clipped close to all that Skia says it reaches, pixels."""

TREES = skia.RTreeFactory()

NO_GROUND = np.zeros((0, 0, 4), np.uint8)
"""What lies under marks that do not show it."""
