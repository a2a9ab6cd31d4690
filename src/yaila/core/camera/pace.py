"""How fast the picture changes: the metric of van Wijk & Nuij, and what is seen to move in the frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners.hop import RHO
from yaila.core.camera.pose import FrameSize
from yaila.core.camera.track import Track

QUARTER = 90.0
"""Degrees of turn, tilt or roll that change the picture as much as one doubling (common practice, no source)."""


def changes(track: Track) -> NDArray[np.float64]:
    """How much the picture changes from each moment to the next, in doublings; shape (n - 1,).

    The metric of van Wijk & Nuij (eq. 4), scaled so that a plain zoom in by a factor of two measures 1; turning,
    tilting, rolling and the lens are added at right angles. A lens twice as long, which stands twice as far away and
    shows the same ground, counts as a doubling (common practice, no source).
    """
    return changes_between(track.part(slice(None, -1)), track.part(slice(1, None)))


def changes_between(track: Track, later: Track) -> NDArray[np.float64]:
    """The same from each of n moments to another of n, shape (n,)."""
    wide = np.sqrt(later.span * track.span)
    pan = RHO**2 * np.hypot(later.x - track.x, later.y - track.y) / wide / np.log(2)
    zoom = np.log2(later.span / track.span)
    lens = np.log2(later.focal / track.focal)
    turn, tilt, roll = later.heading - track.heading, later.tilt - track.tilt, later.roll - track.roll
    swing = (turn**2 + tilt**2 + roll**2) / QUARTER**2
    return np.asarray(np.sqrt(pan**2 + zoom**2 + lens**2 + swing))


def moves(track: Track, later: Track, size: FrameSize) -> NDArray[np.float64]:
    """How far the ground moves in the frame from each of n moments to another of n, frame widths: (n, 9), in the middle
    and at eight places around it; 0 where no ground is seen."""
    u = np.array([0.5, 0.1, 0.5, 0.9, 0.1, 0.9, 0.1, 0.5, 0.9])
    v = np.array([0.5, 0.1, 0.1, 0.1, 0.5, 0.5, 0.9, 0.9, 0.9])
    right, up, forward = track.axes()
    distance = track.distances
    # Rays through the places, in units of the frame's width at the target.
    across = u - 0.5
    upward = (0.5 - v) * size.height / size.width
    far = distance / track.span
    rays = (
        far[:, None, None] * forward[:, None, :]
        + across[None, :, None] * right[:, None, :]
        + upward[None, :, None] * up[:, None, :]
    )
    eye = -far[:, None] * forward
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = -eye[:, None, 2] / rays[..., 2]
    seen = (reach > 0) & (reach < 30)
    ground = (eye[:, None, :] + np.where(seen, reach, 0.0)[..., None] * rays) * track.span[:, None, None]
    # The same ground, a moment later.
    shift = np.stack([later.x - track.x, later.y - track.y, np.zeros(len(track))], axis=1)
    right, up, forward = later.axes()
    there = ground - shift[:, None, :]
    depth = 1 + np.einsum("nki,ni->nk", there, forward) / later.distances[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        at_u = np.einsum("nki,ni->nk", there, right) / later.span[:, None] / depth
        at_v = np.einsum("nki,ni->nk", there, up) / later.span[:, None] / depth
    moved = np.hypot(at_u - across, at_v - upward)
    return np.asarray(np.where(seen & (depth > 0.02), moved, 0.0))
