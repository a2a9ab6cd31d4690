"""The practice world is one world: the same every time, at every zoom, in every layer; its survey has its faults."""

from __future__ import annotations

import hashlib
import subprocess
import sys
from itertools import pairwise

import cv2
import numpy as np
import pytest

from yaila.core.ground import GroundBox
from yaila.core.ground.mercator import tile_box, tile_of
from yaila.standin.gazetteer import places, search
from yaila.standin.survey import BOUNDS, Survey, trouble_of
from yaila.standin.world import World


@pytest.fixture(scope="module")
def survey() -> Survey:
    return Survey()


@pytest.fixture(scope="module")
def world(survey: Survey) -> World:
    return survey.world


def about(world: World, name: str, width: float) -> GroundBox:
    harbour = world.harbours[name]
    return GroundBox(harbour.x - width / 2, harbour.y - width / 2, harbour.x + width / 2, harbour.y + width / 2)


def land(picture: np.ndarray) -> np.ndarray:
    """Where a picture is not blue."""
    return picture[..., 2].astype(int) < picture[..., 0].astype(int) + 25


def test_another_process_makes_the_same_picture(world: World) -> None:
    box = about(world, "Tolvane", 3000)
    script = (
        "import hashlib; from yaila.core.ground import GroundBox; from yaila.standin.world import World;"
        f"print(hashlib.sha256(World().picture(GroundBox{tuple(box)!r}, 256).tobytes()).hexdigest())"
    )
    theirs = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.strip()
    assert hashlib.sha256(world.picture(box, 256).tobytes()).hexdigest() == theirs


def test_pictures_of_neighbouring_boxes_fit_without_a_seam(world: World) -> None:
    box = about(world, "Marrowick", 4096)
    middle = (box.west + box.east) / 2
    left = world.picture(GroundBox(box.west, box.south, middle, box.north), 256)
    right = world.picture(GroundBox(middle, box.south, box.east, box.north), 256)
    whole = world.picture(box, 512)
    assert np.abs(np.hstack([left, right]).astype(int) - whole).max() <= 1


@pytest.mark.parametrize("name", ["Marrowick", "Quillhaven", "Ebbing Light"])
def test_the_shore_is_the_same_at_every_zoom_and_every_town_lies_on_it(world: World, name: str) -> None:
    box = about(world, name, 6000)
    fine = world.heights(box, 600)
    coarse = world.heights(box, 75)
    shrunk = cv2.resize(fine, (75, 75), interpolation=cv2.INTER_AREA)
    assert ((shrunk > 0) == (coarse > 0)).mean() > 0.96
    near = world.heights(about(world, name, 4 * world.harbours[name].radius), 200)
    assert 0.05 < (near > 0).mean() < 0.95


def test_roads_run_on_land(world: World) -> None:
    assert len(world.roads()) > 6
    for road in world.roads():
        # Their places are looked at from afar; close up, a shore may run a little differently.
        dry = [world.heights(GroundBox(x - 40, y - 40, x + 40, y + 40), 4).max() > 0 for x, y in road[::6]]
        assert np.mean(dry) > 0.9


def test_the_survey_serves_the_world_in_layers_that_agree(survey: Survey, world: World) -> None:
    harbour = world.harbours["Marrowick"]
    zoom = 13
    column, row = tile_of(harbour.x, harbour.y, zoom)
    heights = world.heights(tile_box(column, row, zoom), 256)
    encoded = survey.tile("height", zoom, column, row).astype(np.int64)
    decoded = (encoded[..., 0] * 65536 + encoded[..., 1] * 256 + encoded[..., 2]) / 10 - 500
    assert np.abs(decoded - np.clip(heights, -500, None)).max() <= 0.1 + 1e-6
    assert np.array_equal(survey.tile("sea", zoom, column, row)[..., 0] > 0, heights > 0)
    assert survey.tile("sheet", zoom, column, row).shape == (512, 512, 3)
    aerial = survey.tile("aerial", zoom, column, row)
    assert (land(aerial) == (heights > 0)).mean() > 0.85


def test_zoom_levels_differ_in_season_and_nothing_lies_beyond_the_bounds(survey: Survey, world: World) -> None:
    harbour = world.harbours["Quillhaven"]
    tints = []
    for zoom in (11, 12, 13):
        column, row = tile_of(harbour.x, harbour.y, zoom)
        box = tile_box(column, row, zoom)
        plain = world.picture(box, 256).reshape(-1, 3).mean(axis=0)
        tints.append(survey.tile("aerial", zoom, column, row).reshape(-1, 3).mean(axis=0) - plain)
    assert min(np.abs(a - b).max() for a, b in pairwise(tints)) > 2
    assert survey.tile("aerial", 13, *tile_of(BOUNDS.west - 50_000, BOUNDS.north, 13)) is None
    assert survey.tile("aerial", 19, *tile_of(harbour.x, harbour.y, 19)) is None
    with pytest.raises(KeyError):
        survey.tile("weather", 3, 4, 4)


def test_a_few_tiles_are_slow_fail_once_or_never_come_always_the_same_ones() -> None:
    names = [("aerial", 15, k % 200, k // 200) for k in range(20_000)]
    troubles = [trouble_of(*name) for name in names]
    assert troubles == [trouble_of(*name) for name in names]
    for share, had in (
        (0.0015, [trouble.missing for trouble in troubles]),
        (0.0105, [trouble.fails_once for trouble in troubles]),
        (0.008, [trouble.slow > 0 for trouble in troubles]),
    ):
        # Within four standard deviations of a binomial.
        assert abs(np.mean(had) - share) < 4 * (share / len(names)) ** 0.5
    survey = Survey()
    assert [survey.first_failure("a"), survey.first_failure("a"), survey.first_failure("b")] == [True, False, True]


def test_the_gazetteer_finds_places_by_part_of_their_name_those_that_begin_with_it_first() -> None:
    found = [place.name for place in search("  quill ")]
    assert found[0].startswith("Quillhaven")
    assert len(found) >= 3
    hits = [place.name.lower() for place in search("sou")]
    assert all("sou" in name for name in hits)
    assert search("") == []
    assert search("nowhere at all") == []
    for place in places():
        assert BOUNDS.west < place.x < BOUNDS.east
        assert BOUNDS.south < place.y < BOUNDS.north
