"""What films hold of the store: which files each of them names in any of its revisions, how much room those take, and
what goes when a film is taken away for good."""

from __future__ import annotations

import re
import shutil
import threading
import zlib
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sqlalchemy import delete, func, select, text, update
from sqlalchemy.orm import Session

from yaila.core.errors import BadEdit, Busy, NotFound
from yaila.store.database import ClipRow, FilmRow, JobRow, PictureRow, RevisionRow, SoundRow
from yaila.store.jobs import OPEN

if TYPE_CHECKING:
    from yaila.store import Store

HASH = re.compile(r"\b[0-9a-f]{64}\b")
"""How a document names a file."""


@dataclass(frozen=True)
class Holding:
    """The room that a film takes: all of its files and reels, and what of that goes if it is taken away, bytes."""

    whole: int
    alone: int


class Holdings:
    """The room that the films in a store take."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._seen: dict[str, tuple[int, frozenset[str]]] = {}
        self._lock = threading.Lock()

    def all(self) -> dict[str, Holding]:
        """Of each film, those put away too."""
        with Session(self._store.engine) as session:
            named, looks = self._named(session), self._of_looks(session)
        holders = Counter(sha for names in (*named.values(), looks) for sha in names)
        room = {sha: sum(map(_bytes, self._paths(sha))) for sha in holders}
        found = {}
        for film, names in named.items():
            reels = sum(map(_bytes, self._reels(film)))
            alone = sum(room[sha] for sha in names if holders[sha] == 1)
            found[film] = Holding(sum(room[sha] for sha in names) + reels, alone + reels)
        return found

    def used(self) -> int:
        """The room that all of the store takes, bytes."""
        return _bytes(self._store.home)

    def take_away(self, film: str) -> int:
        """Take a film away for good, with its revisions, its reels, and the files that nothing else names. How many
        bytes that frees.

        Raises:
            NotFound: there is no such film.
            BadEdit: it is not put away.
            Busy: something is under way that may need what would go.
        """
        reels = self._reels(film)
        with Session(self._store.engine) as session:
            # Nobody else writes meanwhile, so that no film can begin to name what is found to be this one's alone.
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            row = session.get(FilmRow, film)
            if row is None:
                raise NotFound("There is no such film. The shelf shows what there is.")
            if not row.away:
                raise BadEdit(f"“{row.name}” is not put away. Put it away first, then take it away for good.")
            needs = (JobRow.kind != "reel") | (JobRow.film == film)
            if session.scalar(select(JobRow.id).where(JobRow.state.in_(OPEN), needs).limit(1)):
                raise Busy("Something is under way that may need these files. Wait until it is done, or cancel it.")
            named = self._named(session)
            kept = self._of_looks(session).union(*(names for other, names in named.items() if other != film))
            gone = named[film] - kept
            for table in (PictureRow, ClipRow, SoundRow):
                session.execute(delete(table).where(table.sha256.in_(gone)))
            session.execute(delete(JobRow).where(JobRow.film == film))
            # The number of a state is never given to another, as what remembers states goes by it: the newest of all
            # leaves an empty row, from which SQLite counts on.
            newest = session.scalar(select(func.max(RevisionRow.id)))
            of_it = RevisionRow.film == film
            emptied: dict[str, Any] = {"film": "", "parent": None, "whole": None, "steps": 0, "patch": [], "label": ""}
            session.execute(update(RevisionRow).where(of_it, RevisionRow.id == newest).values(**emptied))
            session.execute(delete(RevisionRow).where(of_it))
            session.execute(delete(FilmRow).where(FilmRow.id == film))
            session.commit()
        with self._lock:
            self._seen.pop(film, None)
        paths = [*reels, *(path for sha in gone for path in self._paths(sha))]
        freed = sum(map(_bytes, paths))
        for sha in gone:
            self._store.clips.close(sha)
            self._store.sounds.close(sha)
            self._store.aids.remove(sha)
        for path in paths:
            shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)
        return freed

    def _named(self, session: Session) -> dict[str, frozenset[str]]:
        """The files that each film names, by their SHA-256; revisions that were looked through are not again."""
        films = list(session.scalars(select(FilmRow.id)))
        with self._lock:
            for film in films:
                last, names = self._seen.get(film, (0, frozenset()))
                # As they are kept: the patches need not become values for that.
                rows = session.execute(
                    text("SELECT id, whole, patch FROM revisions WHERE film = :film AND id > :last ORDER BY id"),
                    {"film": film, "last": last},
                )
                for last, whole, patch in rows:  # noqa: B007
                    names = names.union(
                        HASH.findall(zlib.decompress(whole).decode()) if whole else (), HASH.findall(patch)
                    )
                self._seen[film] = (last, names)
            return {film: self._seen[film][1] for film in films}

    @staticmethod
    def _of_looks(session: Session) -> frozenset[str]:
        """The files that saved looks name."""
        return frozenset(
            name for look in session.scalars(text("SELECT look FROM looks")) for name in HASH.findall(look)
        )

    def _paths(self, sha256: str) -> list[Path]:
        """Where a file is: its folder among pictures, clips, sounds, or what is kept of it as a font, sign or table."""
        folders = [self._store.home / kind / sha256 for kind in ("pictures", "clips", "sounds")]
        return [*filter(Path.exists, folders), *(self._store.home / "aids").glob(f"{sha256}.*")]

    def _reels(self, film: str) -> list[Path]:
        reels = self._store.reels
        return [path for job in self._store.jobs.of_film(film) for path in reels.glob(f"{job.id}*")]


def _bytes(path: Path) -> int:
    """How much room a file or a folder takes; none if it has gone meanwhile."""
    try:
        return sum(map(_bytes, path.iterdir())) if path.is_dir() else path.stat().st_size
    except FileNotFoundError:
        return 0
