"""Films, revisions, pictures and jobs, kept in one folder."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from yaila.core.errors import BadStore, NotFound
from yaila.core.film.model import FileUse
from yaila.core.picture.kit import Kit
from yaila.home import default_home, open_home
from yaila.store.aids import Aid, Aids
from yaila.store.clips import Clips
from yaila.store.database import open_database
from yaila.store.films import FilmCard, Films, FilmState, checked, difference, patched
from yaila.store.gazetteers import Gazetteer, Gazetteers
from yaila.store.holdings import Holding, Holdings
from yaila.store.jobs import Jobs
from yaila.store.looks import Looks
from yaila.store.pictures import Pictures
from yaila.store.sounds import Sounds
from yaila.store.sources import Sources

__all__ = [
    "Aid",
    "Aids",
    "Clips",
    "FilmCard",
    "FilmState",
    "Films",
    "Gazetteer",
    "Gazetteers",
    "Holding",
    "Holdings",
    "Jobs",
    "Looks",
    "Pictures",
    "Sounds",
    "Sources",
    "Store",
    "checked",
    "difference",
    "patched",
]


BY_HAND = "hand"
"""How the names of rooms begin in which no job of a server works, but a command; the process id follows."""


def _runs(process: str) -> bool:
    try:
        os.kill(int(process), 0)
    except (ValueError, OverflowError, ProcessLookupError):
        return False
    except PermissionError:
        return True
    return True


class Store:
    """Everything Yaila keeps, in one folder that it never leaves."""

    def __init__(self, home: Path | None = None) -> None:
        self.home = (home or default_home()).resolve()
        open_home(self.home)
        self.arrivals = self._folder("arrivals")
        self.reels = self._folder("reels")
        self.tiles = self._folder("tiles")
        self.engine = engine = open_database(self.home / "yaila.sqlite")
        self.films = Films(engine)
        self.jobs = Jobs(engine)
        self.looks = Looks(engine)
        self.sources = Sources(engine)
        self.gazetteers = Gazetteers(engine)
        self.pictures = Pictures(engine, self.home / "pictures", self.room)
        self.sounds = Sounds(engine, self._folder("sounds"), self.room)
        self.clips = Clips(engine, self._folder("clips"), self.room)
        self.aids = Aids(self._folder("aids"))
        self.holdings = Holdings(self)
        self.kit = Kit(
            self.aids.faces,
            self.aids.read,
            self.pictures.heights,
            clips=self.clips.open,
            pictures=self.pictures.pyramid,
            tables=self.aids.table,
        )
        """What drawing needs besides a film and its plates' pictures."""

    def has(self, use: FileUse) -> bool:
        """Whether a file that a film needs is in store, and whole."""
        return bool(self.kept(use.kind).has(use.sha256))

    def kept(self, kind: str) -> Any:
        """Where files of a kind are: pictures, clips or sounds."""
        return {"picture": self.pictures, "clip": self.clips, "sound": self.sounds}[kind]

    def file_of(self, sha256: str) -> Path:
        """A file that was brought, as it came: of a picture, a clip, a sound, a font, a sign or a table.

        Raises:
            NotFound: it is not in store.
        """
        for kept in (self.pictures, self.clips, self.sounds):
            with suppress(NotFound):
                return kept.source(sha256)
        return self.aids.file(sha256)

    @contextmanager
    def room(self, job: str | None = None) -> Iterator[Path]:
        """A folder to work in, on the store's own disk, gone afterwards; named by its job, or by this process."""
        owner = job or f"{BY_HAND}{os.getpid()}"
        with tempfile.TemporaryDirectory(dir=self.arrivals, prefix=f"{owner}-") as folder:
            yield Path(folder)

    def sweep(self, job: str | None = None) -> None:
        """Remove what a job has left to work on; without one, what everybody left who does not run any more."""
        for left in self.arrivals.glob(f"{job}*" if job else "*"):
            if left.name.startswith(BY_HAND) and _runs(left.name.removeprefix(BY_HAND).partition("-")[0]):
                continue
            shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink(missing_ok=True)

    def _folder(self, name: str) -> Path:
        folder = self.home / name
        if folder.is_symlink():
            # What is cleared up in it would be somebody else's.
            raise BadStore(f"{folder} leads out of the store. Put a folder there.")
        folder.mkdir(exist_ok=True)
        return folder
