"""How fast the picture changes: the metric of van Wijk & Nuij, and what is seen to move in the frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.manners.hop import RHO
from yaila.core.camera.pose import FILM_BACK, FrameSize
from yaila.core.camera.track import Track

QUARTER = 90.0
"""Degrees of turn or tilt on the spot that change the picture as much as one doubling (common practice, no source)."""


def changes(track: Track) -> NDArray[np.float64]:
    """How much the picture changes from each moment to the next, in doublings; shape (n - 1,).

    The metric of van Wijk & Nuij (eq. 4), scaled so that a plain zoom in by a factor of two measures 1; turning and
    tilting are added at right angles.
    """
    wide = np.sqrt(track.span[1:] * track.span[:-1])
    pan = RHO**2 * np.hypot(np.diff(track.x), np.diff(track.y)) / wide / np.log(2)
    zoom = np.diff(np.log2(track.span))
    swing = np.hypot(np.diff(track.heading), np.diff(track.tilt)) / QUARTER
    return np.asarray(np.sqrt(pan**2 + zoom**2 + swing**2))


def motion(track: Track, size: FrameSize) -> NDArray[np.float64]:
    """How far the picture moves from each moment to the next, frame widths: (n - 1, 2), the ground in the middle of
    the frame and the fastest of nine places spread over the frame that show ground."""
    moved = moves(track, size)
    return np.stack([moved[:, 0], moved.max(axis=1)], axis=1)


def moves(track: Track, size: FrameSize) -> NDArray[np.float64]:
    """How far the ground moves in the frame from each moment to the next, frame widths: (n - 1, 9), in the middle and
    at eight places around it; 0 where no ground is seen."""
    if len(track) < 2:
        return np.zeros((0, 9))
    u = np.array([0.5, 0.1, 0.5, 0.9, 0.1, 0.9, 0.1, 0.5, 0.9])
    v = np.array([0.5, 0.1, 0.1, 0.1, 0.5, 0.5, 0.9, 0.9, 0.9])
    right, up, forward = track.axes()
    distance = track.span * track.focal / FILM_BACK
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
    shift = np.stack([np.diff(track.x), np.diff(track.y), np.zeros(len(track) - 1)], axis=1)
    later = ground[:-1] - shift[:, None, :]
    depth = 1 + np.einsum("nki,ni->nk", later, forward[1:]) / distance[1:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        at_u = np.einsum("nki,ni->nk", later, right[1:]) / track.span[1:, None] / depth
        at_v = np.einsum("nki,ni->nk", later, up[1:]) / track.span[1:, None] / depth
    moved = np.hypot(at_u - across, at_v - upward)
    return np.asarray(np.where(seen[:-1] & (depth > 0.02), moved, 0.0))
