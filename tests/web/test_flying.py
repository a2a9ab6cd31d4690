"""Choreography by hand: manners, retiming, free flight, recipes, many vantages."""

from __future__ import annotations

import re
import time
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.formats.test_tour import flight
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import drag, drag_by, drop, film_of, kept, middle, open_film, pick, until, vantage
from yaila.core.film import Duration, Film, Passage, Vantage, choreograph
from yaila.formats.handover.tour import tour_text
from yaila.store import Store

pytestmark = pytest.mark.browser


def count(server: Server) -> int:
    return len(film_of(server)["film"]["vantages"])


def test_a_frame_is_drawn_moved_stepped_retimed_undone_and_redone(server: Server, film: Page) -> None:
    page = film
    # Down to where each plate is sharp stands beside the profile.
    expect(page.locator(".profile .limitname", has_text="Wide")).to_be_visible()
    begun = film_of(server)["film"]
    # A frame is drawn, and dragged to another island.
    page.get_by_role("button", name="Vantage", exact=True).click()
    x, y = middle(page.locator(".area"))
    drag(page, (x - 120, y - 40), (x - 20, y + 30))
    server.until(lambda: count(server) == 4)
    drag_by(page, page.locator(".badge.selected .plaque"), 160, 60)
    kept(page, "Move vantage")
    # Two more, and Steps between.
    page.get_by_role("button", name="Vantage here").click()
    server.until(lambda: count(server) == 5)
    page.get_by_role("button", name="Vantage at playhead").click()
    server.until(lambda: count(server) == 6)
    pick(page, "All")
    page.get_by_role("radio", name="Steps").click()
    kept(page, "Manner steps")
    assert vantage(server, 0)["passage"]["manner"] == {"kind": "steps", "count": 3, "rest": 20.0}
    expect(page.get_by_label("Rests between, frames")).to_have_value("20")
    before = film_of(server)["plan"]["vantages"][1]["start"]
    drag_by(page, page.locator(".profile .post.span").nth(1).locator(".stub"), 40, 0)
    kept(page, "Retime or span")
    assert film_of(server)["plan"]["vantages"][1]["start"] > before
    # Without ripple only this one arrival moves.
    plan = film_of(server)["plan"]
    page.get_by_label("Ripple").uncheck(force=True)
    drag_by(page, page.locator(".profile .post.span").nth(1).locator(".stub"), -20, 0)
    server.until(lambda: film_of(server)["plan"]["vantages"][1]["start"] < plan["vantages"][1]["start"])
    assert film_of(server)["plan"]["vantages"][2]["start"] == plan["vantages"][2]["start"]

    done = film_of(server)["film"]
    for _ in range(7):
        page.get_by_role("button", name="Undo").click()
    expect(page.get_by_title("Nothing to undo")).to_be_visible()
    assert film_of(server)["film"] == begun
    for _ in range(7):
        page.get_by_role("button", name="Redo").click()
    expect(page.get_by_title("Nothing to redo")).to_be_visible()
    assert film_of(server)["film"] == done


def test_what_is_held_goes_with_the_hand_before_the_server_answers(server: Server, film: Page) -> None:
    page, waiting = film, []
    pick(page, "Cove")
    badge, frame = page.locator(".badge.selected .plaque"), page.locator("polygon.frame.selected").last
    (x, y), at = middle(badge), middle(frame)
    page.route(lambda url: "/trials/" in url, lambda route: waiting.append(route))
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 50, y - 20, steps=5)
    # Nothing is answered yet, and all that belongs to it is under the hand.
    assert middle(badge) == pytest.approx((x + 50, y - 20), abs=0.6)
    assert middle(frame) == pytest.approx((at[0] + 50, at[1] - 20), abs=0.6)
    page.mouse.move(x + 80, y, steps=2)
    # Nor does it jump when the answer to an earlier place comes.
    assert len(waiting) == 1
    with page.expect_response(lambda answer: "/trials/" in answer.url):
        waiting.pop().continue_()
    page.wait_for_timeout(300)
    assert middle(badge) == pytest.approx((x + 80, y), abs=0.6)
    page.unroute_all(behavior="ignoreErrors")
    page.mouse.up()
    kept(page, "Move vantage")
    expect(page.locator(".badge.selected")).not_to_have_attribute("style", re.compile("."))
    assert middle(badge) == pytest.approx((x + 80, y), abs=0.6)
    # Let go of with Escape, it is back.
    page.mouse.move(*middle(badge))
    page.mouse.down()
    page.mouse.move(x + 20, y, steps=3)
    page.keyboard.press("Escape")
    page.mouse.up()
    assert middle(badge) == pytest.approx((x + 80, y), abs=0.6)


