"""Glide: a zoom that goes straight to its goal at an even rate.

Two framings of the ground that are alike in tilt differ by a similarity: a factor of size, a turn and a
shift. Unless factor is 1 and turn 0, one point of the frame shows the same ground in both. Raising the
similarity to the power s about that point gives the framing between: the size runs evenly in its logarithm,
and the common point stays where it is on screen. (The power of a similarity; written as complex numbers,
``K`` = span turned by the heading.) With equal framings the common point is at infinity and the move is a
straight pan.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.pose import Pose


def turn_between(start: float, end: float) -> float:
    """The shorter way round from one angle to another, degrees, in -180 < turn <= 180."""
    turn = (end - start) % 360
    return turn - 360 if turn > 180 else turn


def glide(start: Pose, end: Pose, progress: NDArray[np.float64]) -> NDArray[np.float64]:
    """Targets and spans along a Glide.

    Args:
        progress: shape (n,), 0 at the start and 1 at the end.

    Returns:
        Shape (n, 3): x, y and span, ground units.
    """
    ratio = np.log(end.span / start.span) - 1j * np.radians(turn_between(start.heading, end.heading))
    shift = complex(end.x - start.x, end.y - start.y)
    if abs(ratio) < 1e-9:
        share = progress.astype(np.complex128)
    else:
        share = _expm1(progress * ratio) / _expm1(np.asarray(ratio))
    place = shift * share
    span = start.span * np.exp(progress * ratio.real)
    return np.stack([start.x + place.real, start.y + place.imag, span], axis=-1)


def glide_length(start: Pose, end: Pose, rho: float) -> float:
    """Length of the Glide in the metric of van Wijk & Nuij (eq. 4): how much the picture changes on the way."""
    shift = float(np.hypot(end.x - start.x, end.y - start.y))
    zoom = float(np.log(end.span / start.span))
    turn = np.radians(turn_between(start.heading, end.heading))
    if abs(complex(zoom, turn)) < 1e-9:
        return rho * shift / start.span
    # |dT/ds| / span is |shift * ratio / expm1(ratio)| / start span, the same all the way.
    ratio = np.asarray(complex(zoom, -turn))
    pan = float(abs(shift * ratio / _expm1(ratio))) / start.span
    return float(np.hypot(rho * pan, zoom / rho))


def _expm1(z: NDArray[np.complex128]) -> NDArray[np.complex128]:
    """exp(z) - 1 without loss near 0, for complex z."""
    return np.expm1(z.real) * np.cos(z.imag) - 2 * np.sin(z.imag / 2) ** 2 + 1j * np.exp(z.real) * np.sin(z.imag)
