"""A film's whole treatment by hand: a surface tried, a grade with a curve, grain that changes, a look saved and laid on
another film; judged by a split and by scopes."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.served import Server
from tests.web.hands import film_of, middle, open_film

pytestmark = pytest.mark.browser


def finish(server: Server) -> dict:
    return film_of(server)["film"]["finish"]


def put(page: Page, name: str, value: str) -> None:
    field = page.get_by_role("textbox", name=re.compile(f"^{name}"))
    field.fill(value)
    field.press("Enter")


def test_a_treatment_becomes_a_look_and_goes_on_another_film(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    # Paper: the first by a click on its picture, the next by a key.
    page.locator("button.face", has_text="Surface").click()
    page.get_by_role("radio", name="Crumpled").click()
    server.until(lambda: finish(server)["surface"]["on"] and finish(server)["surface"]["kind"] == "crumpled")
    page.keyboard.press("t")
    server.until(lambda: finish(server)["surface"]["kind"] == "linen")
    # Ten materials are made the first time, which takes a while beside other work.
    expect(page.locator(".swatches img")).to_have_count(10, timeout=90_000)
    page.get_by_label("Blend").select_option("soft-light")
    server.until(lambda: finish(server)["surface"]["blend"] == "soft-light")
    # A grade, with a point set and pulled on its curve.
    page.get_by_role("checkbox", name="Grade in the film").check()
    page.get_by_role("radio", name="Light").click()
    put(page, "Contrast", "25")
    server.until(lambda: finish(server)["grade"]["contrast"] == 25)
    page.get_by_role("radio", name="Curves").click()
    curve = page.get_by_role("group", name="Curve")
    curve.click(position={"x": 66, "y": 50})
    server.until(lambda: len(finish(server)["grade"]["curve"]) == 3)
    point = page.get_by_role("slider", name="Point 2 of the curve")
    x, y = middle(point)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 30, steps=4)
    page.mouse.up()
    server.until(lambda: finish(server)["grade"]["curve"][1]["y"] < 0.5)
    point.press("Delete")
    server.until(lambda: len(finish(server)["grade"]["curve"]) == 2)
    # Grain that grows over the film, and bars.
    page.get_by_role("checkbox", name="Grain in the film").check()
    server.until(lambda: finish(server)["grain"]["on"])
    page.get_by_role("button", name="Let Strength change over the film").click()
    server.until(lambda: isinstance(finish(server)["grain"]["strength"], dict))
    page.keyboard.press("Escape")
    page.keyboard.press("End")
    page.locator("button.face", has_text="Grain").click()
    put(page, "Strength", "9")
    server.until(lambda: len(finish(server)["grain"]["strength"].get("stops", [])) == 2)
    page.get_by_role("checkbox", name="Bars in the film").check()
    server.until(lambda: finish(server)["bars"]["on"])
    # Saved by its name.
    page.locator("button.face", has_text="Look").click()
    page.get_by_label("Name of the look").fill("Evening mail")
    page.get_by_role("button", name="Save as a look").click()
    server.until(lambda: finish(server)["look"]["name"] == "Evening mail")
    expect(page.get_by_role("radio", name="Evening mail")).to_be_checked()
    whole = finish(server)
    # On another film it is one click, and one number makes all of it weaker.
    vantages = [{"x": 0, "y": 0, "span": 100, "hold": 4}]
    made = server.client.post("/api/films", json={"name": "Second", "width": 640, "height": 360, "rate": "25"}).json()
    server.client.patch(
        f"/api/films/{made['id']}",
        json=[{"op": "replace", "path": "/vantages", "value": vantages}],
        headers={"If-Match": server.client.get(f"/api/films/{made['id']}").headers["ETag"]},
    ).raise_for_status()
    open_film(page, server, made["id"])
    expect(page.get_by_role("button", name="Second")).to_be_visible()
    page.keyboard.press("5")
    page.locator("button.face", has_text="Look").click()
    page.get_by_role("radio", name="Evening mail").click()
    server.until(lambda: finish(server)["surface"]["kind"] == "linen" and finish(server)["bars"]["on"])
    now = finish(server)
    assert now["grade"]["contrast"] == 25
    assert len(now["grain"]["strength"]["stops"]) == 2
    assert now["surface"] == whole["surface"]
    put(page, "Strength", "40")
    server.until(lambda: finish(server)["look"]["strength"] == pytest.approx(0.4))
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    server.until(lambda: not finish(server)["surface"]["on"])


def test_a_finish_is_judged_by_a_split_and_by_scopes(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("5")
    page.get_by_role("checkbox", name="Grade in the film").check()
    page.get_by_role("radio", name="Colour").click()
    put(page, "Black and white", "100")
    server.until(lambda: finish(server)["grade"]["grey"] == 1)

    def colourful(side: str) -> float:
        """How far from grey half of the picture is on average."""
        begins = "0" if side == "left" else "c.width / 2 + 8"
        return page.evaluate(
            f"(() => {{ const c = document.querySelector('.viewfinder canvas'); if (!c.width) return 0;"
            f" const d = c.getContext('2d').getImageData({begins}, 0, c.width / 2 - 8, c.height).data; let s = 0;"
            " for (let k = 0; k < d.length; k += 4) s += Math.abs(d[k] - d[k + 2]); return s / (d.length / 4); })()"
        )

    server.until(lambda: colourful("right") < 3)
    page.keyboard.press("s")
    line = page.get_by_role("slider", name="Where the finish ends")
    expect(line).to_be_visible()
    for _ in range(6):
        line.press("ArrowLeft")
    server.until(lambda: colourful("right") > 8 and colourful("left") < 3)
    page.get_by_role("checkbox", name="Split").uncheck()
    server.until(lambda: colourful("right") < 3)
    for kind in ("waveform", "vectors", "histogram"):
        page.get_by_label("What is shown here").select_option(kind)
        picture = page.get_by_role("img", name="What the frame’s colours measure")
        expect(picture).to_be_visible()
    expect(page.get_by_text(re.compile("% black"))).to_be_visible()
    page.get_by_label("What is shown here").select_option("section")
    expect(page.get_by_role("radiogroup", name="Focus on")).to_be_visible()