def test_the_camera_is_flown_freely_and_kept(server: Server, film: Page) -> None:
    page = film
    canvas = page.locator(".picture canvas")
    drag_by(page, canvas, 60, 30)
    expect(page.get_by_role("button", name="Keep as a vantage")).to_be_visible()
    expect(page.locator(".viewfinder .sub")).to_contain_text("flying")
    assert film_of(server)["undo"] is None
    canvas.press("r")
    canvas.press("e")
    page.mouse.move(*middle(canvas))
    page.mouse.wheel(0, -300)
    page.wait_for_timeout(300)
    canvas.press("Enter")
    server.until(lambda: count(server) == 4)
    made = vantage(server, 1)
    # Panned to the right shows what lies to the left.
    assert made["x"] < 800
    assert made["tilt"] == pytest.approx(3, abs=1e-6)
    assert made["heading"] == pytest.approx(3, abs=1e-6)
    assert made["span"] < 1400
    expect(page.get_by_role("button", name="Keep as a vantage")).to_have_count(0)
    # Escape leaves no trace.
    drag_by(page, canvas, 40, 0)
    expect(page.get_by_role("button", name="Keep as a vantage")).to_be_visible()
    canvas.press("Escape")
    expect(page.locator(".viewfinder .sub")).to_contain_text("on vantage")
    assert count(server) == 4


def test_a_route_is_drawn_for_a_passage_and_followed(server: Server, film: Page) -> None:
    page = film
    page.get_by_role("radio", name="Follow").click()
    expect(page.get_by_role("alert")).to_contain_text("no route to follow yet")
    x, y = middle(page.locator(".area"))
    for dx, dy in ((-150, 40), (-40, -60), (80, 30), (180, -20)):
        page.mouse.click(x + dx, y + dy)
    page.keyboard.press("Enter")
    server.until(lambda: vantage(server, 0)["passage"]["manner"]["kind"] == "follow")
    route = film_of(server)["film"]["routes"][0]
    assert len(route["points"]) == 4
    # One of its points is dragged; the passage goes along.
    page.mouse.click(x - 40, y - 60)
    expect(page.get_by_label("Name of the route")).to_have_value(route["name"])
    way = film_of(server)["plan"]["passages"][0]["path"]
    drag_by(page, page.locator("circle.reach").nth(1), 0, -50)
    kept(page, "Move a point")
    assert film_of(server)["plan"]["passages"][0]["path"] != way
    page.get_by_role("button", name="Remove").click()
    server.until(lambda: vantage(server, 0)["passage"]["manner"]["kind"] == "glide")


def test_extras_speed_and_time_are_set_in_the_sheet(server: Server, film: Page) -> None:
    page = film
    page.get_by_role("radio", name="Extras").click()
    page.get_by_label("Breathe").check(force=True)
    kept(page, "Breathe")
    push = page.get_by_label("Push in, %")
    push.fill("9")
    push.press("Enter")
    server.until(lambda: (vantage(server, 0)["breath"] or {}).get("push") == 9)
    page.get_by_label("Opening twist").check(force=True)
    server.until(lambda: (film_of(server)["film"]["opening"] or {}).get("frames") == 10)
    page.get_by_role("radio", name="Passage").click()
    page.get_by_role("button", name="Draw its speed").click()
    server.until(lambda: len(vantage(server, 0)["passage"]["ease"]["speed"]) == 7)
    drag_by(page, page.locator(".pace .point circle.reach").nth(3), 0, 14)
    kept(page, "Draw speed")
    page.get_by_role("radio", name="Time").click()
    seconds = film_of(server)["plan"]["seconds"]
    page.get_by_role("button", name="80 %").click()
    server.until(lambda: abs(film_of(server)["plan"]["seconds"] - seconds * 0.8) < 0.2)
    page.get_by_label("Locked").check(force=True)
    server.until(lambda: film_of(server)["film"]["length"] is not None)
    length = film_of(server)["plan"]["frames"]
    page.get_by_role("radio", name="Passage").click()
    page.get_by_role("radio", name="Natural").click()
    kept(page, "Duration")
    assert film_of(server)["plan"]["frames"] == length


