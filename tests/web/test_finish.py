"""The finish by hand: depth of field switched on, focus picked in the picture, lamps hung on the chart, effects left
out of sight, all of it undone."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.served import Server
from tests.web.hands import drag, drag_by, film_of, kept, middle, until

pytestmark = pytest.mark.browser


def finish(server: Server) -> dict:
    return film_of(server)["film"]["finish"]


def test_focus_is_picked_in_the_picture_and_goes_over_while_the_camera_flies(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    page.get_by_role("checkbox", name="Depth in the film").check()
    server.until(lambda: finish(server)["lens"]["on"])
    expect(page.get_by_text("Widest blur here")).to_be_visible()
    # What is clicked in the picture is sharp; the next click picks nothing any more.
    page.keyboard.press("f")
    box = page.locator(".viewfinder canvas").bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] * 0.75, box["y"] + box["height"] * 0.75)
    server.until(lambda: finish(server)["lens"]["focus"].get("on") == "place")
    picked = finish(server)["lens"]["focus"]
    # The first vantage shows 1,400 of the ground about (800, 450), straight down.
    assert picked["x"] == pytest.approx(800 + 350, abs=8)
    assert picked["y"] == pytest.approx(450 - 1400 * 9 / 16 / 4, abs=8)
    # From here on it goes over: a second focus is a stop of its own, and both stand in a lane.
    page.get_by_role("button", name="Let it go over").click()
    server.until(lambda: "stops" in finish(server)["lens"]["focus"])
    page.keyboard.press("End")
    page.get_by_role("radio", name="Target", exact=True).click()
    server.until(lambda: len(finish(server)["lens"]["focus"].get("stops", [])) == 2)
    expect(page.get_by_role("button", name="Stop 2 of Focus")).to_be_visible()
    # The new one is chosen; it is a distance, and no colour.
    panel = page.get_by_role("region", name="Focus over the film")
    expect(panel.locator("li.on")).to_contain_text("the target, ")
    expect(panel.locator("input[type=color]")).to_have_count(0)
    # A number is dragged as any other, and undo takes all of it back.
    stop = page.get_by_label("F-number", exact=True)
    stop.fill("1.4")
    stop.press("Enter")
    server.until(lambda: finish(server)["lens"]["f_number"] == 1.4)
    for _ in range(5):
        page.keyboard.press("Control+z")
    server.until(lambda: not finish(server)["lens"]["on"])


def test_the_plane_of_focus_is_pulled_over_the_ground_in_the_picture(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    page.get_by_role("checkbox", name="Depth in the film").check()
    server.until(lambda: finish(server)["lens"]["on"])
    page.keyboard.press("ArrowDown")
    grab = page.locator(".viewfinder line.grab")
    expect(grab).to_have_count(1)
    x, y = middle(grab)
    drag(page, (x, y), (x + 4, y + 40))
    kept(page, "Focus")
    pulled = finish(server)["lens"]["focus"]
    assert pulled["on"] == "place"
    # Lower in the picture is nearer to the camera, which looks from the south-west: against its heading of 30 degrees.
    target = film_of(server)["film"]["vantages"][1]
    back = (pulled["x"] - target["x"]) * np.sin(np.pi / 6) + (pulled["y"] - target["y"]) * np.cos(np.pi / 6)
    assert -150 < back < -10
    # The line lies where it was let go, so that it can be taken up again.
    server.until(lambda: abs(middle(grab)[1] - y - 40) < 3)
    page.keyboard.press("Control+z")
    server.until(lambda: finish(server)["lens"]["focus"].get("on") == "target")


def test_a_name_that_is_clicked_is_focused_on_before_the_ground_behind_it(server: Server, film: Page) -> None:
    page, sheet = film, film_of(server)
    label = {"id": "n", "text": "Quay", "x": 800, "y": 450, "sits": "over", "comes": {"how": "cut"}}
    steps = [
        {"op": "add", "path": "/labels/-", "value": label},
        {"op": "replace", "path": "/vantages/0/tilt", "value": 40},
    ]
    headers = {"If-Match": f'"{sheet["revision"]}"'}
    assert server.client.patch(f"/api/films/{sheet['id']}", json=steps, headers=headers).status_code == 200
    until(page, "document.body.innerText.includes('1 mark')")
    page.keyboard.press("5")
    page.keyboard.press("f")
    page.locator(".viewfinder polygon[data-mark=n]").click()
    server.until(lambda: finish(server)["lens"]["focus"].get("on") == "mark")
    assert finish(server)["lens"]["focus"]["mark"] == "n"
    # The plane of focus is drawn on the chart, too.
    expect(page.locator(".chart line.focus")).to_have_count(1)


def test_lamps_hang_where_one_clicks_and_burn_as_far_as_one_drags(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    page.get_by_role("button", name="Add a lamp").click()
    x, y = middle(page.locator(".chart .area"))
    page.mouse.click(x + 20, y)
    server.until(lambda: len(film_of(server)["film"]["lamps"]) == 1)
    # Night falls with the first one, so that it is seen.
    assert finish(server)["dusk"]["on"]
    expect(page.get_by_label("Name of the lamp")).to_have_value("Lamp 1")
    reach = film_of(server)["film"]["lamps"][0]["look"]["reach"]
    drag_by(page, page.locator(".chart g.grip rect"), 25, 0)
    kept(page, "Reach")
    assert film_of(server)["film"]["lamps"][0]["look"]["reach"] > reach
    page.get_by_role("button", name="Add a deck").click()
    server.until(lambda: len(film_of(server)["film"]["decks"]) == 1)
    expect(page.get_by_label("Name of the deck")).to_have_value("Deck 1")
    page.keyboard.press("Delete")
    server.until(lambda: film_of(server)["film"]["decks"] == [])


def test_lamps_and_marks_are_set_in_the_picture_as_on_the_chart(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    page.get_by_role("button", name="Add a lamp").click()
    x, y = middle(page.locator(".viewfinder canvas"))
    wide = page.locator(".viewfinder canvas").bounding_box()["width"]
    # The first vantage shows 1,400 of the ground about (800, 450), straight down.
    page.mouse.click(x + wide / 4, y)
    server.until(lambda: len(film_of(server)["film"]["lamps"]) == 1)
    lamp = film_of(server)["film"]["lamps"][0]
    assert (lamp["x"], lamp["y"]) == pytest.approx((1150, 450), abs=5)
    # A name that is set on a sign in the picture belongs to that.
    page.keyboard.press("4")
    for tool, sets in (("Marker", "markers"), ("Label", "labels")):
        page.get_by_role("button", name=tool, exact=True).click()
        if tool == "Label":
            page.locator(".viewfinder polygon[data-mark]").first.click()
        else:
            x, y = middle(page.locator(".viewfinder canvas"))
            page.mouse.click(x, y + 30)
        server.until(lambda sets=sets: len(film_of(server)["film"][sets]) == 1)
    marker, label = film_of(server)["film"]["markers"][0], film_of(server)["film"]["labels"][0]
    assert marker["x"] == pytest.approx(800, abs=5)
    assert (label["x"], label["y"]) == (marker["x"], marker["y"])
    assert label["starts"] == {"on": "mark", "offset": 0, "mark": marker["id"], "edge": "starts"}


def test_effects_are_left_out_of_sight_and_stay_in_the_film(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    page.get_by_role("checkbox", name="Dusk in the film").check()
    server.until(lambda: finish(server)["dusk"]["on"])

    def bright() -> float:
        return page.evaluate(
            "(() => { const c = document.querySelector('.viewfinder canvas'); if (!c.width) return -1;"
            " const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let s = 0;"
            " for (let k = 0; k < d.length; k += 4) s += d[k] + d[k + 1] + d[k + 2]; return s / d.length; })()"
        )

    server.until(lambda: 0 <= bright() < 60)
    night = bright()
    page.get_by_role("button", name="Leave Dusk out of the picture here").click()
    server.until(lambda: bright() > night * 1.5)
    assert finish(server)["dusk"]["on"]
    # It is remembered by the page, and all of them come back with one key.
    page.reload()
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Finish").click()
    expect(page.get_by_role("button", name="1 left out")).to_be_visible()
    page.keyboard.press("e")
    expect(page.get_by_role("button", name="All seen")).to_be_visible()
    server.until(lambda: bright() < night * 1.2)


def test_a_film_is_graded_and_its_contrast_changes_while_it_runs(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    for name in ("Grade", "Vignette", "Grain", "Bars"):
        page.get_by_role("checkbox", name=f"{name} in the film").check()
        server.until(lambda name=name: finish(server)[name.lower()]["on"])
    page.get_by_role("button", name="Bars").first.click()
    page.get_by_role("radio", name="By the ratio").click()
    server.until(lambda: finish(server)["bars"]["by"] == "ratio")
    page.locator("button.face", has_text="Grade").click()
    field = page.get_by_label("Contrast, %", exact=True)
    field.fill("30")
    field.press("Enter")
    server.until(lambda: finish(server)["grade"]["contrast"] == 30)
    page.get_by_role("button", name="Let Contrast change over the film").click()
    server.until(lambda: isinstance(finish(server)["grade"]["contrast"], dict))
    page.keyboard.press("Escape")
    page.keyboard.press("End")
    page.locator("button.face", has_text="Grade").click()
    field.fill("-20")
    field.press("Enter")
    server.until(lambda: len(finish(server)["grade"]["contrast"].get("stops", [])) == 2)
    assert [stop["value"] for stop in finish(server)["grade"]["contrast"]["stops"]] == [30, -20]
    # What others can read of it is a link away.
    expect(page.get_by_role("link", name="Save this frame’s grade as .cube")).to_be_visible()


def test_a_plate_floats_or_shines_or_stands_out_as_land(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("2")
    page.locator(".stack .pick").first.click()
    page.get_by_role("radio", name="Land").click()
    field = page.get_by_role("textbox", name=re.compile("^Stands out by"))
    field.fill("40")
    field.press("Enter")
    server.until(lambda: film_of(server)["film"]["plates"][-1]["raised"] == 40)
    page.get_by_role("radio", name="Picture").click()
    what = page.get_by_label("What the plate is")
    what.select_option("floats")
    server.until(lambda: film_of(server)["film"]["plates"][-1]["role"] == "floats")
    assert film_of(server)["film"]["plates"][-1]["height"] > 10
    what.select_option("lights")
    server.until(lambda: film_of(server)["film"]["plates"][-1]["role"] == "lights")
    assert finish(server)["dusk"]["on"]
    for _ in range(3):
        page.keyboard.press("Control+z")
    server.until(lambda: film_of(server)["film"]["plates"][-1]["raised"] == 0)
    assert film_of(server)["film"]["plates"][-1]["role"] == "film"
