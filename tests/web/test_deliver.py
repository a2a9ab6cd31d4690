"""From an empty film to a file in hand: a clip at a place, a sound on an arrival, a reel that is paused, outlives its
server, goes on and is downloaded."""

from __future__ import annotations

import re
from pathlib import Path

import av
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import drop, film_of, middle
from tests.web.test_insets import sounding

pytestmark = pytest.mark.browser


def test_a_clip_a_sound_and_a_reel_that_outlives_its_server(own_server: Server, page: Page, tmp_path: Path) -> None:
    clip = sounding(tmp_path / "Harbour.mp4")
    page.on("filechooser", lambda chooser: chooser.set_files(clip))
    page.goto(own_server.url)
    expect(page.get_by_text("No imagery yet")).to_be_visible()
    drop(page, write_picture(tmp_path / "Map.png", fine_texture(1600, 900)))
    expect(page.get_by_role("button", name=re.compile("^Gather"))).to_contain_text("1 plate")
    # Two vantages: all of it, and closer.
    page.keyboard.press("3")
    page.get_by_role("button", name="Vantage here").click()
    own_server.until(lambda: len(film_of(own_server)["film"]["vantages"]) == 1)
    x, y = middle(page.locator(".chart .area"))
    page.mouse.move(x, y)
    page.mouse.wheel(0, -900)
    page.get_by_role("button", name="Vantage here").click()
    own_server.until(lambda: len(film_of(own_server)["film"]["vantages"]) == 2)
    # The clip where it was shot.
    page.keyboard.press("4")
    page.keyboard.press("i")
    page.mouse.click(x + 40, y + 20)
    expect(page.get_by_label("Name of the inset")).to_have_value("Harbour", timeout=60_000)
    # A sound for the arrival, which goes along with it.
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Sound").click()
    page.get_by_label("For every").select_option("arrival")
    page.get_by_role("button", name=re.compile("^a ")).click()
    own_server.until(lambda: len(film_of(own_server)["film"]["sounds"]) >= 2)
    hung = film_of(own_server)["film"]["sounds"][-1]["starts"]
    assert (hung["on"], hung["vantage"]) == ("vantage", film_of(own_server)["film"]["vantages"][1]["id"])
    # A reel: paused, its server killed, and both go on.
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Render").click()
    page.get_by_label("Size").select_option(index=2)
    page.get_by_role("button", name="Render film").click()
    row = page.locator("[data-reel]")
    expect(row).to_have_attribute("data-state", "running", timeout=30_000)
    expect(row).to_contain_text(re.compile("[1-9][0-9]* of"), timeout=30_000)
    row.get_by_role("button", name="Pause").click()
    expect(row).to_contain_text("Paused")
    port = own_server.port
    own_server.kill()
    own_server.start(port)
    row.get_by_role("button", name="Go on").click()
    expect(row).to_have_attribute("data-state", "done", timeout=120_000)
    with page.expect_download() as download:
        row.get_by_role("link", name="Download").click()
    file = tmp_path / "film.mp4"
    download.value.save_as(file)
    frames = film_of(own_server)["plan"]["frames"]
    # The way to the second vantage alone, and one frame as a picture that is larger than the film.
    page.get_by_label("To", exact=True).select_option(index=1)
    first = film_of(own_server)["plan"]["vantages"][0]
    expect(page.locator(".reels .go")).to_contain_text(f"{first['hold']} frames")
    page.get_by_label("Form").select_option("still")
    page.get_by_label("Size").select_option(index=1)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Render this frame").click()
    still = page.locator("[data-reel]").first
    expect(still).to_contain_text("PNG of this frame")
    expect(still).to_have_attribute("data-state", "done", timeout=120_000)
    with page.expect_download() as download:
        still.get_by_role("link", name="Download").click()
    picture = tmp_path / "still.png"
    download.value.save_as(picture)
    with Image.open(picture) as image:
        assert image.size == (3840, 2160)
    with av.open(str(file)) as film:
        assert sum(1 for _ in film.decode(video=0)) == frames
        assert abs(float(film.streams.audio[0].duration * film.streams.audio[0].time_base) - frames / 25) < 0.05
