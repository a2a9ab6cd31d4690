"""Trouble around the server: a full disk, a store that may not be written to, a database that somebody else holds, a
clock set back, a second start. Each is a sentence, and once it is over, work goes on."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from tests.conftest import write_picture
from tests.served import Server, free_port
from tests.truth import fine_texture


def _name(server: Server, film: str, name: str) -> Any:
    revision = server.client.get(f"/api/films/{film}").json()["revision"]
    patch = [{"op": "replace", "path": "/name", "value": name}]
    return server.client.patch(f"/api/films/{film}", json=patch, headers={"If-Match": f'"{revision}"'})


def run(folder: Path) -> dict[str, Any]:
    """Make trouble of each kind."""
    wrong: list[str] = []
    said: dict[str, str] = {}

    def expect(what: str, answer: Any, status: int) -> None:
        said[what] = answer.json()["detail"] if answer.status_code >= 400 else "done"
        if answer.status_code != status:
            wrong.append(f"{what}: {answer.status_code} {answer.text[:200]}")

    # A disk of its own, so that filling it harms nobody.
    disk = folder / "disk"
    disk.mkdir()
    mounted = (
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=420m", "tmpfs", str(disk)], check=False).returncode == 0
    )
    server = Server(disk / "store", begins_its_own=True)
    server.start()
    try:
        film = server.client.post("/api/films", json={"name": "Kept"}).json()["id"]
        if mounted:
            filler = disk / "filler"
            with filler.open("wb") as out:
                try:
                    while True:
                        out.write(bytes(1 << 20))
                        out.flush()
                except OSError:
                    pass
            for k in range(40):
                answer = _name(server, film, f"Full {k} " + "x" * 60)
                if answer.status_code != 200:
                    break
            expect("an edit on a full disk", answer, 503)
            font = next((Path(__file__).parents[2] / "src/yaila/core/type/fonts").glob("*.ttf")).read_bytes()
            expect("a font on a full disk", server.client.post("/api/fonts?name=a.ttf", content=font), 503)
            picture = write_picture(folder / "p.png", fine_texture(600, 400)).read_bytes()
            url = f"/api/films/{film}/pictures?name=p.png"
            expect("a picture on a full disk", server.client.post(url, content=picture), 503)
            if server.client.get("/api/fonts").status_code != 200:
                wrong.append("fonts cannot be listed on a full disk")
            filler.unlink()
            expect("an edit when there is room again", _name(server, film, "Room"), 200)
            if list((server.home / "aids").iterdir()):
                wrong.append("half a font was left")
        with sqlite3.connect(server.home / "yaila.sqlite", timeout=1) as other:
            other.execute("BEGIN IMMEDIATE")
            begin = time.monotonic()
            expect("an edit while another program writes", _name(server, film, "Locked"), 503)
            if time.monotonic() - begin > 8:
                wrong.append("a locked database keeps an edit for long")
        other.close()
        expect("an edit when it has written", _name(server, film, "Unlocked"), 200)
        second = subprocess.run(
            [sys.executable, "-m", "yaila", "serve", "--port", str(free_port())],
            env={**os.environ, "YAILA_HOME": str(server.home)}, capture_output=True, text=True, check=False,
        )  # fmt: skip
        said["a second start"] = second.stderr.strip()
        if second.returncode != 1 or "Traceback" in second.stderr:
            wrong.append(f"a second start: {second.returncode} {second.stderr[-300:]}")
    finally:
        server.stop()
        if mounted:
            subprocess.run(["umount", str(disk)], check=False)
    for what, spoil in {
        "a store that is a file": lambda home: home.write_text("x"),
        "a database that is none": lambda home: (home.mkdir(), (home / "yaila.sqlite").write_bytes(b"none" * 999)),
    }.items():
        home = Path(tempfile.mkdtemp(dir=folder)) / "store"
        spoil(home)
        started = subprocess.run(
            [sys.executable, "-m", "yaila", "serve", "--port", str(free_port())],
            env={**os.environ, "YAILA_HOME": str(home)}, capture_output=True, text=True, check=False, timeout=60,
        )  # fmt: skip
        said[what] = started.stderr.strip()
        if started.returncode != 1 or "Traceback" in started.stderr:
            wrong.append(f"{what}: {started.returncode} {started.stderr[-300:]}")
    return {"full disk tried": mounted, "said": said, "wrong": wrong}
