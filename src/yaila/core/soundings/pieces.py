"""What soundings have worked out, kept by what it depends on, so that an edit works out anew only what it changes."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from yaila.core.analysis.overlap import Open, Rim, rim_of
from yaila.core.bounded import Bounded
from yaila.core.errors import NotFound
from yaila.core.film import Film, Plate
from yaila.core.film.marked import KINDS, AnyMark, Route
from yaila.core.picture import pyramid_of

T = TypeVar("T")

OPAQUE = np.full((1, 1), 255, np.uint8)
COARSE = 256
"""The longest side of the picture in which a plate's alpha is looked at, pixels."""

MOST_KEPT = 96 * 2**20
"""Bytes of pieces kept in memory."""

SMALL = 2_000
"""Bytes that a piece takes at least, with its key."""


def digest(*inputs: bytes | str | NDArray[Any]) -> bytes:
    """What a piece was made of, in 20 bytes: two pieces of the same are the same (BLAKE2, RFC 7693)."""
    made = hashlib.blake2b(digest_size=20)
    for one in inputs:
        data = one.encode() if isinstance(one, str) else np.ascontiguousarray(one).data if len(one) else b""
        made.update(len(one).to_bytes(8, "little"))
        made.update(data)
    return made.digest()


def unseen(film: Film, *kinds: str) -> Film:
    """A film of which marks of some kinds are not seen; they are there all the same, as others may hang on them."""
    update: dict[str, list[AnyMark]] = {}
    for mark in film.marks:
        if mark.kind not in kinds:
            continue
        if isinstance(mark, Route):
            hidden: AnyMark = mark.model_copy(update={"draws": mark.draws.model_copy(update={"shown": False})})
        else:
            hidden = mark.model_copy(update={"shown": False})
        update.setdefault(KINDS[mark.kind].listed, []).append(hidden)
    return film.model_copy(update=update)


class Pieces:
    """Pieces of soundings, the longest unused going first. Safe to use from several threads.

    Args:
        open_picture: gives pictures; without, plates are taken to be opaque within their edges, and have no rims.
    """

    def __init__(self, open_picture: Open | None = None, most: int = MOST_KEPT) -> None:
        self.open = open_picture
        self._kept: Bounded[Hashable, tuple[Any, int]] = Bounded(most, lambda one: one[1])

    def kept(self, key: Hashable, work: Callable[[], T], weight: Callable[[T], int] = lambda made: SMALL) -> T:
        """A piece: as it was made before, or made now. ``weight`` says how many bytes it takes beyond ``SMALL``."""
        known = self._kept.get(key)
        if known is None:
            made = work()
            known = self._kept.put(key, (made, SMALL + weight(made)))
        value: T = known[0]
        return value

    def veil(self, plate: Plate) -> NDArray[np.uint8]:
        """What is see-through in a plate, as the renderer draws it: its alpha (height, width), all 255 where it has
        none; a picture that is gone counts as opaque."""
        if self.open is None:
            return OPAQUE
        opened = self.open
        try:
            return self.kept(("veil", plate.look), lambda: _veil(plate, opened), lambda made: made.nbytes)
        except NotFound:
            return OPAQUE

    def rim(self, film: Film, plate: Plate) -> Rim | None:
        """How a plate's tone differs from what lies below it along its edge; none where nothing does."""
        if self.open is None:
            return None
        # Nothing but the plates up to it decides a rim: an edit of anything else keeps it.
        below = film.plates[: film.plate_index(plate.id) + 1]
        made_of = [one.model_copy(update={"reveal": None}).model_dump_json() for one in below]
        opened = self.open
        return self.kept(("rim", digest(film.ground.model_dump_json(), *made_of)), lambda: rim_of(film, plate, opened))


def _veil(plate: Plate, open_picture: Open) -> NDArray[np.uint8]:
    pyramid = pyramid_of(plate, open_picture)
    if not pyramid.alpha:
        return OPAQUE
    level = next((k for k, size in enumerate(pyramid.sizes) if max(size) <= COARSE), len(pyramid.sizes) - 1)
    return np.ascontiguousarray(pyramid.window(level, 0, 0, *pyramid.sizes[level])[..., 3])
