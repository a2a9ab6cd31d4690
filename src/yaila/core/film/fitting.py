"""Laying plates by what they have in common: pairs of places, tie points, and fits that were found."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from yaila.core.errors import BadFit
from yaila.core.film.model import Film, Fit, FitModel, Ground, Plate, Tie
from yaila.core.film.walk import Owners, changed, similarity_rules
from yaila.core.ground.placement import (
    Affine,
    Homography,
    Placement,
    Similarity,
    ground_units_per_pixel,
    outline,
    through,
)
from yaila.core.imagery.bend import Bend, Goal, Pull, bent_grid
from yaila.core.imagery.fitting import FLAT, LEAST, cross_validated, solve_map
from yaila.core.imagery.fitting.maps import Flat, parsimonious
from yaila.core.quantities import TIED_PLACE

Floats = NDArray[Any]

UPRIGHT = np.diag([1.0, -1.0, 1.0])
"""Plate pixels count downwards and the ground northwards; between them maps are solved with y turned."""

EXACT = 0.04
"""A stiffer map is taken when it misses the pairs of a found fit by no more than this, pixels."""

MOST_CHECKED = 60
"""With more ties than these, leaving out each in turn would say nothing new."""


def ground_of(plate: Plate, places: Floats) -> Floats:
    """Where pixels (n, 2) of a plate's picture lie on the ground, its bend considered."""
    width, height = plate.picture.width, plate.picture.height
    laid = np.array(places, np.float64)
    if plate.bend:
        grid = bent_grid(plate.bend, width, height)
        for _ in range(12):
            laid = places - (np.array([grid.source(*place) for place in laid]) - laid)
    return through(plate.placement.matrix(width, height), laid)


def picture_place(plate: Plate, ground: Floats) -> Floats:
    """The pixels of a plate's picture at ground places (n, 2)."""
    width, height = plate.picture.width, plate.picture.height
    laid = through(np.linalg.inv(plate.placement.matrix(width, height)), ground)
    if plate.bend:
        grid = bent_grid(plate.bend, width, height)
        laid = np.array([grid.source(*place) for place in laid])
    return laid


def pixel_on_ground(plate: Plate) -> float:
    """Ground units that a pixel of a plate is wide, at its centre."""
    width, height = plate.picture.width, plate.picture.height
    return ground_units_per_pixel(plate.placement.matrix(width, height), width, height)


def placement_of(matrix: Floats, kind: Flat, width: int, height: int) -> Placement:
    """The placement that a 3x3 map from plate pixels to the ground is.

    Raises:
        BadFit: no plate can be laid like that.
    """
    try:
        if kind == "similarity":
            x, y = through(matrix, np.array([width / 2, height / 2]))
            a, b = matrix[0, 0] / matrix[2, 2], matrix[0, 1] / matrix[2, 2]
            return Similarity(x=x, y=y, scale=math.hypot(a, b), turn=math.degrees(math.atan2(-b, a)))
        if kind == "affine":
            return Affine(coefficients=tuple((matrix / matrix[2, 2])[:2].ravel().tolist()))
        return Homography(coefficients=tuple((matrix / matrix[2, 2]).ravel().tolist()))
    except ValidationError as error:
        raise BadFit("The points would make the plate vanishingly small or flat. One of them is wrong.") from error


def _solved(kind: Flat, places: Floats, ground: Floats, weights: Floats | None = None) -> Floats:
    """The 3x3 map from plate pixels to the ground that takes places there."""
    return solve_map(kind, through(UPRIGHT, places), ground, weights) @ UPRIGHT


def lay_on(plate: Plate, places: Floats, ground: Floats) -> None:
    """Lay a plate so that pixels of its picture come to ground places: by the stiffest flat map that does, or bent."""
    unit = pixel_on_ground_of(places, ground)
    width, height = plate.picture.width, plate.picture.height
    plate.bend = None
    matrix = np.eye(3)
    for kind in FLAT:
        matrix = _solved(kind, places, ground)
        if np.abs(through(matrix, places) - ground).max() / unit < EXACT:
            plate.placement = placement_of(matrix, kind, width, height)
            return
    matrix = _solved("affine", places, ground)
    plate.placement = placement_of(matrix, "affine", width, height)
    plate.bend = _bend(matrix, places, ground, None)


def lay_by_file(plate: Plate) -> None:
    """Lay a plate on a georeferenced ground where its own georeference says."""
    assert plate.georeference
    places = grid_of(plate, 9)
    lay_on(plate, places, plate.georeference.on_mercator(places))
    plate.fit = Fit(by="file")


