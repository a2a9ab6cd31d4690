"""Smooth curves through points, on the ground or in space, and even travel along them.

A curve is a chain of cubic Bezier pieces. Where no handles are given, tangents are those of the centripetal
Catmull-Rom curve, which has no loops or cusps between its points (Yuksel, Schaefer and Keyser, "Parameterization and
applications of Catmull-Rom curves", 2011).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(8)
_NODES, _WEIGHTS = (_NODES + 1) / 2, _WEIGHTS / 2

CUTS = 8
"""Parts of a piece over which its length is integrated, eight nodes each."""


@dataclass(frozen=True, eq=False)
class Curve:
    """Cubic Bezier pieces end to end: control points of shape (pieces, 4, dimensions)."""

    control: NDArray[np.float64]

    @cached_property
    def _cuts(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Parameters (piece + t) at the cuts, and the length up to each."""
        pieces = len(self.control)
        t = np.arange(pieces * CUTS + 1) / CUTS
        inner = (t[:-1, None] + _NODES / CUTS).ravel()
        speed = np.linalg.norm(self.derivative(inner), axis=1).reshape(-1, len(_NODES))
        return t, np.concatenate([[0.0], np.cumsum(speed @ _WEIGHTS / CUTS)])

    @cached_property
    def _slopes(self) -> NDArray[np.float64]:
        """The derivative of each piece as a polynomial of 0..1: constant, linear, square; (3, pieces, dimensions)."""
        d = 3 * np.diff(self.control, axis=1)
        return np.ascontiguousarray(np.stack([d[:, 0], 2 * (d[:, 1] - d[:, 0]), d[:, 0] - 2 * d[:, 1] + d[:, 2]]))

    @property
    def length(self) -> float:
        """The whole length."""
        return float(self._cuts[1][-1])

    @property
    def points(self) -> NDArray[np.float64]:
        """The points that it goes through, shape (pieces + 1, dimensions)."""
        return np.concatenate([self.control[:, 0], self.control[-1:, 3]])

    @property
    def knots(self) -> NDArray[np.float64]:
        """Length up to each of its points, shape (pieces + 1,)."""
        return self._cuts[1][::CUTS]

    def _split(self, t: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        piece = np.clip(np.floor(t).astype(int), 0, len(self.control) - 1)
        return self.control[piece], (t - piece)[:, None]

    def position(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places at parameters (n,), piece number plus 0..1 within it; shape (n, dimensions)."""
        c, u = self._split(t)
        v = 1 - u
        return np.asarray(
            v**3 * c[:, 0] + 3 * v**2 * u * c[:, 1] + 3 * v * u**2 * c[:, 2] + u**3 * c[:, 3], dtype=np.float64
        )

    def derivative(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """How places change with the parameter; shape (n, dimensions)."""
        c, u = self._split(t)
        v = 1 - u
        d = np.diff(c, axis=1)
        return np.asarray(3 * (v**2 * d[:, 0] + 2 * v * u * d[:, 1] + u**2 * d[:, 2]), dtype=np.float64)

    def parameter(self, way: NDArray[np.float64]) -> NDArray[np.float64]:
        """Parameters at lengths along the curve (n,), kept within it: a table, then Newton's method.

        Never within a piece of no length, if there is any other.
        """
        from yaila.core.ground.lengths import find_parameters

        at, up_to = self._cuts
        way = np.ascontiguousarray(way, np.float64)
        found = np.zeros(len(way))
        if up_to[-1] > 0:
            last = int(np.searchsorted(up_to, up_to[-1])) - 1
            find_parameters(way, at, up_to, last, self._slopes, CUTS, _NODES, _WEIGHTS, found)
            if last < len(at) - 2:
                # The end is that of the last piece that leads anywhere, not the start of the next.
                np.minimum(found, np.nextafter(at[last + 1], 0), out=found)
        return found

    def along(self, way: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places at lengths along the curve (n,); beyond its ends it goes straight on. Shape (n, dimensions)."""
        places = self.position(self.parameter(way))
        for over, end in ((way < 0, 0.0), (way > self.length, self.length)):
            if over.any():
                slope = self.derivative(self.parameter(np.array([end])))[0]
                size = float(np.linalg.norm(slope))
                places[over] += (way[over] - end)[:, None] * (slope / size if size else 0.0)
        return places

    def about(self, way: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places on the curve about at lengths along it (n,), to within a small part of a cut, the first and the last
        exactly there: quicker than :meth:`along`, to draw the line. Shape (n, dimensions)."""
        at, up_to = self._cuts
        places = self.position(np.interp(way, up_to, at))
        places[[0, -1]] = self.along(way[[0, -1]])
        return places

    def nearest(self, place: NDArray[np.float64]) -> float:
        """The length along the curve at which it comes nearest to a place (dimensions,)."""
        t = np.linspace(0, len(self.control), len(self.control) * 32 + 1)
        best = int(np.argmin(np.sum((self.position(t) - place) ** 2, axis=1)))
        low, high = t[max(best - 1, 0)], t[min(best + 1, len(t) - 1)]
        for _ in range(40):
            inner = np.array([low + 0.382 * (high - low), low + 0.618 * (high - low)])
            first, second = np.sum((self.position(inner) - place) ** 2, axis=1)
            low, high = (low, inner[1]) if first < second else (inner[0], high)
        piece = min(int((low + high) / 2), len(self.control) - 1)
        within = (low + high) / 2 - piece
        nodes = piece + within * _NODES
        # Short of a whole piece the length is integrated anew, in as many cuts as the table has.
        parts = np.linspace(0, within, CUTS + 1)
        nodes = (piece + parts[:-1, None] + (parts[1] - parts[0]) * _NODES).ravel()
        speed = np.linalg.norm(self.derivative(nodes), axis=1).reshape(CUTS, -1)
        return float(self.knots[piece] + (speed @ _WEIGHTS).sum() * (parts[1] - parts[0]))


def smooth(
    points: NDArray[np.float64],
    corners: Sequence[bool] | None = None,
    handles: Sequence[tuple[NDArray[np.float64] | None, NDArray[np.float64] | None]] | None = None,
    closed: bool = False,
    steady: int | None = None,
) -> Curve:
    """The smooth curve through points.

    Args:
        points: shape (n, dimensions), n of 1 or more. Where one repeats the one before, the piece between them has no
            length and no part in the shape.
        corners: where the curve may break.
        handles: the control points before and after each point, none where they are to be found.
        closed: leads back to the first point.
        steady: a dimension that never overshoots its points: between two of them it rises or falls only (Fritsch and
            Carlson 1980, by scipy's PCHIP).
    """
    from scipy.interpolate import PchipInterpolator

    count = len(points)
    corners = corners or [False] * count
    handles = handles or [(None, None)] * count
    if closed and count > 2:
        points = np.concatenate([points, points[:1]])
        corners, handles = [*corners, corners[0]], [*handles, handles[0]]
    control = np.repeat(points[: max(len(points) - 1, 1), None, :], 4, axis=1)
    # The pieces that lead anywhere, and the points between them.
    leads = np.flatnonzero(np.any(np.diff(points, axis=0) != 0, axis=1))
    if not len(leads):
        return Curve(control)
    ends = points[[*leads, leads[-1] + 1]]
    apart = np.sqrt(np.linalg.norm(np.diff(ends, axis=0), axis=1))
    slopes = np.diff(ends, axis=0) / apart[:, None]
    # Velocity at each point for the parameter that advances by the root of each chord.
    velocity = np.empty_like(ends)
    inner = (apart[1:, None] * slopes[:-1] + apart[:-1, None] * slopes[1:]) / (apart[1:] + apart[:-1])[:, None]
    velocity[1:-1] = inner
    velocity[0], velocity[-1] = slopes[0], slopes[-1]
    if closed and len(ends) > 3:
        a, b = apart[-1], apart[0]
        velocity[0] = velocity[-1] = (b * slopes[-1] + a * slopes[0]) / (a + b)
    if steady is not None:
        knots = np.concatenate([[0.0], np.cumsum(apart)])
        velocity[:, steady] = PchipInterpolator(knots, ends[:, steady]).derivative()(knots)
    for k, piece in enumerate(leads.tolist()):
        out = slopes[k] if corners[piece] else velocity[k]
        into = slopes[k] if corners[piece + 1] else velocity[k + 1]
        after, before = handles[piece][1], handles[piece + 1][0]
        control[piece, 1] = points[piece] + out * apart[k] / 3 if after is None else after
        control[piece, 2] = points[piece + 1] - into * apart[k] / 3 if before is None else before
        control[piece, 3] = points[piece + 1]
    return Curve(control)
