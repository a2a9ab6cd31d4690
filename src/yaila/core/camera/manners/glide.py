"""Glide: a zoom that goes straight to its goal at an even rate.

Two framings of the ground that are alike in tilt differ by a similarity: a factor of size, a turn and a
shift. Unless factor is 1 and turn 0, one point of the frame shows the same ground in both. Raising the
similarity to the power s about that point gives the framing between: the size runs evenly in its logarithm,
and the common point stays where it is on screen. (The power of a similarity; written as complex numbers,
``K`` = span turned by the heading.) With equal framings the common point is at infinity and the move is a
straight pan.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners.manner import Manner, Move, turned
from yaila.core.camera.pose import Pose
from yaila.core.camera.track import Track, turn_between


class Glide(Manner):
    """Straight to its goal, at an even rate of zoom."""

    kind: Literal["glide"] = "glide"

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        turn = turn_between(move.start.heading, move.end.heading)
        return turned(move, progress, glide(move.start, move.end, turn, progress), turn)


def glide(start: Pose, end: Pose, turn: float, progress: NDArray[np.float64]) -> NDArray[np.float64]:
    """Targets and spans along a Glide.

    Args:
        turn: degrees by which the frame turns on the way about the point that both framings share.
        progress: shape (n,), 0 at the start and 1 at the end.

    Returns:
        Shape (n, 3): x, y and span, ground units.
    """
    ratio = np.log(end.span / start.span) - 1j * np.radians(turn)
    shift = complex(end.x - start.x, end.y - start.y)
    if abs(ratio) < 1e-9:
        share = progress.astype(np.complex128)
    else:
        share = _expm1(progress * ratio) / _expm1(np.asarray(ratio))
    place = shift * share
    span = start.span * np.exp(progress * ratio.real)
    return np.stack([start.x + place.real, start.y + place.imag, span], axis=-1)


def _expm1(z: NDArray[np.complex128]) -> NDArray[np.complex128]:
    """exp(z) - 1 without loss near 0, for complex z."""
    return np.expm1(z.real) * np.cos(z.imag) - 2 * np.sin(z.imag / 2) ** 2 + 1j * np.exp(z.real) * np.sin(z.imag)
