"""Films and their revisions.

Every edit is a JSON Patch (RFC 6902) on the revision it was made from, checked against the document's model,
and kept as a new revision. Undo and redo move ``head`` along the line of revisions; an edit after an undo starts
a new line, and the old one stays in the table.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import jsonpatch
import jsonpointer
from pydantic import ValidationError
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from yaila.core.errors import BadEdit, NotFound, StaleEdit, said
from yaila.core.film import Film, choreograph
from yaila.store.database import FilmRow, RevisionRow, now


@dataclass(frozen=True)
class FilmState:
    """A film as it stands: its revision, its document, and what undo and redo would do."""

    id: str
    revision: int
    film: Film
    undo: str | None
    redo: str | None
    saved: datetime


@dataclass(frozen=True)
class FilmCard:
    """A film in the list of films."""

    id: str
    name: str
    revision: int
    touched: datetime


def patched(film: Film, patch: list[Any]) -> Film:
    """The film after a JSON Patch.

    Raises:
        BadEdit: the patch does not fit the document, or what it makes is no valid film.
    """
    try:
        document = jsonpatch.apply_patch(film.model_dump(mode="json"), patch)
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, TypeError, KeyError) as error:
        raise BadEdit(f"The edit does not fit the film: {error}. Reload the page and try again.") from error
    return checked(document)


def checked(document: Any) -> Film:
    """A film from its JSON document.

    Raises:
        BadEdit: with the first thing that is wrong, in words.
    """
    try:
        film = Film.model_validate(document)
    except ValidationError as error:
        raise BadEdit(f"{said(error)}. The film was left as it was.") from error
    choreograph(film)
    return film


def difference(before: Film, after: Film) -> list[Any]:
    """The JSON Patch that leads from one film to another."""
    patch = jsonpatch.make_patch(before.model_dump(mode="json"), after.model_dump(mode="json"))
    return list(patch)


class Films:
    """The films in a store."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    def cards(self) -> list[FilmCard]:
        """All films, the last touched first."""
        with Session(self._engine) as session:
            rows = session.execute(
                select(FilmRow.id, RevisionRow.document["name"].as_string(), FilmRow.head, FilmRow.touched)
                .join(RevisionRow, RevisionRow.id == FilmRow.head)
                .order_by(FilmRow.touched.desc())
            )
            return [FilmCard(*row) for row in rows]

    def create(self, film: Film, film_id: str | None = None) -> FilmState:
        """Keep a new film."""
        film_id = film_id or secrets.token_hex(5)
        with Session(self._engine) as session, session.begin():
            revision = RevisionRow(
                film=film_id, parent=None, document=film.model_dump(mode="json"), patch=[], label="New film"
            )
            session.add(revision)
            session.flush()
            session.add(FilmRow(id=film_id, head=revision.id))
        return self.state(film_id)

    def state(self, film_id: str) -> FilmState:
        """A film as it stands.

        Raises:
            NotFound: there is no such film.
        """
        with Session(self._engine) as session:
            row = self._row(session, film_id)
            return self._state(session, row)

    def head(self, film_id: str) -> int:
        """The revision that stands."""
        with Session(self._engine) as session:
            return self._row(session, film_id).head

    def at_revision(self, film_id: str, revision: int) -> Film:
        """The film as it was at a revision."""
        with Session(self._engine) as session:
            row = session.get(RevisionRow, revision)
            if row is None or row.film != film_id:
                raise NotFound("There is no such revision of this film.")
            return Film.model_validate(row.document)

    def find(self, name: str) -> FilmState:
        """A film by its id or its name."""
        for card in self.cards():
            if name in (card.id, card.name):
                return self.state(card.id)
        raise NotFound(f"There is no film “{name}” in the store.")

    def edit(self, film_id: str, patch: list[Any], seen: int, label: str = "Edit") -> FilmState:
        """Apply a patch made on revision ``seen``.

        Raises:
            StaleEdit: the film has moved on since.
            BadEdit: the patch does not fit, or makes no valid film.
        """
        with Session(self._engine) as session:
            # Take the write lock before reading, so that two edits cannot both see the same head.
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            row = self._row(session, film_id)
            if row.head != seen:
                raise StaleEdit(
                    "The film was changed in another window in the meantime, so this edit was not made. "
                    "What you see is the newest state: do it again there."
                )
            before = self._document(session, row)
            self._keep(session, row, before, patched(before, patch), label, patch)
            session.commit()
            return self._state(session, row)

    def change(self, film_id: str, to: Callable[[Film], Film], label: str) -> FilmState:
        """Change the film as it stands, whatever has been done to it meanwhile; for work done in the background."""
        with Session(self._engine) as session:
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            row = self._row(session, film_id)
            before = self._document(session, row)
            self._keep(session, row, before, checked(to(before).model_dump(mode="json")), label)
            session.commit()
            return self._state(session, row)

    def undo(self, film_id: str, seen: int) -> FilmState:
        """Step back one revision.

        Raises:
            StaleEdit: the film has moved on since.
            BadEdit: there is nothing to undo.
        """
        return self._step(film_id, seen, back=True)

    def redo(self, film_id: str, seen: int) -> FilmState:
        """Step forward again along the newest line."""
        return self._step(film_id, seen, back=False)

    def _step(self, film_id: str, seen: int, back: bool) -> FilmState:
        with Session(self._engine) as session:
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            row = self._row(session, film_id)
            if row.head != seen:
                raise StaleEdit("The film was changed in another window in the meantime. Look, then try again.")
            step = self._parent(session, row.head) if back else self._following(session, row)
            if step is None:
                raise BadEdit("There is nothing left to undo." if back else "There is nothing left to redo.")
            row.head = step
            row.touched = now()
            session.commit()
            return self._state(session, row)

    def _state(self, session: Session, row: FilmRow) -> FilmState:
        revision = session.get_one(RevisionRow, row.head)
        following = self._following(session, row)
        return FilmState(
            row.id,
            row.head,
            Film.model_validate(revision.document),
            undo=revision.label if revision.parent is not None else None,
            redo=session.scalar(select(RevisionRow.label).where(RevisionRow.id == following)) if following else None,
            saved=row.touched,
        )

    @staticmethod
    def _document(session: Session, row: FilmRow) -> Film:
        return Film.model_validate(session.scalar(select(RevisionRow.document).where(RevisionRow.id == row.head)))

    @staticmethod
    def _keep(
        session: Session, row: FilmRow, before: Film, after: Film, label: str, patch: list[Any] | None = None
    ) -> None:
        """Make ``after`` the revision that stands, unless it is what stands already."""
        if after == before:
            return
        revision = RevisionRow(
            film=row.id,
            parent=row.head,
            document=after.model_dump(mode="json"),
            patch=difference(before, after) if patch is None else patch,
            label=label[:80],
        )
        session.add(revision)
        session.flush()
        row.head = revision.id
        row.touched = now()

    @staticmethod
    def _row(session: Session, film_id: str) -> FilmRow:
        row = session.get(FilmRow, film_id)
        if row is None:
            raise NotFound("There is no such film. The list of films shows what there is.")
        return row

    @staticmethod
    def _parent(session: Session, revision: int) -> int | None:
        return session.scalar(select(RevisionRow.parent).where(RevisionRow.id == revision))

    @staticmethod
    def _following(session: Session, row: FilmRow) -> int | None:
        """The revision after ``head`` on the line that redo follows: the newest made from it.

        An edit makes the newest line, and what stood after its parent before is not come back to.
        """
        return session.scalar(select(func.max(RevisionRow.id)).where(RevisionRow.parent == row.head))
