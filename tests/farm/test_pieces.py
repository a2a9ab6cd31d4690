"""Reels survive: broken off anywhere they go on with the pieces they have, and come out the same, byte for byte."""

from __future__ import annotations

import random
from datetime import timedelta
from pathlib import Path

import av
import numpy as np
import pytest

from yaila.api.jobs import job_of
from yaila.core.errors import BadRender
from yaila.core.film import Film
from yaila.core.picture import render as rendering
from yaila.farm import Farm
from yaila.farm import pieces as pieces_module
from yaila.farm.pieces import folder_of
from yaila.farm.reel import ReelSettings, render
from yaila.formats.delivery import FORMS
from yaila.store import Store
from yaila.store.database import now


@pytest.fixture(autouse=True)
def small_pieces(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pieces_module, "PIECE", 6)


class BrokenOffError(Exception):
    """Stands for a crash."""


def settings(form: str = "h264", **more: object) -> ReelSettings:
    return ReelSettings.model_validate({"first": 3, "last": 24, "width": 256, "form": form, **more})


def made(
    store: Store, film: Film, path: Path, how: ReelSettings, stop_at: int | None = None, anew: bool = False
) -> int:
    """Render, perhaps until so many frames are done; how many were done as it began."""
    begun: list[int] = []

    def progress(done: int) -> None:
        begun.append(done)
        if stop_at is not None and done >= stop_at:
            raise BrokenOffError

    render(film, store.pictures.pyramid, path, how, progress, kit=store.kit, anew=anew)
    return begun[0]


@pytest.mark.parametrize("form", ["h264", "h265", "vp9", "prores4444", "ffv1", "png"])
def test_broken_off_and_gone_on_it_is_the_same_file(form: str, store: Store, small_film: Film, tmp_path: Path) -> None:
    suffix = FORMS[form].suffix
    whole, again = tmp_path / f"whole{suffix}", tmp_path / f"again{suffix}"
    made(store, small_film, whole, settings(form))
    for stop in sorted(random.Random(form).sample(range(1, 22), 3)):
        with pytest.raises(BrokenOffError):
            made(store, small_film, again, settings(form), stop_at=stop)
        assert not again.exists()
    made(store, small_film, again, settings(form))
    assert again.read_bytes() == whole.read_bytes()
    assert sorted(path.name for path in tmp_path.iterdir() if path.name.startswith(("whole", "again"))) == sorted(
        [whole.name, again.name]
    )


def test_only_what_is_missing_is_drawn_again(store: Store, small_film: Film, tmp_path: Path) -> None:
    path = tmp_path / "film.mp4"
    with pytest.raises(BrokenOffError):
        made(store, small_film, path, settings(), stop_at=15)
    assert made(store, small_film, path, settings()) == 12
    # A piece that is not what was written is written again; another film begins anew, and so does who asks for it.
    with pytest.raises(BrokenOffError):
        made(store, small_film, path, settings(), stop_at=15)
    first = folder_of(path) / "00000.mp4"
    first.write_bytes(first.read_bytes()[:-9] + b"damaged!!")
    with pytest.raises(BrokenOffError):
        made(store, small_film, path, settings(), stop_at=6)
    (folder_of(path) / "00001.json").write_text("no JSON")
    for how, anew, begins in ((settings(), False, 6), (settings(crf=30), False, 0), (settings(), True, 0)):
        with pytest.raises(BrokenOffError):
            assert made(store, small_film, path, how, stop_at=begins + 7, anew=anew) == begins


