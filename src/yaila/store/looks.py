"""Looks that people saved."""

from __future__ import annotations

import secrets

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from yaila.core.errors import BadEdit, NotFound
from yaila.core.film.looks import SavedLook
from yaila.core.film.shipped_looks import SHIPPED
from yaila.store.database import LookRow

MOST = 500


class Looks:
    """The looks in a store, beside those that ship with Yaila."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> dict[str, SavedLook]:
        """All that were saved, by their keys, the first first."""
        with Session(self._engine) as session:
            rows = session.scalars(select(LookRow).order_by(LookRow.made))
            return {row.id: SavedLook.model_validate(row.look) for row in rows}

    def look(self, key: str) -> SavedLook:
        """One of them, or of those that ship.

        Raises:
            NotFound: there is none.
        """
        if key in SHIPPED:
            return SHIPPED[key]
        with Session(self._engine) as session:
            row = session.get(LookRow, key)
        if row is None:
            raise NotFound("That look is not here any more. Choose another, or take it in again from its file.")
        return SavedLook.model_validate(row.look)

    def add(self, look: SavedLook) -> str:
        """Keep a look; one that was saved by the same name is replaced. Its key.

        Raises:
            BadEdit: there are too many.
        """
        known = self.all()
        key = next((one for one, other in known.items() if other.name == look.name), secrets.token_hex(6))
        if key not in known and len(known) >= MOST:
            raise BadEdit(f"There are {MOST} looks already. Take some away first.")
        with Session(self._engine) as session, session.begin():
            session.merge(LookRow(id=key, look=look.model_dump(mode="json")))
        return key

    def remove(self, key: str) -> None:
        """Forget a look; films that have it keep it."""
        with Session(self._engine) as session, session.begin():
            row = session.get(LookRow, key)
            if row:
                session.delete(row)
