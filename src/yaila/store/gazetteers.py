"""Gazetteers that people brought: places found by the beginnings of the words of their names, without regard to
accents."""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import asdict, dataclass

from sqlalchemy import Engine, delete, insert, select, text, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from yaila.core.errors import YailaError
from yaila.core.film import new_id
from yaila.formats.gazetteer import Entry
from yaila.store.database import GazetteerRow, PlaceRow

AT_ONCE = 5_000
"""Places written in one go: other edits get their turn between."""


@dataclass(frozen=True)
class Gazetteer:
    """A gazetteer in the store, and how many places it has."""

    id: str
    name: str
    places: int


class Gazetteers:
    """The gazetteers in a store."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> list[Gazetteer]:
        """All of them, the first brought first."""
        rows = select(GazetteerRow).where(GazetteerRow.whole).order_by(GazetteerRow.made)
        with Session(self._engine) as session:
            return [Gazetteer(row.id, row.name, row.places) for row in session.scalars(rows)]

    def add(self, name: str, entries: list[Entry]) -> Gazetteer:
        """Keep a gazetteer; it is searched when all of it is kept."""
        kept = Gazetteer(new_id(), name, len(entries))
        with Session(self._engine) as session, session.begin():
            session.add(GazetteerRow(id=kept.id, name=name, places=len(entries), whole=False))
        try:
            self._fill(kept.id, entries)
        except BaseException:
            # Nothing is left of it; where even that cannot be done, as on a full disk, the next start does it.
            with suppress(YailaError, SQLAlchemyError):
                self.remove(kept.id)
            raise
        with Session(self._engine) as session, session.begin():
            session.execute(update(GazetteerRow).where(GazetteerRow.id == kept.id).values(whole=True))
        return kept

    def _fill(self, gazetteer: str, entries: list[Entry]) -> None:
        own = {"gazetteer": gazetteer}
        for first in range(0, len(entries), AT_ONCE):
            with Session(self._engine) as session, session.begin():
                last = session.scalar(text("SELECT max(id) FROM places WHERE gazetteer = :gazetteer"), own) or 0
                session.execute(insert(PlaceRow), [own | asdict(one) for one in entries[first : first + AT_ONCE]])
                session.execute(
                    text(
                        "INSERT INTO place_names(rowid, name, also) SELECT id, name, also FROM places "
                        "WHERE gazetteer = :gazetteer AND id > :last"
                    ),
                    own | {"last": last},
                )

    def remove(self, gazetteer: str) -> None:
        """Forget a gazetteer; what was found in it before stays where it is."""
        while True:
            with Session(self._engine) as session, session.begin():
                some = select(PlaceRow.id).where(PlaceRow.gazetteer == gazetteer).order_by(PlaceRow.id).limit(AT_ONCE)
                ids = session.scalars(some).all()
                if not ids:
                    session.execute(delete(GazetteerRow).where(GazetteerRow.id == gazetteer))
                    return
                session.execute(
                    text(
                        "INSERT INTO place_names(place_names, rowid, name, also) SELECT 'delete', id, name, also "
                        "FROM places WHERE gazetteer = :gazetteer AND id <= :last"
                    ),
                    {"gazetteer": gazetteer, "last": ids[-1]},
                )
                session.execute(delete(PlaceRow).where(PlaceRow.gazetteer == gazetteer, PlaceRow.id <= ids[-1]))

    def sweep(self) -> None:
        """Take away what was left of gazetteers that were not brought to the end."""
        with Session(self._engine) as session:
            left = session.scalars(select(GazetteerRow.id).where(~GazetteerRow.whole)).all()
        for one in left:
            self.remove(one)

    def search(self, wanted: str, most: int) -> list[Entry]:
        """Places all of whose words begin as those wanted do: those of that very name first, then by weight."""
        words = re.findall(r"\w+", wanted.lower())
        if not words:
            return []
        found = text(
            "SELECT p.name, p.also, p.kind, p.lon, p.lat, p.weight, p.size FROM place_names "
            "JOIN places p ON p.id = place_names.rowid JOIN gazetteers g ON g.id = p.gazetteer "
            "WHERE place_names MATCH :words AND g.whole "
            "ORDER BY lower(p.name) = :wanted DESC, p.weight DESC, length(p.name), p.id LIMIT :most"
        )
        given = {"words": " ".join(f'"{word}"*' for word in words), "wanted": wanted.strip().lower(), "most": most}
        with Session(self._engine) as session:
            return [Entry(*row) for row in session.execute(found, given)]
