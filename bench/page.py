"""What is measured in the page itself, in the distribution's Chromium, on a copy of the store: how soon a vantage that
is dragged on the chart is seen in the viewfinder, and how many frames are seen where drawing is slow."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from tests.chromium import launching

PORT = 8479
LARGE = 2**20
"""Files of more bytes than this are linked into the copy of a store; nothing in it changes them."""

WATCH = """() => {
  // From a movement of the pointer to the next picture that the page has made of what the server sent.
  window.took = [];
  let moved = null;
  // Whoever waits is told: looking for it again and again would make the page draw itself all the time.
  let came = () => {};
  window.next = () => new Promise((done) => (came = done));
  addEventListener("pointermove", () => (moved ??= performance.now()), true);
  const make = window.createImageBitmap;
  window.createImageBitmap = async (...given) => {
    const made = await make(...given);
    requestAnimationFrame(() => {
      if (moved !== null) window.took.push(performance.now() - moved), came();
      moved = null;
    });
    return made;
  };
}"""


def _linked(source: str, to: str) -> str:
    if os.path.getsize(source) > LARGE and not source.endswith(".sqlite"):
        os.link(source, to)
        return to
    return shutil.copy2(source, to)


@contextmanager
def page_of(home: Path, film: str, before: str = "") -> Iterator[Page]:
    """The page with a film, of a server on a copy of a store; ``before`` runs in it before anything else."""
    with tempfile.TemporaryDirectory(dir=home.parent, prefix=".bench-") as folder, sync_playwright() as playwright:
        copy = Path(folder) / "store"
        shutil.copytree(home, copy, copy_function=_linked, ignore=shutil.ignore_patterns("server.*", "reels"))
        (copy / "reels").mkdir()
        server = subprocess.Popen(
            [sys.executable, "-m", "yaila", "serve", "--port", str(PORT)],
            env={**os.environ, "YAILA_HOME": str(copy)},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        try:
            browser = playwright.chromium.launch(**launching())
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            if before:
                page.add_init_script(f"({before})()")
            _until_it_answers()
            page.goto(f"http://127.0.0.1:{PORT}/#/films/{film}")
            page.locator("[data-frame]").wait_for()
            page.wait_for_timeout(4000)
            yield page
            browser.close()
        finally:
            server.terminate()
            server.wait()


def _until_it_answers() -> None:
    for _ in range(200):
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/films", timeout=2):
                return
        except OSError:
            time.sleep(0.1)
    raise RuntimeError("The server does not answer.")


def drag_times(home: Path, film: str, moves: int = 60) -> list[float]:
    """Milliseconds from each of so many movements of a vantage on the chart to its picture in the viewfinder."""
    with page_of(home, film, WATCH) as page:
        page.get_by_role("navigation", name="Steps").get_by_role("button", name="Fly").click()
        for _ in range(3):
            page.keyboard.press("ArrowDown")
        page.wait_for_timeout(3000)
        box = page.locator(".chart .badge.selected").bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 8, y)
        page.wait_for_timeout(1500)
        page.evaluate("window.took.length = 0")
        for k in range(moves):
            page.evaluate("() => { window.coming = window.next(); }")
            page.mouse.move(x + 8 + 12 * np.sin(k / 6), y + 12 * np.cos(k / 6))
            page.evaluate("() => window.coming")
            # As a hand goes on: not always just when the last picture has come.
            page.wait_for_timeout(20 + 7 * (k % 5))
        took: list[float] = page.evaluate("window.took")
        page.mouse.up()
        return took[:moves]


SLOW = """() => {
  // Frames are drawn one after the other, and each takes so long; what is let go of is not drawn.
  const fetched = window.fetch;
  let last = Promise.resolve();
  window.fetch = (what, how) => {
    const address = typeof what === "string" ? what : what.url;
    if (!window.takes || !address.includes("/frames/")) return fetched(what, how);
    const drawn = last.then(async () => {
      how?.signal?.throwIfAborted();
      await new Promise((done) => setTimeout(done, window.takes));
      how?.signal?.throwIfAborted();
      return new Response(window.drawn);
    });
    last = drawn.catch(() => undefined);
    return drawn;
  };
}"""

SEEN = """async ([address, takes]) => {
  window.drawn = await (await fetch(address)).blob();
  window.takes = takes;
  window.seen = [];
  const frame = document.querySelector("[data-frame]");
  new MutationObserver(() => window.seen.push(frame.dataset.frame)).observe(frame, { attributes: true });
}"""


def frames_seen(home: Path, film: str, takes: float, seconds: float = 8.0) -> float:
    """Distinct frames a second that are seen while the film plays, where a frame takes so many seconds to draw and no
    two are drawn at once. What is drawn is one and the same picture: only when it comes is measured."""
    with page_of(home, film, SLOW) as page:
        with urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/films/{film}") as answer:
            state = json.load(answer)["state"]
        page.evaluate(SEEN, [f"/api/films/{film}/frames/0.jpg?state={state}&width=320", 1000 * takes])
        page.keyboard.press("Space")
        page.wait_for_timeout(2000)
        page.evaluate("window.seen.length = 0")
        begun = time.perf_counter()
        page.wait_for_timeout(1000 * seconds)
        seen = len(set(page.evaluate("window.seen")))
        took = time.perf_counter() - begun
        page.keyboard.press("Space")
        return seen / took
