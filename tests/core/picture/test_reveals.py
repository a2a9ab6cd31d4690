"""Plates are uncovered by circles, wipes and lines, in time, and all of them is there in the end."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from tests.drawing import draw_scene, picture_of, scene_at
from yaila.core.camera import FrameSize, Pose
from yaila.core.film import Film, Label, Marker, Plate, Region, Route, RoutePoint, Vantage, acts, choreograph
from yaila.core.film.marked import Draws, Reveal
from yaila.core.film.model import PictureRef
from yaila.core.ground import Point, Similarity
from yaila.core.imagery import PageStore, Pyramid, build_pyramid, open_pyramid
from yaila.core.marks import Lettering, MarkerLook, RegionLook
from yaila.core.picture import Quality
from yaila.core.time import FilmMoment, VantageMoment

SIZE = FrameSize(400, 300)


@pytest.fixture(scope="module")
def pyramids(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Pyramid]:
    folder = tmp_path_factory.mktemp("reveals")
    made: dict[str, Pyramid] = {}
    for key, light in (("0" * 64, 0), ("f" * 64, 255)):
        source = write_picture(folder / f"{light}.png", np.full((600, 800, 3), light, np.uint8))
        build_pyramid(source, folder / f"{light}.tif", source.name)
        made[key] = open_pyramid(folder / f"{light}.tif")
    return made


def film(**reveal: object) -> Film:
    plates = [
        Plate(
            id=name, name=name, picture=PictureRef(sha256=key * 64, width=800, height=600),
            placement=Similarity(x=0, y=0),
        )
        for name, key in (("below", "0"), ("above", "f"))
    ]  # fmt: skip
    points = [RoutePoint(x=-300, y=0, corner=True), RoutePoint(x=300, y=0, corner=True)]
    route = Route(id="r", points=points, draws=Draws(shown=False, seconds=2))
    one = Film(
        frame={"width": 400, "height": 300}, plates=plates, routes=[route], vantages=[Vantage(id="v", hold=6, span=800)]
    )
    one.plates[1].reveal = Reveal(soft=0, **reveal)
    return one


def shown(one: Film, frame: int, pyramids: dict[str, Pyramid]) -> np.ndarray:
    scene = scene_at(one, choreograph(one), frame)
    pose = Pose(0, 0, 800)
    return picture_of(one, pose, SIZE, Quality.FINAL, pyramids.__getitem__, PageStore(32), scene)[..., 0] / 255


def test_a_circle_grows_from_its_middle_until_all_is_there(pyramids: dict[str, Pyramid]) -> None:
    one = film(how="circle", frames=50, starts=FilmMoment(seconds=1), x=100, y=0)
    assert shown(one, 20, pyramids).max() == 0
    half = shown(one, 50, pyramids)
    # From (100, 0) the farthest corner is 583 units away; half of that and 2 % is 149 of the frame's pixels.
    rows, columns = np.mgrid[:300, :400] + 0.5
    away = np.hypot(columns - 250, rows - 150)
    assert half[away < 146].min() > 0.98
    assert half[away > 152].max() < 0.02
    assert shown(one, 75, pyramids).min() == 1


def test_a_wipe_runs_towards_its_direction(pyramids: dict[str, Pyramid]) -> None:
    east = shown(film(how="wipe", frames=50, direction=90), 25, pyramids)
    assert east[:, :195].min() > 0.98
    assert east[:, 212:].max() < 0.02
    south = shown(film(how="wipe", frames=50, direction=180), 25, pyramids)
    assert south[:145].min() > 0.98
    assert south[160:].max() < 0.02


def test_a_picture_of_a_path_appears_as_its_line_is_drawn(pyramids: dict[str, Pyramid]) -> None:
    one = film(how="route", routes=("r",), width=100)
    picture = shown(one, 25, pyramids)
    # Half of 600 units from x -300, with round ends of 50: pixels 25 to 225, 50 high.
    assert picture[150, 30:220].min() > 0.98
    assert picture[150, 228:].max() < 0.02
    assert (picture[:, 120] > 0.5).sum() == pytest.approx(50, abs=1)


def test_a_soft_edge_melts(pyramids: dict[str, Pyramid]) -> None:
    one = film(how="wipe", frames=50)
    one.plates[1].reveal = one.plates[1].reveal.model_copy(update={"soft": 40.0})
    row = shown(one, 25, pyramids)[150]
    assert 30 < ((row > 0.05) & (row < 0.95)).sum() < 90
    assert np.diff(row).max() < 0.02


def test_what_a_reveal_hangs_on_is_kept_in_time_and_a_route_that_goes_leaves_the_plate(tmp_path: Path) -> None:
    one = film(how="circle", starts=VantageMoment(vantage="v", edge="leaves", offset=-50))
    assert choreograph(one).timeline.reveals["above"].frame == 100
    two = acts.AddVantage(at=(0, 0), width=100, height=80, after="v", id="w").apply(one)
    gone = acts.RemoveVantages(vantages=["v"]).apply(two)
    assert gone.plates[1].reveal.starts == FilmMoment(seconds=4)
    bare = acts.RemoveMarks(marks=["r"]).apply(film(how="route", routes=("r",)))
    assert bare.plates[1].reveal is None
    with pytest.raises(ValueError, match="a route that is not in the film"):
        Film.model_validate(film(how="route", routes=("r",)).model_dump() | {"routes": []})


def marked(**reveal: object) -> Film:
    """A white region about the middle, a marker and a label to its left, each uncovered, on black."""
    points = [RoutePoint(x=-300, y=0, corner=True), RoutePoint(x=300, y=0, corner=True)]
    ring = tuple(Point(x, y) for x, y in ((-100, -100), (100, -100), (100, 100), (-100, 100)))
    how = Reveal(soft=0, **reveal)
    square = MarkerLook(symbol="square", size=80, edge=0, colour="#ffffff")
    cut = {"comes": {"how": "cut"}, "reveal": how}
    return Film(
        frame={"width": 800, "height": 600}, background="#000000", vantages=[Vantage(hold=6, span=800)],
        routes=[Route(id="r", points=points, draws=Draws(seconds=2))],
        regions=[Region(id="g", rings=(ring,), look=RegionLook(fill="#ffffff"), **cut)],
        markers=[Marker(id="m", x=-250, y=200, look=square, **cut)],
        labels=[Label(id="l", text="H", x=-250, y=-200, sits="over", look=Lettering(size=80, halo=0), **cut)],
    )  # fmt: skip


def drawn(one: Film, frame: int) -> np.ndarray:
    scene = scene_at(one, choreograph(one), frame)
    return draw_scene(np.zeros((600, 800, 3), np.uint8), scene, Pose(0, 0, 800), one)[..., 0] / 255


def test_marks_are_uncovered_by_a_wipe_and_whole_in_the_end() -> None:
    one = marked(how="wipe", frames=50, direction=90, starts=FilmMoment(seconds=1))
    assert drawn(one, 20).max() == 0
    half, whole = drawn(one, 50), drawn(one, 90)
    # The region from x 300 to 500, its edge in the middle, the marker and the label about 150.
    assert half[300, 305:395].min() == 1
    assert half[300, 410:].max() == 0
    for rows in (slice(50, 150), slice(450, 550)):
        seen, all_of_it = half[rows], whole[rows]
        assert 0 < seen.sum() < all_of_it.sum()
        assert np.array_equal(seen[:, :148], all_of_it[:, :148])
    assert whole[300, 305:495].min() == 1


def test_marks_are_uncovered_by_a_circle_and_along_a_line() -> None:
    one = marked(how="circle", frames=50, x=0, y=0)
    half = drawn(one, 25)
    # Half of the way to a corner of the region, 141 units, and 2 %: 72.
    assert half[300, 400 + 68] == 1
    assert half[300, 400 + 76] == 0
    along = drawn(marked(how="route", routes=("r",), width=60), 25)
    assert along[300, 305:395].min() == 1
    assert along[300, 435:].max() == 0
    assert (along[:, 350] > 0.5).sum() == pytest.approx(60, abs=1)
    bare = acts.RemoveMarks(marks=["r"]).apply(marked(how="route", routes=("r",)))
    assert [mark.reveal for mark in bare.timed] == [None] * 3