def georeferenced(film: Film, places: Floats, mercator: Floats) -> Film:
    """A film whose plain ground has become one of Web Mercator metres, by the similarity that takes ``places`` (n, 2)
    there.

    Everything keeps its place among all else; lengths, heights and bearings change with the ground.
    """
    change = solve_map("similarity", places, mercator)

    def laid(placement: Affine | Homography, _: Owners) -> Placement:
        return placement_of(change @ placement.matrix(0, 0), placement.kind, 0, 0)

    def tied_to(places: Floats, owners: Owners) -> Floats:
        return places if getattr(owners[0], "other", None) else through(change, places)

    rules = similarity_rules(change, metres=True) | {TIED_PLACE: tied_to}
    moved = changed(film, rules, {Affine: laid, Homography: laid})
    return moved.model_copy(update={"ground": Ground(kind="mercator")})


def pixel_on_ground_of(places: Floats, ground: Floats) -> float:
    """Ground units a pixel, from pairs of places."""
    matrix = _solved("similarity", places, ground)
    return math.sqrt(abs(np.linalg.det(matrix[:2, :2])))


def _bend(matrix: Floats, places: Floats, ground: Floats, goal: Goal | None) -> Bend:
    laid = through(np.linalg.inv(matrix), ground)
    pulls = tuple(
        Pull(x=x, y=y, from_x=from_x, from_y=from_y)
        for (x, y), (from_x, from_y) in zip(laid.tolist(), places.tolist(), strict=True)
    )
    try:
        return Bend(pulls=pulls, goal=goal)
    except ValidationError as error:
        raise BadFit(str(error.errors()[0]["msg"]).removeprefix("Value error, ")) from error


@dataclass(frozen=True)
class Tied:
    """Ties of a plate made ready: its pixels, where they belong on the ground, and a pixel of the coarser of the
    plates there, ground units."""

    ties: list[Tie]
    places: Floats
    ground: Floats
    unit: float


def tied(film: Film, plate: Plate, ties: list[Tie] | None = None) -> Tied:
    """The ties of a plate (or others), with their ground places; those to plates that are gone are left out."""
    others = {other.id: other for other in film.plates if other.id != plate.id}
    known = [tie for tie in (plate.fit.ties if ties is None else ties) if tie.other is None or tie.other in others]
    places = np.array([(tie.x, tie.y) for tie in known]).reshape(-1, 2)
    ground = np.zeros((len(known), 2))
    unit = 0.0
    for index, tie in enumerate(known):
        at = np.array([[tie.to.x, tie.to.y]])
        if tie.other:
            ground[index] = ground_of(others[tie.other], at)[0]
            unit = max(unit, pixel_on_ground(others[tie.other]))
        else:
            ground[index] = at[0]
    return Tied(known, places, ground, max(unit, pixel_on_ground(plate)))


def models_of(pairs: Tied) -> dict[FitModel, float | None]:
    """Every model's cross-validated residual, pixels of the coarser plate; none while it cannot be told."""
    used = np.array([tie.used for tie in pairs.ties], bool)
    places, ground = through(UPRIGHT, pairs.places[used]), pairs.ground[used] / pairs.unit
    if not 2 <= len(places) <= MOST_CHECKED:
        return {"similarity": None, "affine": None, "homography": None, "bend": None}
    left: dict[FitModel, float | None] = {}
    for kind in FLAT:
        left[kind] = cross_validated(kind, places, ground)
    left["bend"] = _bend_validated(places, ground)
    return left


def _bend_validated(places: Floats, ground: Floats) -> float | None:
    if len(places) <= LEAST["bend"]:
        return None
    missed = []
    for index in range(len(places)):
        rest = np.arange(len(places)) != index
        try:
            matrix = solve_map("affine", places[rest], ground[rest])
            bend = _bend(matrix, places[rest], ground[rest], None)
        except BadFit:
            return None
        # The bend is solved from the laid place to the picture's; what it misses is the same the other way round.
        laid = through(np.linalg.inv(matrix), ground[[index]])
        missed.append(through(matrix, laid + bend.shift(laid)) - through(matrix, places[[index]]))
    return float(np.sqrt(np.mean(np.sum(np.square(missed), axis=-1))))


