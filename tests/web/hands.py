"""What a hand does: drop files, drag, find things."""

from __future__ import annotations

import re
import time
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

from tests.served import Server


def open_film(page: Page, server: Server, film: str) -> None:
    """Go to a film by its address, and wait until it lies on the table."""
    page.goto(f"{server.url}/#/films/{film}")
    expect(page.locator(".app")).to_have_attribute("data-film", film)


def drop(page: Page, *files: Path) -> None:
    """Drop files onto the page, as the desktop does: the browser reads them itself."""
    chooser = "() => Object.assign(document.createElement('input'), {type: 'file', multiple: true})"
    picked = page.evaluate_handle(chooser)
    picked.as_element().set_input_files(files)
    transfer = page.evaluate_handle(
        """picked => {
            const transfer = new DataTransfer();
            for (const file of picked.files) transfer.items.add(file);
            return transfer;
        }""",
        picked,
    )
    for event in ("dragenter", "dragover", "drop"):
        page.dispatch_event(".app", event, {"dataTransfer": transfer})


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Press at one point, move, let go at another."""
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=4)
    page.mouse.move(*end, steps=4)
    page.mouse.up()


def middle(thing: Locator) -> tuple[float, float]:
    """The middle of something on the page."""
    box = thing.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag_by(page: Page, thing: Locator, dx: float, dy: float) -> None:
    """Drag something by its middle."""
    x, y = middle(thing)
    drag(page, (x, y), (x + dx, y + dy))


def film_of(server: Server) -> dict:
    """The film last touched, as the API gives it."""
    card = server.client.get("/api/films").json()[0]
    return server.client.get(f"/api/films/{card['id']}").json()


def vantage(server: Server, index: int) -> dict:
    """A vantage of the film last touched."""
    return film_of(server)["film"]["vantages"][index]


def kept(page: Page, label: str) -> None:
    """Wait until the edit of that name is the newest."""
    expect(page.get_by_title(re.compile(f"Undo: {label}"))).to_be_enabled()


def pick(page: Page, name: str) -> None:
    """Pick a vantage by its name, and come back to its passage."""
    page.get_by_role("radio", name="Order").click()
    page.locator("section[aria-label='Vantages in order'] button", has_text=name).click()
    expect(page.get_by_label("Name of the vantage")).to_have_value(name)
    page.get_by_role("radio", name="Passage").click()


def until(page: Page, true: str, arg: object = None, seconds: float = 30) -> None:
    """Wait until an expression holds in the page. Playwright's own way has the page evaluate a text, which its content
    security policy forbids."""
    end = time.monotonic() + seconds
    while not page.evaluate(true, arg):
        assert time.monotonic() < end, true
        page.wait_for_timeout(50)
