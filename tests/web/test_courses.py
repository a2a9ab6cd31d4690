"""Values that change over the film, by hand: a label's opacity and a marker's size, tied, dragged, undone."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.served import Server
from tests.web.hands import drag_by, film_of, kept, middle

pytestmark = pytest.mark.browser


def stops(server: Server, kind: str, name: str) -> list[dict]:
    """The stops of a property of the look of the first mark of a kind; none while it does not change."""
    value = film_of(server)["film"][kind][0]["look"][name]
    return value["stops"] if isinstance(value, dict) else []


def seek(page: Page, frame: int) -> None:
    """Go to a frame by its keys: the first one, then on by seconds and ones."""
    page.locator("body").press("Home")
    for _ in range(frame // 25):
        page.locator("body").press("Shift+ArrowRight")
    for _ in range(frame % 25):
        page.locator("body").press("ArrowRight")
    expect(page.locator(".picture canvas")).to_have_attribute("data-frame", str(frame))


def test_a_label_fades_and_a_marker_grows_as_the_film_goes_on(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    x, y = middle(page.locator(".area"))
    page.get_by_role("button", name="Label", exact=True).click()
    page.mouse.click(x - 40, y - 20)
    server.until(lambda: len(film_of(server)["film"]["labels"]) == 1)
    page.get_by_text("Letters", exact=True).first.click()
    seek(page, 0)
    # One act at the playhead lets it change; from then on what is typed is set there.
    page.get_by_label("Opacity, %", exact=True).hover()
    page.get_by_role("button", name="Let Opacity change over the film").click()
    server.until(lambda: len(stops(server, "labels", "opacity")) == 1)
    field = page.get_by_label("Opacity, %", exact=True)
    field.fill("20")
    field.press("Enter")
    server.until(lambda: stops(server, "labels", "opacity")[0]["value"] == 0.2)
    seek(page, 40)
    field.fill("90")
    field.press("Enter")
    server.until(lambda: [stop["value"] for stop in stops(server, "labels", "opacity")] == [0.2, 0.9])
    # Half way it shows what it is there.
    seek(page, 20)
    expect(field).to_have_value("55")
    # A stop hangs on an event as a mark does.
    lane = page.locator(".profile g.course")
    expect(lane).to_have_count(1)
    lane.locator("g.stop").nth(1).click()
    panel = page.get_by_role("region", name="Opacity over the film")
    vantage = film_of(server)["film"]["vantages"][1]["id"]
    panel.get_by_label("Reached when").select_option(f"v:{vantage}:arrives")
    server.until(lambda: stops(server, "labels", "opacity")[1]["at"]["on"] == "vantage")
    expect(panel).to_contain_text("tied")
    # Retimed, it comes later with it.
    (course,) = film_of(server)["plan"]["courses"]
    was = course["stops"][1]["frame"]
    index = film_of(server)["film"]["vantages"][0]["id"]
    sheet = film_of(server)
    server.client.post(
        f"/api/films/{sheet['id']}/acts",
        json={"act": "retime", "vantage": index, "hold": 60, "passage": None, "ripple": True},
        headers={"If-Match": f'"{sheet["revision"]}"'},
    )
    assert film_of(server)["plan"]["courses"][0]["stops"][1]["frame"] == was + 60 - 25
    # Undone step by step, also what another window did.
    expect(page.get_by_title(re.compile("Undo: Retime"))).to_be_enabled()
    for left in reversed(range(5)):
        page.keyboard.press("Control+z")
        if left == 4:
            server.until(lambda: film_of(server)["plan"]["courses"][0]["stops"][1]["frame"] == was)
    server.until(lambda: not stops(server, "labels", "opacity"))
    assert film_of(server)["film"]["labels"][0]["look"]["opacity"] == 1


def test_a_stop_is_dragged_in_its_lane_eased_copied_and_taken_out(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    x, y = middle(page.locator(".area"))
    page.get_by_role("button", name="Marker", exact=True).click()
    page.mouse.click(x + 30, y + 30)
    server.until(lambda: len(film_of(server)["film"]["markers"]) == 1)
    seek(page, 0)
    page.get_by_label("Size, px", exact=True).hover()
    page.get_by_role("button", name="Let Size change over the film").click()
    server.until(lambda: len(stops(server, "markers", "size")) == 1)
    seek(page, 50)
    field = page.get_by_label("Size, px", exact=True)
    field.fill("90")
    field.press("Enter")
    server.until(lambda: len(stops(server, "markers", "size")) == 2)
    before = film_of(server)["plan"]["courses"][0]["stops"][1]["frame"]
    drag_by(page, page.locator(".profile g.stop").nth(1).locator(".post"), 60, 0)
    kept(page, "Move stop in time")
    assert film_of(server)["plan"]["courses"][0]["stops"][1]["frame"] > before
    panel = page.get_by_role("region", name="Size over the film")
    panel.get_by_role("button", name=re.compile("^1")).first.click()
    panel.get_by_label("How it runs on from there").select_option("Swell")
    server.until(lambda: stops(server, "markers", "size")[0]["ease"]["x1"] == 0.6)
    seek(page, 10)
    panel.get_by_role("button", name="Again here").click()
    server.until(lambda: len(stops(server, "markers", "size")) == 3)
    # By keys alone: the stop is moved with arrows and taken out with Delete.
    stop = page.locator(".profile g.stop").nth(1)
    at = film_of(server)["plan"]["courses"][0]["stops"][1]["frame"]
    stop.focus()
    stop.press("ArrowRight")
    server.until(lambda: film_of(server)["plan"]["courses"][0]["stops"][1]["frame"] == at + 1)
    stop.focus()
    stop.press("Delete")
    server.until(lambda: len(stops(server, "markers", "size")) == 2)
    panel.get_by_role("button", name="Change no more").click()
    server.until(lambda: isinstance(film_of(server)["film"]["markers"][0]["look"]["size"], float))
    page.keyboard.press("Control+z")
    server.until(lambda: len(stops(server, "markers", "size")) == 2)
