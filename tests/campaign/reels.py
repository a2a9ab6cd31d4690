"""Reels killed in the middle: they go on where they were, and come out the same, byte for byte."""

from __future__ import annotations

import hashlib
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from tests.conftest import write_picture
from tests.truth import fine_texture
from yaila.core.film import Film
from yaila.farm.pieces import PIECE
from yaila.store import Store

SECONDS = 20
"""How long the film is: at 25 frames a second it has five pieces and a part of one."""


def run(kills: int, number: int, folder: Path) -> dict[str, Any]:
    """Render a reel until it was killed so many times at moments of chance, again and again from the start when it is
    done, and compare with one that was left in peace. Every third is written with its sound as another form."""
    rng = random.Random(number)
    home = folder / "store"
    store = Store(home)
    picture = store.pictures.add(write_picture(folder / "g.png", fine_texture(900, 600)), "g.png")
    plate = {"name": "Ground", "picture": picture, "placement": {"kind": "similarity", "x": 450, "y": 300}}
    views = [
        {"x": 450, "y": 300, "span": 800, "hold": SECONDS / 2},
        {"x": 400, "y": 300, "span": 300, "hold": SECONDS / 2},
    ]
    sound = {"name": "Sea", "lane": "l", "source": {"kind": "made", "effect": "sea"}, "loops": True}
    film = {
        "name": "Night",
        "plates": [plate],
        "vantages": views,
        "lanes": [{"id": "l", "name": "L"}],
        "sounds": [sound],
    }
    store.films.create(Film.model_validate(film))
    done, wrong, killed = 0, [], 0
    in_peace = {}
    for form in ("h264", "prores"):
        path = folder / f"peace-{form}.bin"
        begin = time.monotonic()
        if _started(home, path, form).wait() != 0:
            return {"kills": 0, "reels": 0, "wrong": [f"{form}: it cannot be rendered at all"]}
        in_peace[form] = _hash(path), time.monotonic() - begin
    while killed < kills:
        form = "prores" if done % 3 == 2 else "h264"
        path = folder / f"reel-{done}.bin"
        wanted, took = in_peace[form]
        for _ in range(rng.randint(1, 4)):
            process = _started(home, path, form)
            try:
                process.wait(rng.uniform(0.1, 1.0) * took)
                break
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
                killed += 1
        if _started(home, path, form).wait() != 0 or not path.exists():
            wrong.append(f"reel {done}: it did not go on")
        elif _hash(path) != wanted:
            wrong.append(f"reel {done}: it is another file")
        if left := [one.name for one in folder.glob(f"*{path.name}*") if one != path]:
            wrong.append(f"reel {done}: left {left}")
        path.unlink(missing_ok=True)
        done += 1
    return {"kills": killed, "reels": done, "frames of a piece": PIECE, "wrong": wrong}


def _started(home: Path, path: Path, form: str) -> subprocess.Popen[bytes]:
    """The command line, rendering on from what is there."""
    asked = ["render", "Night", "--out", str(path), "--width", "160", "--form", form, "--resume"]
    return subprocess.Popen(
        [Path(sys.executable).with_name("yaila"), *asked],
        env={**os.environ, "YAILA_HOME": str(home)},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )


def _hash(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()
