"""Run the campaign: `make campaign`, or parts of it with other lengths.

    python -m tests.campaign kills=200 reels=30 requests=10000 files=2000 trouble waits soak=60 seed=1

Prints one JSON line a part, and ends with 1 if anything was wrong.
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tests.campaign import files, fuzz, kills, reels, soak, trouble, waits
from tests.conftest import write_picture
from tests.served import Server
from tests.truth import fine_texture
from yaila.core.film import Film
from yaila.store import Store

WHOLE = ["files=2000", "trouble", "waits", "kills=200", "reels=30", "requests=10000", "soak=60"]


def served(folder: Path, work: Callable[[Server, Film], dict[str, Any]]) -> dict[str, Any]:
    """Do something to a server of its own, with a film of a plate, two vantages and a label."""
    with Server(folder / "store", begins_its_own=True) as server:
        picture = Store(server.home).pictures.add(write_picture(folder / "g.png", fine_texture(900, 600)), "g.png")
        plate = {"name": "Ground", "picture": picture, "placement": {"kind": "similarity", "x": 450, "y": 300}}
        views = [{"x": 450, "y": 300, "span": 800, "hold": 1}, {"x": 400, "y": 300, "span": 300, "hold": 1}]
        label = {"text": "Here", "x": 450, "y": 300}
        return work(server, Film.model_validate({"plates": [plate], "vantages": views, "labels": [label]}))


def main(asked: list[str]) -> int:
    """Run the parts asked for."""
    given = dict(one.partition("=")[::2] for one in asked)
    number = int(given.pop("seed", "") or 1)
    bad = False
    for part, length in (given or dict(one.partition("=")[::2] for one in WHOLE)).items():
        begin = time.monotonic()
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)

            def kill(server: Server, film: Film, length: str = length, folder: Path = folder) -> dict[str, Any]:
                return kills.run(server, Store(server.home).films.create(film).id, int(length), number, folder)

            def ask(server: Server, film: Film, length: str = length) -> dict[str, Any]:
                return fuzz.run(server, film, int(length), number, rest=fuzz.REST)

            def soaked(server: Server, film: Film, length: str = length, folder: Path = folder) -> dict[str, Any]:
                return soak.run(server, Store(server.home).films.create(film).id, float(length), number, folder)

            parts: dict[str, Callable[[], dict[str, Any]]] = {
                "files": lambda length=length, folder=folder: files.run(int(length), number, folder),
                "trouble": lambda folder=folder: trouble.run(folder),
                "waits": lambda folder=folder: served(folder, waits.run),
                "reels": lambda length=length, folder=folder: reels.run(int(length), number, folder),
                "kills": lambda folder=folder: served(folder, kill),
                "requests": lambda folder=folder: served(folder, ask),
                "soak": lambda folder=folder: served(folder, soaked),
            }
            found = parts[part]()
        bad = bad or bool(found["wrong"])
        print(
            json.dumps({"part": part, "seed": number, **found, "took, s": round(time.monotonic() - begin)}), flush=True
        )
    return int(bad)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
