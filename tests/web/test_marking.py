"""Routes and markers by hand: drawn, tied, moved in time, reversed."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.served import Server
from tests.web.hands import drag, drag_by, drop, film_of, kept, middle

pytestmark = pytest.mark.browser


def test_a_mark_in_a_hand_goes_with_it_and_one_along_a_route_stays_there(server: Server, film: Page) -> None:
    page, sheet, waiting = film, film_of(server), []
    marks = {
        "routes": {"id": "way", "name": "Way", "points": [{"x": 500, "y": 300}, {"x": 1100, "y": 300}]},
        "labels": {"name": "Along", "text": "Along", "stands": "route", "route": "way"},
        "markers": {"name": "Ring", "x": 700, "y": 600},
    }
    steps = [{"op": "add", "path": f"/{kind}/-", "value": mark} for kind, mark in marks.items()]
    headers = {"If-Match": f'"{sheet["revision"]}"'}
    server.client.patch(f"/api/films/{sheet['id']}", json=steps, headers=headers).raise_for_status()
    page.keyboard.press("4")
    page.route(lambda url: "/trials/" in url, lambda route: waiting.append(route))
    for thing, goes in (("g.marker circle.inner", True), ("g.label .tag", False)):
        shown = page.locator(f".chart {thing}")
        expect(shown).to_be_visible()
        x, y = middle(shown)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 40, y + 30, steps=4)
        assert middle(shown) == pytest.approx((x + 40, y + 30) if goes else (x, y), abs=0.6)
        page.keyboard.press("Escape")
        page.mouse.up()
        assert middle(shown) == pytest.approx((x, y), abs=0.6)
    page.unroute_all(behavior="ignoreErrors")


def test_a_line_grows_and_a_marker_waits_for_it(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    page.get_by_role("button", name="Route", exact=True).click()
    x, y = middle(page.locator(".area"))
    for dx, dy in ((-180, 60), (-60, -50), (60, 40), (180, -30)):
        page.mouse.click(x + dx, y + dy)
    page.keyboard.press("Enter")
    server.until(lambda: len(film_of(server)["film"]["routes"]) == 1)
    route = film_of(server)["film"]["routes"][0]
    assert route["draws"]["shown"]
    # A click on the line sets a marker that comes when the line is there.
    page.get_by_role("button", name="Marker", exact=True).click()
    page.mouse.click(x + 60, y + 40)
    server.until(lambda: len(film_of(server)["film"]["markers"]) == 1)
    sheet = film_of(server)
    assert sheet["film"]["markers"][0]["starts"]["on"] == "route"
    start = sheet["plan"]["marks"][0]["start"]
    assert 0 < start < 150
    expect(page.get_by_label("Comes when")).to_have_value(f"r:{route['id']}:near")
    # A slower line brings it later, and it is seen in the viewfinder from then on.
    page.locator(".details button", has_text="Route 1").click()
    whole = page.get_by_label("The whole way in, s")
    whole.fill("3")
    whole.press("Enter")
    server.until(lambda: film_of(server)["plan"]["marks"][0]["start"] < start)
    # Reversed in one act, it comes from the other end; undone in one.
    now = film_of(server)["plan"]["marks"][0]["start"]
    page.get_by_role("button", name="Reverse").click()
    server.until(lambda: film_of(server)["plan"]["marks"][0]["start"] != now)
    page.keyboard.press("Control+z")
    server.until(lambda: film_of(server)["plan"]["marks"][0]["start"] == now)
    # Its bar is dragged: it hangs on the line still, so many frames later.
    drag_by(page, page.locator(".lanes .bar.marker rect"), 40, 0)
    kept(page, "Move in time")
    tie = film_of(server)["film"]["markers"][0]["starts"]
    assert tie["on"] == "route"
    assert tie["offset"] > 0
    # A double click on the line makes a point; a circle of ties is refused in words.
    page.mouse.dblclick(x, y - 5)
    page.locator(".details button", has_text="Route 1").click()
    page.get_by_label("Sets out when").select_option("m:" + film_of(server)["film"]["markers"][0]["id"] + ":starts")
    expect(page.get_by_role("alert")).to_contain_text("in a circle")
    page.get_by_role("button", name="Remove").click()
    server.until(lambda: film_of(server)["film"]["routes"] == [])
    assert film_of(server)["film"]["markers"][0]["starts"]["on"] == "film"


def test_a_gpx_file_is_dropped_and_its_line_carries_a_traveller(server: Server, page: Page, tmp_path: Path) -> None:
    film = server.client.post("/api/films", json={}).json()
    steps = [{"op": "replace", "path": "/ground/kind", "value": "mercator"}]
    server.client.patch(f"/api/films/{film['id']}", json=steps, headers={"If-Match": f'"{film["revision"]}"'})
    page.goto(server.url)
    expect(page.get_by_text("No imagery yet")).to_be_visible()
    points = "".join(
        f'<rtept lat="{2 + k / 50}" lon="{4 + k % 7 / 30}">{"<name>Quay</name>" if k == 20 else ""}</rtept>'
        for k in range(60)
    )
    (tmp_path / "ferry.gpx").write_text(f"<gpx><rte><name>Ferry</name>{points}</rte></gpx>")
    drop(page, tmp_path / "ferry.gpx")
    expect(page.get_by_label("Name of the route")).to_have_value("Ferry")
    route = film_of(server)["film"]["routes"][0]
    assert [point["stop"] for point in route["points"] if point["stop"]] == ["Quay"]
    page.get_by_label("Traveller", exact=True).check(force=True)
    page.get_by_label("What travels").select_option("ferry")
    server.until(lambda: (film_of(server)["film"]["routes"][0]["traveller"] or {}).get("symbol") == "ferry")
    (tmp_path / "bad.gpx").write_text("<gpx></gpx>")
    drop(page, tmp_path / "bad.gpx")
    expect(page.get_by_role("alert")).to_contain_text("no way in it")
    assert len(film_of(server)["film"]["routes"]) == 1


def test_a_file_of_many_things_is_listed_and_what_is_ticked_is_laid_in_one_edit(
    server: Server, film: Page, tmp_path: Path
) -> None:
    page = film
    steps = [{"op": "replace", "path": "/ground/kind", "value": "mercator"}]
    sheet = film_of(server)
    server.client.patch(f"/api/films/{sheet['id']}", json=steps, headers={"If-Match": f'"{sheet["revision"]}"'})
    page.reload()
    square = [[[0.1 * k, 1], [0.1 * k + 0.05, 1], [0.1 * k, 1.1], [0.1 * k, 1]] for k in range(3)]
    features = [
        {"type": "Feature", "properties": {"NAME": f"Land {k}"}, "geometry": {"type": "Polygon", "coordinates": [ring]}}
        for k, ring in enumerate(square)
    ]
    for name, geometry in (
        ("Ferry", {"type": "LineString", "coordinates": [[0, 0], [1, 1], [2, 1]]}),
        ("Quay", {"type": "Point", "coordinates": [0.4, 0.4]}),
    ):
        features.append({"type": "Feature", "properties": {"name": name}, "geometry": geometry})
    (tmp_path / "all.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": features}))
    expect(page.locator(".details .number").first).to_have_text("1")
    drop(page, tmp_path / "all.geojson")
    contents = page.get_by_role("region", name="Contents of a file")
    expect(contents).to_contain_text("1 way, 1 place, 3 outlines")
    # While another film is open it is out of the way, and nothing of it can be laid there.
    page.locator("button.film").click()
    page.get_by_label("Name of the new film").fill("Another")
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_label("Name of the new film")).to_have_count(0)
    expect(page.locator("button.film")).to_contain_text("Another")
    expect(contents).to_have_count(0)
    page.locator("button.film").click()
    page.get_by_role("button", name=f"Open {sheet['film']['name']}").click()
    expect(page.get_by_label("Name of the new film")).to_have_count(0)
    contents.get_by_label("Find in the file").fill("land 1")
    contents.get_by_label("All found").uncheck()
    contents.get_by_role("button", name="Lay 4 of 5").click()
    server.until(lambda: len(film_of(server)["film"]["routes"]) == 1)
    laid = film_of(server)["film"]
    assert [region["name"] for region in laid["regions"]] == ["Land 0", "Land 2"]
    assert [one["name"] for one in (*laid["markers"], *laid["labels"])] == ["Quay", "Quay"]
    expect(contents).to_have_count(0)
    page.keyboard.press("Control+z")
    server.until(lambda: film_of(server)["film"]["regions"] == [])


def test_names_share_a_style_and_one_change_is_one_undo(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    x, y = middle(page.locator(".area"))
    for k, (dx, dy) in enumerate(((-160, -60), (20, 30), (150, -20))):
        page.get_by_role("button", name="Label", exact=True).click()
        page.mouse.click(x + dx, y + dy)
        server.until(lambda k=k: len(film_of(server)["film"]["labels"]) == k + 1)
        text = page.get_by_label("Text of the label")
        text.fill(f"Place {k}")
        text.press("Enter")
        server.until(lambda k=k: film_of(server)["film"]["labels"][k]["text"] == f"Place {k}")
    # It is called by what it says.
    assert [label["name"] for label in film_of(server)["film"]["labels"]] == ["Place 0", "Place 1", "Place 2"]
    page.get_by_role("radio", name="Letters").click()
    page.get_by_label("Font", exact=True).select_option("Lato")
    server.until(lambda: film_of(server)["film"]["labels"][2]["look"]["family"] == "Lato")
    page.get_by_label("Style", exact=True).select_option("new")
    page.get_by_role("radio", name="The style (1)").wait_for()
    style = film_of(server)["film"]["styles"][0]["id"]
    # The others take it up; then one number changes all of them, and one undo takes it back.
    page.get_by_role("button", name="Same for all labels").click()
    server.until(lambda: {label["style"] for label in film_of(server)["film"]["labels"]} == {style})
    page.get_by_role("radio", name="The style (3)").click()
    size = page.get_by_label("Size, px")
    size.fill("70")
    size.press("Enter")

    def sizes() -> set[float]:
        return {mark["look"]["size"] for mark in film_of(server)["plan"]["marks"]}

    server.until(lambda: sizes() == {70})
    page.keyboard.press("Control+z")
    server.until(lambda: sizes() == {46})
    # One of its own, and back.
    page.get_by_role("radio", name="This label alone").click()
    size.fill("30")
    size.press("Enter")
    server.until(lambda: sizes() == {46, 30})
    page.get_by_role("button", name="size ×").click()
    server.until(lambda: sizes() == {46})
    # So is how they come, where it is told to be the style's.
    page.get_by_role("radio", name="Time").click()
    page.get_by_role("radio", name="The style (3)").click()
    page.get_by_label("How it comes").select_option("wipe")
    server.until(lambda: [mark["comes"]["how"] for mark in film_of(server)["plan"]["marks"]] == ["wipe"] * 3)
    page.get_by_role("radio", name="This label alone").click()
    page.get_by_label("How it comes").select_option("cut")
    server.until(lambda: [mark["comes"]["how"] for mark in film_of(server)["plan"]["marks"]] == ["wipe", "wipe", "cut"])
    page.keyboard.press("Control+z")
    server.until(lambda: film_of(server)["plan"]["marks"][2]["comes"]["how"] == "wipe")
    page.get_by_role("radio", name="Letters").click()
    # An empty text is refused in words, and nothing is lost.
    text = page.get_by_label("Text of the label")
    text.fill("  ")
    text.blur()
    expect(page.get_by_role("alert")).to_contain_text("A label needs a text")
    assert film_of(server)["film"]["labels"][2]["text"] == "Place 2"


def test_a_region_and_a_circle_are_drawn_pulled_and_flash(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    x, y = middle(page.locator(".area"))
    page.get_by_role("button", name="Region", exact=True).click()
    for dx, dy in ((-120, -60), (60, -70), (70, 60), (-110, 50)):
        page.mouse.click(x + dx, y + dy)
    page.keyboard.press("Enter")
    server.until(lambda: len(film_of(server)["film"]["regions"]) == 1)
    region = film_of(server)["film"]["regions"][0]
    assert len(region["rings"][0]) == 4
    drag_by(page, page.locator(".chart .grip rect").first, -40, -30)
    kept(page, "Move a corner")
    moved = film_of(server)["film"]["regions"][0]["rings"][0]
    assert moved[0] != region["rings"][0][0]
    assert moved[1:] == region["rings"][0][1:]
    page.get_by_label("The rest", exact=True).select_option("grey")
    server.until(lambda: film_of(server)["film"]["regions"][0]["look"]["rest"] == "grey")
    flashes = page.get_by_label("Flashes, times")
    flashes.fill("3")
    flashes.press("Enter")
    server.until(lambda: film_of(server)["film"]["regions"][0]["flashes"] == 3)
    page.get_by_role("button", name="Circle", exact=True).click()
    drag(page, (x + 150, y + 90), (x + 190, y + 90))
    server.until(lambda: len(film_of(server)["film"]["regions"]) == 2)
    radius = film_of(server)["film"]["regions"][1]["circle"]["radius"]
    drag_by(page, page.locator(".chart .grip rect").first, 20, 0)
    kept(page, "Radius")
    assert film_of(server)["film"]["regions"][1]["circle"]["radius"] == pytest.approx(radius * 1.5, rel=0.1)
    page.keyboard.press("Control+d")
    server.until(lambda: len(film_of(server)["film"]["regions"]) == 3)
    page.keyboard.press("Delete")
    server.until(lambda: len(film_of(server)["film"]["regions"]) == 2)


def test_a_stop_is_one_act_and_a_plate_is_uncovered_along_the_way(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    page.keyboard.press("r")
    x, y = middle(page.locator(".area"))
    for dx, dy in ((-180, 60), (-60, -50), (60, 40), (180, -30)):
        page.mouse.click(x + dx, y + dy)
    page.keyboard.press("Enter")
    server.until(lambda: len(film_of(server)["film"]["routes"]) == 1)
    revision = film_of(server)["revision"]
    page.keyboard.down("Shift")
    page.mouse.dblclick(x, y - 5)
    page.keyboard.up("Shift")

    def stops() -> list[str]:
        return [point["stop"] for point in film_of(server)["film"]["routes"][0]["points"] if point["stop"]]

    server.until(lambda: stops() == ["Stop 1"])
    page.keyboard.press("Control+z")
    server.until(lambda: stops() == [])
    assert len(film_of(server)["film"]["routes"][0]["points"]) == 4
    page.keyboard.press("Control+Shift+z")
    server.until(lambda: stops() == ["Stop 1"])
    assert film_of(server)["revision"] == revision + 1
    # The close plate appears along it.
    page.keyboard.press("2")
    page.locator(".stack .row, .stack button", has_text="Close").first.click()
    page.get_by_role("radio", name="Picture").click()
    page.get_by_label("How it is uncovered in the film").select_option("route")
    server.until(lambda: (film_of(server)["film"]["plates"][1]["reveal"] or {}).get("how") == "route")
    page.get_by_label("How it is uncovered in the film").select_option("wipe")
    direction = page.get_by_label("Runs towards, °")
    direction.fill("180")
    direction.press("Enter")
    server.until(lambda: film_of(server)["film"]["plates"][1]["reveal"]["direction"] == 180)
    page.get_by_label("How it is uncovered in the film").select_option("none")
    server.until(lambda: film_of(server)["film"]["plates"][1]["reveal"] is None)
    # So does a label.
    page.keyboard.press("4")
    page.get_by_role("button", name="Label", exact=True).click()
    page.mouse.click(x - 100, y - 120)
    server.until(lambda: len(film_of(server)["film"]["labels"]) == 1)
    page.get_by_role("radio", name="Time").click()
    page.get_by_label("How it is uncovered in the film").select_option("route")
    server.until(lambda: (film_of(server)["film"]["labels"][0]["reveal"] or {}).get("how") == "route")
    page.keyboard.press("Control+z")
    server.until(lambda: film_of(server)["film"]["labels"][0]["reveal"] is None)


def test_texts_are_dragged_in_the_grown_viewfinder_and_several_marks_set_at_once(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("4")
    x, y = middle(page.locator(".area"))
    for k in range(2):
        page.get_by_role("button", name="Label", exact=True).click()
        page.mouse.click(x - 40 + 80 * k, y)
        server.until(lambda k=k: len(film_of(server)["film"]["labels"]) == k + 1)
    page.get_by_label("Stands").select_option("frame")
    server.until(lambda: film_of(server)["film"]["labels"][1]["stands"] == "frame")
    page.keyboard.press("Escape")
    page.locator("h2", has_text="Chart").click()
    page.keyboard.press("v")
    title = page.locator(".viewfinder polygon.on")
    expect(title).to_be_visible()
    box = page.locator(".viewfinder canvas").bounding_box()
    assert box["width"] > 500
    before = film_of(server)["film"]["labels"][1]
    drag_by(page, title, 60, -50)
    kept(page, "Move label")
    after = film_of(server)["film"]["labels"][1]
    assert after["u"] - before["u"] == pytest.approx(60 / box["width"], abs=0.01)
    assert after["v"] - before["v"] == pytest.approx(-50 / box["height"], abs=0.01)
    # Back in its corner; both are chosen, and get a size together.
    page.keyboard.press("v")
    page.locator(".details .row .pick").nth(0).click()
    page.locator(".details .row .pick").nth(1).click(modifiers=["Control"])
    expect(page.get_by_text("2 chosen")).to_be_visible()
    page.get_by_role("radio", name="Letters", exact=True).click()
    size = page.get_by_label("Size, px", exact=True)
    size.fill("61")
    size.press("Enter")
    server.until(lambda: [one["look"]["size"] for one in film_of(server)["film"]["labels"]] == [61, 61])
    page.keyboard.press("Delete")
    server.until(lambda: film_of(server)["film"]["labels"] == [])
    page.keyboard.press("Control+z")
    server.until(lambda: len(film_of(server)["film"]["labels"]) == 2)
