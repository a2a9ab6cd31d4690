"""Places of gazetteers in the store."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import pytest

from yaila.formats.gazetteer import Entry
from yaila.store import Store

WHARF = Entry("Orrin’s Wharf", "Varfo de Orin", "town", -30.25, 12.5, 30_000, 3000)
PLACES = [
    replace(WHARF, name="Upper Orrin", also="", weight=90_000),
    replace(WHARF, name="Orrin", also="", weight=10),
    WHARF,
    replace(WHARF, name="Lövånger", also="Lovanger", weight=5),
]


@pytest.fixture
def store(tmp_path: Path) -> Store:
    return Store(tmp_path)


def names(store: Store, wanted: str) -> list[str]:
    return [one.name for one in store.gazetteers.search(wanted, 8)]


def test_places_are_found_by_beginnings_of_words_the_very_name_first_then_by_weight(store: Store) -> None:
    kept = store.gazetteers.add("World", PLACES)
    assert store.gazetteers.all() == [kept]
    assert names(store, "orrin") == ["Orrin", "Upper Orrin", "Orrin’s Wharf"]
    assert names(store, "orr wha") == names(store, "varfo") == ["Orrin’s Wharf"]
    assert names(store, "lovan") == names(store, "LÖVÅN") == ["Lövånger"]
    assert store.gazetteers.search("orrin’s w", 8) == [WHARF]
    for odd in ("", "  ", '"', "or*", "NEAR(", "a AND", "name:orrin", "%", "'; DROP TABLE places"):
        names(store, odd)


def test_a_gazetteer_taken_away_or_cut_short_is_found_no_more(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("yaila.store.gazetteers.AT_ONCE", 3)
    one, two = store.gazetteers.add("One", PLACES), store.gazetteers.add("Two", PLACES)
    store.gazetteers.remove(one.id)
    assert store.gazetteers.all() == [two]
    assert names(store, "orrin") == ["Orrin", "Upper Orrin", "Orrin’s Wharf"]
    broken = [*PLACES, replace(WHARF, name=None)]  # type: ignore[arg-type]
    with pytest.raises(Exception, match="NOT NULL"):
        store.gazetteers.add("Three", broken)
    assert names(store, "wharf") == ["Orrin’s Wharf"]
    with store.engine.begin() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM places").scalar() == len(PLACES)
        # As a kill in the middle leaves it.
        connection.exec_driver_sql("UPDATE gazetteers SET whole = 0")
    assert names(store, "wharf") == []
    store.gazetteers.sweep()
    with store.engine.connect() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM gazetteers").scalar() == 0
        assert connection.exec_driver_sql("SELECT count(*) FROM places").scalar() == 0
        connection.exec_driver_sql("INSERT INTO place_names(place_names) VALUES ('integrity-check')")


def test_edits_get_their_turn_while_a_large_gazetteer_is_kept_and_it_is_searched_at_once(store: Store) -> None:
    many = [replace(WHARF, name=f"Orrin {k} of {k % 977}", weight=k) for k in range(40_000)]
    store.gazetteers.add("Many", many)
    begin = time.perf_counter()
    assert names(store, "or")[0] == "Orrin 39999 of 919"
    assert time.perf_counter() - begin < 1
