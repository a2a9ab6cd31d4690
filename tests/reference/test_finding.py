"""Finding fits on pairs whose truth is known; ``bench/fit.py`` measures the whole set (figures in docs/fitting.md)."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from yaila.core.analysis.overlap import exact_ties, find_on_stack, refined_tie
from yaila.core.film import Film, Plate
from yaila.core.film.acts import LayFound, RestackPlate, TiePlate
from yaila.core.film.fitting import ground_of, pixel_on_ground
from yaila.core.film.model import PictureRef, Tie
from yaila.core.ground import GroundBox, Point, Similarity
from yaila.core.ground.placement import outline
from yaila.core.imagery import build_pyramid, open_pyramid
from yaila.core.imagery.fitting import NotFitted, find_fit
from yaila.core.imagery.pyramid import TiffPyramid
from yaila.farm.fitting import FitSettings, acts_of
from yaila.standin.pairs import COARSE, FINE, Pair, cases, make_pair
from yaila.standin.world import World

pytestmark = pytest.mark.slow

CHOSEN = (
    pytest.param("2x turn 164", marks=pytest.mark.thorough),
    pytest.param("2x bend 0.012, tint 0.6", marks=pytest.mark.thorough),
    pytest.param("4x cloud 0.35, tint 0.6", marks=pytest.mark.thorough),
    pytest.param("4x labels 1, tint 0.6, turn 3", marks=pytest.mark.thorough),
    pytest.param("8x turn -38", marks=pytest.mark.thorough),
    "8x cloud 0.25",
)
PLACES = np.array([[0, 0], [FINE[0], 0], [FINE[0], FINE[1]], [0, FINE[1]], [FINE[0] / 2, FINE[1] / 2]], float)


@pytest.fixture(scope="module")
def world() -> World:
    return World()


def pyramid(pixels: np.ndarray, folder: Path, name: str) -> TiffPyramid:
    build_pyramid(write_picture(folder / f"{name}.png", pixels), folder / f"{name}.tif", name)
    return open_pyramid(folder / f"{name}.tif")


def case_pair(world: World, name: str) -> Pair:
    return make_pair(world, next(case for case in cases() if case.name == name))


@pytest.mark.parametrize("name", CHOSEN)
def test_a_fit_is_found_to_two_fifths_of_a_pixel(world: World, tmp_path: Path, name: str) -> None:
    pair = case_pair(world, name)
    found = find_fit(pyramid(pair.fine, tmp_path, "fine"), pyramid(pair.coarse, tmp_path, "coarse"), (name, name + "c"))
    off = found.through(PLACES) - pair.truth(PLACES)
    assert np.sqrt(np.mean(np.sum(off**2, axis=1))) <= 0.4
    assert found.confidence > 30


@pytest.mark.thorough
def test_what_is_not_there_is_not_found(world: World, tmp_path: Path) -> None:
    one, other = case_pair(world, "4x turn 7"), case_pair(world, "4x labels 1")
    assert one.case.place != other.case.place
    # At half their size: a search for what is not there goes through all that there is.
    fine, coarse = (
        pyramid(np.ascontiguousarray(picture[::2, ::2]), tmp_path, name)
        for picture, name in ((one.fine, "fine"), (other.coarse, "coarse"))
    )
    with pytest.raises(NotFitted):
        find_fit(fine, coarse, ("a", "b"))
    sea = pyramid(np.full((400, 600, 3), (30, 80, 110), np.uint8), tmp_path, "sea")
    with pytest.raises(NotFitted, match="too little"):
        find_fit(sea, coarse, ("c", "b"))


def stack_of(pair: Pair, folder: Path) -> tuple[Film, dict[str, TiffPyramid]]:
    """The pair as a film: the coarse plate laid, the fine one anywhere."""
    opened = {"a" * 64: pyramid(pair.coarse, folder, "coarse"), "b" * 64: pyramid(pair.fine, folder, "fine")}
    lower = Plate(id="low", name="Low", picture=PictureRef(sha256="a" * 64, width=COARSE[0], height=COARSE[1]))
    lower.placement = Similarity(x=5000, y=-300, scale=12, turn=20)
    upper = Plate(id="top", name="Top", picture=PictureRef(sha256="b" * 64, width=FINE[0], height=FINE[1]))
    return Film(plates=[lower, upper]), opened


def true_ground(film: Film, pair: Pair, places: np.ndarray) -> np.ndarray:
    return ground_of(film.plates[0], pair.truth(places))


def test_a_plate_is_laid_where_it_was_found_also_onto_a_bent_one(world: World, tmp_path: Path) -> None:
    pair = case_pair(world, "2x bend 0.012, tint 0.6")
    film, opened = stack_of(pair, tmp_path)
    laid = find_on_stack(film, film.plates[1], opened.__getitem__).apply(film)
    off = ground_of(laid.plates[1], PLACES) - true_ground(film, pair, PLACES)
    assert np.linalg.norm(off, axis=1).max() / pixel_on_ground(film.plates[0]) < 0.5
    assert laid.plates[1].bend is not None
    assert laid.plates[1].fit.by == "found"
    assert laid.plates[1].feather.width > 0


def test_ties_are_made_exact_and_a_bend_takes_up_what_is_left(world: World, tmp_path: Path) -> None:
    pair = case_pair(world, "2x bend 0.012, tint 0.6")
    film, opened = stack_of(pair, tmp_path)
    grid = np.stack(np.meshgrid(np.linspace(90, 1110, 5), np.linspace(80, 760, 4)), axis=-1).reshape(-1, 2)
    truth = pair.truth(grid)
    rough = [
        Tie(x=x, y=y, other="low", to=Point(*to)) for (x, y), to in zip(grid.tolist(), truth.tolist(), strict=True)
    ]
    flat = TiePlate(plate="top", ties=[rough[0], rough[4], rough[-1]], model="affine").apply(film)
    exact = []
    for tie, to in zip(rough, truth, strict=True):
        meant = Point(to[0] + 4, to[1] - 3)
        found, match = refined_tie(flat, flat.plates[1], flat.plates[0], Point(tie.x, tie.y), meant, opened.__getitem__)
        if match > 0.6:
            exact.append(tie.model_copy(update={"to": found}))
    errors = [np.hypot(*(np.array(tie.to) - pair.truth(np.array([[tie.x, tie.y]]))[0])) for tie in exact]
    assert len(exact) >= 10
    assert np.median(errors) < 0.25
    residuals = {}
    for model in ("similarity", "affine", "homography", "bend"):
        laid = TiePlate(plate="top", ties=exact, model=model).apply(film)
        residuals[model] = laid.plates[1].fit.residual
    assert residuals["bend"] < 0.05
    assert residuals["homography"] < residuals["affine"] * 1.001 < residuals["similarity"] * 1.002


@pytest.mark.thorough
def test_ties_set_while_the_plate_lay_wrong_are_made_exact_when_it_lies_right(world: World, tmp_path: Path) -> None:
    pair = case_pair(world, "4x turn 7")
    film, opened = stack_of(pair, tmp_path)
    grid = np.stack(np.meshgrid(np.linspace(90, 1110, 6), np.linspace(80, 760, 5)), axis=-1).reshape(-1, 2)
    truth = pair.truth(grid)

    def looked(film: Film, k: int, by: tuple[float, float]) -> tuple[Point, float]:
        at, to = Point(*grid[k]), Point(*(truth[k] + by))
        return refined_tie(film, film.plates[1], film.plates[0], at, to, opened.__getitem__)

    right = [
        Tie(x=x, y=y, other="low", to=Point(*to)) for (x, y), to in zip(grid.tolist(), truth.tolist(), strict=True)
    ]
    there = TiePlate(plate="top", ties=right).apply(film)
    told = [k for k in range(len(grid)) if looked(there, k, (2, 2))[1] > 0.8]
    chosen = [told[0], told[len(told) // 3], told[2 * len(told) // 3], told[-1]]
    ties = []
    for k, by in zip(chosen, [(5, -4), (-6, 3), (4, 5), (-3, -6)], strict=True):
        # As it lies now the two are not alike, and a tie stays where it was set.
        to, match = looked(film, k, by)
        assert match <= 0.6
        ties.append(Tie(x=grid[k, 0], y=grid[k, 1], other="low", to=to, match=match))
    film = TiePlate(plate="top", ties=ties).apply(film)
    assert film.plates[1].fit.residual > 1
    assert exact_ties(film, film.plates[1], opened.__getitem__, ties[3].id)[:3] == ties[:3]
    for _ in range(2):
        film = TiePlate(plate="top", ties=exact_ties(film, film.plates[1], opened.__getitem__)).apply(film)
    assert all(tie.match > 0.8 for tie in film.plates[1].fit.ties)
    off = ground_of(film.plates[1], PLACES) - true_ground(film, pair, PLACES)
    assert np.linalg.norm(off, axis=1).max() / pixel_on_ground(film.plates[0]) < 0.5


def test_a_held_bend_leaves_flat_what_the_plates_above_cover() -> None:
    random = np.random.default_rng(3)
    picture = PictureRef(sha256="a" * 64, width=1000, height=800)
    wide = Plate(id="wide", name="Wide", picture=picture, placement=Similarity(x=500, y=400))
    town = Plate(id="town", name="Town", picture=picture, placement=Similarity(x=700, y=500, scale=0.1))
    places = random.uniform(0, 1, (14, 2)) * [1000, 800]
    ties = [Tie(x=x, y=y, to=Point(x + random.normal(0, 6), 800 - y + random.normal(0, 6))) for x, y in places.tolist()]
    laid = TiePlate(plate="wide", ties=ties, model="bend", hold=True).apply(Film(plates=[wide, town])).plates[0]
    # The town's middle is at pixel (700, 300) of the wide plate.
    inside = np.array([[700.0, 300.0], [730, 320], [680, 270]])
    assert laid.bend.shift(inside) == pytest.approx(np.zeros((3, 2)))
    assert np.abs(laid.bend.shift(np.array([[60.0, 60.0]]))).max() > 0.5
    # Another tie, and it is held still.
    again = TiePlate(plate="wide", ties=ties[1:], model="bend").apply(Film(plates=[laid, town])).plates[0]
    assert again.fit.hold
    assert again.bend.goal is not None


def test_a_wide_plate_alone_is_the_ground_of_the_others() -> None:
    picture = PictureRef(sha256="a" * 64, width=100, height=100)
    film = Film(plates=[Plate(id="only", name="Only", picture=picture)])
    with pytest.raises(NotFitted, match="no plate below"):
        find_on_stack(film, film.plates[0], {}.__getitem__)
    assert LayFound.model_fields["confidence"].is_required()


@pytest.mark.thorough
def test_plates_dropped_in_any_order_are_laid_the_finest_on_top(world: World, tmp_path: Path) -> None:
    harbour = world.harbours["Tolvane"]
    shown = {"close": (0.0, 0.0, 5_000.0), "wide": (3_000.0, -1_000.0, 36_000.0), "mid": (-800.0, 700.0, 15_000.0)}
    plates, opened, truth = [], {}, {}
    for number, (name, (x, y, half)) in enumerate({**shown, "elsewhere": (0.0, 0.0, 9_000.0)}.items()):
        box = GroundBox(
            harbour.x + x - half, harbour.y + y - half * 0.7, harbour.x + x + half, harbour.y + y + half * 0.7
        )
        sha = f"{number:x}" * 64
        pixels = world.picture(box, 800, (1, 1, 1, 0, 0, 0))
        # One is of open sea, and of nowhere that could be told.
        opened[sha] = pyramid(pixels if name in shown else np.full_like(pixels, (30, 80, 110)), tmp_path, name)
        width, height = opened[sha].sizes[0]
        plates.append(Plate(id=name, name=name, picture=PictureRef(sha256=sha, width=width, height=height)))
        truth[name] = Similarity(x=x, y=y, scale=2 * half / width)
    plates[0].placement = truth["close"]
    film = Film(plates=plates)
    settings = FitSettings(find=["wide", "mid", "elsewhere"], tone=["wide", "mid", "elsewhere"])
    for act in acts_of(film, settings, opened.__getitem__):
        film = act.apply(film)
    assert [plate.id for plate in film.plates] == ["wide", "mid", "close", "elsewhere"]
    for name in ("wide", "mid"):
        plate = film.plate(name)
        off = outline(plate.matrix, *plate.extent) - outline(truth[name].matrix(*plate.extent), *plate.extent)
        # Of the pixels of the plate itself; it was found by the part that others show.
        assert np.abs(off).max() / truth[name].scale < 0.6
    # What lies on others melts into them, and the ground of all into nothing.
    assert [plate.id for plate in film.plates if plate.feather.width] == ["mid", "close"]
    # The widest is the ground now, and each takes the tone of what it lies on.
    assert [plate.id for plate in film.plates if plate.tone.match] == ["mid", "close"]
    assert "none of the 3 other plates" in film.plate("elsewhere").fit.note
    assert film.plate("elsewhere").tone.match is None
    assert RestackPlate(plate="elsewhere", to=1).apply(film).plate("elsewhere").fit.note == ""
