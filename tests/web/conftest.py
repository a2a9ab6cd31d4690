"""The page on a server of its own."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect
from playwright.sync_api import Error as PlaywrightError

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from tests.web.hands import open_film
from yaila.core.film import Film, new_id
from yaila.core.film.model import PictureRef
from yaila.store import Store

KEEPS_UP = 3_000
"""How long a page is given to show what its server has, ms."""


@pytest.fixture(scope="session")
def window(browser: Browser, browser_context_args: dict) -> Iterator[Page]:
    """One window for all tests: to begin another one, with a process of its own, takes as long as many a test."""
    context = browser.new_context(**browser_context_args)
    yield context.new_page()
    context.close()


_LAST: list[Path] = []
"""The file whose test had the window last."""


@pytest.fixture
def page(
    window: Page, browser_context_args: dict, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> Iterator[Page]:
    """The window as if it were new: afterwards nobody listens to it, nothing is held up, and what it has kept is gone.

    The page stays for the next test of a file, which opens a film of its own in it, as a person does, and finds nothing
    of the last one there; unless something of the view was kept, or a test failed.
    """
    heard: list[tuple[Any, Any]] = []
    listen, failed = window.on, request.session.testsfailed

    def on(event: Any, heeds: Any) -> None:
        heard.append((event, heeds))
        listen(event, heeds)

    if [request.path] != _LAST:
        window.goto("about:blank")
        _LAST[:] = [request.path]
    monkeypatch.setattr(window, "on", on)
    yield window
    for event, heeds in heard:
        window.remove_listener(event, heeds)
    window.unroute_all(behavior="ignoreErrors")
    if window.url.startswith("http"):
        kept = window.evaluate("() => { const n = localStorage.length; localStorage.clear(); return n }")
        if kept or request.session.testsfailed > failed:
            window.goto("about:blank")
    window.set_viewport_size(browser_context_args["viewport"])
    window.mouse.move(0, 0)


@pytest.fixture(autouse=True)
def page_keeps_up(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is waited for is true of the server; a hand goes on when it sees it in the page, which comes a little later,
    or not at all where a test lets the two part."""
    if not {"server", "page"} <= set(request.fixturenames):
        return
    server, page = request.getfixturevalue("server"), request.getfixturevalue("page")
    until = server.until

    def seen(true: Callable[[], bool], seconds: float = 60) -> None:
        until(true, seconds)
        film = re.search(r"#/films/([0-9a-z-]+)", page.url)
        if not film:
            return
        with suppress(httpx.HTTPError, KeyError, PlaywrightError):
            revision = server.client.get(f"/api/films/{film[1]}", timeout=KEEPS_UP / 1000).json()["revision"]
            shown = "r => document.querySelector('.app')?.dataset.revision === r"
            page.wait_for_function(shown, arg=str(revision), timeout=KEEPS_UP)

    monkeypatch.setattr(server, "until", seen)


# The machine may have other work to do: what is awaited is a promise kept, not how soon.
expect.set_options(timeout=20_000)


@pytest.fixture
def sheet(server: Server, page: Page) -> Iterator[Page]:
    """The page with a new film; at the end it must have logged no error."""
    problems: list[str] = []
    page.on("console", lambda message: problems.append(message.text) if message.type == "error" else None)
    page.on("pageerror", lambda error: problems.append(str(error)))
    open_film(page, server, server.client.post("/api/films", json={}).json()["id"])
    expect(page.get_by_text("No imagery yet")).to_be_visible()
    yield page
    assert problems == []


_ADDED: dict[Path, tuple[PictureRef, PictureRef]] = {}
"""The two pictures of films, by the home of the server that has them."""


@pytest.fixture
def film(server: Server, page: Page, tmp_path: Path) -> Page:
    """The page with a film of two plates and three vantages, in Fly."""
    store = Store(server.home)
    if server.home not in _ADDED:
        _ADDED[server.home] = (
            store.pictures.add(write_picture(tmp_path / "wide.png", fine_texture(1600, 900)), "wide.png"),
            store.pictures.add(write_picture(tmp_path / "close.png", fine_texture(800, 600, seed=2)), "close.png"),
        )
    wide, close = _ADDED[server.home]
    made = store.films.create(
        Film.model_validate(
            {
                "name": f"Film {new_id()}",
                "frame": {"width": 640, "height": 360},
                "plates": [
                    {
                        "id": "wide",
                        "name": "Wide",
                        "picture": wide,
                        "placement": {"kind": "similarity", "x": 800, "y": 450},
                    },
                    {
                        "id": "close",
                        "name": "Close",
                        "picture": close,
                        "placement": {"kind": "similarity", "x": 900, "y": 500, "scale": 0.4},
                    },
                ],
                "vantages": [
                    {"id": "a", "name": "All", "x": 800, "y": 450, "span": 1400, "hold": 1},
                    {"id": "b", "name": "Bend", "x": 900, "y": 480, "span": 300, "tilt": 40, "heading": 30, "hold": 1},
                    {"id": "c", "name": "Cove", "x": 600, "y": 400, "span": 400, "hold": 1},
                ],
            }
        )
    )
    open_film(page, server, made.id)
    expect(page.locator(".details .number").first).to_have_text("1")
    expect(page.locator(".picture canvas")).to_have_attribute("data-frame", "0")
    return page
