"""What lies on the ground and keeps its size in the frame: dashes, hatches, hand-drawn lines that never crawl."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import pytest

from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.picture.dashes import grid_over, pieces_along, stray
from yaila.core.time import Time

SIZE = FrameSize(640, 360)
POINTS = [{"x": 0, "y": 0, "stop": "A"}, {"x": 300, "y": 140}, {"x": 520, "y": -60}, {"x": 900, "y": 60, "stop": "B"}]


@pytest.fixture(scope="module")
def renderer() -> Renderer:
    """One without plates."""
    return Renderer(lambda key: None, PageStore(16))


def route(part: str = "from_start", **look: object) -> Film:
    draws = {"shown": True, "part": part, "seconds": 4}
    return Film(
        background="#204050",
        routes=[{"id": "r", "points": POINTS, "look": {"edge": 0} | look, "draws": draws}],
        vantages=[{"x": 450, "y": 30, "span": 1000, "hold": 5}],
    )


def drawn(renderer: Renderer, film: Film, time: float, pose: Pose) -> np.ndarray:
    return renderer.render(Request(film, Time(time), SIZE, Quality.FINAL, pose=pose)).rgb.astype(int)


def at(size: float) -> dict[float, tuple[float, float]]:
    ways = np.linspace(0, 1000, 400)
    middles, lengths, there = pieces_along(ways, np.full(400, size), 2.2)
    found = zip(middles.tolist(), lengths.tolist(), there.tolist(), strict=True)
    return {middle: (length, much) for middle, length, much in found if 0 <= middle <= 1000}


def test_pieces_of_a_pattern_keep_their_places_while_their_size_in_the_frame_stays() -> None:
    sizes = 4 * 1.01 ** np.arange(150)
    for size, wider in pairwise(sizes.tolist()):
        before, after = at(size), at(wider)
        # Going wider none comes; those that go had shrunk away, and none changes its length by a leap.
        assert set(after) <= set(before)
        assert all(before[gone][1] < 0.02 for gone in set(before) - set(after))
        for middle, (length, _) in after.items():
            assert abs(length - before[middle][0]) < 0.12 * size
        whole = [length for length, much in after.values() if much == 1]
        assert 0.7 * wider < np.mean(whole) < 1.4 * wider


def test_lines_of_a_grid_keep_their_places_and_are_not_counted_where_they_are_too_many() -> None:
    near, _ = grid_over(-500.0, 500.0, 10.0)
    wide, _ = grid_over(-500.0, 500.0, 21.0)
    assert set(wide) <= set(near)
    assert 30 < len(wide) < 130
    assert not len(grid_over(0.0, 1e9, 1.0)[0])


@pytest.mark.parametrize("part", ["from_start", "from_end", "both_ends", "middle"])
@pytest.mark.parametrize("dash", ["dashes", "dots", "solid"])
@pytest.mark.parametrize("scales", ["frame", "ground"])
def test_what_is_drawn_stays_as_it_is_while_the_line_grows(
    renderer: Renderer, part: str, dash: str, scales: str
) -> None:
    film = route(part, dash=dash, spacing=20, width=10, scales=scales, ground=16, wobble=6, caps="flat")
    pose = Pose(450, 30, 1000, 35, 20)
    early, late = (drawn(renderer, film, time, pose) for time in (48, 61))
    ink = early[..., 0] > 0x90
    assert ink.sum() > 150
    # All but the tips, whose dashes were cut, is the very same.
    changed = (np.abs(late - early).max(axis=2) > 8) & ink
    assert changed.sum() < 140 / (1 if dash == "solid" else 2)
    assert (late[..., 0] > 0x90).sum() > ink.sum() * 1.1


def carried(before: np.ndarray, pose: Pose, after: np.ndarray, other: Pose) -> float:
    """The share of what is drawn in one picture that is drawn in another one too, a pixel beside at the most, where the
    camera alone has taken it."""
    v, u = np.nonzero(before)
    assert len(v) > 400
    there = other.frame_from_ground(SIZE) @ pose.ground_from_frame(SIZE) @ np.stack([u + 0.5, v + 0.5, np.ones(len(u))])
    x, y = (there[:2] / there[2]).astype(int)
    inside = (x >= 0) & (x < SIZE.width) & (y >= 0) & (y < SIZE.height)
    grown = cv2.dilate(after.astype(np.uint8), np.ones((3, 3), np.uint8))
    return float(grown[y[inside], x[inside]].mean())


@pytest.mark.parametrize("dash", ["dashes", "dots"])
def test_dashes_do_not_slide_over_the_ground_in_a_zoom_or_a_turn(renderer: Renderer, dash: str) -> None:
    film = route(dash=dash, spacing=24, width=8, caps="flat")
    pose = Pose(450, 30, 700, 30, 0)
    for other in (Pose(450, 30, 707, 30, 0), Pose(450, 30, 700, 30.4, 0), Pose(450, 30, 700, 30, 0.6)):
        before, after = (drawn(renderer, film, 130, one)[..., 0] > 0x90 for one in (pose, other))
        assert carried(before, pose, after, other) > 0.98


def test_a_hatch_lies_on_the_ground(renderer: Renderer) -> None:
    ring = [(100, -100), (800, -140), (820, 160), (120, 140)]
    look = {"filled": 0, "hatch": 30, "hatch_colour": "#ffffff"}
    film = Film(
        background="#204050",
        regions=[{"id": "g", "rings": [ring], "look": look, "comes": {"how": "cut"}}],
        vantages=[{"x": 450, "y": 30, "span": 1000, "hold": 5}],
    )
    pose, other = Pose(450, 30, 700, 40, 10), Pose(460, 40, 707, 40, 11)
    before, after = (drawn(renderer, film, 60, one)[..., 0] > 0x90 for one in (pose, other))
    assert carried(before, pose, after, other) > 0.98


def test_a_hand_strays_smoothly_and_the_same_whatever_part_is_asked_for() -> None:
    ways = np.linspace(0, 2000, 8001)
    off = stray(ways, 1.0)
    assert 0.3 < np.abs(off).max() < 2
    assert np.abs(np.diff(off, 2)).max() < 0.01
    np.testing.assert_array_equal(stray(ways[1234:1300], 1.0), off[1234:1300])
    # A little closer the hand is nearly the same.
    assert np.abs(stray(ways, 1.01) - off).max() < 0.1
