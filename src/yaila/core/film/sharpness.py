"""What the lens keeps sharp in a frame: the plane of focus, its limits, how wide circles become along the ground."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel

from yaila.core.camera import View
from yaila.core.film.choreography import Choreography
from yaila.core.film.finish import FocusBetween
from yaila.core.film.focus import NEAREST, Ground, aperture_of, focus_depth, level
from yaila.core.film.model import Film
from yaila.core.film.running import running
from yaila.core.time import Time

Line = tuple[tuple[float, float], tuple[float, float]]

STEPS = 48
"""Places along the ground at which the blur is worked out."""

BEYOND = 12.0
"""How far the blur is followed, in distances to the target."""


class DepthLine(BaseModel):
    """A distance from the camera, ground units along its line of sight (none for infinity), the line in which it meets
    the ground in the frame (shares of its width and height, none if it is not in it), and on the ground."""

    distance: float | None
    frame: Line | None = None
    ground: Line | None = None


class Sharpness(BaseModel):
    """What the lens does in a frame.

    ``stands`` is what the focus is on now: target, mark, place, free, or between two of them. ``horizon`` is how wide
    the circle of what is infinitely far is, and ``widest`` the widest of the ground in the frame, percent of the
    frame's width. ``blur``: circles along the line on the ground from below the camera through its target: distance
    from the foot of the camera, ground units, and diameter, percent of the frame's width, negative before the focus.
    ``eye`` is where the camera is, ``half`` half of its angle of view from top to bottom, degrees.
    """

    on: bool
    stands: str
    focus: DepthLine
    near: DepthLine
    far: DepthLine
    behind: bool
    horizon: float
    widest: float
    blur: list[tuple[float, float]]
    eye: tuple[float, float, float]
    tilt: float
    half: float
    scale: float
    """The model that the lens sees is one to this."""


def sharpness_at(film: Film, choreography: Choreography, time: Time, ground: Ground = level) -> Sharpness:
    """What the lens keeps sharp at a moment, whether it is switched on or not; what it is focused on stands on the
    ``ground``, its lines are those of the flat one."""
    pose = choreography.pose(time)
    size, lens = film.frame.size, running(film.finish.lens, time, choreography.timeline)
    view = View.of(pose, size)
    aperture = aperture_of(film, choreography, lens, view, time, ground)
    near, far = aperture.limits
    focus = aperture.focused / aperture.target
    percent = 200.0 / size.width
    distances = np.geomspace(0.05, BEYOND, STEPS)
    depths = [(float(d) * pose.distance, _along(view, float(d))) for d in distances]
    blur = [(way, 0.0 if depth <= 0 else aperture.radius(depth, size.width) * percent) for way, depth in depths]
    edges = _corner_depths(view)
    widest = max((abs(aperture.radius(depth, size.width)) for depth in edges), default=0.0) * percent
    stands = "between" if isinstance(lens.focus, FocusBetween) else lens.focus.on
    return Sharpness(
        on=lens.on,
        stands=stands,
        focus=_line(view, focus),
        near=_line(view, near),
        far=_line(view, far),
        behind=focus_depth(film, choreography, lens.focus, view, time, ground) <= NEAREST,
        horizon=aperture.widest(size.width) * percent,
        widest=widest,
        blur=blur,
        eye=pose.eye(),
        tilt=pose.tilt,
        half=math.degrees(math.atan(size.height / size.width * 18 / pose.focal)),
        scale=pose.distance * 1000 / aperture.target,
    )


def _along(view: View, way: float) -> float:
    """The depth of the ground so far from the foot of the camera, towards where it looks, both in distances to the
    target."""
    pose = view.pose
    turn = math.radians(pose.heading)
    x, y, _ = pose.eye()
    far = way * pose.distance
    return view.depth(np.array([x + math.sin(turn) * far, y + math.cos(turn) * far]))


def _corner_depths(view: View) -> list[float]:
    """How far away the ground in the corners of the frame is; where it reaches the horizon, very far."""
    width, height = view.size
    corners = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1]], np.float64)
    nearness = corners @ view.ground_from_frame[2]
    return [1 / max(float(one), 1e-6) for one in nearness]


def _line(view: View, depth: float) -> DepthLine:
    if not math.isfinite(depth):
        return DepthLine(distance=None)
    distance = depth * view.pose.distance
    if depth <= 0:
        return DepthLine(distance=distance)
    # 1 / depth is affine in the frame: where it has one value is a line.
    a, b, c = (view.ground_from_frame[2] - np.array([0.0, 0.0, 1 / depth])).tolist()
    width, height = view.size
    upright = [(u, -(a * u + c) / b) for u in (0.0, float(width)) if abs(b) > 1e-15]
    level = [(-(b * v + c) / a, v) for v in (0.0, float(height)) if abs(a) > 1e-15]
    spots = [spot for spot in upright if 0 <= spot[1] <= height] + [spot for spot in level if 0 < spot[0] < width]
    if len(spots) < 2:
        return DepthLine(distance=distance)
    first, last = min(spots), max(spots)
    places = [view.ground_from_frame @ np.array([u, v, 1.0]) for u, v in (first, last)]
    here, there = ((float(x / w), float(y / w)) for x, y, w in places)
    return DepthLine(
        distance=distance,
        frame=((first[0] / width, first[1] / height), (last[0] / width, last[1] / height)),
        ground=(here, there),
    )
