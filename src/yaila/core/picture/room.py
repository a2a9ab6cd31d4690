"""Labels that make room for one another: those that are asked to move up or down in the frame where others would hide
them.

How far is worked out for each frame by itself, from where all of them are, and changes evenly as that does: nothing
jumps, and every worker draws the same. Of two labels the northern one goes up; where it has come to lie well below the
other, they change places.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View
from yaila.core.picture import labels
from yaila.core.picture.labels import PresentLabel, box_of, seen_at
from yaila.core.picture.stage import Piece, Stage
from yaila.core.time import smoothstep
from yaila.core.type import Faces

AIR = 0.25
"""How much is left free between two labels, of the height of the smaller one's letters."""

NEAR = 1.5
"""From how far at its side on a label gives way, in type sizes: so that it has done so when the other comes."""

ROUNDS = 24
"""How often all pairs are looked at: labels that have given way to one may meet another."""

FARTHEST = 4.0
"""How far a label goes at the most, in its own heights."""


@dataclass(frozen=True)
class _Box:
    """A label in the frame: its middle, half its width and height, its type size, how much of it is seen, 0..1, how
    far north it is, and whether it may move."""

    key: str
    u: float
    v: float
    wide: float
    high: float
    em: float
    seen: float
    north: float
    moves: bool


def pieces(presents: Sequence[PresentLabel], stage: Stage) -> list[Piece]:
    """What is painted of labels, each where it has room."""
    return labels.pieces(presents, stage, room_made(presents, stage.view, stage.kit.faces))


def room_made(presents: Sequence[PresentLabel], view: View, faces: Faces) -> dict[str, float]:
    """How far down in the frame labels are moved, pixels, by their ids; those that stay are left out."""
    if not any(one.mark.gives_way for one in presents):
        return {}
    boxes = [box for box in (_boxed(one, view, faces) for one in presents) if box]
    shifts = np.zeros(len(boxes))
    pairs = [_Pair(a, b, boxes[a], boxes[b]) for a in range(len(boxes)) for b in range(a)]
    pairs = [pair for pair in pairs if pair.counts > 0]
    for _ in range(ROUNDS):
        for pair in pairs:
            pair.part(shifts)
    farthest = np.array([2 * FARTHEST * box.high for box in boxes])
    shifts = np.clip(shifts, -farthest, farthest)
    return {box.key: float(shift) for box, shift in zip(boxes, shifts, strict=True) if shift}


def _boxed(present: PresentLabel, view: View, faces: Faces) -> _Box | None:
    label = present.mark
    if label.stands not in ("facing", "frame"):
        return None
    seen = present.opacity * present.look.opacity * seen_at(label, view.pose.span)
    found = box_of(present, view, faces) if seen > 0 else None
    if found is None:
        return None
    corners, em = found
    low, high = corners.min(axis=0), corners.max(axis=0)
    pad = present.look.pad * em / present.look.size if present.look.box != "none" else 0.0
    (u, v), (wide, tall) = (low + high) / 2, (high - low) / 2 + pad
    moves = label.gives_way and label.stands == "facing"
    return _Box(label.id, float(u), float(v), float(wide), float(tall), em, seen, label.y, moves)


class _Pair:
    """Two labels, the one that is to be above first."""

    def __init__(self, a: int, b: int, one: _Box, other: _Box) -> None:
        upper, lower = (a, b) if (one.north, one.key) > (other.north, other.key) else (b, a)
        self.upper, self.lower = upper, lower
        first, second = (one, other) if upper == a else (other, one)
        em = min(one.em, other.em)
        beside = abs(one.u - other.u) - one.wide - other.wide
        # How much the two count for each other: not at all from afar, wholly where they would meet.
        near = 1 - smoothstep(float(np.clip(beside / (NEAR * em), 0, 1)))
        self.counts = near * min(one.seen, other.seen) if one.moves or other.moves else 0.0
        self.natural = second.v - first.v
        high = one.high + other.high + AIR * em
        # Well the wrong way round, they are let be so.
        self.turned = smoothstep(float(np.clip(-self.natural / high - 1, 0, 1)))
        # What counts less may come nearer than it should, the less the more.
        less = 1 - self.counts
        self.needed = [high - less * (max(high - way * self.natural, 0.0) + 2 * high) for way in (1, -1)]
        self.shares = np.array([first.moves, second.moves], np.float64)
        self.shares /= max(self.shares.sum(), 1.0)

    def part(self, shifts: NDArray[np.float64]) -> None:
        """Move the two apart as far as they are too near."""
        apart = self.natural + shifts[self.lower] - shifts[self.upper]
        push = (1 - self.turned) * max(self.needed[0] - apart, 0.0) - self.turned * max(self.needed[1] + apart, 0.0)
        shifts[self.upper] -= push * self.shares[0]
        shifts[self.lower] += push * self.shares[1]
