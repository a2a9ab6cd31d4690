"""Films and their revisions.

Every edit is a JSON Patch (RFC 6902) on the revision it was made from, checked against the document's model,
laid out, and then kept as a new revision. Undo and redo move ``head`` along the line of revisions; an edit after an
undo starts a new line, and the old one stays in the table.
"""

from __future__ import annotations

import json
import marshal
import secrets
import threading
import zlib
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import jsonpatch
import jsonpointer
from pydantic import ValidationError
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from yaila.core.bounded import Bounded, Remembered
from yaila.core.errors import BadEdit, Busy, NotFound, StaleEdit, said
from yaila.core.film import Film
from yaila.core.film.finish import Finish
from yaila.core.film.part import Part
from yaila.core.film.plan import plan_of
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
    fault: str = ""


@dataclass(frozen=True)
class FilmCard:
    """A film in the list of films."""

    id: str
    name: str
    revision: int
    touched: datetime
    away: bool


def patched(film: Film, patch: list[Any]) -> Film:
    """The film after a JSON Patch.

    Raises:
        BadEdit: the patch does not fit the document, or what it makes is no valid film.
    """
    return checked(document_after(film, patch), film)


def document_after(film: Film, patch: list[Any]) -> Any:
    """What a JSON Patch makes of the document of a film.

    Raises:
        BadEdit: it does not fit the document.
    """
    document = film.model_dump(mode="json")
    try:
        document = _applied(document, patch)
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, *MISFITS) as error:
        raise BadEdit(f"The edit does not fit the film: {error}. Reload the page and try again.") from error
    return document


MISFITS = (TypeError, KeyError, ValueError, IndexError, AttributeError, RecursionError)
"""What comes of a patch that treats a value as another kind of value."""

MOST_STEPS = 20_000
"""Operations of a patch."""

MOST_COPIED = 200_000
"""Values that the copies of a patch may make anew, all together."""


def _applied(document: Any, patch: list[Any]) -> Any:
    """A document after a patch, which is held against what an edit can be: copies of copies grow without end."""
    if len(patch) > MOST_STEPS:
        raise BadEdit(f"The edit has {len(patch):,} steps; {MOST_STEPS:,} is the most. Make it in parts.")
    copied = 0
    for step in patch:
        if isinstance(step, dict) and step.get("op") == "copy":
            copied += _values(jsonpointer.JsonPointer(step["from"]).resolve(document))
            if copied > MOST_COPIED:
                raise BadEdit("The edit copies more than a film can hold. Make it in parts.")
        document = jsonpatch.apply_patch(document, [step], in_place=True)
    return document


def _values(value: Any) -> int:
    """How many values stand in a JSON value, itself included."""
    if isinstance(value, dict):
        return 1 + sum(map(_values, value.values()))
    return 1 + sum(map(_values, value)) if isinstance(value, list) else 1


def checked(document: Any, like: Film | None = None) -> Film:
    """A film from its JSON document, which can be laid out and drawn, as :func:`film_of`.

    Raises:
        BadEdit: with the first thing that is wrong, in words.
    """
    film = film_of(document, like)
    plan_of(film)
    return film


def film_of(document: Any, like: Film | None = None) -> Film:
    """A film from its JSON document; whether it can be laid out is not looked at. Parts that are as in the film
    ``like`` it are those of that one: what is known of them holds, and they need not be checked anew.

    Raises:
        BadEdit: with the first thing that is wrong, in words.
    """
    return _validated(_shared(document, like) if like else document, like)


def _validated(document: Any, like: Film | None) -> Film:
    """A film from a document in which parts of a film ``like`` it may stand as they are."""
    try:
        return Film.model_validate(document, context={"like": like})
    except ValidationError as error:
        raise BadEdit(f"{said(error)}. The film was left as it was.") from error


def as_kept(made: Film, like: Film) -> Film:
    """A film that an act made of the film ``like`` as it would be read again: as :func:`film_of` its document, though
    only what the act changed is written and read.

    Raises:
        BadEdit: as :func:`film_of`.
    """
    document: dict[str, Any] = {}
    for name in Film.model_fields:
        value, before = getattr(made, name), getattr(like, name)
        if isinstance(value, list):
            parts = {part.id: part for part in before}
            document[name] = [_own(one, parts.get(one.id)) for one in value]
        elif isinstance(value, Finish):
            document[name] = {one: _own(getattr(value, one), getattr(before, one)) for one in Finish.model_fields}
        else:
            document[name] = before if value == before else made.model_dump(mode="json", include={name})[name]
    return _validated(document, like)


