"""Gather: places of gazetteers that people bring."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.formats.test_gazetteer import TABLE
from tests.served import Server
from tests.web.hands import drop, open_film
from yaila.core.film import Film
from yaila.store import Store

pytestmark = pytest.mark.browser


def test_a_gazetteer_that_is_dropped_is_searched_until_it_is_taken_away(
    server: Server, page: Page, tmp_path: Path
) -> None:
    open_film(page, server, Store(server.home).films.create(Film(name="Places")).id)
    expect(page.locator("button.film")).to_contain_text("Places")
    (tmp_path / "Far islands.txt").write_text(TABLE)
    (tmp_path / "notes.txt").write_text("Nothing but words.")
    drop(page, tmp_path / "notes.txt")
    expect(page.get_by_role("alert")).to_contain_text("notes.txt")
    drop(page, tmp_path / "Far islands.txt")
    expect(page.get_by_role("alert")).to_contain_text("can be searched now")
    search = page.get_by_label("Search a place, or latitude and longitude")
    search.fill("varfo")
    found = page.get_by_role("option", name="Orrin’s Wharf")
    expect(found).to_contain_text("3367.4 km west, 1402.7 km north")  # EPSG:3857 of 30.25° W, 12.5° N
    search.press("Enter")
    expect(page.get_by_text("A place", exact=True)).to_be_visible()
    search.click()
    page.get_by_title("Take “Far islands” away").click()
    # What was found in it is not shown any more, nor what was on its way meanwhile.
    expect(page.get_by_text("No place of that name in what is searched")).to_be_visible()
    search.fill("varfo ")
    expect(page.get_by_text("No place of that name in what is searched")).to_be_visible()


def test_a_source_of_a_region_is_added_with_its_bounds_and_what_it_holds(server: Server, page: Page) -> None:
    open_film(page, server, Store(server.home).films.create(Film(name="Region")).id)
    page.get_by_role("button", name="Source", exact=True).click()
    page.get_by_label("Name", exact=True).fill("Own heights")
    page.get_by_label("Address of a tile").fill(f"{server.url}/standin/survey/height/{{z}}/{{x}}/{{y}}.png")
    page.get_by_label("Zoom from").fill("9")
    page.get_by_label("to", exact=True).fill("12")
    page.get_by_label("Its tiles hold").select_option("heights")
    page.get_by_label("A private address").check()
    # In the middle of the world there is none of it.
    page.get_by_role("button", name="Add source").click()
    expect(page.get_by_role("alert")).to_contain_text("gave no tile for the middle of its bounds")
    page.get_by_label("Bounds").fill("3.6, 1.8, 5, 2.6")
    page.get_by_role("button", name="Add source").click()
    expect(page.get_by_label("Bounds")).to_have_count(0)
    made = next(one for one in server.client.get("/api/sources").json() if one["name"] == "Own heights")
    assert (made["bounds"], made["holds"], made["least"]) == ([3.6, 1.8, 5, 2.6], "heights", 9)
    server.client.delete(f"/api/sources/{made['id']}")
