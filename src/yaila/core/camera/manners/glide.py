"""Glide: a zoom that goes straight to its goal at an even rate.

Two framings of the ground that are alike in tilt differ by a similarity: a factor of size, a turn and a
shift. Unless factor is 1 and turn 0, one point of the frame shows the same ground in both. Raising the
similarity to the power s about that point gives the framing between: the size runs evenly in its logarithm,
and the common point stays where it is on screen. (The power of a similarity; written as complex numbers,
``K`` = span turned by the heading.) With equal framings the common point is at infinity and the move is a
straight pan.

Where tilt or lens change on the way, the picture is no similarity any more. What the camera goes to, the target of the
closer framing, would swerve; it is kept on the straight line in the frame on which it would come if the other framing's
tilt and lens held all along.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners.manner import Manner, Move, turned
from yaila.core.camera.pose import FILM_BACK, Pose
from yaila.core.camera.track import Track, turn_between
from yaila.core.time import smoothstep


class Glide(Manner):
    """Straight to its goal, at an even rate of zoom."""

    kind: Literal["glide"] = "glide"

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        start, end = move.start, move.end
        turn = turn_between(start.heading, end.heading)
        track = turned(move, progress, glide(start, end, turn, progress), turn)
        if (start.tilt, start.focal) == (end.tilt, end.focal) or not (start.tilt or end.tilt):
            return track
        whole = np.linspace(0, 1, LOOKED)
        way = turned(move, whole, glide(start, end, turn, whole), turn)
        place = track.x + 1j * track.y
        # Which of the two is the closer one goes over gently where they are nearly alike.
        ending = 0.5 + 0.5 * float(np.clip(np.log2(start.span / end.span), -1, 1))
        shift = np.zeros_like(place)
        for goal, seen_from, weight in ((end, start, ending), (start, end, 1 - ending)):
            sure = float(smoothstep(_straight(way, goal, seen_from)[1].min() / SURE - 1)) * weight
            if sure:
                shift += sure * (_straight(track, goal, seen_from)[0] - place)
        place = place + shift
        return replace(track, x=place.real, y=place.imag)


LOOKED = 65
"""Places on the way at which it is seen whether a goal can come on a straight line."""

SURE = 0.1
"""From this depth on, in distances to the target, it begins to: what lies behind the camera, or comes from beyond the
horizon, cannot."""


def _straight(track: Track, goal: Pose, seen_from: Pose) -> tuple[NDArray[np.complex128], NDArray[np.float64]]:
    """Targets (n,) such that a goal is seen where it would be with the tilt and the lens of a pose, and how far before
    the camera and below the horizon it is there, in distances to the target, at the least."""
    turn = np.exp(1j * np.radians(track.heading))
    # To the right and ahead of the target, in spans; then across and up in the frame, in its widths.
    place = (complex(goal.x, goal.y) - track.x - 1j * track.y) / track.span * turn
    tilt, far = np.radians(seen_from.tilt), seen_from.focal / FILM_BACK
    depth = 1 + place.imag * np.sin(tilt) / far
    kept = np.where(depth > 0, depth, 1.0)
    across, upward = place.real / kept, place.imag * np.cos(tilt) / kept
    tilts, fars = np.radians(track.tilt), track.focal / FILM_BACK
    below = 1 - upward * np.tan(tilts) / fars
    ahead = upward / np.cos(tilts) / np.where(below > 0, below, 1.0)
    right = across * (1 + ahead * np.sin(tilts) / fars)
    targets = complex(goal.x, goal.y) - track.span * (right + 1j * ahead) / turn
    return np.asarray(targets), np.minimum(depth, below)


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
