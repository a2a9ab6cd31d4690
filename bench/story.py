"""The story of a map as an editor makes it, in the real interface with the mouse: clicks, keys and seconds.

Three screenshots of the practice world, dropped in no order, are laid true and toned; three places are named; a route
gets pins at its stops; one of three lands of a file is lit up. Run it as ``python -m bench.story``.
"""

from __future__ import annotations

import json
import re
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, Page, expect, sync_playwright

from tests.chromium import launching
from tests.conftest import write_picture
from tests.served import Server
from tests.web.hands import drop, film_of
from yaila.core.ground import GroundBox
from yaila.standin.world import World

SHOTS = {"town": (0.0, 0.0, 5_000.0), "region": (3_000.0, -1_000.0, 36_000.0), "coast": (-800.0, 700.0, 15_000.0)}
"""What each screenshot shows: its middle, metres from the harbour, and half its width."""


class Hand:
    """Counts what is done."""

    def __init__(self, page: Page) -> None:
        self.page, self.clicks, self.keys, self.begin = page, 0, 0, time.monotonic()
        self._last = (0, 0, 0.0)

    def click(self, thing: Locator) -> None:
        """Click something."""
        self.clicks += 1
        thing.click(force=True)

    def at(self, across: float, down: float) -> None:
        """Click a place of the chart, shares of its width and height."""
        box = self.page.get_by_role("application").bounding_box()
        assert box
        self.clicks += 1
        self.page.mouse.click(box["x"] + box["width"] * across, box["y"] + box["height"] * down)
        self.page.wait_for_timeout(120)

    def type(self, text: str, enter: bool = False) -> None:
        """Type a text."""
        self.keys += len(text) + enter
        self.page.keyboard.type(text)
        if enter:
            self.page.keyboard.press("Enter")
        self.page.wait_for_timeout(120)

    def drop(self, *files: Path) -> None:
        """Drop files: one movement, counted as a click."""
        self.clicks += 1
        drop(self.page, *files)

    def done(self, what: str) -> None:
        """Say what a part took."""
        now = (self.clicks, self.keys, time.monotonic() - self.begin)
        clicks, keys, seconds = (a - b for a, b in zip(now, self._last, strict=True))
        print(f"{what:44} {clicks:3} clicks {keys:3} keys {seconds:6.1f} s", flush=True)
        self._last = now


def screenshots(folder: Path) -> list[Path]:
    """The three pictures."""
    world, files, rng = World(), [], np.random.default_rng(4)
    harbour = world.harbours["Tolvane"]
    for name, (x, y, half) in SHOTS.items():
        x, y, high = harbour.x + x, harbour.y + y, half * 0.65
        tint = (*(1 + rng.uniform(-0.06, 0.06, 3)).tolist(), *rng.uniform(-4, 4, 3).tolist())
        pixels = np.asarray(world.picture(GroundBox(x - half, y - high, x + half, y + high), 1500, tint))
        files.append(write_picture(folder / f"{name}.png", pixels))
    return files


def lands(folder: Path, outline: list[list[float]]) -> Path:
    """Three lands in a file, as shares of the widest picture."""
    xs, ys = zip(*outline, strict=True)
    west, south, wide, high = min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)
    features = []
    for name, x, y, size in (("Westmark", 0.25, 0.5, 0.14), ("Eastmark", 0.85, 0.8, 0.12), ("Isle", 0.9, 0.25, 0.07)):
        turns = np.linspace(0, 2 * np.pi, 60)
        ring = np.column_stack([west + wide * (x + size * np.cos(turns)), south + high * (y + size * np.sin(turns))])
        geometry = {"type": "Polygon", "coordinates": [ring.tolist()]}
        features.append({"type": "Feature", "properties": {"name": name}, "geometry": geometry})
    file = folder / "lands.geojson"
    file.write_text(json.dumps({"type": "FeatureCollection", "ground": "plain", "features": features}))
    return file


def tell(page: Page, server: Server, folder: Path) -> None:
    """Do it."""
    files = screenshots(folder)
    film = server.client.post("/api/films", json={}).json()["id"]
    page.goto(f"{server.url}/#/films/{film}")
    expect(page.get_by_text("No imagery yet")).to_be_visible()
    hand = Hand(page)

    def step(name: str) -> Locator:
        return page.get_by_role("navigation", name="Steps").get_by_role("button", name=re.compile(f"^{name}"))

    tools = page.locator(".chart header")
    hand.drop(*files)
    expect(page.locator(".pick .state", has_text="Ready")).to_have_count(3)
    hand.click(step("Fit"))
    hand.click(page.get_by_role("button", name="Fit all"))
    expect(step("Fit")).to_contain_text("2 fitted")
    hand.done("three screenshots laid true and toned")
    hand.click(step("Mark"))
    for name, *at in (("Tolvane", 0.5, 0.5), ("Old quay", 0.62, 0.42), ("Fell", 0.4, 0.6)):
        hand.click(tools.get_by_role("button", name="Label"))
        hand.at(*at)
        hand.type(name)
    hand.done("three places named")
    hand.click(tools.get_by_role("button", name="Route"))
    for at in ((0.3, 0.3), (0.45, 0.35), (0.6, 0.3), (0.7, 0.45)):
        hand.at(*at)
    hand.type("", enter=True)
    for point, name in ((1, "Start"), (2, "Cove"), (4, "Home")):
        hand.click(page.get_by_label(f"Name of stop {point}"))
        hand.type(name, enter=True)
    hand.click(page.get_by_role("button", name="pins and names"))
    server.until(lambda: len(film_of(server)["film"]["markers"]) == 3)
    hand.done("a route with pins at its stops")
    hand.drop(lands(folder, film_of(server)["plan"]["plates"][0]["outline"]))
    hand.click(page.get_by_role("checkbox", name="All"))
    hand.click(page.get_by_role("checkbox", name="Westmark"))
    hand.click(page.get_by_role("button", name=re.compile("^Lay")))
    server.until(lambda: [one["name"] for one in film_of(server)["film"]["regions"]] == ["Westmark"])
    hand.done("a land lit up")


def main() -> None:
    """Start a Yaila of its own, and tell the story."""
    expect.set_options(timeout=60_000)
    with (
        tempfile.TemporaryDirectory() as name,
        sync_playwright() as playwright,
        Server(Path(name) / "store", begins_its_own=True) as server,
    ):
        browser = playwright.chromium.launch(**launching())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        tell(page, server, Path(name))
        page.wait_for_timeout(1500)
        page.screenshot(path=str(Path(tempfile.gettempdir()) / "story.png"))


if __name__ == "__main__":
    main()
