"""Planes that stand or lie in space: where a board with a text or a picture on it is, as the camera sees it."""

from __future__ import annotations

import math
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera import View

Floats = NDArray[np.float64]

UPRIGHT = 45.0
"""A board that is raised by so many degrees stands on its place; one that lies flatter has its middle there."""


class OnBoard(Protocol):
    """What stands on a board: raised by ``tilt`` degrees from the ground, its upper edge towards ``turn`` degrees,
    counted from north or, with ``turns``, from the camera's heading."""

    tilt: float
    turn: float
    turns: bool


class Axes(NamedTuple):
    """Unit vectors of a board, east, north and up: to its right, to its upper edge, and out of its front."""

    across: Floats
    upward: Floats
    front: Floats


def axes_of(one: OnBoard, view: View) -> Axes:
    """How a board stands."""
    turn = math.radians(one.turn + (view.pose.heading if one.turns else 0.0))
    tilt = math.radians(one.tilt)
    across = np.array([math.cos(turn), -math.sin(turn), 0.0])
    ahead = np.array([math.sin(turn), math.cos(turn), 0.0])
    upward = math.cos(tilt) * ahead + math.sin(tilt) * np.array([0.0, 0.0, 1.0])
    return Axes(across, upward, np.cross(across, upward))


def shifted(x: float, y: float) -> Floats:
    """The 3x3 map that moves by so much."""
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])


def standing(u: float, v: float, size: float) -> Floats:
    """The 3x3 map of what stands upright in the frame: so many pixels to a unit, its origin at a pixel."""
    return np.array([[size, 0.0, u], [0.0, size, v], [0.0, 0.0, 1.0]])
