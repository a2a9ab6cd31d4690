"""A clip at a place, by hand: chosen where one clicks, seen and heard in the film, and taken away again."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.formats.test_clips import even, picture, written
from tests.formats.test_frames_clip import packed, png
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import drop, film_of, kept, middle

pytestmark = pytest.mark.browser


def sounding(path: Path) -> Path:
    """A clip with a sound."""
    silent = written(path.with_name("silent.mp4"), even(50), 640, 360)
    with av.open(str(silent)) as source, av.open(str(path), "w") as to:
        stream = to.add_stream_from_template(source.streams.video[0])
        sound = to.add_stream("aac", rate=48_000)
        sound.codec_context.layout = "mono"
        wave = 0.3 * np.sin(2 * np.pi * 330 * np.arange(96_000) / 48_000)
        frame = av.AudioFrame.from_ndarray(wave.astype(np.float32)[None], format="fltp", layout="mono")
        frame.sample_rate, frame.pts = 48_000, 0
        to.mux(sound.encode(frame))
        to.mux(sound.encode(None))
        for packet in source.demux(video=0):
            if packet.pts is not None:
                packet.stream = stream
                to.mux(packet)
    return path


def test_frames_in_a_zip_are_dropped_as_one_clip(server: Server, film: Page, tmp_path: Path) -> None:
    page = film
    entries = {"smoke/": b"", **{f"smoke/smoke.{k}.png": png(picture(k, 160, 90)) for k in range(8, 20)}}
    page.keyboard.press("4")
    expect(page.get_by_role("button", name="Inset", exact=True)).to_be_visible()
    drop(page, packed(tmp_path / "Smoke.zip", entries))
    expect(page.get_by_label("Name of the inset")).to_have_value("Smoke", timeout=60_000)
    assert film_of(server)["film"]["insets"][0]["shows"]["seconds"] == pytest.approx(12 / 25)
    # Dropped one beside the other they are one clip as well.
    for k in range(9):
        (tmp_path / f"Spray {k}.png").write_bytes(png(picture(k, 160, 90)))
    drop(page, *sorted(tmp_path.glob("Spray*")))
    expect(page.get_by_label("Name of the inset")).to_have_value("Spray", timeout=60_000)
    made = film_of(server)["film"]["insets"]
    assert [one["shows"]["kind"] for one in made] == ["clip", "clip"]
    assert made[1]["shows"]["seconds"] == pytest.approx(9 / 25)


def test_a_clip_is_laid_as_a_plate_and_fitted_like_one(server: Server, film: Page, tmp_path: Path) -> None:
    page = film
    clip = written(tmp_path / "Rain.mp4", even(50), 320, 180)
    before = len(film_of(server)["film"]["plates"])
    # Dropped where pictures are gathered, it is a plate at once.
    page.keyboard.press("1")
    drop(page, clip)
    row = page.get_by_role("button", name="Rain")
    expect(row).to_be_visible(timeout=60_000)
    page.keyboard.press("2")
    row.click()
    page.get_by_role("radio", name="Picture").click()
    expect(page.get_by_text("It plays a clip of 2.0 s")).to_be_visible()
    page.get_by_label("After its end").select_option("again")
    kept(page, "After its end")
    made = film_of(server)["film"]["plates"][before]
    assert (made["plays"]["clip"]["after"], made["plays"]["starts"]["on"]) == ("again", "film")
    page.get_by_role("button", name="Let it stand still").click()
    kept(page, "Stands still")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Let it stand still")).to_be_visible()
    # One that was set at a place in Mark becomes a plate with one act, and is chosen in Fit.
    page.keyboard.press("4")
    expect(page.get_by_role("button", name="Inset", exact=True)).to_be_visible()
    drop(page, clip)
    expect(page.get_by_label("Name of the inset")).to_have_value("Rain", timeout=60_000)
    page.get_by_role("button", name="Lay it as a plate").click()
    expect(page.get_by_label("Name of the plate")).to_have_value("Rain", timeout=60_000)
    after = film_of(server)["film"]
    assert (len(after["plates"]), after["insets"]) == (before + 2, [])
    assert after["plates"][-1]["plays"]["clip"]["sha256"] == made["plays"]["clip"]["sha256"]


def test_a_clip_is_set_at_a_place_and_plays_and_sounds_there(server: Server, film: Page, tmp_path: Path) -> None:
    page = film
    clip = sounding(tmp_path / "Harbour.mp4")
    # Said well before it is needed: a chooser that opens while the browser is still being told is cancelled by it.
    page.on("filechooser", lambda chooser: chooser.set_files(clip))
    page.keyboard.press("4")
    expect(page.get_by_role("button", name="Inset", exact=True)).to_be_visible()
    page.keyboard.press("i")
    expect(page.get_by_role("button", name="Inset", exact=True)).to_have_attribute("aria-pressed", "true")
    x, y = middle(page.locator(".chart .area"))
    page.mouse.click(x + 30, y - 10)
    expect(page.get_by_label("Name of the inset")).to_have_value("Harbour", timeout=60_000)
    made = film_of(server)["film"]
    assert made["insets"][0]["shows"]["kind"] == "clip"
    assert made["sounds"][0]["starts"] == {"on": "mark", "mark": made["insets"][0]["id"], "edge": "starts", "offset": 0}
    page.get_by_label("How it stands").select_option("board")
    kept(page, "How it stands")
    page.get_by_role("radio", name="Clip").click()
    page.get_by_label("After its end").select_option("again")
    kept(page, "After its end")
    page.get_by_role("radio", name="Time").click()
    page.get_by_label("How it comes").select_option("iris")
    kept(page, "Comes by")
    # Under the map it is seen through what a region opens, and over it again.
    page.get_by_role("radio", name="Place").click()
    page.get_by_text("Under the map").click()
    server.until(lambda: film_of(server)["film"]["insets"][0]["under"] is True)
    expect(page.get_by_text("through regions that open the map")).to_be_visible()
    # Nothing is said of the soundings before the film has been looked at.
    expect(page.locator("button.soundings")).not_to_contain_text("looking", timeout=60_000)
    page.get_by_text("Under the map").click()
    server.until(lambda: film_of(server)["film"]["insets"][0]["under"] is False)
    page.keyboard.press("Escape")
    page.locator(".chart .inset").click()
    page.keyboard.press("Delete")
    server.until(lambda: film_of(server)["film"]["insets"] == [])
    page.get_by_role("button", name="Undo").click()
    server.until(lambda: len(film_of(server)["film"]["insets"]) == 1)
    # A picture that is dropped among marks is seen, not laid.
    drop(page, write_picture(tmp_path / "Card.png", fine_texture(300, 200)))
    server.until(lambda: len(film_of(server)["film"]["insets"]) == 2)
    assert len(film_of(server)["film"]["plates"]) == 2
