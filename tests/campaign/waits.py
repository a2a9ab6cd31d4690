"""While one film does its worst, how long another one waits: edits, lists and frames, 95th percentile."""

from __future__ import annotations

import threading
import time
from typing import Any

import httpx
import numpy as np

from tests.served import Server
from yaila.core.film import Film
from yaila.store import Store

GOAL = 150.0
"""Milliseconds."""


def worst_cases(store: Store, good: Film) -> dict[str, list[str]]:
    """Films that ask much, and what is asked of them again and again."""
    many = [{"text": f"Name {k}", "name": f"Name {k}", "x": (k * 37) % 900, "y": (k * 53) % 600} for k in range(2000)]
    far = [[(-4e5, -4e5), (4e5, -4e5), (4e5, 4e5), (-4e5, 4e5)]]
    document = good.model_dump(mode="json")
    close = {"x": 450, "y": 300, "span": 2.0, "hold": 2}
    views = [{"x": (k * 377) % 900, "y": (k * 211) % 600, "span": 200 + k, "hold": 0.4} for k in range(500)]
    films = {
        "2,000 names": document | {"labels": many},
        "a hatch of 800 km in a frame of 2 m": document
        | {"vantages": [close, close], "regions": [{"rings": far, "look": {"hatch": 4}}]},
        "500 vantages": document | {"vantages": views},
    }
    cases = {}
    for name, made in films.items():
        state = store.films.create(Film.model_validate(made))
        frames = [f"/api/films/{state.id}/frames/{k}.jpg?state=r{state.revision}&width=1280" for k in (3, 30, 60)]
        cases[name] = [f"/api/films/{state.id}/soundings?state=r{state.revision}", *frames]
    return cases


def run(server: Server, good: Film, rounds: int = 40) -> dict[str, Any]:
    """Ask a film of another one's worst, and meanwhile for what an editor asks."""
    store = Store(server.home)
    kept = store.films.create(good)
    figures: dict[str, Any] = {}
    wrong: list[str] = []
    for case, urls in worst_cases(store, good).items():
        stop = threading.Event()

        def storm(url: str, stop: threading.Event = stop) -> None:
            with httpx.Client(base_url=server.url, timeout=300) as client:
                while not stop.is_set():
                    client.get(url)

        threads = [threading.Thread(target=storm, args=(url,)) for url in urls]
        for thread in threads:
            thread.start()
        time.sleep(1)
        took: dict[str, list[float]] = {"edit": [], "list": [], "frame": []}
        seen = server.client.get(f"/api/films/{kept.id}").json()["revision"]
        for k in range(rounds):
            for what, times in took.items():
                begin = time.monotonic()
                if what == "edit":
                    patch = [{"op": "replace", "path": "/name", "value": f"{case} {k}"}]
                    answer = server.client.patch(f"/api/films/{kept.id}", json=patch, headers={"If-Match": f'"{seen}"'})
                    seen = answer.json()["revision"]
                elif what == "list":
                    server.client.get("/api/films")
                else:
                    server.client.get(f"/api/films/{kept.id}/frames/{k % 50}.jpg?state=r{kept.revision}&width=640")
                times.append((time.monotonic() - begin) * 1000)
        stop.set()
        for thread in threads:
            thread.join()
        figures[case] = {what: round(float(np.percentile(times, 95))) for what, times in took.items()}
        wrong += [f"{case}: {what} {ms} ms" for what, ms in figures[case].items() if ms > GOAL]
    return {"95th percentiles, ms": figures, "wrong": wrong}
