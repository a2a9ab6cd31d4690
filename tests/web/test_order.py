"""Edits in one line: what is typed, clicked and pressed as quickly as a script can lands on what it was meant for, in
its order, however slow the server is and whatever comes before it."""

from __future__ import annotations

import random
import time

import pytest
from playwright.sync_api import Page, Request, Route, expect

from tests.served import Server
from tests.web.hands import open_film
from yaila.core.film import Film
from yaila.store import Store

pytestmark = pytest.mark.browser

STEPS = 24
"""Acts of a sequence."""

SEQUENCES = 200
"""All sequences, of which one is done every time and the others where thoroughness is asked for."""


def sequence(seed: int) -> list[tuple[str, str]]:
    """Acts of chance: to choose another vantage, to type a number, to double."""
    rng = random.Random(seed)
    made: list[tuple[str, str]] = []
    # No number twice: one that stands already is no edit.
    for number in rng.sample(range(1, 80), STEPS):
        kind = rng.choices(("next", "previous", "tilt", "roll", "double"), (4, 3, 6, 3, 3))[0]
        made.append((kind, str(number)))
    return made


def do(page: Page, kind: str, value: str) -> None:
    if kind in ("tilt", "roll"):
        field = page.get_by_label(f"{kind.capitalize()}, °")
        field.fill(value)
        field.press("Enter")
    else:
        keys = {"next": "ArrowDown", "previous": "ArrowUp", "double": "Control+d"}
        page.keyboard.press(keys[kind])


def film_with_three(server: Server) -> str:
    views = [{"name": name, "x": 100 * k, "y": 50 * k, "span": 300 + k, "hold": 0.4} for k, name in enumerate("abc")]
    return Store(server.home).films.create(Film.model_validate({"vantages": views})).id


def chosen(page: Page) -> str:
    """The vantage that the sheet shows."""
    return page.locator(".details [data-part]").first.get_attribute("data-part") or ""


@pytest.mark.parametrize("seed", [0, *(pytest.param(k, marks=pytest.mark.thorough) for k in range(1, SEQUENCES))])
def test_what_quick_hands_do_lands_on_what_it_was_meant_for(server: Server, page: Page, seed: int) -> None:
    film = film_with_three(server)
    films, rng = Store(server.home).films, random.Random(seed)
    open_film(page, server, film)
    expect(page.locator(".details .number").first).to_have_text("1")
    begun = films.head(film)
    sent: list[tuple[str, str, float | None]] = []
    under_way = [0]

    def note(request: Request) -> None:
        """What an edit says, of which part of the film that it was made on."""
        body, url = request.post_data_json, request.url
        if "/trials/" in url:
            return
        if request.method == "PATCH":
            revision = int(request.headers["if-match"].strip('"'))
            for step in body:
                _, _, place, field = step["path"].split("/")
                sent.append((films.at_revision(film, revision).vantages[int(place)].id, field, step["value"]))
        elif request.method == "POST" and "/acts" in url:
            sent.append((body["vantage"], "double", None))

    def late(route: Route) -> None:
        under_way[0] += 1
        time.sleep(rng.uniform(0, 0.06))
        note(route.request)
        route.continue_()

    def ended(request: Request) -> None:
        under_way[0] -= request.method in ("POST", "PATCH")

    page.route(lambda url: "/api/films/" in url, lambda route: late(route) if route.request.method in
               ("POST", "PATCH") else route.continue_())  # fmt: skip
    page.on("requestfinished", ended)
    page.on("requestfailed", ended)
    meant: list[tuple[str, str, float | None]] = []
    for kind, value in sequence(seed):
        if kind in ("tilt", "roll"):
            meant.append((chosen(page), kind, float(value)))
        elif kind == "double":
            meant.append((chosen(page), "double", None))
        do(page, kind, value)
    until_quiet = time.monotonic() + 20
    while (under_way[0] or len(sent) < len(meant)) and time.monotonic() < until_quiet:
        page.wait_for_timeout(50)
    page.unroute_all(behavior="wait")
    assert sent == meant
    assert films.head(film) > begun
    expect(page.get_by_role("alert")).to_have_count(0)


@pytest.mark.parametrize("step", ["Fit", "Mark", "Finish", "Sound", "Render"])
def test_one_may_go_to_any_step_while_a_film_opens(server: Server, page: Page, step: str) -> None:
    """A step opened before its film was known stayed half drawn for good."""
    film, problems, held = film_with_three(server), [], []
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.route(lambda url: url.endswith("/api/choices"), lambda route: held.append(route))
    page.goto("about:blank")
    page.goto(f"{server.url}/#/films/{film}", wait_until="commit")
    page.get_by_role("navigation", name="Steps").get_by_role("button", name=step).click()
    until_held = time.monotonic() + 20
    while not held and time.monotonic() < until_held:
        page.wait_for_timeout(20)
    held[0].continue_()
    expect(page.locator("[aria-busy]")).to_have_count(0)
    expect(page.get_by_role("region", name=SHEETS[step]).first).to_be_visible()
    assert problems == []


SHEETS = {
    "Gather": "Plates",
    "Fit": "Stack",
    "Mark": "Details",
    "Finish": "Details",
    "Sound": "Details",
    "Render": "Reels",
}


def test_a_key_pressed_again_before_the_server_answers_goes_two_on(server: Server, page: Page) -> None:
    film = film_with_three(server)
    open_film(page, server, film)
    expect(page.locator(".details .number").first).to_have_text("1")
    page.keyboard.press("5")
    expect(page.locator("button.face").first).to_be_visible()
    page.route(
        lambda url: "/api/films/" in url,
        lambda route: (time.sleep(0.2 * (route.request.method == "PATCH")), route.continue_()),
    )
    for _ in range(3):
        page.keyboard.press("t")
    films = Store(server.home).films
    # The page's requests go on only while Playwright is listened to.
    end = time.monotonic() + 20
    while films.state(film).film.finish.surface.kind != "linen" and time.monotonic() < end:
        page.wait_for_timeout(50)
    assert films.state(film).film.finish.surface.kind == "linen"
    page.unroute_all(behavior="wait")
