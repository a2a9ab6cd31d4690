"""Placements: how the pixels of a plate lie on the ground.

Plate coordinates are pixels, x to the right and y *down*, the origin at the outer corner of the top-left
pixel. Ground coordinates are x to the east and y to the *north*. A placement gives the 3x3 matrix that
takes the first to the second (homogeneous column vectors; Hartley & Zisserman, Multiple View Geometry,
ch. 2.4: similarity, affine and projective maps of the plane are nested classes).
"""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from yaila.core.quantities import LAID, NUMBER, Bearing, East, Finite, GroundLength, North, wrapped


class Point(NamedTuple):
    """A place on the ground, in ground units: x east, y north."""

    x: Finite
    y: Finite


class Similarity(BaseModel):
    """Moved, scaled and turned, not distorted.

    ``x``, ``y`` is where the plate's centre lies; ``scale`` is ground units per plate pixel; ``turn`` is in
    degrees, clockwise seen from above.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    kind: Literal["similarity"] = "similarity"
    x: East = 0.0
    y: North = 0.0
    scale: GroundLength = Field(1.0, gt=0, ge=1e-6, le=1e7)
    turn: Bearing = Field(0.0, ge=-360, le=360)

    def matrix(self, width: int, height: int) -> NDArray[np.float64]:
        """The 3x3 plate-to-ground matrix for a plate of ``width`` x ``height`` pixels."""
        angle = math.radians(self.turn)
        a, b = self.scale * math.cos(angle), self.scale * math.sin(angle)
        # A pixel to the right is (a, -b) on the ground; a pixel down is (-b, -a).
        cx, cy = width / 2, height / 2
        return np.array(
            [
                [a, -b, self.x - a * cx + b * cy],
                [-b, -a, self.y + b * cx + a * cy],
                [0.0, 0.0, 1.0],
            ]
        )

    def moved(self, by: Point) -> Similarity:
        """The same placement, shifted by ground units."""
        return self.model_copy(update={"x": self.x + by.x, "y": self.y + by.y})

    def scaled(self, factor: float, about: Point) -> Similarity:
        """Scaled by a factor; the ground point ``about`` keeps its pixel."""
        return self.model_copy(
            update={
                "scale": self.scale * factor,
                "x": about.x + factor * (self.x - about.x),
                "y": about.y + factor * (self.y - about.y),
            }
        )

    def turned(self, degrees: float, about: Point) -> Similarity:
        """Turned clockwise by degrees; the ground point ``about`` keeps its pixel."""
        angle = math.radians(degrees)
        cos, sin = math.cos(angle), math.sin(angle)
        dx, dy = self.x - about.x, self.y - about.y
        turn = wrapped(self.turn + degrees)
        return self.model_copy(
            update={"turn": turn, "x": about.x + cos * dx + sin * dy, "y": about.y - sin * dx + cos * dy}
        )


class Affine(BaseModel):
    """Also sheared or stretched: ``[a, b, c, d, e, f]`` with x' = a x + b y + c, y' = d x + e y + f."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    kind: Literal["affine"] = "affine"
    coefficients: Annotated[tuple[Finite, ...], NUMBER, Field(min_length=6, max_length=6)]

    @model_validator(mode="after")
    def _invertible(self) -> Affine:
        _check_invertible(self.matrix(0, 0))
        return self

    def matrix(self, width: int, height: int) -> NDArray[np.float64]:
        """The 3x3 plate-to-ground matrix (the size does not matter)."""
        return np.vstack([np.reshape(self.coefficients, (2, 3)), [0.0, 0.0, 1.0]])


class Homography(BaseModel):
    """A full projective map, nine coefficients row by row."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    kind: Literal["homography"] = "homography"
    coefficients: Annotated[tuple[Finite, ...], NUMBER, Field(min_length=9, max_length=9)]

    @model_validator(mode="after")
    def _invertible(self) -> Homography:
        _check_invertible(self.matrix(0, 0))
        return self

    def matrix(self, width: int, height: int) -> NDArray[np.float64]:
        """The 3x3 plate-to-ground matrix (the size does not matter)."""
        return np.reshape(np.asarray(self.coefficients, dtype=np.float64), (3, 3))


Placement = Annotated[Similarity | Affine | Homography, LAID, Field(discriminator="kind")]


def _check_invertible(matrix: NDArray[np.float64]) -> None:
    columns = np.linalg.norm(matrix, axis=0)
    if np.any(columns == 0) or abs(np.linalg.det(matrix / columns)) < 1e-12:
        raise ValueError("The placement flattens the plate to a line: its matrix cannot be inverted.")


def through(matrix: NDArray[Any], points: NDArray[Any]) -> NDArray[np.float64]:
    """Points of shape (..., 2) taken through a 3x3 projective matrix."""
    homogeneous = points @ matrix[:, :2].T + matrix[:, 2]
    return homogeneous[..., :2] / homogeneous[..., 2:]


def ground_units_per_pixel(matrix: NDArray[np.float64], width: int, height: int) -> float:
    """Ground units per plate pixel at the plate's centre: the square root of the map's area factor there."""
    x, y = width / 2, height / 2
    u, v, w = matrix @ np.array([x, y, 1.0])
    jacobian = (matrix[:2, :2] - np.outer([u / w, v / w], matrix[2, :2])) / w
    return math.sqrt(abs(np.linalg.det(jacobian)))


def outline(matrix: NDArray[Any], width: int, height: int) -> NDArray[np.float64]:
    """The plate's corners on the ground, shape (4, 2): top left, top right, bottom right, bottom left."""
    corners = np.array([[0.0, 0.0], [width, 0.0], [width, height], [0.0, height]])
    return through(matrix, corners)
