"""Films, revisions, pictures and jobs, kept in one folder."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from yaila.core.errors import BadStore, NoRoom
from yaila.store.aids import Aid, Aids
from yaila.store.database import open_database
from yaila.store.films import FilmCard, Films, FilmState, checked, difference, patched
from yaila.store.gazetteers import Gazetteer, Gazetteers
from yaila.store.jobs import Jobs
from yaila.store.pictures import Pictures
from yaila.store.sources import Sources

__all__ = [
    "Aid",
    "Aids",
    "FilmCard",
    "FilmState",
    "Films",
    "Gazetteer",
    "Gazetteers",
    "Jobs",
    "Pictures",
    "Sources",
    "Store",
    "checked",
    "default_home",
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


def default_home() -> Path:
    """The folder of the store: ``YAILA_HOME``, or ``.yaila`` in the person's own folder."""
    return Path(os.environ.get("YAILA_HOME") or Path.home() / ".yaila")


def open_home(home: Path) -> None:
    """See that the folder of a store is one, that it can be written to, and that nobody but its owner looks in.

    Raises:
        NoRoom: it is not, or cannot.
    """
    try:
        home.mkdir(parents=True, exist_ok=True, mode=0o700)
        home.chmod(0o700)
        with tempfile.TemporaryFile(dir=home):
            pass
    except (FileExistsError, NotADirectoryError) as error:
        raise NoRoom(f"{home} is a file; the store needs a folder. Choose another with YAILA_HOME.") from error
    except OSError as error:
        raise NoRoom(
            f"The store at {home} cannot be written to ({error.strerror}). Mend that, or choose another folder with "
            "YAILA_HOME."
        ) from error


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
        self.sources = Sources(engine)
        self.gazetteers = Gazetteers(engine)
        self.pictures = Pictures(engine, self.home / "pictures", self.room)
        self.aids = Aids(self._folder("aids"), self.pictures.heights)

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