def test_a_recipe_is_previewed_and_built(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("Control+a")
    page.get_by_role("radio", name="Recipes").click()
    page.get_by_role("radio", name="Island hops").click()
    page.get_by_role("button", name="3 chosen").click()
    expect(page.locator(".preview img")).to_have_count(6)
    until(page, "[...document.querySelectorAll('.preview img')].every((one) => one.naturalWidth > 50)")
    page.get_by_role("button", name="Instead of all vantages").click()
    server.until(lambda: [v["passage"]["manner"]["kind"] for v in film_of(server)["film"]["vantages"]] == ["hop"] * 3)
    page.keyboard.press("Control+z")
    server.until(lambda: film_of(server)["film"]["vantages"][0]["name"] == "All")


def test_several_vantages_are_copied_pasted_moved_and_deleted(server: Server, film: Page) -> None:
    page = film
    pick(page, "Bend")
    page.locator(".profile .vantage").nth(2).click(modifiers=["Shift"])
    expect(page.get_by_text("2 chosen", exact=True)).to_be_visible()
    page.keyboard.press("Control+c")
    page.keyboard.press("Control+v")
    server.until(lambda: count(server) == 5)
    assert [v["name"] for v in film_of(server)["film"]["vantages"]] == ["All", "Bend", "Cove", "Bend", "Cove"]
    page.keyboard.press("Alt+ArrowUp")
    server.until(lambda: vantage(server, 3)["span"] == pytest.approx(306) and vantage(server, 4)["span"] == 408)
    page.keyboard.press("Delete")
    server.until(lambda: count(server) == 3)


@pytest.mark.thorough
def test_two_hundred_vantages_do_not_lag(server: Server, page: Page, tmp_path: Path) -> None:
    store = Store(server.home)
    picture = store.pictures.add(write_picture(tmp_path / "wide.png", fine_texture(1600, 900)), "wide.png")
    plate = {"name": "Wide", "picture": picture, "placement": {"kind": "similarity", "x": 800, "y": 450}}

    def lag(many: int) -> float:
        """Seconds from the key to the number on the sheet, edit, plan and drawing included: the least of some."""
        passage = Passage(duration=Duration(unit="frames", value=20))
        vantages = [
            Vantage(name=f"V {k}", x=300 + 5 * k, y=450, span=200 + 20 * (k % 9), hold=0.4, passage=passage)
            for k in range(many)
        ]
        film = Film.model_validate({"frame": {"width": 640, "height": 360}, "plates": [plate], "vantages": vantages})
        open_film(page, server, store.films.create(film).id)
        expect(page.locator(".details .number").first).to_have_text("1")
        until(page, f"document.querySelectorAll('.profile .hold').length > {many // 2}")
        waits = []
        for _ in range(5):
            page.wait_for_timeout(1500)  # The checks of the film before are done.
            before = page.get_by_label("Ground span, px").input_value()
            begin = time.perf_counter()
            page.keyboard.press("Alt+ArrowDown")
            until(
                page,
                "before => document.querySelector('input[aria-label=\"Ground span, px\"]').value !== before",
                arg=before,
            )
            waits.append(time.perf_counter() - begin)
        return min(waits)

    few, many = lag(4), lag(200)
    print(f"edit to sheet: {few:.2f} s with 4 vantages, {many:.2f} s with 200")
    # Beside what any edit takes on this machine at this time.
    assert many < 20 * few


def test_a_number_is_set_for_all_vantages_that_are_chosen(server: Server, film: Page) -> None:
    page = film
    plaques = page.locator(".profile g.vantage")
    plaques.nth(0).click()
    plaques.nth(2).click(modifiers=["Shift"])
    expect(page.locator(".details .many")).to_have_text("3 chosen")
    # They differ in tilt, and have one roll.
    expect(page.get_by_label("Tilt (differ), °")).to_be_visible()
    roll = page.get_by_label("Roll, °")
    roll.fill("4")
    roll.press("Enter")
    server.until(lambda: [one["roll"] for one in film_of(server)["film"]["vantages"]] == [4, 4, 4])
    tilt = page.get_by_label("Tilt (differ), °")
    tilt.fill("25")
    tilt.press("Enter")
    server.until(lambda: [one["tilt"] for one in film_of(server)["film"]["vantages"]] == [25, 25, 25])
    expect(page.get_by_label("Tilt, °")).to_be_visible()
    page.keyboard.press("Control+z")
    server.until(lambda: [one["tilt"] for one in film_of(server)["film"]["vantages"]] == [0, 40, 0])


def test_a_passage_is_chosen_on_its_way_and_several_are_set_at_once(server: Server, film: Page) -> None:
    page = film

    spot = """k => {
        const way = document.querySelectorAll("polyline.pathhit")[k];
        const at = way.getPointAtLength(way.getTotalLength() * 0.62).matrixTransform(way.getScreenCTM());
        return [at.x, at.y];
    }"""
    page.mouse.click(*page.evaluate(spot, 1))
    expect(page.get_by_text("Bend to")).to_be_visible()
    expect(page.get_by_text("Passage from 2 to 3", exact=True)).to_be_visible()
    # Another one is chosen besides, and both are given a manner, an ease and a time.
    first = film_of(server)["plan"]["passages"][0]
    frame = first["start"] + first["frames"] / 2
    on_curve = """share => {
        const curve = document.querySelector("path.curvehit"), box = curve.getBBox(), long = curve.getTotalLength();
        let at = curve.getPointAtLength(0);
        for (let k = 0; k < 2000 && at.x < box.x + share * box.width; k++) at = curve.getPointAtLength(long * k / 2000);
        at = at.matrixTransform(curve.getScreenCTM());
        return [at.x, at.y];
    }"""
    spot = page.evaluate(on_curve, frame / film_of(server)["plan"]["frames"])
    page.keyboard.down("Control")
    page.mouse.click(*spot)
    page.keyboard.up("Control")
    expect(page.get_by_text("2 passages", exact=True)).to_be_visible()
    page.get_by_role("radio", name="Hop", exact=True).click()
    kept(page, "Manner hop")
    page.get_by_role("radio", name="Frames", exact=True).click()
    kept(page, "Duration")
    times = [vantage(server, k)["passage"]["duration"] for k in range(2)]
    assert [one["unit"] for one in times] == ["frames", "frames"]
    expect(page.get_by_label("Duration (differ), frames")).to_be_visible()
    field = page.get_by_label("Duration (differ), frames")
    field.fill("37")
    field.press("Enter")
    server.until(lambda: [vantage(server, k)["passage"]["duration"]["value"] for k in range(2)] == [37, 37])
    assert [vantage(server, k)["passage"]["manner"]["kind"] for k in range(2)] == ["hop", "hop"]
    # From a vantage one sees the passage that leads to it as well.
    pick(page, "Bend")
    expect(page.get_by_text("Passage from 2 to 3", exact=True)).to_be_visible()
    page.get_by_role("radio", name="From 1", exact=True).click()
    expect(page.get_by_text("Passage from 1 to 2", exact=True)).to_be_visible()
    # It fills the profile.
    before = page.locator(".profile .hold").first.bounding_box()["width"]
    page.get_by_role("button", name="Zoom to it").click()
    until(page, f"document.querySelector('.profile .hold').getBoundingClientRect().width > {before} * 1.3")


def test_a_camera_from_a_tour_becomes_vantages(server: Server, page: Page, tmp_path: Path) -> None:
    given = flight()
    (tmp_path / "Over.kml").write_text(tour_text(given))
    made = Store(server.home).films.create(given.model_copy(update={"name": "Toured", "vantages": []}))
    open_film(page, server, made.id)
    expect(page.locator("button.film")).to_contain_text("Toured")
    drop(page, tmp_path / "Over.kml")
    contents = page.get_by_role("region", name="Contents of a file")
    expect(contents).to_contain_text("1 camera")
    expect(contents).to_contain_text("10.0 s")
    contents.get_by_label("How far the picture may be").fill("4")
    contents.get_by_role("button", name="Lay all").click()
    expect(contents).to_have_count(0)
    server.until(lambda: count(server) > 2)
    assert count(server) < 12
    assert abs(film_of(server)["plan"]["frames"] - choreograph(given).frames) <= 1
    page.get_by_role("button", name="Undo").click()
    server.until(lambda: count(server) == 0)
