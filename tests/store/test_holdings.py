"""What films hold of the store, and what goes with one that is taken away for good."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import write_picture
from tests.truth import fine_texture
from yaila.core.errors import BadEdit, Busy, NotFound
from yaila.core.film import Film, PictureRef, Plate
from yaila.core.ground import Similarity
from yaila.store import Store


def laid(name: str, *pictures: PictureRef) -> Film:
    plates = [Plate(name=one.sha256[:6], picture=one, placement=Similarity(x=0, y=0)) for one in pictures]
    return Film(name=name, plates=plates)


@pytest.fixture
def pictures(store: Store, tmp_path: Path) -> list[PictureRef]:
    files = [write_picture(tmp_path / f"{seed}.png", fine_texture(300, 200, seed)) for seed in range(3)]
    return [store.pictures.add(file, file.name) for file in files]


def folder_size(store: Store, picture: PictureRef) -> int:
    return sum(file.stat().st_size for file in (store.home / "pictures" / picture.sha256).iterdir())


def test_a_film_takes_with_it_what_only_it_named_in_any_of_its_states(store: Store, pictures: list[PictureRef]) -> None:
    own, shared, undone = pictures
    gone = store.films.create(laid("Gone", own, shared, undone))
    kept = store.films.create(laid("Kept", shared))
    # A picture that was taken out comes back with undo, so it is still the film's.
    store.films.edit(gone.id, [{"op": "remove", "path": "/plates/2"}], gone.revision)
    job = store.jobs.add("reel", gone.id, "Reel", {}, 1)
    store.jobs.note(job, state="done")
    (store.reels / f"{job}.mp4").write_bytes(b"film" * 100)
    alone = folder_size(store, own) + folder_size(store, undone) + 400
    holdings = store.holdings.all()
    assert holdings[gone.id].alone == alone
    assert holdings[gone.id].whole == alone + folder_size(store, shared)
    assert holdings[kept.id].alone == 0
    store.films.put_away(gone.id)
    assert store.holdings.take_away(gone.id) == alone
    assert [card.id for card in store.films.cards()] == [kept.id]
    assert [store.pictures.has(one.sha256) for one in pictures] == [False, True, False]
    assert not list(store.reels.iterdir())
    assert store.jobs.of_film(gone.id) == []
    with pytest.raises(NotFound):
        store.films.state(gone.id)
    assert store.holdings.all()[kept.id].alone == folder_size(store, shared)
    # What comes after it is not taken for it, though the newest states went with it.
    new = store.films.create(Film(name="New"))
    assert new.revision > gone.revision + 1
    assert store.films.state(new.id).film.name == "New"


def test_what_is_under_way_or_on_the_table_is_not_taken_away(store: Store, pictures: list[PictureRef]) -> None:
    film = store.films.create(laid("Film", pictures[0])).id
    with pytest.raises(BadEdit, match="Put it away first"):
        store.holdings.take_away(film)
    store.films.put_away(film)
    # A picture on its way to another film may be one that only this film names as yet.
    job = store.jobs.add("import", store.films.create(Film()).id, "Picture", {}, 1)
    with pytest.raises(Busy, match="under way"):
        store.holdings.take_away(film)
    store.jobs.note(job, state="done")
    assert store.holdings.take_away(film) > 0
    with pytest.raises(NotFound):
        store.holdings.take_away(film)


def test_a_picture_that_went_with_its_film_can_be_brought_again(
    store: Store, pictures: list[PictureRef], tmp_path: Path
) -> None:
    film = store.films.create(laid("Film", pictures[0])).id
    store.films.put_away(film)
    store.holdings.take_away(film)
    again = store.pictures.add(write_picture(tmp_path / "again.png", fine_texture(300, 200, 0)), "again.png")
    assert again == pictures[0]
    assert store.pictures.has(again.sha256)
