"""Edits are kept one by one, can be undone after a restart, and never overwrite one another unseen."""

from __future__ import annotations

import sqlite3
import threading
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import event

from tests.conftest import write_picture
from tests.truth import fine_texture
from yaila.core.errors import BadEdit, BadPicture, StaleEdit
from yaila.core.film import Film
from yaila.store import Store
from yaila.store.database import Base, open_database


def rename(name: str) -> list[dict]:
    return [{"op": "replace", "path": "/name", "value": name}]


def test_undo_and_redo_survive_a_restart(store: Store) -> None:
    first = store.films.create(Film(name="one"))
    second = store.films.edit(first.id, rename("two"), first.revision, "Rename")
    store.films.edit(first.id, rename("three"), second.revision, "Rename again")
    again = Store(store.home)
    state = again.films.state(first.id)
    assert (state.film.name, state.undo, state.redo) == ("three", "Rename again", None)
    back = again.films.undo(first.id, state.revision)
    back = again.films.undo(first.id, back.revision)
    assert (back.film.name, back.undo, back.redo) == ("one", None, "Rename")
    once_more = Store(store.home)
    assert once_more.films.redo(first.id, back.revision).film.name == "two"


def test_an_edit_after_undo_starts_a_new_line_and_loses_no_revision(store: Store) -> None:
    one = store.films.create(Film(name="one"))
    two = store.films.edit(one.id, rename("two"), one.revision)
    back = store.films.undo(one.id, two.revision)
    other = store.films.edit(one.id, rename("other"), back.revision)
    assert other.redo is None
    assert store.films.at_revision(one.id, two.revision).name == "two"


def test_a_stale_edit_is_refused_and_so_is_a_bad_one(store: Store) -> None:
    one = store.films.create(Film(name="one"))
    store.films.edit(one.id, rename("two"), one.revision)
    with pytest.raises(StaleEdit, match="another window"):
        store.films.edit(one.id, rename("mine"), one.revision)
    head = store.films.head(one.id)
    for patch in (
        [{"op": "replace", "path": "/frame/width", "value": 3}],
        [{"op": "remove", "path": "/nothing"}],
        [{"op": "add", "path": "/vantages/0", "value": {"span": 0}}],
        [{"op": "replace", "path": "/rate", "value": "fast"}],
    ):
        with pytest.raises(BadEdit):
            store.films.edit(one.id, patch, head)
    assert store.films.state(one.id).film.name == "two"


def test_of_many_edits_at_once_exactly_one_wins(store: Store) -> None:
    one = store.films.create(Film(name="one"))
    outcomes: list[str] = []

    def edit(k: int) -> None:
        try:
            store.films.edit(one.id, rename(f"edit {k}"), one.revision)
            outcomes.append("kept")
        except StaleEdit:
            outcomes.append("stale")

    threads = [threading.Thread(target=edit, args=(k,)) for k in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["kept"] + ["stale"] * 7


def test_the_same_picture_is_stored_once_and_a_bad_one_not_at_all(store: Store, tmp_path: Path) -> None:
    pixels = fine_texture(300, 200)
    first = store.pictures.add(write_picture(tmp_path / "a.png", pixels), "a.png")
    second = store.pictures.add(write_picture(tmp_path / "b.png", pixels), "b.png")
    assert first == second
    assert len(list((store.home / "pictures").iterdir())) == 1
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"no picture")
    with pytest.raises(BadPicture):
        store.pictures.add(bad, "bad.png")
    assert len(list((store.home / "pictures").iterdir())) == 1


def test_the_store_of_an_earlier_yaila_is_upgraded_and_keeps_its_undo_and_redo(tmp_path: Path) -> None:
    """Tables as the first Yaila made them, without names of steps, written here by hand."""
    old = sqlite3.connect(tmp_path / "yaila.sqlite")
    old.executescript(
        """
        CREATE TABLE films (id VARCHAR PRIMARY KEY NOT NULL, head INTEGER NOT NULL, tip INTEGER NOT NULL,
            touched DATETIME NOT NULL);
        CREATE TABLE revisions (id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, film VARCHAR NOT NULL,
            parent INTEGER REFERENCES revisions (id), document JSON NOT NULL, patch JSON NOT NULL,
            label VARCHAR NOT NULL, made DATETIME NOT NULL);
        CREATE INDEX ix_revisions_film ON revisions (film);
        CREATE TABLE pictures (sha256 VARCHAR PRIMARY KEY NOT NULL, name VARCHAR NOT NULL, suffix VARCHAR NOT NULL,
            width INTEGER NOT NULL, height INTEGER NOT NULL, alpha BOOLEAN NOT NULL, format VARCHAR NOT NULL,
            size INTEGER NOT NULL, made DATETIME NOT NULL);
        CREATE TABLE jobs (id VARCHAR PRIMARY KEY NOT NULL, kind VARCHAR NOT NULL, film VARCHAR NOT NULL,
            name VARCHAR NOT NULL, state VARCHAR NOT NULL, done INTEGER NOT NULL, total INTEGER NOT NULL,
            message VARCHAR NOT NULL, settings JSON NOT NULL, made DATETIME NOT NULL, started DATETIME,
            ended DATETIME);
        CREATE INDEX ix_jobs_film ON jobs (film);
        PRAGMA user_version = 1;
        """
    )
    when = "2026-01-02 03:04:05.000000"
    for number, name in enumerate(("one", "two", "three"), 1):
        row = (number, "f", number - 1 or None, Film(name=name).model_dump_json(), "[]", f"Edit {number}", when)
        old.execute("INSERT INTO revisions VALUES (?, ?, ?, ?, ?, ?, ?)", row)
    old.execute("INSERT INTO films VALUES ('f', 2, 3, ?)", (when,))
    old.commit()
    old.close()
    state = Store(tmp_path).films.state("f")
    assert (state.film.name, state.undo, state.redo) == ("two", "Edit 2", "Edit 3")
    assert Store(tmp_path).films.redo("f", 2).film.name == "three"


def test_the_steps_lead_to_the_tables_of_today_and_a_newer_store_is_left_alone(store: Store) -> None:
    engine = open_database(store.home / "yaila.sqlite")
    with engine.begin() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []
        connection.exec_driver_sql("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(RuntimeError, match="newer Yaila"):
        Store(store.home)


def test_undo_reads_one_document_however_many_edits_lie_behind(store: Store) -> None:
    film = store.films.create(Film(name="0")).id
    for number in range(1, 30):
        store.films.edit(film, rename(str(number)), store.films.head(film))
    read: list[str] = []

    @event.listens_for(store.engine, "before_cursor_execute")
    def note(connection: object, cursor: object, statement: str, *rest: object) -> None:
        if statement.startswith("SELECT") and "document" in statement:
            read.append(statement)

    for _ in range(20):
        store.films.undo(film, store.films.head(film))
    read.clear()
    state = store.films.undo(film, store.films.head(film))
    assert (state.film.name, state.redo) == ("8", "Edit")
    assert len(read) == 1


def test_work_done_in_the_background_is_laid_on_what_stands_by_then(store: Store) -> None:
    film = store.films.create(Film(name="one")).id
    store.films.edit(film, rename("two"), store.films.head(film))
    state = store.films.change(film, lambda now: now.model_copy(update={"rate": Film(rate="50").rate}), "Rate")
    assert (state.film.name, str(state.film.rate), state.undo) == ("two", "50", "Rate")
