"""What can be done directly in each step, and that it can be undone."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import drag, drag_by, drop, film_of, kept, middle, pick, until, vantage

pytestmark = pytest.mark.browser


def test_a_vantage_is_turned_tilted_sized_and_moved_on_the_chart(server: Server, film: Page) -> None:
    pick(film, "Bend")
    film.get_by_title("Show this frame on the chart").click()
    drag_by(film, film.locator(".grip.round:not(.eye) circle").nth(1), 80, 20)
    kept(film, "Heading")
    assert vantage(server, 1)["heading"] > 35
    drag_by(film, film.locator(".grip.eye .dot"), -10, 40)
    kept(film, "Tilt and heading")
    assert vantage(server, 1)["tilt"] != 40
    drag_by(film, film.locator(".chart .grip rect").nth(2), 30, 8)
    kept(film, "Span")
    assert vantage(server, 1)["span"] != 300
    drag_by(film, film.locator(".badge.selected .plaque"), 25, 15)
    kept(film, "Move vantage")
    assert vantage(server, 1)["x"] > 900
    assert vantage(server, 1)["y"] < 480
    for _ in range(4):
        film.get_by_role("button", name="Undo").click()
    expect(film.get_by_title("Nothing to undo")).to_be_visible()
    assert (vantage(server, 1)["heading"], vantage(server, 1)["tilt"], vantage(server, 1)["span"]) == (30, 40, 300)


def test_escape_lets_go_of_a_drag_without_a_trace(server: Server, film: Page) -> None:
    pick(film, "Bend")
    film.get_by_title("Show this frame on the chart").click()
    x, y = middle(film.locator(".badge.selected .plaque"))
    film.mouse.move(x, y)
    film.mouse.down()
    film.mouse.move(x + 60, y + 30, steps=5)
    expect(film.get_by_label("X, px")).not_to_have_value("900")
    film.keyboard.press("Escape")
    film.mouse.up()
    expect(film.get_by_label("X, px")).to_have_value("900")
    assert film_of(server)["undo"] is None


def test_the_profile_retimes_and_spans(server: Server, film: Page) -> None:
    before = film_of(server)["plan"]
    second = film.locator(".profile .post.span").nth(1).locator(".stub")
    drag_by(film, second, 40, 0)
    kept(film, "Retime or span")
    after = film_of(server)["plan"]
    shift = after["vantages"][1]["start"] - before["vantages"][1]["start"]
    assert shift > 0
    assert after["vantages"][2]["start"] - before["vantages"][2]["start"] == shift
    drag_by(film, film.locator(".profile .post.span").nth(1).locator(".stub"), 0, -30)
    expect(film.get_by_title("Nothing to redo")).to_be_visible()
    until(film, "document.querySelector('.saved') !== null")
    server.until(lambda: vantage(server, 1)["span"] > 300)


def test_scrubbing_and_stepping_move_the_playhead(film: Page) -> None:
    ruler = film.locator(".profile .ruler rect").bounding_box()
    assert ruler
    film.mouse.click(ruler["x"] + ruler["width"] / 2, ruler["y"] + 8)
    count = film.locator(".count").last.inner_text()
    frame, frames = map(int, count.split(" / "))
    assert abs(frame - frames / 2) < frames * 0.03
    film.get_by_title(re.compile("One frame on")).click()
    expect(film.locator(".count").last).to_have_text(f"{frame + 1} / {frames}")
    expect(film.locator(".picture canvas")).to_have_attribute("data-frame", str(frame + 1))


def test_ease_by_name_and_by_its_handles(server: Server, film: Page) -> None:
    film.get_by_label("Ease", exact=True).select_option("Swell")
    kept(film, "Ease Swell")
    assert vantage(server, 0)["passage"]["ease"] == {"x1": 0.6, "y1": 0.0, "x2": 0.4, "y2": 1.0, "speed": []}
    drag_by(film, film.get_by_role("slider", name="How it sets off").locator("circle").nth(1), -20, -20)
    server.until(lambda: vantage(server, 0)["passage"]["ease"]["y1"] > 0.2)
    expect(film.get_by_label("Ease", exact=True)).to_have_value("Free")
    film.get_by_role("slider", name="How it comes in").focus()
    film.keyboard.press("ArrowDown")
    server.until(lambda: vantage(server, 0)["passage"]["ease"]["y2"] == 0.98)


def test_duration_keeps_its_length_when_its_unit_changes(server: Server, film: Page) -> None:
    frames = film_of(server)["plan"]["passages"][0]["frames"]
    for unit in ("Frames", "Seconds", "Natural"):
        film.get_by_role("radio", name=unit).click()
        server.until(lambda unit=unit: vantage(server, 0)["passage"]["duration"]["unit"] == unit.lower())
        assert abs(film_of(server)["plan"]["passages"][0]["frames"] - frames) <= 1


def test_vantages_are_reordered_doubled_and_deleted(server: Server, film: Page) -> None:
    film.get_by_role("radio", name="Order").click()
    rows = film.locator("section[aria-label='Vantages in order'] .row")
    rows.nth(2).drag_to(rows.nth(0))
    server.until(lambda: [v["name"] for v in film_of(server)["film"]["vantages"]] == ["Cove", "All", "Bend"])
    pick(film, "All")
    film.get_by_title(re.compile("^Duplicate")).click()
    expect(film.get_by_label("Name of the vantage")).to_have_value("All again")
    film.get_by_title(re.compile("^Delete")).click()
    server.until(lambda: len(film_of(server)["film"]["vantages"]) == 3)


def test_numbers_are_typed_stepped_and_refused(server: Server, film: Page) -> None:
    tilt = film.get_by_label("Tilt, °")
    tilt.click()
    tilt.fill("99")
    tilt.press("Enter")
    server.until(lambda: vantage(server, 0)["tilt"] == 85)
    tilt.click()
    tilt.fill("steep")
    tilt.press("Enter")
    expect(tilt).to_have_value("85")
    tilt.click()
    tilt.press("ArrowDown")
    tilt.press("ArrowDown")
    server.until(lambda: vantage(server, 0)["tilt"] == 83)


def test_pin_one_feature_and_pull_another_onto_its_match(server: Server, film: Page) -> None:
    film.get_by_role("button", name=re.compile("^Fit")).click()
    film.get_by_role("button", name=re.compile("^Close")).click()
    x, y = middle(film.locator(".plate.chosen"))
    film.get_by_role("button", name="Pin").click()
    film.mouse.click(x - 40, y)
    drag(film, (x + 40, y), (x + 70, y - 30))
    kept(film, "Pull plate")
    laid = film_of(server)["film"]["plates"][1]["placement"]
    # From 80 pixels to 110 across and 30 up: 1.425 times as long, turned anticlockwise by 15.3 degrees.
    assert laid["scale"] == pytest.approx(0.4 * 1.425, rel=0.02)
    assert laid["turn"] == pytest.approx(-15.3, abs=0.8)


def test_a_plate_is_nudged_turned_and_hidden_by_keys_and_numbers(server: Server, film: Page) -> None:
    film.get_by_role("button", name=re.compile("^Fit")).click()
    film.get_by_role("button", name=re.compile("^Close")).click()
    film.locator(".area").focus()
    plate = lambda: film_of(server)["film"]["plates"][1]  # noqa: E731
    film.keyboard.press("Shift+ArrowRight")
    server.until(lambda: plate()["placement"]["x"] > 905)
    film.keyboard.press(".")
    server.until(lambda: plate()["placement"]["turn"] == pytest.approx(0.1))
    film.keyboard.press("t")
    expect(film.get_by_role("radio", name="See-through")).to_be_checked()
    turn = film.get_by_label("Turn, °")
    turn.click()
    turn.fill("90")
    turn.press("Enter")
    server.until(lambda: plate()["placement"]["turn"] == pytest.approx(90))
    film.get_by_role("radio", name="Seam").click()
    film.get_by_role("radio", name="Ellipse").click()
    server.until(lambda: plate()["feather"]["shape"] == "ellipse")
    film.get_by_label("Show Close").click()
    server.until(lambda: plate()["shown"] is False)
    rows = film.locator(".stack .row")
    rows.nth(1).drag_to(rows.nth(0))
    server.until(lambda: [p["name"] for p in film_of(server)["film"]["plates"]] == ["Close", "Wide"])


def test_frame_size_and_rate_change_the_film_and_its_timecode(server: Server, film: Page) -> None:
    film.locator("button.fact").click()
    film.get_by_role("button", name="1080 × 1920", exact=True).click()
    film.get_by_role("button", name="29.97", exact=True).click()
    server.until(lambda: film_of(server)["film"]["rate"] == "30000/1001")
    assert film_of(server)["film"]["frame"] == {"width": 1080, "height": 1920}
    film.locator("h2", has_text="Chart").click()
    expect(film.get_by_label("Timecode")).to_have_text(re.compile(";"))
    canvas = film.locator(".picture").bounding_box()
    assert canvas
    assert canvas["height"] > canvas["width"]


def test_a_new_film_is_started_beside_the_old_one(server: Server, film: Page) -> None:
    first = film_of(server)["film"]["name"]
    film.locator("button.film").click()
    film.get_by_label("Name of the new film").fill("Second voyage")
    film.get_by_label("Frame rate").select_option(
        "24/1" if film.get_by_label("Frame rate").locator("option[value='24/1']").count() else "24"
    )
    film.get_by_role("button", name="Start").click()
    expect(film.locator("button.film")).to_contain_text("Second voyage")
    expect(film.get_by_text("No imagery yet")).to_be_visible()
    assert film_of(server)["film"]["rate"] == "24"
    film.locator("button.film").click()
    film.get_by_role("button", name=f"Open {first}").click()
    expect(film.get_by_role("button", name=re.compile("^Fly"))).to_contain_text("3 vantages")


def test_a_reel_is_cancelled_in_the_page(film: Page) -> None:
    film.get_by_role("button", name=re.compile("^Render")).first.click()
    film.get_by_role("button", name="Render film").click()
    film.locator("[data-reel] button", has_text="Cancel").click()
    expect(film.locator("[data-reel][data-state=cancelled]")).to_be_visible()


def test_safe_areas_lie_where_ebu_r95_says(film: Page) -> None:
    film.get_by_label("Safe areas").check()
    picture = film.locator(".picture").bounding_box()
    action, graphics = film.locator(".safe.action").bounding_box(), film.locator(".safe.graphics").bounding_box()
    assert picture
    assert action
    assert graphics
    assert action["width"] / picture["width"] == pytest.approx(0.93, abs=0.01)
    assert graphics["width"] / picture["width"] == pytest.approx(0.90, abs=0.01)


def test_nothing_is_cut_off_on_a_small_screen_or_lost_on_a_large_one(film: Page) -> None:
    for width, height in ((1024, 700), (1280, 800), (1920, 1080)):
        film.set_viewport_size({"width": width, "height": height})
        for step in ("Gather", "Fit", "Fly", "Render"):
            film.get_by_role("button", name=re.compile(f"^{step}")).first.click()
            over = film.evaluate("[document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
            assert over == [width, height]
            for part in (".chart", ".viewfinder", ".profile"):
                box = film.locator(part).bounding_box()
                assert box
                assert box["x"] >= 0
                assert box["x"] + box["width"] <= width + 1
                assert box["width"] > 200


def test_a_picture_dropped_in_fit_lands_where_one_looks(server: Server, film: Page, tmp_path: Path) -> None:
    film.get_by_role("button", name=re.compile("^Fit")).click()
    film.get_by_role("button", name=re.compile("^Close")).dblclick()
    drop(film, write_picture(tmp_path / "third.png", fine_texture(300, 200)))
    expect(film.get_by_role("button", name=re.compile("^third"))).to_be_visible(timeout=20000)
    laid = film_of(server)["film"]["plates"][2]["placement"]
    assert (laid["x"], laid["y"]) == pytest.approx((900, 500), abs=5)


def test_a_film_is_put_away_and_brought_back(server: Server, film: Page) -> None:
    page = film
    name = film_of(server)["film"]["name"]
    page.locator("button.film").click()
    page.get_by_role("button", name=f"Put away {name}").click()
    # Another film stands on the table; this one is kept, out of sight.
    expect(page.locator("button.film")).not_to_contain_text(name)
    expect(page.get_by_role("button", name=f"Put away {name}")).to_have_count(0)
    page.get_by_role("radio", name=re.compile("Put away")).click()
    page.get_by_role("button", name=f"Bring back {name}").click()
    expect(page.get_by_role("button", name=f"Bring back {name}")).to_have_count(0)
    page.get_by_role("radio", name=re.compile("Here")).click()
    page.get_by_role("button", name=f"Open {name}").click()
    expect(page.locator("button.film")).to_contain_text(name)
    expect(page.locator(".details .number").first).to_have_text("1")
