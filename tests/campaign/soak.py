"""Mixed work for a long time: memory and open files must stay flat after the first sixth of it."""

from __future__ import annotations

import random
import threading
import time
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import psutil

from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture


def run(server: Server, film: str, minutes: float, number: int, folder: Path) -> dict[str, Any]:
    """Edit, scrub, check, undo, import and render for so many minutes; returns slopes of memory and open files."""
    assert server.process
    process = psutil.Process(server.process.pid)
    end, stop = time.monotonic() + 60 * minutes, threading.Event()
    asked, faults = [0], []

    def work(kind: str, seed: int) -> None:
        rng = random.Random(seed)
        with httpx.Client(base_url=server.url, timeout=120) as client:
            count = 0
            while not stop.is_set():
                count += 1
                sheet = client.get(f"/api/films/{film}").json()
                state, seen = sheet["state"], {"If-Match": f'"{sheet["revision"]}"'}
                answers = []
                if kind == "edit":
                    act = {"act": "move_vantages", "vantages": [sheet["film"]["vantages"][0]["id"]], "degrees": 0}
                    act |= {"by": [rng.uniform(-3, 3), rng.uniform(-3, 3)], "factor": 1}
                    answers.append(client.post(f"/api/films/{film}/trials/acts", json=act, params={"state": state}))
                    answers.append(client.post(f"/api/films/{film}/acts", json=act, headers=seen))
                    if rng.random() < 0.3:
                        answers.append(client.post(f"/api/films/{film}/undo", headers=seen))
                elif kind == "look":
                    frame, width = rng.randrange(sheet["plan"]["frames"]), rng.choice([320, 640, 960])
                    url = f"/api/films/{film}/frames/{frame}.jpg"
                    answers.append(client.get(url, params={"state": state, "width": width}))
                elif kind == "check":
                    answers.append(client.get(f"/api/films/{film}/soundings", params={"state": state}))
                    answers.append(client.get(f"/api/films/{film}/curves", params={"state": state}))
                else:
                    data = write_picture(folder / "s.png", fine_texture(500, 400, seed=count % 5)).read_bytes()
                    other = client.post("/api/films", json={"name": f"Soak {count}"}).json()["id"]
                    answers.append(client.post(f"/api/films/{other}/pictures", params={"name": "s.png"}, content=data))
                    settings = {"revision": sheet["revision"], "settings": {"first": 0, "last": 20, "width": 320}}
                    answers.append(client.post(f"/api/films/{film}/reels", json=settings))
                    stop.wait(8)
                asked[0] += len(answers) + 1
                bad = [one for one in answers if one.status_code >= 500 and one.status_code != 503]
                faults.extend(f"{one.status_code} {one.request.url}" for one in bad)

    threads = [threading.Thread(target=work, args=(kind, number + k)) for k, kind in enumerate(
        ("edit", "look", "look", "check", "jobs")
    )]  # fmt: skip
    for thread in threads:
        thread.start()
    rows = []
    while time.monotonic() < end:
        stop.wait(min(15, max(end - time.monotonic(), 0.1)))
        rows.append((time.monotonic(), process.memory_info().rss / 2**20, process.num_fds(), process.num_threads()))
    stop.set()
    for thread in threads:
        thread.join()
    table = np.array(rows[len(rows) // 6 :])
    hours = (table[:, 0] - table[0, 0]) / 3600

    def slope(values: np.ndarray) -> float:
        return round(float(np.polyfit(hours, values, 1)[0]), 1)

    return {
        "minutes": minutes,
        "calls": asked[0],
        "memory after a sixth, MB": round(float(table[0, 1])),
        "memory at the end, MB": round(float(table[-1, 1])),
        "memory, MB an hour": slope(table[:, 1]),
        "open files, an hour": slope(table[:, 2]),
        "threads, an hour": slope(table[:, 3]),
        "wrong": sorted(set(faults))[:20],
    }
