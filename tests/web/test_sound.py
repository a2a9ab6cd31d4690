"""Sound by hand: effects laid, moved and heard, a file dropped, and all of it undone."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from tests.served import Server
from tests.web.hands import drag_by, drop, film_of, kept, until
from yaila.core.sound import RATE

pytestmark = pytest.mark.browser


def sounds(server: Server) -> list[dict]:
    return film_of(server)["film"]["sounds"]


def test_every_move_gets_its_sound_a_file_is_dropped_and_the_film_is_heard(
    server: Server, film: Page, tmp_path: Path
) -> None:
    page = film
    asked: list[str] = []
    page.on("response", lambda answer: asked.append(answer.url) if "/mix?" in answer.url and answer.ok else None)
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Sound").click()
    expect(page.get_by_text("No sound yet")).to_be_visible()
    # A whoosh for every passage, each as long as it.
    page.get_by_role("button", name="a whoosh").click()
    kept(page, "Sounds for all")
    assert [sound["ends"]["on"] for sound in sounds(server)] == ["vantage", "vantage"]
    # One effect at the playhead, moved by hand and faded.
    page.get_by_role("button", name="Lay Sea at the playhead").click()
    expect(page.get_by_label("Name of the sound")).to_have_value("Sea")
    block = page.get_by_role("button", name="Sea", exact=True)
    drag_by(page, block, 60, 0)
    kept(page, "Move sound")
    before = film_of(server)["plan"]["sounds"][2]["start"]
    assert before > 0
    page.get_by_role("textbox", name=re.compile("^Gain")).fill("-12")
    page.keyboard.press("Enter")
    kept(page, "Gain")
    # A file, dropped anywhere, is heard from the playhead on.
    tone = 0.3 * np.sin(2 * np.pi * 220 * np.arange(RATE) / RATE)
    soundfile.write(tmp_path / "Voice.wav", tone, RATE)
    drop(page, tmp_path / "Voice.wav")
    expect(page.get_by_role("button", name="Voice", exact=True)).to_be_visible()
    assert sounds(server)[3]["source"]["kind"] == "file"
    # How loud the whole is stands beside it, and it is heard: the picture goes by its clock.
    until(page, "document.body.innerText.includes('−16.0')")
    page.keyboard.press("Home")
    page.keyboard.press(" ")
    until(page, "Number(document.querySelector('.transport .count:last-child').textContent.split(' / ')[0]) > 40")
    # Where the machine has other work to do it comes later, and the film runs on.
    for _ in range(400):
        if any("first=48000&" in url for url in asked):
            break
        page.wait_for_timeout(50)
    page.keyboard.press(" ")
    assert any("first=0&" in url for url in asked)
    assert any("first=48000&" in url for url in asked)
    # One away, and back.
    page.get_by_role("button", name="Sea", exact=True).click()
    page.keyboard.press("Delete")
    server.until(lambda: len(sounds(server)) == 3)
    page.get_by_role("button", name="Undo").click()
    server.until(lambda: len(sounds(server)) == 4)


def test_a_file_that_holds_no_sound_is_named(server: Server, film: Page, tmp_path: Path) -> None:
    (tmp_path / "words.mp3").write_bytes(b"only words" * 500)
    film.get_by_role("navigation", name="Steps").get_by_role("button", name="Sound").click()
    drop(film, tmp_path / "words.mp3")
    film.get_by_role("navigation", name="Steps").get_by_role("button", name="Gather").click()
    expect(film.get_by_text(re.compile("words.mp3.*cannot be read as sound"))).to_be_visible()
    assert sounds(server) == []
