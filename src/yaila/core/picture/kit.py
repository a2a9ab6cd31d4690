"""What drawing needs besides a film's document: the fonts of its labels, and the pictures that serve as signs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import skia
from numpy.typing import NDArray

from yaila.core.errors import BadEdit, NotFound
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


_signs: dict[str, skia.Image] = {}


@dataclass(frozen=True)
class Kit:
    """Where fonts come from, and, by their SHA-256, the bytes of signs."""

    faces: Faces = Faces()  # noqa: RUF009 - frozen
    read: Callable[[str], bytes] | None = None
    heights: Callable[[str, str], NDArray[np.float32]] | None = None
    """Heights of a picture by its SHA-256, and how it codes them; NaN where it has none."""

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
