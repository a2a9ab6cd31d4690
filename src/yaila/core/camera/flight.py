"""Flying the camera freely: what a hand does in the viewfinder, each as a change of pose."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from yaila.core.camera.pose import MAX_TILT, FrameSize, Pose
from yaila.core.quantities import wrapped

FARTHEST = 12.0
"""Ground further off than this many distances of the target cannot be taken hold of: near the horizon a small move of
the hand would be a leap."""


def ground_at(pose: Pose, size: FrameSize, u: float, v: float) -> tuple[float, float] | None:
    """The ground place at a pixel of the frame; none where there is sky, or ground too far off."""
    x, y, w = pose.ground_from_frame(size) @ np.array([u, v, 1.0])
    return (float(x / w), float(y / w)) if w * FARTHEST > 1 else None


def panned(pose: Pose, size: FrameSize, start: tuple[float, float], to: tuple[float, float]) -> Pose:
    """The ground taken at one pixel is brought to another."""
    taken, there = ground_at(pose, size, *start), ground_at(pose, size, *to)
    if taken is None or there is None:
        return pose
    return replace(pose, x=pose.x + taken[0] - there[0], y=pose.y + taken[1] - there[1])


def zoomed(pose: Pose, size: FrameSize, at: tuple[float, float], factor: float) -> Pose:
    """Closer or wider by a factor of the span, about the ground at a pixel, which stays there: eye and target are
    scaled about it alike."""
    about = ground_at(pose, size, *at) or (pose.x, pose.y)
    span = min(max(pose.span * factor, 1e-3), 1e9)
    factor = span / pose.span
    return replace(
        pose, span=span, x=about[0] + (pose.x - about[0]) * factor, y=about[1] + (pose.y - about[1]) * factor
    )


def turned(pose: Pose, heading: float, tilt: float) -> Pose:
    """Turned about its target by degrees of heading and tilt."""
    return replace(
        pose,
        heading=wrapped(pose.heading + heading),
        tilt=min(max(pose.tilt + tilt, 0.0), MAX_TILT),
    )


def flown(pose: Pose, right: float, ahead: float) -> Pose:
    """Moved over the ground by shares of the frame's width, in directions of the frame."""
    angle = np.radians(pose.heading)
    sin, cos = float(np.sin(angle)), float(np.cos(angle))
    return replace(
        pose,
        x=pose.x + pose.span * (right * cos + ahead * sin),
        y=pose.y + pose.span * (ahead * cos - right * sin),
    )


def moved_in_frame(
    pose: Pose, size: FrameSize, place: tuple[float, float, float], by: tuple[float, float]
) -> tuple[float, float] | None:
    """Where a place over the ground (x, y and height) has to go at its height so that it is seen ``by`` pixels further
    right and down; none if no such place lies before the camera."""
    space = pose.frame_from_space(size)
    x, y, height = place[0] - pose.x, place[1] - pose.y, place[2]
    u, v, w = (space @ np.array([x, y, height, 1.0])).tolist()
    if w <= 0:
        return None
    u, v = u / w + by[0], v / w + by[1]
    # The two lines of the projection, solved for x and y.
    rows = space[:2] - np.array([[u], [v]]) * space[2]
    there = np.linalg.solve(rows[:, :2], -(rows[:, 2] * height + rows[:, 3]))
    depth = float(space[2] @ np.array([*there, height, 1.0]))
    if not 0 < depth < FARTHEST:
        return None
    return float(there[0] + pose.x), float(there[1] + pose.y)