def test_a_still_keeps_the_tiles_that_it_has(
    store: Store, small_film: Film, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(rendering, "TILE", (100, 60))
    how, whole, again = settings("still", first=6), tmp_path / "whole.png", tmp_path / "again.png"
    made(store, small_film, whole, how)
    for stop in (2, 5):
        with pytest.raises(BrokenOffError):
            made(store, small_film, again, how, stop_at=stop)
    # A tile that is not what was drawn is drawn again.
    tile = folder_of(again) / "00001.tile"
    tile.write_bytes(bytes(tile.stat().st_size))
    assert made(store, small_film, again, how) == 4
    assert again.read_bytes() == whole.read_bytes()
    assert not folder_of(again).exists()


def test_joined_pieces_are_one_film_of_even_pace(store: Store, small_film: Film, tmp_path: Path) -> None:
    path = tmp_path / "film.mp4"
    made(store, small_film, path, settings())
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        times = [frame.pts * stream.time_base for frame in file.decode(stream)]
        assert stream.average_rate == small_film.fps.value
    assert times == [k / small_film.fps.value for k in range(22)]
    # The same pictures as in one go.
    one = tmp_path / "one.mkv"
    made(store, small_film, one, settings("ffv1"))
    with av.open(str(one)) as file:
        exact = [frame.to_ndarray(format="rgb24") for frame in file.decode(video=0)]
    with av.open(str(path)) as file:
        near = [frame.to_ndarray(format="rgb24") for frame in file.decode(video=0)]
    assert len(exact) == len(near) == 22
    # Each frame is nearest to its own.
    away = np.array([[np.abs(a.astype(int) - b).mean() for b in near] for a in exact])
    assert (np.diag(away) <= away.min(axis=1) + 0.25).all()
    assert away.max() > 3 * np.diag(away).max()


def test_what_was_there_already_does_not_count_as_speed(store: Store, small_film: Film) -> None:
    film = store.films.create(small_film)
    job = store.jobs.add("reel", film.id, "Reel", {"reel": {}, "begun": 900}, 1000)
    store.jobs.note(job, state="running")
    row = store.jobs.get(job)
    row.done, row.started = 910, now() - timedelta(seconds=10)
    told = job_of(row)
    assert told.rate == pytest.approx(1, rel=0.05)
    assert told.left == pytest.approx(90, rel=0.05)
    row.done = 900
    assert job_of(row).left is None


def test_reels_that_a_server_left_go_on_in_their_order_but_for_those_that_rest_or_are_stuck(
    store: Store, small_film: Film, monkeypatch: pytest.MonkeyPatch
) -> None:
    film = store.films.create(small_film)

    def reel(**settings: object) -> str:
        return store.jobs.add("reel", film.id, "Reel", {"revision": film.revision, "reel": {}, **settings}, 10)

    second, first, running, resting, stuck = reel(place=1), reel(place=0), reel(), reel(), reel(taken_up=4)
    # One that came after the line was changed stands at its end.
    last = reel()
    farm = Farm(store)
    farm.pause(resting)
    store.jobs.note(running, state="running")
    store.jobs.note(stuck, state="running")
    store.jobs.note(stuck, done=4)
    store.jobs.interrupt_all()
    begun: list[str] = []
    monkeypatch.setattr(Farm, "start", lambda self, job, kind: begun.append(job))
    farm.take_up()
    assert begun == [running, first, second, last]
    assert [store.jobs.get(job).state for job in (running, resting, stuck)] == ["waiting", "interrupted", "interrupted"]
    assert "twice in a row" in store.jobs.get(stuck).message
    # One that came further meanwhile goes on once more, and so do those that were not under way at all.
    store.jobs.note(running, state="running")
    store.jobs.note(running, done=7)
    store.jobs.interrupt_all()
    farm.take_up()
    assert begun[4:] == [running, first, second, last]
    farm.close()


def test_a_reel_is_paused_given_up_and_does_not_go_on_when_done(store: Store, small_film: Film) -> None:
    farm = Farm(store)
    film = store.films.create(small_film)
    job = store.jobs.add("reel", film.id, "Reel", {"revision": film.revision, "reel": {}}, 10)
    pieces = folder_of(store.reels / f"{job}.mp4")
    pieces.mkdir()
    farm.pause(job)
    assert (store.jobs.get(job).state, store.jobs.get(job).message) == ("interrupted", "Paused.")
    assert pieces.exists()
    farm.cancel(job)
    assert store.jobs.get(job).state == "cancelled"
    assert not pieces.exists()
    with pytest.raises(BadRender, match="can go on"):
        farm.resume(job)
    done = store.jobs.add("reel", film.id, "Reel", {}, 10)
    store.jobs.note(done, state="done")
    with pytest.raises(BadRender, match="can go on"):
        farm.resume(done)
    farm.close()
