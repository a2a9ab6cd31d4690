"""Kills in the middle of work: nothing accepted may be lost, nothing may be left behind."""

from __future__ import annotations

import contextlib
import random
import sqlite3
import threading
import time
from pathlib import Path
from typing import Any

import httpx

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from yaila.store import Store


def run(server: Server, film: str, kills: int, number: int, folder: Path) -> dict[str, Any]:
    """Kill the server so many times, at moments of chance, while one edits, imports and renders."""
    rng = random.Random(number)
    accepted, wrong, restarts = 0, [], []
    picture = write_picture(folder / "again.png", fine_texture(700, 500, seed=number)).read_bytes()
    name = ""
    for kill in range(kills):
        stop = threading.Event()
        kept: list[str] = []
        tried: list[int] = []

        def edit(
            stop: threading.Event = stop, kept: list[str] = kept, tried: list[int] = tried, kill: int = kill
        ) -> None:
            with httpx.Client(base_url=server.url, timeout=20) as client, contextlib.suppress(httpx.HTTPError):
                seen = client.get(f"/api/films/{film}").json()["revision"]
                for k in range(10_000):
                    if stop.is_set():
                        return
                    tried.append(k)
                    patch = [{"op": "replace", "path": "/name", "value": f"{kill}-{k}"}]
                    answer = client.patch(f"/api/films/{film}", json=patch, headers={"If-Match": f'"{seen}"'})
                    if answer.status_code == 200:
                        seen = answer.json()["revision"]
                        kept.append(f"{kill}-{k}")
                    elif answer.status_code == 412:
                        # An import was laid meanwhile.
                        seen = client.get(f"/api/films/{film}").json()["revision"]

        def others(stop: threading.Event = stop, kill: int = kill) -> None:
            with httpx.Client(base_url=server.url, timeout=20) as client, contextlib.suppress(httpx.HTTPError):
                client.post(f"/api/films/{film}/pictures", params={"name": f"{kill}.png"}, content=picture)
                revision = client.get(f"/api/films/{film}").json()["revision"]
                client.post(f"/api/films/{film}/reels", json={"revision": revision, "settings": {"width": 320}})
                while not stop.is_set():
                    client.get(f"/api/films/{film}/frames/{rng.randrange(20)}.jpg?state=r{revision}")

        threads = [threading.Thread(target=edit), threading.Thread(target=others)]
        for thread in threads:
            thread.start()
        time.sleep(rng.uniform(0.05, 5.0))
        server.kill()
        stop.set()
        for thread in threads:
            thread.join()
        begin = time.monotonic()
        server.start()
        restarts.append(time.monotonic() - begin)
        accepted += len(kept)
        if kept:
            name = kept[-1]
        found = server.client.get(f"/api/films/{film}").json()["film"]["name"]
        # The edit under way when it was killed may be there too: it had no answer.
        last = int(name.partition("-")[2]) if name else -1
        after = {f"{kill}-{k}" for k in tried if not kept or k > last}
        if name and found != name and found not in after:
            wrong.append(f"kill {kill}: {found} stands, {name} was accepted")
        name = found if "-" in found else name
        with sqlite3.connect(server.home / "yaila.sqlite") as base:
            sound = base.execute("PRAGMA integrity_check").fetchone()[0]
        if sound != "ok":
            wrong.append(f"kill {kill}: {sound}")
        left = [path.name for path in (server.home / "arrivals").iterdir()]
        left += [path.name for path in (server.home / "reels").glob("*.part*")]
        if left:
            wrong.append(f"kill {kill}: left {left}")
        # Reels go on by themselves; nothing else does.
        under_way = [one["id"] for one in server.jobs(film) if one["state"] in ("waiting", "running")]
        reels = {one["id"] for one in server.jobs(film) if one["kind"] == "reel"}
        if others_open := set(under_way) - reels:
            wrong.append(f"kill {kill}: still open {others_open}")
        for reel in reels & set(under_way):
            server.client.post(f"/api/jobs/{reel}/cancel")
        # What came whole before the kill is kept small, or the disk would tell of the campaign itself.
        for reel in (server.home / "reels").glob("*.mp4"):
            reel.unlink()
    state = Store(server.home).films.state(film)
    return {
        "kills": kills,
        "accepted edits": accepted,
        "plates laid": len(state.film.plates),
        "slowest start, s": round(max(restarts), 2),
        "wrong": wrong,
    }
