"""Bend: a thin-plate spline for plates that no flat map fits, such as wide pictures that curve like a globe.

F. L. Bookstein, "Principal Warps: Thin-Plate Splines and the Decomposition of Deformations", IEEE PAMI 11(6), 1989;
solved and evaluated by SciPy.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from yaila.core.quantities import FINITE, PLATE_LENGTH, PULLED_X, PULLED_Y, PlateX, PlateY
from yaila.core.time import smoothstep

NODES = 48
"""Nodes along the longer side of the grid on which the spline is worked out; between them a bicubic runs."""


class Pull(BaseModel):
    """A place of the bent plate, pixels, and where in the picture what belongs there is found."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x: PlateX
    y: PlateY
    from_x: Annotated[float, PULLED_X, FINITE]
    from_y: Annotated[float, PULLED_Y, FINITE]


class Goal(BaseModel):
    """A disc of the plate, pixels, in which nothing is bent."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x: PlateX
    y: PlateY
    radius: Annotated[float, PLATE_LENGTH, Field(gt=0, le=1e9)]


class Bend(BaseModel):
    """Pulls of a plate; inside ``goal`` the plate stays as its flat placement lays it, all of the bend beyond twice
    its radius."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    pulls: Annotated[tuple[Pull, ...], Field(min_length=3, max_length=400)]
    goal: Goal | None = None

    @model_validator(mode="after")
    def _apart(self) -> Bend:
        places = np.array([(pull.x, pull.y) for pull in self.pulls])
        if len(np.unique(places, axis=0)) < len(places):
            raise ValueError("Two points of the bend lie on the same place: take one of them out.")
        if np.linalg.matrix_rank(places - places.mean(axis=0), tol=1e-6 * (np.ptp(places) + 1)) < 2:
            raise ValueError("The points of the bend lie on one line: add one beside it.")
        return self

    def shift(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far from places of the bent plate (n, 2) the picture's own pixel is, pixels (n, 2)."""
        from scipy.interpolate import RBFInterpolator

        at = np.array([(pull.x, pull.y) for pull in self.pulls])
        by = np.array([(pull.from_x - pull.x, pull.from_y - pull.y) for pull in self.pulls])
        shift = RBFInterpolator(at, by, kernel="thin_plate_spline", degree=1)(places)
        if self.goal:
            far = np.hypot(places[:, 0] - self.goal.x, places[:, 1] - self.goal.y) / self.goal.radius
            shift = shift * smoothstep(far - 1)[:, None]
        return np.asarray(shift)


class BentGrid:
    """A bend worked out for a plate of ``width`` x ``height`` pixels."""

    def __init__(self, bend: Bend, width: int, height: int) -> None:
        from scipy.interpolate import RectBivariateSpline

        longer = max(width, height)
        columns = max(round(NODES * width / longer), 8)
        rows = max(round(NODES * height / longer), 8)
        # A cell beyond the edge on each side, as pages carry a border.
        xs = np.linspace(-width / columns, width + width / columns, columns + 3)
        ys = np.linspace(-height / rows, height + height / rows, rows + 3)
        places = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
        shift = bend.shift(places).reshape(len(ys), len(xs), 2)
        self._x = RectBivariateSpline(ys, xs, shift[..., 0])
        self._y = RectBivariateSpline(ys, xs, shift[..., 1])

    def sources(self, xs: NDArray[np.float64], ys: NDArray[np.float64]) -> tuple[NDArray, NDArray]:
        """Picture pixels at the crossings of increasing plate ``xs`` and ``ys``: two arrays (len(ys), len(xs))."""
        return xs[None, :] + self._x(ys, xs), ys[:, None] + self._y(ys, xs)

    def source(self, x: float, y: float) -> tuple[float, float]:
        """The picture pixel at a place of the bent plate."""
        return x + float(self._x(y, x)[0, 0]), y + float(self._y(y, x)[0, 0])


@lru_cache(maxsize=32)
def bent_grid(bend: Bend, width: int, height: int) -> BentGrid:
    """The grid of a bend, kept for the next time."""
    return BentGrid(bend, width, height)
