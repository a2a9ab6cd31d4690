"""Stack, opacity, feather, alpha and background, against values worked out by hand."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from tests.drawing import draw, draw_scene, picture_of, scene_at
from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film, Plate, choreograph
from yaila.core.ground import Affine, Homography, Similarity
from yaila.core.imagery import PageStore, build_pyramid, open_pyramid
from yaila.core.picture import PlateLayer, Quality

SIZE = FrameSize(200, 100)
FLAT = Pose(100, 50, 200)


@pytest.fixture
def flat(tmp_path: Path):
    """Makes a layer of one colour, 200 x 100, that fills the frame of ``FLAT``."""

    def make(colour: tuple[int, ...], **how: object) -> PlateLayer:
        name = "-".join(map(str, colour))
        pixels = np.full((100, 200, len(colour)), colour, np.uint8)
        build_pyramid(write_picture(tmp_path / f"{name}.png", pixels), tmp_path / f"{name}.tif", name)
        matrix = how.pop("matrix", Similarity(x=100, y=50).matrix(200, 100))
        return PlateLayer(name, open_pyramid(tmp_path / f"{name}.tif"), matrix, **how)

    return make


def test_upper_plates_cover_lower_ones_by_their_opacity(flat, pages: PageStore) -> None:
    layers = [flat((200, 0, 0), opacity=0.25), flat((0, 100, 40))]
    frame = draw(layers, FLAT, SIZE, (9, 9, 9), Quality.FINAL, pages)
    # Porter & Duff "over": 0.25 * upper + 0.75 * lower.
    assert np.abs(frame[50, 100].astype(int) - (50, 75, 30)).max() <= 1


def test_alpha_of_the_picture_counts(flat, pages: PageStore) -> None:
    frame = draw([flat((200, 100, 0, 128))], FLAT, SIZE, (0, 0, 255), Quality.FINAL, pages)
    share = 128 / 255
    expected = (200 * share, 100 * share, 255 * (1 - share))
    assert np.abs(frame[50, 100] - np.array(expected)).max() <= 1.5


def test_a_feather_runs_smoothly_from_the_edge_to_its_width(flat, pages: PageStore) -> None:
    frame = draw([flat((255, 255, 255), feather=40.0)], FLAT, SIZE, (0, 0, 0), Quality.FINAL, pages)
    # 40 % of half the shorter side is 20 pixels; smoothstep is 0.5 in its middle and 1 at its end.
    column = frame[:, 100, 0].astype(float)
    assert column[0] < 3
    assert column[9:11].mean() == pytest.approx(127.5, abs=2)
    assert column[21] == 255
    assert (np.diff(column[:22]) >= 0).all()


def test_an_elliptic_feather_leaves_the_corners_bare(flat, pages: PageStore) -> None:
    frame = draw(
        [flat((255, 255, 255), feather=30.0, feather_shape="ellipse")], FLAT, SIZE, (0, 0, 0), Quality.FINAL, pages
    )
    assert frame[3, 3].max() == 0
    assert frame[50, 100].min() == 255
    # The middle of pixel 185 lies at 85.5 % of the half axis: t = 0.145 / 0.3 of the ramp, smoothstep of that.
    t = 0.145 / 0.3
    assert frame[50, 185, 0] == pytest.approx(255 * t * t * (3 - 2 * t), abs=2)


def test_nothing_is_seen_above_the_horizon(flat, pages: PageStore) -> None:
    frame = draw([flat((255, 255, 255))], Pose(100, 50, 40, tilt=82, focal=18), SIZE, (1, 2, 3), Quality.DRAFT, pages)
    assert (frame[0] == (1, 2, 3)).all()
    assert frame[60, 100].min() == 255


def test_affine_and_homography_lie_where_their_matrices_say(flat, pages: PageStore) -> None:
    affine = Affine(coefficients=(0.5, 0, 0, 0, -0.5, 50)).matrix(200, 100)
    half = draw([flat((255, 255, 255), matrix=affine)], FLAT, SIZE, (0, 0, 0), Quality.FINAL, pages)
    # Half size, at the lower left of the frame.
    assert half[75, 50].min() == 255
    assert half[25, 150].max() == 0
    assert half[75, 99].min() == 255
    assert half[75, 101].max() == 0
    tapered = Homography(coefficients=(1, 0, 0, 0, -1, 100, 0, -0.005, 1)).matrix(200, 100)
    frame = draw([flat((255, 255, 255), matrix=tapered)], FLAT, SIZE, (0, 0, 0), Quality.FINAL, pages)
    # The plate's point (100, 50) comes to (100 / 0.75, 50 / 0.75) = (133.3, 66.7) on the ground.
    assert frame[100 - 67, 133].min() == 255


def test_same_picture_in_colour_as_it_was(pages: PageStore, flat) -> None:
    for colour in ((0, 0, 0), (255, 255, 255), (17, 130, 241)):
        frame = draw([flat(colour)], FLAT, SIZE, (90, 90, 90), Quality.FINAL, pages)
        assert (frame[10:-10, 10:-10] == colour).all()


def test_hidden_plates_are_not_drawn() -> None:
    picture = {"sha256": "0" * 64, "width": 10, "height": 10}
    film = Film(plates=[Plate(name="a", picture=picture, shown=False), Plate(name="b", picture=picture, opacity=0)])
    frame = picture_of(film, FLAT, SIZE, Quality.DRAFT, lambda _: pytest.fail("opened a hidden picture"), PageStore(1))
    assert (frame == frame[0, 0]).all()


@pytest.mark.parametrize("kind", ["markers", "regions"])
def test_a_mark_that_goes_by_being_drawn_is_wound_up_as_it_was_unrolled(kind: str) -> None:
    ways = {
        "comes": {"how": "draw", "frames": 10},
        "goes": {"how": "draw", "frames": 10},
        "ends": {"on": "film", "seconds": 2.4},
    }
    mark: dict = {
        "markers": {"x": 0, "y": 0, "look": {"symbol": "square", "size": 200, "edge": 0}},
        "regions": {"rings": [[(-80, -80), (80, -80), (80, 80), (-80, 80)]], "look": {"filled": 0.0, "border": 6}},
    }[kind] | ways
    film = Film.model_validate({kind: [mark], "vantages": [{"span": 400, "hold": 3}]})
    choreography = choreograph(film)

    def painted(frame: int) -> float:
        blank = np.zeros((216, 384, 3), np.uint8)
        return float(draw_scene(blank, scene_at(film, choreography, frame), Pose(0, 0, 400), film).sum())

    whole = painted(30)
    coming, going = [painted(frame) for frame in range(1, 9)], [painted(frame) for frame in range(58, 50, -1)]
    assert 0 < coming[1] < coming[4] < coming[7] < whole
    assert going == pytest.approx(coming, rel=1e-3)
