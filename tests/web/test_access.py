"""The page for all: what axe-core finds in every step, and the story's acts by keys alone."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.served import Server
from tests.web.hands import film_of, kept, until

pytestmark = pytest.mark.browser

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
"""Rules of WCAG 2.2, A and AA, and best practice, by Deque's axe-core."""


def violations(page: Page, part: str = "body") -> list[str]:
    """What axe-core finds in a part of the page as it is."""
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE.read_text("utf-8"))
    return page.evaluate(
        """async (part) => {
            const tags = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"];
            const { violations } = await axe.run(part, { runOnly: tags, resultTypes: ["violations"] });
            return violations.flatMap(({ id, nodes }) => nodes.map((node) => `${id}: ${node.html.slice(0, 120)}`));
        }""",
        part,
    )


def cut_off(page: Page) -> list[str]:
    """What is cut off or lies beyond the page. What says "…" or scrolls up and down is not."""
    return page.evaluate(CUT)


CUT = """async () => {
    // What was changed just now is laid out by the second of two frames.
    for (let k = 0; k < 2; k++) await new Promise((drawn) => requestAnimationFrame(drawn));
    const found = new Set();
    const says = (one) => `${one.tagName} ${(one.textContent.trim() || one.ariaLabel || one.value || "").slice(0, 40)}`;
    for (const one of document.querySelectorAll("button, input, select, label, span, b, p, h2, a")) {
        const box = one.getBoundingClientRect(), style = getComputedStyle(one);
        if (!box.width || !box.height || style.visibility === "hidden" || style.opacity === "0") continue;
        const clips = (side) => ["hidden", "clip", "auto"].includes(side.overflowX) && side.textOverflow !== "ellipsis";
        const typed = one.tagName === "INPUT" && ["text", "search"].includes(one.type);
        if (one.scrollWidth > one.clientWidth + 3 && (typed || (clips(style) && one.tagName !== "SELECT")))
            found.add(`cut: ${says(one)}`);
        let within = true;
        for (let around = one.parentElement; around && within; around = around.parentElement) {
            const edge = around.getBoundingClientRect(), its = getComputedStyle(around);
            if (its.textOverflow === "ellipsis") within = false;
            else if (clips(its) && box.right > edge.right + 2 && box.left < edge.right) found.add(`cut: ${says(one)}`);
        }
        if (within && (box.right > innerWidth + 1 || box.left < -1)) found.add(`beyond the page: ${says(one)}`);
    }
    return [...found];
}"""


def every_view(page: Page, wait: float) -> Iterator[tuple[str, str]]:
    """Go through all steps and what their tabs and kinds of things show: what is to be seen, and where it is new."""
    faces = {
        "3": [
            page.get_by_role("radio", name=tab, exact=True) for tab in ("Extras", "Order", "Time", "Recipes", "Passage")
        ],
        "4": [
            page.locator(".details .row .pick", has=page.locator(f"i.{kind}")).first
            for kind in ("route", "marker", "label", "region", "inset")
        ],
        "5": [page.locator(".effect .face", has_text=effect) for effect in ("Relief", "Sun", "Haze", "Depth", "Lamps")],
        "6": [page.locator(f".soundlanes {what}") for what in ("rect[aria-label=Sea]", ".lanename")],
    }
    for key in ("1", "2", "3", "4", "5", "6", "7"):
        page.keyboard.press(key)
        page.wait_for_timeout(2 * wait)
        yield key, "body"
        for number, face in enumerate(faces.get(key, [])):
            face.click()
            page.wait_for_timeout(wait)
            yield f"{key}.{number}", "[aria-label=Details]" if key == "5" else ".side"


