"""Maps from tie points against scikit-image and OpenCV; the thin-plate spline against scikit-image."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage import transform

from yaila.core.errors import BadFit
from yaila.core.ground.placement import through
from yaila.core.imagery.bend import Bend, Goal, Pull, bent_grid
from yaila.core.imagery.fitting import cross_validated, solve_map
from yaila.core.imagery.fitting.maps import parsimonious

SKIMAGE = {"similarity": transform.SimilarityTransform, "affine": transform.AffineTransform}


def points(seed: int, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Places on a plate and, with some noise, on the one below it."""
    random = np.random.default_rng(seed)
    source = random.uniform(0, 4000, (count, 2))
    turn, size = random.uniform(-3, 3), random.uniform(0.1, 2)
    matrix = size * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    return source, source @ matrix.T + random.uniform(-5e5, 5e5, 2) + random.normal(0, 1.5, (count, 2))


@settings(max_examples=25)
@given(st.integers(0, 10**6), st.integers(4, 12), st.sampled_from(["similarity", "affine"]))
def test_similarity_and_affine_are_scikit_images(seed: int, count: int, kind: str) -> None:
    source, goal = points(seed, count)
    # Theirs is solved from coordinates as they are, so half a million would cost it digits.
    goal -= goal.mean(axis=0)
    theirs = SKIMAGE[kind].from_estimate(source, goal)
    # For the affine map theirs makes an algebraic error least, ours the distance: they part in the third decimal.
    exact = 1e-6 if kind == "similarity" else 0.02
    assert through(solve_map(kind, source, goal), source) == pytest.approx(theirs(source), abs=exact)


@settings(max_examples=25)
@given(st.integers(0, 10**6), st.integers(5, 12))
def test_the_homography_leaves_no_more_than_opencvs(seed: int, count: int) -> None:
    source, goal = points(seed, count)
    goal -= goal.mean(axis=0)
    try:
        mine = through(solve_map("homography", source, goal), source)
    except BadFit:
        return
    theirs, _ = cv2.findHomography(source, goal, 0)
    rest = [np.sum((got - goal) ** 2) for got in (mine, through(theirs, source))]
    assert rest[0] <= rest[1] * (1 + 1e-6) + 1e-9


def test_four_points_give_the_homography_exactly() -> None:
    source = np.array([[0, 0], [1000, 0], [1000, 700], [0, 700]], float)
    goal = np.array([[10, 20], [900, 60], [980, 640], [-30, 720]], float)
    theirs = cv2.getPerspectiveTransform(source.astype(np.float32), goal.astype(np.float32))
    assert solve_map("homography", source, goal) == pytest.approx(theirs, abs=1e-4)


@pytest.mark.parametrize(
    ("kind", "source", "says"),
    [
        ("similarity", [[0, 0]], "2 points at least"),
        ("similarity", [[5, 5], [5, 5]], "same place"),
        ("affine", [[0, 0], [1, 1], [2, 2.0001]], "one line"),
        ("homography", [[0, 0], [100, 0], [200, 0], [50, 80]], "one of them|Move or add one|One of them is wrong"),
    ],
)
def test_points_that_cannot_give_a_map_are_refused(kind: str, source: list, says: str) -> None:
    source = np.array(source, float)
    with pytest.raises(BadFit, match=says):
        solve_map(kind, source, source + np.array([3.0, 4.0]))


def test_leaving_points_out_tells_noise_from_shape() -> None:
    source, goal = points(5, 9)
    left = {kind: cross_validated(kind, source, goal) for kind in ("similarity", "affine", "homography")}
    assert parsimonious(left) == "similarity"
    sheared = goal @ np.array([[1, 0.08], [0, 1.05]])
    left = {kind: cross_validated(kind, source, sheared) for kind in left}
    assert parsimonious(left) == "affine"


def bend(seed: int, goal: Goal | None = None) -> Bend:
    random = np.random.default_rng(seed)
    at, by = random.uniform(0, 1000, (9, 2)), random.normal(0, 12, (9, 2))
    return Bend(
        pulls=tuple(Pull(x=x, y=y, from_x=x + u, from_y=y + v) for (x, y), (u, v) in zip(at, by, strict=True)),
        goal=goal,
    )


def test_the_bend_is_scikit_images_thin_plate_spline() -> None:
    mine = bend(2)
    spline = transform.ThinPlateSplineTransform.from_estimate(
        np.array([(p.x, p.y) for p in mine.pulls]), np.array([(p.from_x, p.from_y) for p in mine.pulls])
    )
    places = np.random.default_rng(1).uniform(0, 1000, (60, 2))
    assert places + mine.shift(places) == pytest.approx(spline(places), abs=1e-3)
    grid = bent_grid(mine, 1000, 1000)
    assert [grid.source(*place) for place in places] == pytest.approx(places + mine.shift(places), abs=0.3)


def test_the_goal_area_is_held_exactly() -> None:
    held = bend(2, Goal(x=500, y=500, radius=120))
    angle = np.linspace(0, 6.2, 40)
    inside = 500 + 118 * np.column_stack([np.cos(angle), np.sin(angle)])
    assert held.shift(inside) == pytest.approx(np.zeros((40, 2)))
    assert np.abs(held.shift(np.array([[900.0, 900.0]]))).max() > 1
