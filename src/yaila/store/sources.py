"""Survey sources that people added."""

from __future__ import annotations

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from yaila.formats.survey import Source
from yaila.store.database import SourceRow


class Sources:
    """The sources in a store, beside those that ship with Yaila."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def all(self) -> list[Source]:
        """All of them, the first added first."""
        with Session(self._engine) as session:
            return [
                Source.model_validate(row.source) for row in session.scalars(select(SourceRow).order_by(SourceRow.made))
            ]

    def add(self, source: Source) -> None:
        """Keep a source."""
        with Session(self._engine) as session, session.begin():
            session.merge(SourceRow(id=source.id, source=source.model_dump(mode="json")))

    def remove(self, source_id: str) -> None:
        """Forget a source; plates captured from it stay."""
        with Session(self._engine) as session, session.begin():
            row = session.get(SourceRow, source_id)
            if row:
                session.delete(row)