def goal_of(film: Film, plate: Plate) -> Goal:
    """The disc of a plate that a bend must leave flat: what the plates above it cover, since the camera goes there, up
    to a quarter of its shorter side; without any, the middle."""
    width, height = plate.picture.width, plate.picture.height
    size = np.array([width, height])
    covered = []
    for other in film.plates[film.plate_index(plate.id) + 1 :]:
        corners = through(np.linalg.inv(plate.placement.matrix(width, height)), outline(other.matrix, *other.extent))
        middle = corners.mean(axis=0)
        if other.in_film and (middle > 0).all() and (middle < size).all() and np.ptp(corners, axis=0).max() < width:
            covered.append(corners)
    if not covered:
        return Goal(x=width / 2, y=height / 2, radius=min(width, height) / 8)
    places = np.concatenate(covered)
    x, y = ((places.min(axis=0) + places.max(axis=0)) / 2).tolist()
    reach = float(np.linalg.norm(places - [x, y], axis=1).max())
    return Goal(x=x, y=y, radius=min(reach, min(width, height) / 4))


def solve_ties(film: Film, plate: Plate, ties: list[Tie], model: FitModel | None, hold: bool = False) -> None:
    """Lay ``plate`` by its ties: one shifts it, two make a similarity; with more, ``model`` says, or if it is none,
    the cross-validated residual. With ``hold`` a bend leaves :func:`goal_of` flat.

    Raises:
        BadFit: the ties cannot give that.
    """
    plate.fit = Fit(by="ties", model=model, ties=ties, hold=hold)
    goal = goal_of(film, plate) if hold else None
    pairs = tied(film, plate, ties)
    used = np.array([tie.used for tie in pairs.ties], bool)
    if not used.any():
        return
    places, ground = pairs.places[used], pairs.ground[used]
    width, height = plate.picture.width, plate.picture.height
    if len(places) == 1:
        plate.placement = _shifted(plate, ground[0] - ground_of(plate, places)[0])
        return
    chosen = model or parsimonious({k: v for k, v in models_of(pairs).items() if k != "bend"})
    if len(places) < LEAST[chosen]:
        if model and len(places) > 2:
            raise BadFit(f"A {model} needs {LEAST[model]} points; there are {len(places)} in use. Add more.")
        chosen = "similarity"
    plate.bend = None
    if chosen in ("affine", "homography") and _mirrored(_solved(chosen, places, ground), width, height):
        if model:
            raise BadFit(
                "These ties would lay the plate mirrored: one of them stands on the wrong feature. Move it, or switch "
                "it off."
            )
        # What none of the ties says by itself is left: the wrong one shows by how much it misses.
        chosen = "similarity"
    if chosen == "bend":
        weights = np.ones(len(places))
        if goal:
            near = np.hypot(places[:, 0] - goal.x, places[:, 1] - goal.y) < goal.radius
            weights[near] = 1e4 if near.sum() >= 2 else 1.0
        matrix = _solved("affine" if not goal else "similarity", places, ground, weights)
        plate.placement = placement_of(matrix, "affine" if not goal else "similarity", width, height)
        plate.bend = _bend(matrix, places, ground, goal)
    else:
        matrix = _solved(chosen, places, ground)
        plate.placement = placement_of(matrix, chosen, width, height)
    off = (ground_of(plate, places) - ground) / pairs.unit
    plate.fit = plate.fit.model_copy(update={"residual": float(np.sqrt(np.mean(np.sum(off**2, axis=1))))})


def _mirrored(matrix: Floats, width: int, height: int) -> bool:
    """Whether a map lays a picture as in a mirror: its rows run down and the ground's north up, so that its determinant
    in the middle is negative otherwise."""
    middle = np.array([[width / 2, height / 2], [width / 2 + 1, height / 2], [width / 2, height / 2 + 1]])
    at, over, down = through(matrix, middle)
    (a, b), (c, d) = over - at, down - at
    return bool(a * d - b * c > 0)


def _shifted(plate: Plate, by: Floats) -> Placement:
    if isinstance(plate.placement, Similarity):
        return plate.placement.model_copy(
            update={"x": plate.placement.x + float(by[0]), "y": plate.placement.y + float(by[1])}
        )
    width, height = plate.picture.width, plate.picture.height
    matrix = np.array([[1, 0, by[0]], [0, 1, by[1]], [0, 0, 1]]) @ plate.placement.matrix(width, height)
    return placement_of(matrix, plate.placement.kind, width, height)


def grid_of(plate: Plate, side: int = 5) -> Floats:
    """Pixels spread evenly over a plate's picture, edges included: (side * side, 2)."""
    xs = np.linspace(0, plate.picture.width, side)
    ys = np.linspace(0, plate.picture.height, side)
    return np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
