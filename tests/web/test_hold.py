"""What a person sees of a film that cannot be opened as it is, and of a picture that is gone."""

from __future__ import annotations

import json
import os
import re
import zlib
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import drop, film_of
from yaila.core.film import Film
from yaila.core.type import faces
from yaila.store import Store

pytestmark = pytest.mark.browser


def test_a_film_with_a_broken_number_shows_the_state_before_and_is_mended(server: Server, page: Page) -> None:
    store = Store(server.home)
    one = store.films.create(Film(name="Sound"))
    two = store.films.edit(one.id, [{"op": "replace", "path": "/name", "value": "Spoilt"}], one.revision)
    with store.engine.begin() as connection:
        whole = zlib.compress(json.dumps(two.film.model_dump(mode="json") | {"rate": "0.4"}).encode())
        connection.exec_driver_sql("UPDATE revisions SET whole = ?, steps = 0 WHERE id = ?", (whole, two.revision))
    page.goto(f"{server.url}/#/films/{one.id}")
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("between 1 and 240 frames per second")
    expect(page.locator("button.film")).to_contain_text("Sound")
    alert.get_by_role("button", name="Keep this state").click()
    expect(alert).to_have_count(0)
    assert store.films.state(one.id).fault == ""
    assert store.films.head(one.id) > two.revision


def test_a_picture_that_is_gone_is_left_out_named_and_mended_by_dropping_its_file(
    server: Server, page: Page, tmp_path: Path
) -> None:
    store = Store(server.home)
    files = [write_picture(tmp_path / f"{name}.png", fine_texture(500, 400, seed=seed)) for name, seed in
             (("below", 61), ("above", 62))]  # fmt: skip
    plates = [
        {
            "name": file.stem,
            "picture": store.pictures.add(file, file.name, keep=True),
            "placement": {"kind": "similarity", "x": 250, "y": 200},
        }
        for file in files
    ]
    views = [{"x": 250, "y": 200, "span": 400, "hold": 1}, {"x": 200, "y": 200, "span": 200, "hold": 1}]
    film = store.films.create(Film.model_validate({"plates": plates, "vantages": views}))
    for part in (server.home / "pictures" / film.film.plates[1].picture.sha256).iterdir():
        os.truncate(part, part.stat().st_size // 2)
    page.goto(f"{server.url}/#/films/{film.id}")
    expect(page.locator(".picture canvas")).to_have_attribute("data-frame", "0")
    page.get_by_role("button", name=re.compile("findings")).click()
    expect(page.get_by_text("The picture of above is gone or damaged")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Gather")).click()
    drop(page, files[1])
    server.until(lambda: store.pictures.has(film.film.plates[1].picture.sha256))
    job = server.jobs(film.id)[0]
    server.until(lambda: server.jobs(film.id)[0]["state"] == "done")
    assert server.jobs(film.id)[0]["message"] == "The picture of “above” is whole again."
    assert job["kind"] == "import"
    # It is not laid a second time.
    assert len(store.films.state(film.id).film.plates) == 2


def test_a_server_that_is_gone_is_named_beside_the_edit_that_was_lost_and_not_after_it_is_back(
    tmp_path: Path, page: Page
) -> None:
    with Server(tmp_path / "store") as server:
        views = [{"name": name, "x": 450, "y": 300, "span": 800} for name in ("One", "Two")]
        film = Store(server.home).films.create(Film.model_validate({"name": "Alone", "vantages": views}))
        page.goto(f"{server.url}/#/films/{film.id}")
        expect(page.locator("button.film")).to_contain_text("Alone")
        server.stop()
        page.keyboard.press("Delete")
        alert = page.get_by_role("alert")
        expect(alert).to_contain_text("What you did last was not kept.")
        expect(alert).to_contain_text("What is new cannot be asked for")
        expect(alert).to_contain_text("What you did last was not kept.")
        server.start(server.port)
        expect(alert).not_to_contain_text("What is new cannot be asked for")
        page.keyboard.press("Delete")
        expect(alert).to_have_count(0)
        server.until(lambda: len(film_of(server)["film"]["vantages"]) == 1)


def test_a_font_that_is_dropped_is_kept_and_half_a_one_refused(server: Server, page: Page, tmp_path: Path) -> None:
    page.goto(f"{server.url}/#/films/{Store(server.home).films.create(Film(name='Letters')).id}")
    expect(page.locator("button.film")).to_contain_text("Letters")
    whole = next((Path(faces.__file__).parent / "fonts").glob("*.ttf")).read_bytes()
    for name, data, said in (("Half.ttf", whole[: len(whole) // 2], "damaged"), ("Whole.ttf", whole, "can be set in")):
        (tmp_path / name).write_bytes(data)
        drop(page, tmp_path / name)
        expect(page.get_by_role("alert")).to_contain_text(said)
    assert sum(font["brought"] for font in server.client.get("/api/fonts").json()) == 1
