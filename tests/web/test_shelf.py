"""The shelf by hand: films copied, renamed, given out, put away, taken away for good, and taken in from a bundle."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from tests.served import Server
from tests.web.hands import drop, film_of, middle, until
from tests.web.test_access import cut_off, violations

pytestmark = pytest.mark.browser


def test_films_on_the_shelf(server: Server, film: Page, tmp_path: Path) -> None:
    page, name = film, film_of(server)["film"]["name"]
    page.get_by_role("button", name=name, exact=True).click()
    shelf = page.get_by_role("region", name="Shelf")
    row = shelf.locator("li", has=page.get_by_label(f"Name of {name}", exact=True))
    expect(row).to_contain_text("640 × 360 · 25 fps")
    row.scroll_into_view_if_needed()
    until(page, "document.querySelector('.shelf li.here img')?.naturalWidth > 0")
    assert violations(page) == []
    assert cut_off(page) == []
    # A copy is on the table at once, and is called what one likes.
    row.get_by_role("button", name="Copy").click()
    expect(page.locator("button.film")).to_contain_text(f"{name}, copy")
    copy = shelf.get_by_label(f"Name of {name}, copy")
    copy.fill("Second night")
    copy.press("Enter")
    expect(page.locator("button.film")).to_contain_text("Second night")
    second = shelf.locator("li", has=page.get_by_label("Name of Second night"))
    expect(second).to_contain_text("all shared with other films")
    # It is given out, taken away for good, and comes back from its bundle.
    second.get_by_role("button", name="Give out").click()
    with page.expect_download() as download:
        second.get_by_role("link", name="A bundle with all its files").click()
    assert download.value.suggested_filename == "Second night.yaila"
    bundle = tmp_path / "Second night.yaila"
    download.value.save_as(bundle)
    second.get_by_role("button", name="Put away Second night").click()
    expect(second).to_have_count(0)
    expect(page.locator("button.film")).not_to_contain_text("Second night")
    shelf.get_by_role("radio", name=re.compile("Put away")).click()
    second.get_by_role("button", name="Take away for good").click()
    expect(second).to_contain_text("cannot be undone")
    second.get_by_role("button", name="Take it away").click()
    expect(second).to_have_count(0)
    assert "Second night" not in [card["name"] for card in server.client.get("/api/films").json()]
    shelf.get_by_role("radio", name=re.compile("Here")).click()
    drop(page, bundle)
    expect(second).to_be_visible()
    expect(shelf.get_by_role("region", name="Under way")).to_contain_text("Second night.yaila")
    page.keyboard.press("Escape")
    expect(shelf).to_have_count(0)


def test_the_address_leads_to_a_film_forwards_and_back(server: Server, film: Page) -> None:
    page, first = film, film_of(server)
    other = server.client.post("/api/films", json={"name": "Another coast"}).json()["id"]
    # What was begun with one film is not there in the other, nor when one comes back.
    page.keyboard.press("r")
    page.mouse.click(*middle(page.get_by_role("region", name="Chart")))
    expect(page.locator("circle.drawn")).to_have_count(1)
    page.goto(f"{server.url}/#/films/{other}")
    expect(page.locator("button.film")).to_contain_text("Another coast")
    page.go_back()
    expect(page.locator("button.film")).to_contain_text(first["film"]["name"])
    page.keyboard.press("r")
    expect(page.locator("circle.drawn")).to_have_count(0)
    page.keyboard.press("Escape")
    # Whoever goes on before a film has come is where they went last.
    held: list[Route] = []
    page.route(lambda url: url.endswith(f"/api/films/{other}"), lambda route: held.append(route))
    page.goto(f"{server.url}/#/films/{other}")
    while not held:
        page.wait_for_timeout(20)
    third = server.client.post("/api/films", json={"name": "A third coast"}).json()["id"]
    page.goto(f"{server.url}/#/films/{third}")
    expect(page.locator("button.film")).to_contain_text("A third coast")
    with page.expect_response(lambda answer: answer.url.endswith(f"/api/films/{other}")):
        held[0].continue_()
    page.wait_for_timeout(200)
    expect(page.locator("button.film")).to_contain_text("A third coast")
    page.goto(f"{server.url}/#/films/{first['id']}")
    expect(page.locator("button.film")).to_contain_text(first["film"]["name"])
    page.goto(f"{server.url}/#/films/of-nobody")
    expect(page.get_by_text("There is no such film.")).to_be_visible()
    expect(page.locator("button.film")).to_contain_text(first["film"]["name"])
    expect(page).to_have_url(re.compile(f"#/films/{first['id']}$"))


def test_a_new_film_of_a_pattern_and_reels_of_all_films(server: Server, film: Page) -> None:
    page, first = film, film_of(server)
    # The first of them takes long enough for the others to be seen waiting.
    for settings in ({"width": 1280}, {"width": 64}, {"width": 64}):
        new = {"revision": first["revision"], "settings": settings}
        server.client.post(f"/api/films/{first['id']}/reels", json=new).raise_for_status()
    page.locator("button.film").click()
    under_way = page.get_by_role("region", name="Under way")
    waits = under_way.locator("[data-state=waiting]")
    expect(waits).to_have_count(2)
    last = waits.last.get_attribute("data-job")
    waits.last.get_by_role("button", name="First").click()
    expect(waits.first).to_have_attribute("data-job", last or "")
    under_way.get_by_role("radio", name="3").click()
    expect(under_way.locator("[data-state=done]").nth(2)).to_be_visible(timeout=120_000)
    under_way.get_by_role("radio", name="1").click()
    page.get_by_label("Name of the new film").fill("Tonight")
    page.get_by_role("radio", name="A programme").click()
    expect(page.get_by_label("Frame rate")).to_have_value("50")
    page.get_by_role("button", name="Start").click()
    expect(page.locator("button.film")).to_contain_text("Tonight")
    made = film_of(server)["film"]
    assert (made["rate"], made["levels"]["loudness"], len(made["lanes"])) == ("50", -23, 3)
