"""Edits are kept one by one, can be undone after a restart, and never overwrite one another unseen."""

from __future__ import annotations

import json
import sqlite3
import threading
import time
import zlib
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import event

from tests.conftest import write_picture
from tests.truth import fine_texture
from yaila.core.errors import BadEdit, BadPicture, BadStore, Busy, NoRoom, StaleEdit
from yaila.core.film import Film, Vantage
from yaila.store import Store, database, films
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
        # The index of names makes tables of its own, which SQLAlchemy knows nothing of.
        known = {"include_name": lambda name, kind, _: kind != "table" or not name.startswith("place_names")}
        assert compare_metadata(MigrationContext.configure(connection, opts=known), Base.metadata) == []
        connection.exec_driver_sql("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(BadStore, match="newer Yaila"):
        Store(store.home)


def test_a_small_step_takes_little_room_and_is_undone_quickly_however_many_lie_behind(
    store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(films, "WHOLE", 16)
    vantages = [{"name": f"Place {k}", "x": 100 * k, "y": 7 * k, "span": 400 + k, "hold": 1} for k in range(24)]
    first = Film.model_validate({"name": "Long", "vantages": vantages})
    made = store.films.create(first)
    seen, count = made.revision, 26
    for number in range(count):
        patch = [{"op": "replace", "path": "/vantages/3/span", "value": 500.0 + number}]
        seen = store.films.edit(made.id, patch, seen, "Span").revision
    with store.engine.connect() as connection:
        # 4 kB a small step; a document of so many vantages alone has 11.
        room = "SELECT avg(length(coalesce(whole, '')) + length(patch) + length(label)) FROM revisions"
        assert connection.exec_driver_sql(room).scalar_one() < 4000
    again = Store(store.home)
    asked: list[str] = []

    @event.listens_for(again.engine, "before_cursor_execute")
    def note(connection: object, cursor: object, statement: str, *rest: object) -> None:
        asked.append(statement)

    for number in reversed(range(count)):
        asked.clear()
        state = again.films.undo(made.id, seen)
        seen = state.revision
        assert state.film.vantages[3].span == (499.0 + number if number else first.vantages[3].span)
        assert len(asked) < 20
    assert state.film == first
    assert again.films.redo(made.id, seen).film.vantages[3].span == 500


def test_a_revision_that_cannot_be_opened_shows_the_one_before_and_is_mended_by_the_next_edit(store: Store) -> None:
    """As an earlier Yaila may have kept one."""
    one = store.films.create(Film(name="one"))
    two = store.films.edit(one.id, rename("two"), one.revision)
    with store.engine.begin() as connection:
        spoilt = zlib.compress(json.dumps(two.film.model_dump(mode="json") | {"rate": "0.4"}).encode())
        connection.exec_driver_sql("UPDATE revisions SET whole = ? WHERE id = ?", (spoilt, two.revision))
    again = Store(store.home).films
    state = again.state(one.id)
    assert (state.film.name, state.revision) == ("one", two.revision)
    assert "between 1 and 240" in state.fault
    assert again.at_revision(one.id, two.revision).name == "one"
    mended = again.edit(one.id, rename("three"), two.revision)
    assert (mended.film.name, mended.film.rate, mended.fault) == ("three", "25", "")
    assert Store(store.home).films.state(one.id).film == mended.film


def test_a_patch_is_bounded_before_anything_is_made_of_it(store: Store) -> None:
    one = store.films.create(Film(name="one", vantages=[Vantage(x=0, y=0, span=10)]))
    for patch, says in (
        ([{"op": "copy", "from": "/vantages", "path": "/vantages/0/passage/ease"}] * 40, "ease"),
        ([{"op": "add", "path": "/name", "value": "x"}] * 30_000, "steps"),
        ([{"op": "replace", "path": "/rate", "value": "1e10000000"}], "not a frame rate"),
        (
            [{"op": "add", "path": "/vantages/0/name", "value": [[0] * 9]}]
            + [{"op": "copy", "from": "/vantages/0/name", "path": "/vantages/0/name/0"}] * 40,
            "copies more",
        ),
    ):
        begin = time.monotonic()
        with pytest.raises(BadEdit, match=says):
            store.films.edit(one.id, patch, one.revision)
        assert time.monotonic() - begin < 2
    assert store.films.state(one.id).film == one.film


def test_what_the_disk_or_another_program_refuses_is_said_in_a_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(database, "PATIENCE", 0.5)
    store = Store(tmp_path / "home")
    one = store.films.create(Film(name="one"))
    with sqlite3.connect(store.home / "yaila.sqlite") as other:
        other.execute("BEGIN IMMEDIATE")
        with pytest.raises(Busy, match="written to by something else"):
            store.films.edit(one.id, rename("two"), one.revision)
    other.close()
    with store.engine.connect() as connection:
        connection.exec_driver_sql("PRAGMA max_page_count = 1")
        connection.commit()

    def fill() -> None:
        for number in range(200):
            store.films.edit(one.id, rename(f"{number}" * 40), store.films.head(one.id))

    with pytest.raises(NoRoom, match="full"):
        fill()
    (tmp_path / "a file").write_text("x")
    with pytest.raises(NoRoom, match="is a file"):
        Store(tmp_path / "a file")
    (tmp_path / "spoilt").mkdir()
    (tmp_path / "spoilt" / "yaila.sqlite").write_bytes(b"no database at all " * 99)
    with pytest.raises(BadStore, match="damaged"):
        Store(tmp_path / "spoilt")


def test_a_database_taken_away_keeps_nothing_silently(store: Store) -> None:
    one = store.films.create(Film(name="one"))
    (store.home / "yaila.sqlite").rename(store.home / "elsewhere.sqlite")
    with pytest.raises(BadStore, match="moved or deleted"):
        store.films.edit(one.id, rename("two"), one.revision)


def test_work_done_in_the_background_is_laid_on_what_stands_by_then(store: Store) -> None:
    film = store.films.create(Film(name="one")).id
    store.films.edit(film, rename("two"), store.films.head(film))
    state = store.films.change(film, lambda now: now.model_copy(update={"rate": Film(rate="50").rate}), "Rate")
    assert (state.film.name, str(state.film.rate), state.undo) == ("two", "50", "Rate")