def test_axe_finds_nothing_in_any_step_or_tab_and_nothing_is_cut_off(server: Server, film: Page) -> None:
    page, sheet = film, film_of(server)
    marks = {
        "routes": {"name": "Way", "points": [{"x": 700, "y": 400, "stop": "A"}, {"x": 900, "y": 500}]},
        "markers": {"name": "Ring", "x": 800, "y": 450},
        "labels": {"name": "Name", "text": "Name", "x": 820, "y": 430},
        "regions": {"name": "Field", "rings": [[[600, 300], [900, 300], [800, 500]]]},
        "lamps": {"name": "Lamp", "x": 810, "y": 440},
        "insets": {
            "name": "Card",
            "x": 830,
            "y": 470,
            "shows": {"kind": "clip", "sha256": "a" * 64, "width": 640, "height": 360, "seconds": 3},
        },
        "lanes": {"id": "lane", "name": "Effects"},
        "sounds": {"id": "sound", "name": "Sea", "lane": "lane", "source": {"kind": "made", "effect": "sea"}},
    }
    steps = [{"op": "add", "path": f"/{kind}/-", "value": mark} for kind, mark in marks.items()]
    headers = {"If-Match": f'"{sheet["revision"]}"'}
    assert server.client.patch(f"/api/films/{sheet['id']}", json=steps, headers=headers).status_code == 200
    until(page, "document.body.innerText.includes('6 marks')")
    page.keyboard.press("5")
    page.get_by_role("checkbox", name="Depth in the film").check()
    kept(page, "Depth")
    # All of the page once in each step; then what another tab or another kind of mark has changed.
    for where, part in every_view(page, wait=120):
        assert violations(page, part) == [], where
    for size in ((1024, 700), (1920, 1080)):
        page.set_viewport_size({"width": size[0], "height": size[1]})
        for where, _ in every_view(page, wait=60):
            assert cut_off(page) == [], (where, size)
    page.set_viewport_size({"width": 1280, "height": 800})
    # With the picture as large as the sheet, the chart is in its corner.
    for key in ("1", "2", "3", "4"):
        page.keyboard.press(key)
        page.keyboard.press("v")
        assert cut_off(page) == [], key
        page.keyboard.press("v")
    page.keyboard.press("?")
    assert violations(page) == []
    page.keyboard.press("Escape")


def test_a_vantage_is_set_tilted_timed_and_taken_away_by_keys_alone(server: Server, film: Page) -> None:
    page = film
    page.keyboard.press("n")
    expect(page.get_by_role("button", name="4 vantages")).to_be_visible()
    # On to the tilt by the tabulator, wherever the focus begins.
    for _ in range(80):
        page.keyboard.press("Tab")
        if page.evaluate("() => document.activeElement.ariaLabel") == "Tilt, °":
            break
    page.keyboard.type("25")
    page.keyboard.press("Enter")
    kept(page, "Tilt")
    assert 25 in [vantage["tilt"] for vantage in film_of(server)["film"]["vantages"]]
    page.evaluate("() => document.activeElement.blur()")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Alt+ArrowRight")
    kept(page, "Retime")
    page.keyboard.press("Delete")
    server.until(lambda: len(film_of(server)["film"]["vantages"]) == 3)
    page.keyboard.press("Control+z")
    server.until(lambda: len(film_of(server)["film"]["vantages"]) == 4)
    expect(page.get_by_role("main")).to_have_count(1)


def tab_to(page: Page, name: str) -> None:
    """On by the tabulator, wherever the focus is, until something of a name has it."""
    for _ in range(160):
        page.keyboard.press("Tab")
        says = "() => document.activeElement.ariaLabel ?? document.activeElement.innerText ?? ''"
        if page.evaluate(says).strip() == name:
            return
    raise AssertionError(f"the tabulator never comes to “{name}”")


def test_marks_are_drawn_and_the_film_is_rendered_by_keys_alone(server: Server, film: Page) -> None:
    page = film

    def made() -> dict:
        return film_of(server)["film"]

    def press(*keys: str) -> None:
        for key in keys:
            page.keyboard.press(key)

    press("4", "m", "ArrowRight", "ArrowRight", "ArrowUp", "Space")
    server.until(lambda: len(made()["markers"]) == 1)
    first = made()["markers"][0]
    # A little farther to the right another, by one pixel the third.
    press("m", "Shift+ArrowRight", "Space")
    server.until(lambda: len(made()["markers"]) == 2)
    assert made()["markers"][1]["x"] > first["x"]
    assert made()["markers"][1]["y"] == pytest.approx(first["y"])
    # Of a circle its middle, then its rim.
    press("c", "Space", "Shift+ArrowDown", "Space")
    server.until(lambda: len(made()["regions"]) == 1)
    assert made()["regions"][0]["circle"]["radius"] > 0
    # A route of three points, of which one was taken back.
    press(
        "r", "Space", "Shift+ArrowUp", "Space", "ArrowLeft", "Space", "Backspace", "Shift+ArrowLeft", "Space", "Enter"
    )
    server.until(lambda: len(made()["routes"]) == 1)
    assert len(made()["routes"][0]["points"]) == 3
    # A name is typed where it stands.
    press("a", "Shift+ArrowLeft", "Space")
    server.until(lambda: len(made()["labels"]) == 1)
    expect(page.get_by_label("Text of the label")).to_be_focused()
    page.keyboard.type("Quillhaven")
    press("Control+Enter", "Tab")
    server.until(lambda: made()["labels"][0]["text"] == "Quillhaven")
    # With nothing in hand arrows are the film's again.
    page.evaluate("() => document.activeElement.blur()")
    press("Escape", "Home", "ArrowRight", "7")
    expect(page.locator(".position, .transport, .viewfinder").first).to_be_visible()
    tab_to(page, "Render film")
    press("Enter")
    expect(page.locator("[data-reel]")).to_have_count(1)