def _own(part: Part, before: Part | None) -> Any:
    """The part that it was before, if it is the same; else its document."""
    same = part is before or (before is not None and part == before)
    return before if same else part.model_dump(mode="json")


def _shared(document: Any, like: Film) -> Any:
    """A document in which what is the same as in a film is that film's."""
    if not isinstance(document, dict):
        return document
    known, made = _document_of(like), dict(document)
    for name in document.keys() & known.keys():
        value, before, there = document[name], known[name], getattr(like, name)
        if isinstance(value, list) and isinstance(there, list):
            parts = {_id(one): (one, part) for one, part in zip(before, there, strict=True)}
            keys = [key if isinstance(key := _id(one), str) else "" for one in value]
            made[name] = [_either(one, *parts.get(key, (None, None))) for key, one in zip(keys, value, strict=True)]
        elif isinstance(there, Finish) and isinstance(value, dict):
            effects = value.keys() & before.keys()
            made[name] = value | {
                effect: _either(value[effect], before[effect], getattr(there, effect)) for effect in effects
            }
    return made


def _either(value: Any, before: Any, part: Any) -> Any:
    """A part in place of its value in a document, if that is what it was before."""
    return part if isinstance(part, Part) and _same(value, before) else value


def _same(one: Any, other: Any) -> bool:
    """Whether two JSON values are the same, kinds of numbers included."""
    # This form tells numbers apart that are equal and of different kinds, and is the quickest there is.
    return bool(one == other) and marshal.dumps(one, 2) == marshal.dumps(other, 2)


_DOCUMENTS = Remembered[dict[str, Any]](4)


def _document_of(film: Film) -> dict[str, Any]:
    """The document of a film which is not changed any more; a hand that drags asks for the same one all the time."""
    return _DOCUMENTS.of((film,), (), lambda: film.model_dump(mode="json"))


def difference(before: Film, after: Film) -> list[Any]:
    """The JSON Patch that leads from one film to another."""
    return list(_edits(before, after))


def _edits(before: Film, after: Film) -> Iterator[Any]:
    for name in Film.model_fields:
        here, there = getattr(before, name), getattr(after, name)
        if here is there:
            continue
        if isinstance(here, list) and [getattr(one, "id", None) for one in here] == [
            getattr(one, "id", None) for one in there
        ]:
            # Parts that are the very same need no look.
            pairs = [(f"/{name}/{k}", *pair) for k, pair in enumerate(zip(here, there, strict=True))]
            for path, one, other in pairs:
                if one is not other:
                    yield from _steps_between(one.model_dump(mode="json"), other.model_dump(mode="json"), path)
            continue
        dumped = [film.model_dump(mode="json", include={name})[name] for film in (before, after)]
        yield from _steps_between(dumped[0], dumped[1], f"/{name}")


def _steps_between(before: Any, after: Any, path: str) -> Iterator[Any]:
    """The steps of a JSON Patch from one value to another at a path. What is the same is not looked into, which is most
    of a film; where parts came or went, a patch of all of that is made."""
    if _same(before, after):
        return
    names: Iterable[Any] | None = None
    if isinstance(before, dict) and isinstance(after, dict) and before.keys() == after.keys():
        names = before
    elif isinstance(before, list) and isinstance(after, list) and [*map(_id, before)] == [*map(_id, after)]:
        names = range(len(before))
    if names is not None:
        for name in names:
            step = str(name).replace("~", "~0").replace("/", "~1")
            yield from _steps_between(before[name], after[name], f"{path}/{step}")
        return
    for one in jsonpatch.make_patch(before, after):
        places = {name: path + one[name] for name in ("path", "from") if name in one}
        yield {**one, **places}


def _id(value: Any) -> Any:
    """What tells a part from the others of a list."""
    return value.get("id") if isinstance(value, dict) else None


WHOLE = 64
"""After so many patches a revision keeps the whole document again."""

MOST_OPEN = 48 * 2**20
"""Bytes of films kept in memory, by revision."""

MOST_WRITING = 12
"""Edits that may wait for one another at the database."""

TRIES = 200
"""How often work in the background is laid on a film that goes on changing."""


@dataclass(frozen=True)
class Opened:
    """A revision as it can be shown: the film, what is wrong with the revision itself if another had to be taken, and
    the document as it is kept."""

    film: Film
    fault: str
    document: Any


