"""Edits are kept one by one, can be undone after a restart, and never overwrite one another unseen."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest

from tests.conftest import write_picture
from tests.truth import fine_texture
from yaila.core.errors import BadEdit, BadPicture, StaleEdit
from yaila.core.film import Film
from yaila.store import Store


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
