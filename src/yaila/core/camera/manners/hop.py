"""Hop: the path that rises, crosses and comes down.

J. J. van Wijk and W. A. A. Nuij, "Smooth and Efficient Zooming and Panning", IEEE InfoVis 2003: the path
between two framings along which the picture seems to change least. With ``u`` the way along the ground and
``w`` the span, equation 9 gives u(s), w(s) and the length S.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from yaila.core.camera.manners.manner import Manner, Move, turned
from yaila.core.camera.pose import Pose
from yaila.core.camera.track import Track, turn_between
from yaila.core.quantities import Percent

RHO = 1.4
"""How high a Hop rises for the way it crosses. The paper found about 1.42 preferred by its subjects."""


class Hop(Manner):
    """Rises, crosses and comes down. ``height`` is the height of the arc, percent of the usual one."""

    kind: Literal["hop"] = "hop"
    height: Percent = Field(100.0, ge=10, le=400, title="Height of the arc")

    def path(self, move: Move, progress: NDArray[np.float64]) -> Track:
        place = hop(move.start, move.end, progress, RHO * (self.height / 100) ** 0.5)
        return turned(move, progress, place, turn_between(move.start.heading, move.end.heading))


def _constants(start: Pose, end: Pose, rho: float) -> tuple[float, float, float]:
    """r0, r1 and the length S of the path (eq. 9); r is 0 for a zoom without a way across."""
    w0, w1 = start.span, end.span
    u1 = float(np.hypot(end.x - start.x, end.y - start.y))
    if u1 < 1e-9 * min(w0, w1):
        return 0.0, 0.0, abs(float(np.log(w1 / w0))) / rho
    b0 = (w1**2 - w0**2 + rho**4 * u1**2) / (2 * w0 * rho**2 * u1)
    b1 = (w1**2 - w0**2 - rho**4 * u1**2) / (2 * w1 * rho**2 * u1)
    # The paper's ln(-b + sqrt(b^2 + 1)) is -asinh(b), which keeps its digits for large b.
    r0, r1 = -np.arcsinh(b0), -np.arcsinh(b1)
    return float(r0), float(r1), float((r1 - r0) / rho)


def hop(start: Pose, end: Pose, progress: NDArray[np.float64], rho: float = RHO) -> NDArray[np.float64]:
    """Targets and spans along a Hop.

    Args:
        progress: shape (n,), 0 at the start and 1 at the end; the rate is even in the paper's metric.

    Returns:
        Shape (n, 3): x, y and span, ground units.
    """
    r0, _, length = _constants(start, end, rho)
    shift = np.array([end.x - start.x, end.y - start.y])
    u1 = float(np.hypot(*shift))
    if u1 < 1e-9 * min(start.span, end.span):
        span = start.span * np.exp(progress * np.log(end.span / start.span))
        share = progress
    else:
        s = progress * length
        along = start.span / rho**2 * (np.cosh(r0) * np.tanh(rho * s + r0) - np.sinh(r0))
        span = start.span * np.cosh(r0) / np.cosh(rho * s + r0)
        share = along / u1
    return np.stack([start.x + share * shift[0], start.y + share * shift[1], span], axis=-1)
