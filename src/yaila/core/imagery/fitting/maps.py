"""Flat maps from pairs of points, by weighted least squares.

Similarity: S. Umeyama, "Least-Squares Estimation of Transformation Parameters Between Two Point Patterns", IEEE PAMI
13(4), 1991. Affine: linear least squares. Homography: the normalised direct linear transform, then the reprojection
error made least by Levenberg-Marquardt (R. Hartley & A. Zisserman, Multiple View Geometry, algorithms 4.2 and 4.3).
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from yaila.core.errors import BadFit
from yaila.core.ground.placement import through

Flat = Literal["similarity", "affine", "homography"]
Floats = NDArray[Any]

FLAT: tuple[Flat, ...] = ("similarity", "affine", "homography")
"""The maps that can be chosen, the stiffest first."""

LEAST: dict[str, int] = {"similarity": 2, "affine": 3, "homography": 4, "bend": 4}
"""How many pairs each needs."""


def solve_map(kind: Flat, source: Floats, goal: Floats, weights: Floats | None = None) -> Floats:
    """The 3x3 map of a kind that takes ``source`` (n, 2) closest to ``goal`` (n, 2); neither is mirrored.

    Raises:
        BadFit: there are too few pairs, two of them coincide, or they lie on one line.
    """
    if len(source) < LEAST[kind]:
        raise BadFit(f"This needs {LEAST[kind]} points at least; there are {len(source)}. Add more.")
    weights = np.ones(len(source)) if weights is None else weights
    _check(kind, source, goal)
    from_source, into_goal = _normalising(source), _normalising(goal)
    p, q = through(from_source, source), through(into_goal, goal)
    solve = {"similarity": _similarity, "affine": _affine, "homography": _homography}[kind]
    matrix = np.linalg.inv(into_goal) @ solve(p, q, weights) @ from_source
    return np.asarray(matrix / matrix[2, 2])


def residuals(matrix: Floats, source: Floats, goal: Floats) -> Floats:
    """What a map leaves at each pair, in units of the goal: (n, 2), from where it should be to where it comes to."""
    return through(matrix, source) - goal


def cross_validated(kind: Flat, source: Floats, goal: Floats) -> float | None:
    """Root mean square of what each pair misses by when the map is solved without it; none if pairs are too few."""
    if len(source) <= LEAST[kind]:
        return None
    missed = []
    for left_out in range(len(source)):
        rest = np.arange(len(source)) != left_out
        try:
            matrix = solve_map(kind, source[rest], goal[rest])
        except BadFit:
            return None
        missed.append(residuals(matrix, source[~rest], goal[~rest])[0])
    return float(np.sqrt(np.mean(np.sum(np.square(missed), axis=1))))


PARSIMONY = 0.9
"""A freer model must leave less than this share of a stiffer one's cross-validated residual to be preferred."""


def parsimonious(left: Mapping[Any, float | None]) -> Any:
    """The model to take, of models from stiff to free with what they leave: a freer one only where it clearly gains."""
    best = next(iter(left))
    for model, value in left.items():
        standing = left[best]
        if value is not None and (standing is None or value < PARSIMONY * standing):
            best = model
    return best


def _check(kind: Flat, source: Floats, goal: Floats) -> None:
    for points in (source, goal):
        if len(np.unique(np.round(points, 6), axis=0)) < len(points):
            raise BadFit("Two of the points lie on the same place. Take one of them out.")
    if kind not in ("affine", "homography"):
        return
    for points in (source, goal):
        spread = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
        if spread[1] < 1e-3 * spread[0]:
            raise BadFit("The points lie on one line. Add one well beside it, or choose similarity.")


def _normalising(points: Floats) -> Floats:
    middle = points.mean(axis=0)
    size = np.sqrt(np.mean(np.sum((points - middle) ** 2, axis=1))) or 1.0
    return np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]])


def _similarity(p: Floats, q: Floats, weights: Floats) -> Floats:
    share = weights / weights.sum()
    mean_p, mean_q = share @ p, share @ q
    a, b = p - mean_p, q - mean_q
    u, scales, vt = np.linalg.svd((b * share[:, None]).T @ a)
    sign = np.array([1.0, np.sign(np.linalg.det(u) * np.linalg.det(vt))])
    rotation = u @ np.diag(sign) @ vt
    size = (scales * sign).sum() / (share @ np.sum(a * a, axis=1))
    matrix = np.eye(3)
    matrix[:2, :2] = size * rotation
    matrix[:2, 2] = mean_q - size * rotation @ mean_p
    return matrix


def _affine(p: Floats, q: Floats, weights: Floats) -> Floats:
    root = np.sqrt(weights)[:, None]
    solution, *_ = np.linalg.lstsq(np.column_stack([p, np.ones(len(p))]) * root, q * root, rcond=None)
    return np.vstack([solution.T, [0, 0, 1]])


def _homography(p: Floats, q: Floats, weights: Floats) -> Floats:
    x, y, u, v = p[:, 0], p[:, 1], q[:, 0], q[:, 1]
    one, nil = np.ones(len(p)), np.zeros(len(p))
    rows = np.vstack(
        [
            np.column_stack([-x, -y, -one, nil, nil, nil, u * x, u * y, u]),
            np.column_stack([nil, nil, nil, -x, -y, -one, v * x, v * y, v]),
        ]
    )
    root = np.sqrt(np.concatenate([weights, weights]))
    start = np.linalg.svd(rows * root[:, None], full_matrices=len(rows) < 9)[2][-1]
    if abs(start[8]) < 1e-9 * np.abs(start).max():
        raise BadFit("These points give no usable homography: three of four lie on one line. Move or add one.")
    start = start / start[8]
    flat = np.sqrt(weights)[:, None]

    def missed(values: Floats) -> Floats:
        return np.asarray(((through(np.append(values, 1).reshape(3, 3), p) - q) * flat).ravel())

    from scipy.optimize import least_squares

    best = least_squares(missed, start[:8], method="lm" if len(p) >= 4 else "trf").x
    matrix = np.append(best, 1).reshape(3, 3)
    if np.linalg.det(matrix) <= 0 or np.any(p @ matrix[2, :2] + 1 <= 0):
        raise BadFit("These points would fold the plate over. One of them is wrong: look at them, or choose affine.")
    return matrix
