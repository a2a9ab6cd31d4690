"""Films, revisions, pictures and jobs, kept in one folder."""

from __future__ import annotations

import os
from pathlib import Path

from yaila.store.aids import Aid, Aids
from yaila.store.database import open_database
from yaila.store.films import FilmCard, Films, FilmState, checked, difference, patched
from yaila.store.jobs import Jobs
from yaila.store.pictures import Pictures
from yaila.store.sources import Sources

__all__ = [
    "Aid",
    "Aids",
    "FilmCard",
    "FilmState",
    "Films",
    "Jobs",
    "Pictures",
    "Sources",
    "Store",
    "checked",
    "default_home",
    "difference",
    "patched",
]


def default_home() -> Path:
    """The folder of the store: ``YAILA_HOME``, or ``.yaila`` in the person's own folder."""
    return Path(os.environ.get("YAILA_HOME") or Path.home() / ".yaila")


class Store:
    """Everything Yaila keeps, in one folder that it never leaves."""

    def __init__(self, home: Path | None = None) -> None:
        self.home = (home or default_home()).resolve()
        self.home.mkdir(parents=True, exist_ok=True)
        self.arrivals = self._folder("arrivals")
        self.reels = self._folder("reels")
        self.tiles = self._folder("tiles")
        self.engine = engine = open_database(self.home / "yaila.sqlite")
        self.films = Films(engine)
        self.jobs = Jobs(engine)
        self.sources = Sources(engine)
        self.pictures = Pictures(engine, self.home / "pictures")
        self.aids = Aids(self._folder("aids"))

    def _folder(self, name: str) -> Path:
        folder = self.home / name
        folder.mkdir(exist_ok=True)
        return folder
