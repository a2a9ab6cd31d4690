"""Plates are fitted in the real interface: a stack at one click, ties by hand, a picture swapped."""

from __future__ import annotations

import re
import time
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
import pytest
import pyvips
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import drop, film_of
from yaila.core.ground import GroundBox
from yaila.standin.world import World

pytestmark = [pytest.mark.browser, pytest.mark.slow]

SIZE = (1200, 840)
METRES = (36.0, 11.0, 3.4, 1.1, 0.4)
SEASONS = (
    (1, 1, 1, 0, 0, 0),
    (1.08, 1, 0.92, 4, 0, 0),
    (0.94, 1.03, 0.96, 0, 5, 3),
    (1.05, 1.02, 1, 3, 0, 6),
    (0.97, 1, 1.06, 0, 3, 2),
)


@pytest.fixture(scope="module")
def descent(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Five pictures of one harbour, wide to close, of five seasons, each a little off the middle."""
    folder, world = tmp_path_factory.mktemp("descent"), World()
    harbour = world.harbours["Marrowick"]
    files = []
    for number, (pixel, season) in enumerate(zip(METRES, SEASONS, strict=True)):
        x, y = harbour.x + (number % 3 - 1) * 60 * pixel, harbour.y + (number % 2) * 50 * pixel
        half = np.array(SIZE) / 2 * pixel
        picture = world.picture(GroundBox(x - half[0], y - half[1], x + half[0], y + half[1]), SIZE[0], season)
        file = folder / f"level{number}.jpg"
        pyvips.Image.new_from_array(picture).jpegsave(str(file), Q=92)
        files.append(file)
    return files


@pytest.mark.thorough
def test_five_unlaid_plates_become_a_laid_and_toned_stack(server: Server, sheet: Page, descent: list[Path]) -> None:
    page = sheet
    for number, file in enumerate(descent, 1):
        drop(page, file)
        expect(page.locator(".pick .state", has_text="Ready")).to_have_count(number, timeout=180_000)
    begin = time.monotonic()
    page.get_by_role("button", name=re.compile("^Fit")).click()
    page.get_by_role("button", name="Fit all").click()
    expect(page.get_by_text(re.compile(r"% sure"))).to_have_count(4, timeout=180_000)
    # A minute on a machine of its own; beside another worker of the tests it gets half of it.
    assert time.monotonic() - begin < 120
    film = film_of(server)["film"]

    def camera(number: int) -> np.ndarray:
        """Where a picture was really taken, metres from the harbour."""
        return np.array([(number % 3 - 1) * 60, (number % 2) * 50]) * METRES[number]

    for number, (below, plate) in enumerate(pairwise(film["plates"]), 1):
        laid, under = plate["placement"], below["placement"]
        assert laid["kind"] == "similarity"
        # How far from the plate below, in that plate's pixels.
        off = (np.array([laid["x"] - under["x"], laid["y"] - under["y"]])) / under["scale"]
        assert off == pytest.approx((camera(number) - camera(number - 1)) / METRES[number - 1], abs=0.4)
        assert laid["scale"] / under["scale"] == pytest.approx(METRES[number] / METRES[number - 1], rel=2e-3)
        assert plate["tone"]["match"]["after"] < plate["tone"]["match"]["before"]
        assert plate["feather"]["width"] > 0
    # One edit; one undo takes it all back.
    page.get_by_role("button", name="Undo").click()
    server.until(lambda: film_of(server)["film"]["plates"][1]["fit"]["by"] == "hand")


def two_plates(folder: Path) -> tuple[Path, Path]:
    """A wide picture, and one of its middle in half the detail, turned: nothing that finding would be asked to do."""
    full = cv2.GaussianBlur(fine_texture(1600, 1000, seed=4), (0, 0), 2)
    wide = write_picture(folder / "wide.png", full)
    return wide, write_picture(folder / "close.png", np.ascontiguousarray(full[300:700, 500:1100]))


def test_ties_lay_a_plate_and_a_wrong_one_is_left_out(server: Server, sheet: Page, tmp_path: Path) -> None:
    page = sheet
    for number, file in enumerate(two_plates(tmp_path), 1):
        drop(page, file)
        expect(page.locator(".pick .state", has_text="Ready")).to_have_count(number, timeout=30000)
    page.get_by_role("button", name=re.compile("^Fit")).click()
    page.get_by_role("button", name="Whole film").click()
    sheet_now = film_of(server)
    plate = sheet_now["film"]["plates"][1]
    # Ties made by hand through the API's own path are the interface's: click a feature, then its match.
    box = page.locator(".area").bounding_box()
    assert box
    scale = min(box["width"] * 0.94 / 1600, box["height"] * 0.94 / 1000)

    def on_screen(x: float, y: float) -> tuple[float, float]:
        return box["x"] + box["width"] / 2 + (x - 800) * scale, box["y"] + box["height"] / 2 - (y - 500) * scale

    def laid(u: float, v: float) -> tuple[float, float]:
        place = film_of(server)["film"]["plates"][1]["placement"]
        return place["x"] + (u - 300) * place["scale"], place["y"] - (v - 200) * place["scale"]

    page.get_by_role("button", name="Tie points", exact=True).first.click()
    for count, (u, v) in enumerate([(60, 50), (540, 350), (80, 340), (520, 70)], 1):
        page.mouse.click(*on_screen(*laid(u, v)))
        expect(page.locator(".loupes")).to_be_visible()
        wrong = 60 if count == 4 else 0
        page.mouse.click(*on_screen(500 + u + wrong, 1000 - 300 - v))
        server.until(lambda count=count: len(film_of(server)["film"]["plates"][1]["fit"]["ties"]) == count)
    off = film_of(server)["plan"]["plates"][1]["fit"]
    assert [tie["worst"] for tie in off["ties"]].count(True) == 1
    page.get_by_label("Use tie 4").click()
    server.until(lambda: not film_of(server)["film"]["plates"][1]["fit"]["ties"][3]["used"])
    fit = film_of(server)["plan"]["plates"][1]["fit"]
    assert fit["residual"] < 2
    placement = film_of(server)["film"]["plates"][1]["placement"]
    assert placement["scale"] == pytest.approx(1, abs=0.01)
    assert (placement["x"], placement["y"]) == pytest.approx((800, 500), abs=3)
    assert plate["id"] == film_of(server)["film"]["plates"][1]["id"]


def test_a_swapped_picture_keeps_all_the_work(server: Server, sheet: Page, tmp_path: Path) -> None:
    page = sheet
    wide, close = two_plates(tmp_path)
    for number, file in enumerate((wide, close), 1):
        drop(page, file)
        expect(page.locator(".pick .state", has_text="Ready")).to_have_count(number, timeout=30000)
    page.get_by_role("button", name=re.compile("^Fit")).click()
    page.get_by_role("radio", name="Tone").click()
    page.get_by_label("Exposure, EV").fill("0.4")
    page.keyboard.press("Enter")
    page.get_by_role("radio", name="Seam").click()
    page.get_by_label("Feather width, %").fill("20")
    page.keyboard.press("Enter")
    server.until(lambda: film_of(server)["film"]["plates"][1]["feather"]["width"] == 20)
    before = film_of(server)
    bigger = write_picture(tmp_path / "other.png", fine_texture(1200, 800, seed=7))
    page.get_by_label("Picture to swap in").set_input_files(bigger)
    server.until(lambda: film_of(server)["film"]["plates"][1]["picture"]["width"] == 1200)
    after = film_of(server)
    assert len(after["film"]["plates"]) == 2
    for key in ("name", "id", "feather", "tone", "fit", "opacity", "role"):
        assert after["film"]["plates"][1][key] == before["film"]["plates"][1][key]
    assert np.allclose(after["plan"]["plates"][1]["outline"], before["plan"]["plates"][1]["outline"])
