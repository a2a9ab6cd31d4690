"""From an empty film to a finished one, with the mouse only, in the real interface."""

from __future__ import annotations

import re
import sys
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import pyvips
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture, psnr
from tests.web.hands import drag, drop, film_of, until
from yaila.cli import main

pytestmark = pytest.mark.browser


def box_of(page: Page, selector: str) -> tuple[float, float, float, float]:
    box = page.locator(selector).first.bounding_box()
    assert box
    return box["x"], box["y"], box["width"], box["height"]


def maps(folder: Path) -> tuple[Path, Path]:
    """A wide picture, and a closer one of its middle in twice the detail, in another tint."""
    full = fine_texture(2400, 1500, seed=9)
    # Imagery is mostly light and dark: colour noise would only measure the loss of 4:2:0.
    full = (0.15 * full + 0.85 * full.mean(axis=2, keepdims=True)).astype(np.uint8)
    wide = pyvips.Image.new_from_array(full).resize(0.5)
    wide.write_to_file(str(folder / "wide.png"))
    close = np.clip(full[525:975, 825:1575] * np.array([1.05, 1.0, 0.92]), 0, 255).astype(np.uint8)
    return folder / "wide.png", write_picture(folder / "close.png", close)


def test_two_pictures_become_a_film(
    server: Server, sheet: Page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    page = sheet
    wide, close = maps(tmp_path)
    page.locator("button.fact").click()
    page.get_by_label("Width").fill("480")
    page.get_by_label("Width").press("Enter")
    page.get_by_label("Height").fill("270")
    page.get_by_label("Height").press("Enter")
    page.locator("h2", has_text="Chart").click()

    # Gather: two pictures, dropped at once.
    drop(page, wide, close)
    expect(page.locator(".pick", has_text="close").first).to_be_visible(timeout=30000)
    expect(page.locator(".pick .state", has_text="Ready")).to_have_count(2)
    expect(page.get_by_role("button", name=re.compile("^Gather"))).to_contain_text("2 plates")

    # Fit: the upper one is sized by a corner and dragged to its place; its edge melts.
    page.get_by_role("button", name=re.compile("^Fit")).click()
    page.get_by_role("button", name=re.compile("^close")).click()
    page.get_by_text("See-through").click()
    before = film_of(server)["film"]["plates"][1]["placement"]
    grip = page.locator(".plategrip rect").nth(2)
    corner = grip.bounding_box()
    assert corner
    at = (corner["x"] + 4, corner["y"] + 4)
    drag(page, at, (at[0] - 60, at[1] - 40))
    expect(page.get_by_title(re.compile("Undo: Scale plate"))).to_be_enabled()
    x, y, w, h = box_of(page, ".plate.chosen")
    drag(page, (x + w / 2 + 30, y + h / 2 + 20), (x + w / 2 + 70, y + h / 2 - 5))
    expect(page.get_by_title(re.compile("Undo: Move plate"))).to_be_enabled()
    after = film_of(server)["film"]["plates"][1]["placement"]
    assert after["scale"] < before["scale"]
    assert after["x"] > before["x"]
    assert after["y"] > before["y"]
    page.get_by_role("radio", name="Seam").click()
    label = page.locator(".label", has_text="Feather width").bounding_box()
    assert label
    drag(page, (label["x"] + 8, label["y"] + 6), (label["x"] + 98, label["y"] + 6))
    expect(page.get_by_title(re.compile("Undo: Feather"))).to_be_enabled()
    assert film_of(server)["film"]["plates"][1]["feather"]["width"] == pytest.approx(30, abs=4)

    # Undo and redo by their buttons.
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_title(re.compile("Redo: Feather"))).to_be_enabled()
    page.get_by_role("button", name="Redo").click()
    expect(page.get_by_title("Nothing to redo")).to_be_visible()

    # Fly: the whole, a place to the left, a close look.
    page.get_by_role("button", name=re.compile("^Fly")).click()
    page.get_by_role("button", name="Whole film").click()
    page.get_by_role("button", name="Vantage here").click()
    expect(page.locator(".details > header .number")).to_have_text("1")
    cx, cy, cw, ch = box_of(page, ".area")
    page.mouse.move(cx + cw * 0.35, cy + ch * 0.6)
    for _ in range(8):
        page.mouse.wheel(0, -100)
    page.get_by_role("button", name="Vantage here").click()
    expect(page.locator(".details > header .number")).to_have_text("2")
    page.get_by_role("button", name="Vantage", exact=True).click()
    drag(page, (cx + cw * 0.45, cy + ch * 0.35), (cx + cw * 0.7, cy + ch * 0.6))
    expect(page.locator(".details > header .number")).to_have_text("3")
    # The tilt, by dragging its label; the passage before it becomes a Hop.
    tilt = page.locator(".label", has_text="Tilt").bounding_box()
    assert tilt
    drag(page, (tilt["x"] + 4, tilt["y"] + 6), (tilt["x"] + 100, tilt["y"] + 6))
    expect(page.get_by_title(re.compile("Undo: Tilt"))).to_be_enabled()
    page.get_by_title(re.compile("Previous vantage")).click()
    page.get_by_role("radio", name="Hop").click()
    expect(page.get_by_text("Clears at")).to_be_visible()
    server.until(lambda: film_of(server)["film"]["vantages"][1]["passage"]["manner"]["kind"] == "hop")
    film = film_of(server)
    assert film["film"]["vantages"][2]["tilt"] == pytest.approx(32, abs=3)

    # A hold is dragged longer in the profile, and the film grows by as much.
    posts = page.locator(".profile .post:not(.span) .stub")
    post = posts.nth(0).bounding_box()
    assert post
    length = film["plan"]["frames"]
    drag(page, (post["x"] + 2, post["y"] + 6), (post["x"] + 32, post["y"] + 6))
    expect(page.get_by_title(re.compile("Undo: Hold"))).to_be_enabled()
    assert film_of(server)["plan"]["frames"] > length

    # Playback: frames come in order and the picture moves.
    page.get_by_title("First frame (Home)").click()
    page.get_by_role("button", name="Play", exact=True).click()
    canvas = page.locator(".picture canvas")
    until(page, "Number(document.querySelector('.picture canvas').dataset.frame) > 25")
    first = int(canvas.get_attribute("data-frame") or 0)
    until(page, f"Number(document.querySelector('.picture canvas').dataset.frame) > {first + 10}")
    page.get_by_role("button", name="Pause").click()

    # Render, play the reel in the page, download it.
    page.get_by_role("button", name=re.compile("^Render")).first.click()
    page.get_by_role("button", name="Render film").click()
    expect(page.locator("[data-reel][data-state=running]")).to_be_visible(timeout=20000)
    expect(page.locator("[data-reel][data-state=done]")).to_be_visible(timeout=180000)
    page.locator("[data-reel] button", has_text="Play").click()
    until(page, "document.querySelector('video')?.currentTime > 0.3")
    with page.expect_download() as download:
        page.get_by_role("link", name="Download").click()
    reel = tmp_path / "reel.mp4"
    download.value.save_as(reel)
    assert download.value.suggested_filename == "Untitled film.mp4"

    # The file: exact size, rate and count; sampled frames are what `yaila still` draws.
    film = film_of(server)
    with av.open(str(reel)) as file:
        stream = file.streams.video[0]
        assert stream.average_rate == Fraction(25)
        frames = [frame.to_ndarray(format="rgb24") for frame in file.decode(stream)]
    assert len(frames) == film["plan"]["frames"]
    assert frames[0].shape == (270, 480, 3)
    monkeypatch.setenv("YAILA_HOME", str(server.home))
    for frame in (0, len(frames) // 3, len(frames) - 1):
        png = tmp_path / f"{frame}.png"
        monkeypatch.setattr(sys, "argv", ["yaila", "still", film["id"], "--at", str(frame), "--out", str(png)])
        with pytest.raises(SystemExit, match="0"):
            main()
        still = pyvips.Image.new_from_file(str(png)).numpy()[..., :3]
        error = psnr(frames[frame], still)
        print(f"frame {frame}: {error:.1f} dB against the still")
        # x264 at CRF 18 on fine noise: 36 dB and more.
        assert error > 36


def test_a_bad_file_says_why_and_the_rest_stays_usable(sheet: Page, tmp_path: Path) -> None:
    page = sheet
    letter = tmp_path / "letter.png"
    letter.write_bytes(b"Dear editor")
    good = write_picture(tmp_path / "good.png", fine_texture(400, 300))
    drop(page, letter, good)
    expect(page.get_by_text("is not a picture Yaila reads")).to_be_visible(timeout=20000)
    expect(page.locator(".pick", has_text="good")).to_be_visible(timeout=20000)
    page.get_by_title("Put away").click()
    expect(page.get_by_text("is not a picture Yaila reads")).to_have_count(0)


def test_an_edit_of_another_window_is_not_overwritten(server: Server, sheet: Page, tmp_path: Path) -> None:
    page = sheet
    drop(page, write_picture(tmp_path / "map.png", fine_texture(640, 400)))
    expect(page.locator(".pick", has_text="map")).to_be_visible(timeout=20000)
    page.get_by_role("button", name=re.compile("^Fly")).click()
    page.get_by_role("button", name="Vantage here").click()
    expect(page.locator(".details > header .number")).to_have_text("1")
    film = film_of(server)
    server.client.patch(
        f"/api/films/{film['id']}",
        json=[{"op": "replace", "path": "/vantages/0/span", "value": 123}],
        headers={"If-Match": f'"{film["revision"]}"'},
    )
    expect(page.get_by_label("Ground span, px")).to_have_value("123", timeout=10000)


def test_keys_do_what_the_sheet_of_keys_says(server: Server, sheet: Page, tmp_path: Path) -> None:
    page = sheet
    drop(page, write_picture(tmp_path / "map.png", fine_texture(640, 400)))
    expect(page.locator(".pick", has_text="map")).to_be_visible(timeout=20000)
    page.keyboard.press("3")
    page.keyboard.press("n")
    expect(page.locator(".details > header .number")).to_have_text("1")
    page.keyboard.press("Control+d")
    expect(page.get_by_role("button", name=re.compile("^Fly"))).to_contain_text("2 vantages")
    page.keyboard.press("End")
    last = film_of(server)["plan"]["frames"] - 1
    expect(page.locator(".count")).to_have_text(f"{last} / {last + 1}")
    page.keyboard.press("ArrowLeft")
    expect(page.locator(".count")).to_have_text(f"{last - 1} / {last + 1}")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("^Fly"))).to_contain_text("1 vantage")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    span = page.get_by_label("Ground span, px")
    span.click()
    span.fill("250")
    span.press("Enter")
    expect(page.get_by_title(re.compile("Undo: Ground span"))).to_be_enabled()
    assert film_of(server)["film"]["vantages"][0]["span"] == 250
