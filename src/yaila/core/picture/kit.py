"""What drawing needs besides a film's document: the fonts of its labels, and the pictures that serve as signs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.bounded import Bounded
from yaila.core.colour.grading import Cube
from yaila.core.errors import BadClip, BadEdit, NotFound
from yaila.core.film.finish import Grade
from yaila.core.imagery import Pyramid
from yaila.core.type import Faces

MOST_SIDE = 4096
"""The longest side of a sign, pixels."""


def read_sign(data: bytes, name: str) -> skia.Image:
    """A picture that is to be a sign, from the bytes of its file.

    Raises:
        BadEdit: it cannot be read, or is too large.
    """
    image = skia.Image.MakeFromEncoded(skia.Data.MakeWithCopy(data))
    if image is None:
        raise BadEdit(f"“{name}” cannot be read as a picture. Save it as PNG and bring it again.")
    if max(image.width(), image.height()) > MOST_SIDE:
        raise BadEdit(f"“{name}” is more than {MOST_SIDE:,} pixels large. A sign needs no more than a few hundred.")
    return image


class Clip(Protocol):
    """A clip that can be looked into at any moment."""

    def at(self, seconds: float, width: int) -> NDArray[np.uint8]:
        """What it shows at a moment, (height, width, 4) uint8 premultiplied RGBA, about so many pixels wide, though no
        more than it has."""


MOST_WHOLE = 96 * 2**20
"""Bytes of whole pictures that are kept."""

_levels: Bounded[tuple[str, int], NDArray[np.uint8]] = Bounded(MOST_WHOLE, lambda pixels: pixels.nbytes)


def _whole_level(pyramid: Pyramid, key: str, level: int) -> NDArray[np.uint8]:
    known = _levels.get((key, level))
    return _levels.put((key, level), pyramid.window(level, 0, 0, *pyramid.sizes[level])) if known is None else known


_signs: dict[str, skia.Image] = {}


@dataclass(frozen=True)
class Kit:
    """Where fonts come from, and, by their SHA-256, the bytes of signs."""

    faces: Faces = Faces()  # noqa: RUF009 - frozen
    read: Callable[[str], bytes] | None = None
    heights: Callable[[str, str], NDArray[np.float32]] | None = None
    """Heights of a picture by its SHA-256, and how it codes them; NaN where it has none."""

    clips: Callable[[str], Clip] | None = None
    """Clips by the SHA-256 of their files."""

    pictures: Callable[[str], Pyramid] | None = None
    """Pictures by the SHA-256 of their files."""

    tables: Callable[[str], Cube] | None = None
    """Tables of colours by the SHA-256 of their files."""

    def cube(self, grade: Grade) -> Cube | None:
        """The table of one's own of a grade; none while there is none, or it is gone."""
        if not grade.on or grade.table is None or self.tables is None:
            return None
        try:
            return self.tables(grade.table)
        except NotFound:
            return None

    def has_clip(self, key: str) -> bool:
        """Whether a clip is there."""
        if self.clips is None:
            return False
        try:
            self.clips(key)
        except NotFound:
            return False
        return True

    def clip_at(self, key: str, seconds: float, width: int) -> NDArray[np.uint8] | None:
        """What a clip shows at a moment, premultiplied RGBA, about so many pixels wide; none if it is gone, or
        cannot be read there."""
        if self.clips is None:
            return None
        try:
            return self.clips(key).at(seconds, width)
        except (NotFound, BadClip):
            return None

    def picture(self, key: str, width: int) -> NDArray[np.uint8] | None:
        """A picture, premultiplied RGBA, at least so many pixels wide if it has as many; none if it is gone."""
        if self.pictures is None:
            return None
        try:
            pyramid = self.pictures(key)
        except NotFound:
            return None
        width = min(width, MOST_SIDE)
        level = max((k for k, size in enumerate(pyramid.sizes) if size[0] >= width), default=0)
        return _whole_level(pyramid, key, level)

    def sign(self, key: str | None) -> skia.Image | None:
        """The picture of a sign; none while there is none, or it is gone."""
        if key is None or self.read is None:
            return None
        if key not in _signs:
            try:
                _signs[key] = read_sign(self.read(key), key)
            except NotFound:
                return None
        return _signs[key]