class Films:
    """The films in a store."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        # While another program holds the database, edits must not take all the threads that answer anything else.
        self._writing = threading.Semaphore(MOST_WRITING)
        self._opened: Bounded[int, Opened] = Bounded(MOST_OPEN, lambda opened: opened.film.weight)

    def cards(self) -> list[FilmCard]:
        """All films, those put away too, the last touched first."""
        with Session(self._engine) as session:
            rows = session.execute(
                select(FilmRow.id, FilmRow.name, FilmRow.head, FilmRow.touched, FilmRow.away).order_by(
                    FilmRow.touched.desc()
                )
            )
            return [FilmCard(*row) for row in rows]

    def put_away(self, film_id: str, away: bool = True) -> None:
        """Take a film out of sight, or bring it back. Nothing of it is lost.

        Raises:
            NotFound: there is no such film.
        """
        with Session(self._engine) as session, session.begin():
            self._row(session, film_id).away = away

    def create(self, film: Film, film_id: str | None = None) -> FilmState:
        """Keep a new film."""
        film_id = film_id or secrets.token_hex(5)
        plan_of(film)
        whole = _packed(film.model_dump(mode="json"))
        with Session(self._engine) as session, session.begin():
            revision = RevisionRow(film=film_id, parent=None, whole=whole, steps=0, patch=[], label="New film")
            session.add(revision)
            session.flush()
            session.add(FilmRow(id=film_id, name=film.name, head=revision.id))
        return self.state(film_id)

    def state(self, film_id: str) -> FilmState:
        """A film as it stands. Where that cannot be opened any more, it is as it was when it last could, and ``fault``
        says why.

        Raises:
            NotFound: there is no such film.
        """
        with Session(self._engine) as session:
            return self._state(session, self._row(session, film_id))

    def head(self, film_id: str) -> int:
        """The revision that stands."""
        with Session(self._engine) as session:
            return self._row(session, film_id).head

    def at_revision(self, film_id: str, revision: int) -> Film:
        """The film as it was at a revision, as :meth:`state` shows it.

        Raises:
            NotFound: there is no such revision of it.
        """
        with Session(self._engine) as session:
            row = session.get(RevisionRow, revision)
            if row is None or row.film != film_id:
                raise NotFound("There is no such revision of this film.")
            return self._open(session, revision).film

    def find(self, name: str) -> FilmState:
        """A film by its id or its name."""
        for card in self.cards():
            if name in (card.id, card.name):
                return self.state(card.id)
        raise NotFound(f"There is no film “{name}” in the store.")

    def edit(self, film_id: str, patch: list[Any], seen: int, label: str = "Edit") -> FilmState:
        """Apply a patch made on revision ``seen``. It is worked out before anything is kept, and while others edit.

        Raises:
            StaleEdit: the film has moved on since.
            BadEdit: the patch does not fit, or makes no valid film.
        """
        with Session(self._engine) as session:
            if self._row(session, film_id).head != seen:
                raise StaleEdit(STALE)
            before = self._open(session, seen)
        return self._keep(film_id, seen, before, patched(before.film, patch), label, patch)

    def change(self, film_id: str, to: Callable[[Film], Film], label: str) -> FilmState:
        """Change the film as it stands, whatever has been done to it meanwhile; for work done in the background.

        Raises:
            Busy: it changed again and again before the work was laid on it.
        """
        for _ in range(TRIES):
            with Session(self._engine) as session:
                seen = self._row(session, film_id).head
                before = self._open(session, seen)
            after = checked(to(before.film).model_dump(mode="json"), before.film)
            try:
                return self._keep(film_id, seen, before, after, label)
            except StaleEdit:
                continue
        raise Busy("The film changed again and again while this was to be laid on it. Start it again.")

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
            row = self._row(session, film_id)
            if row.head != seen:
                raise StaleEdit("The film was changed in another window in the meantime. Look, then try again.")
            step = self._parent(session, row.head) if back else self._following(session, row.head)
            if step is None:
                raise BadEdit("There is nothing left to undo." if back else "There is nothing left to redo.")
            name = self._open(session, step).film.name
        return self._move(film_id, seen, step, name)

    def _keep(
        self, film_id: str, seen: int, before: Opened, after: Film, label: str, patch: list[Any] | None = None
    ) -> FilmState:
        """Make ``after`` the revision that stands, unless it is what stands already."""
        if after == before.film and not before.fault:
            return self.state(film_id)
        document = after.model_dump(mode="json")
        step = patch if _leads(patch, before, document) else _step_between(before.document, document)
        if step is not patch and not _leads(step, before, document):
            step = None
        with Session(self._engine) as session:
            steps = (session.scalar(select(RevisionRow.steps).where(RevisionRow.id == seen)) or 0) + 1
        packed = _packed(document)
        if step is None or steps >= WHOLE or len(json.dumps(step)) > len(packed):
            steps = 0
        revision = RevisionRow(
            film=film_id,
            parent=seen,
            whole=None if steps else packed,
            steps=steps,
            patch=step or [],
            label=label[:80],
        )
        return self._move(film_id, seen, revision, after.name, Opened(after, "", document))

    def _move(
        self, film_id: str, seen: int, to: int | RevisionRow, name: str, opened: Opened | None = None
    ) -> FilmState:
        """Let another revision stand, a new one perhaps: a short piece of writing, all or nothing."""
        if not self._writing.acquire(blocking=False):
            raise Busy("The store is being written to by something else. Nothing was changed; try again in a moment.")
        try:
            return self._moved(film_id, seen, to, name, opened)
        finally:
            self._writing.release()

    def _moved(self, film_id: str, seen: int, to: int | RevisionRow, name: str, opened: Opened | None) -> FilmState:
        with Session(self._engine, expire_on_commit=False) as session:
            # Take the write lock before reading, so that two edits cannot both see the same head.
            session.connection().exec_driver_sql("BEGIN IMMEDIATE")
            row = self._row(session, film_id)
            if row.head != seen:
                raise StaleEdit(STALE)
            if isinstance(to, RevisionRow):
                session.add(to)
                session.flush()
                to = to.id
            row.head, row.name, row.touched = to, name, now()
            session.commit()
            if opened:
                self._opened.put(to, opened)
            return self._state(session, row)

    def _state(self, session: Session, row: FilmRow) -> FilmState:
        label, parent = session.execute(
            select(RevisionRow.label, RevisionRow.parent).where(RevisionRow.id == row.head)
        ).one()
        following = self._following(session, row.head)
        opened = self._open(session, row.head)
        return FilmState(
            row.id,
            row.head,
            opened.film,
            undo=label if parent is not None else None,
            redo=session.scalar(select(RevisionRow.label).where(RevisionRow.id == following)) if following else None,
            saved=row.touched,
            fault=opened.fault,
        )

    def _open(self, session: Session, revision: int) -> Opened:
        """A revision, or the nearest before it that can be opened."""
        known = self._opened.get(revision)
        if known:
            return known
        document, fault, at = self._document(session, revision), "", revision
        film = None
        shown = document
        while film is None:
            try:
                film = checked(shown)
            except Exception as error:
                # Whatever it is, the film must open: what it was is said, and what came before is shown.
                fault = fault or f"{error}".removesuffix(" The film was left as it was.")
                parent = self._parent(session, at)
                if parent is None:
                    film = Film(name=str(document.get("name", ""))[:200] or "Untitled film")
                else:
                    at, shown = parent, self._document(session, parent)
        if fault:
            fault = f"The newest state of this film cannot be opened: {fault} What you see is an earlier one."
        return self._opened.put(revision, Opened(film, fault, document))

    @staticmethod
    def _document(session: Session, revision: int) -> Any:
        """The document of a revision as it is kept: the last whole one before it, and what was done since."""
        back = select(RevisionRow.id, RevisionRow.parent, RevisionRow.whole, RevisionRow.patch)
        chain = back.where(RevisionRow.id == revision).cte("chain", recursive=True)
        chain = chain.union_all(back.join(chain, (RevisionRow.id == chain.c.parent) & chain.c.whole.is_(None)))
        (*patches, (whole, _)) = session.execute(select(chain.c.whole, chain.c.patch).order_by(chain.c.id.desc())).all()
        document = json.loads(zlib.decompress(whole))
        for _, patch in reversed(patches):
            document = jsonpatch.apply_patch(document, patch, in_place=True)
        return document

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
    def _following(session: Session, revision: int) -> int | None:
        """The revision after one on the line that redo follows: the newest made from it.

        An edit makes the newest line, and what stood after its parent before is not come back to.
        """
        return session.scalar(select(func.max(RevisionRow.id)).where(RevisionRow.parent == revision))


STALE = (
    "The film was changed in another window in the meantime, so this edit was not made. "
    "What you see is the newest state: do it again there."
)


def _packed(document: Any) -> bytes:
    return zlib.compress(json.dumps(document, separators=(",", ":"), ensure_ascii=False).encode())


def _step_between(before: Any, after: Any) -> list[Any]:
    return list(jsonpatch.make_patch(before, after))


def _leads(patch: list[Any] | None, before: Opened, document: Any) -> bool:
    """Whether a patch makes a document of what is kept: nothing is kept on trust."""
    if patch is None:
        return False
    try:
        return bool(jsonpatch.apply_patch(before.document, patch) == document)
    except (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, *MISFITS):
        return False
