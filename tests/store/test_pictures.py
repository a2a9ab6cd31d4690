"""What lies on the disk is whole or absent, and what was spoilt there is said and mended."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import write_picture
from yaila.core.errors import NoRoom, NotFound
from yaila.core.film import Film
from yaila.core.imagery import PageStore
from yaila.core.picture import Quality, Renderer, Request
from yaila.core.soundings import Pieces, soundings_of
from yaila.core.time import Time
from yaila.core.type.faces import FOLDER
from yaila.formats import whole
from yaila.formats.whole import whole_file, write_whole
from yaila.store import Store


def pyramid_file(store: Store, film: Film) -> Path:
    return store.home / "pictures" / film.plates[0].picture.sha256 / "pyramid.tif"


def cut(file: Path) -> None:
    os.truncate(file, file.stat().st_size // 2)


def scribble(file: Path) -> None:
    file.write_bytes(b"\0" * 5000)


SPOILT = [cut, scribble, Path.unlink]


@pytest.mark.parametrize("spoil", SPOILT)
def test_a_damaged_pyramid_is_made_anew_from_the_file_as_it_came(
    store: Store, small_film: Film, spoil: Callable[[Path], None]
) -> None:
    sha256 = small_film.plates[0].picture.sha256
    before = store.pictures.pyramid(sha256).read(1)
    spoil(pyramid_file(store, small_film))
    assert np.array_equal(Store(store.home).pictures.pyramid(sha256).read(1), before)
    assert list(store.arrivals.iterdir()) == []


def test_a_pyramid_cut_while_it_is_read_does_not_end_the_process_and_the_frame_is_drawn(
    store: Store, small_film: Film
) -> None:
    """Reading a mapped file beyond its end is a signal, which no Python code outlives."""
    request = Request(small_film, Time(20), small_film.frame.size, Quality.FINAL)
    renderer = Renderer(store.pictures.pyramid, PageStore(64))
    expected = renderer.render(request).pixels
    renderer.pages.clear()
    cut(pyramid_file(store, small_film))
    assert np.array_equal(renderer.render(request).pixels, expected)


def test_a_picture_that_is_lost_is_said_left_out_and_mended_by_its_file(
    store: Store, small_film: Film, tmp_path: Path
) -> None:
    sha256 = small_film.plates[0].picture.sha256
    shutil.copy(store.pictures.source(sha256), tmp_path / "kept.png")
    cut(pyramid_file(store, small_film))
    cut(store.pictures.source(sha256))
    again = Store(store.home)
    assert not again.pictures.has(sha256)
    with pytest.raises(NotFound, match=r"“ground\.png” are damaged. Drop its file again"):
        again.pictures.pyramid(sha256)
    (finding,) = [one for one in soundings_of(small_film, Pieces(again.pictures.pyramid)) if one.kind == "picture"]
    assert finding.grave
    assert "Ground is gone or damaged" in finding.text
    request = Request(small_film, Time(20), small_film.frame.size)
    lenient = Renderer(again.pictures.pyramid, PageStore(64), lenient=True)
    # The frame is that of the film without the plate, and a reel is not made of it.
    bare = Renderer(again.pictures.pyramid, PageStore(64)).render
    without = bare(Request(small_film.model_copy(update={"plates": []}), Time(20), small_film.frame.size))
    assert np.array_equal(lenient.render(request).pixels, without.pixels)
    with pytest.raises(NotFound):
        bare(request)
    assert again.pictures.add(tmp_path / "kept.png", "kept.png") == small_film.plates[0].picture
    assert again.pictures.has(sha256)
    assert not np.array_equal(lenient.render(request).pixels, without.pixels)


def test_a_damaged_font_is_left_out_and_comes_back_when_it_is_brought_again(store: Store) -> None:
    data = next(FOLDER.glob("*.ttf")).read_bytes()
    key = store.aids.add_font(data, "Own.ttf").key
    (store.home / "aids" / f"{key}.ttf").write_bytes(b"")
    again = Store(store.home).aids
    assert again.fonts() == []
    with pytest.raises(NotFound, match=r"damaged\. Bring it again"):
        again.read(key)
    again.add_font(data, "Own.ttf")
    assert [font.key for font in again.fonts()] == [key]


def test_a_file_is_whole_or_absent(tmp_path: Path) -> None:
    target = tmp_path / "a.bin"
    write_whole(target, b"first")

    def half() -> None:
        with whole_file(target) as part:
            part.write_bytes(b"half of the sec")
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        half()
    assert target.read_bytes() == b"first"
    assert list(tmp_path.iterdir()) == [target]


def test_room_is_asked_for_before_large_work(store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """195 kB of PNG were 6.4 GB of pyramid once: what comes of a file is reckoned before it is made."""
    flat = write_picture(tmp_path / "flat.png", np.zeros((6000, 8000, 3), np.uint8), compression=9)
    assert flat.stat().st_size < 1_000_000
    usage = shutil.disk_usage(tmp_path)
    small = usage._replace(free=whole.SPARE + 100_000_000)
    monkeypatch.setattr(whole.shutil, "disk_usage", lambda _: small)
    with pytest.raises(NoRoom, match=r"“flat.png” needs 192 MB on the disk, and 100 MB can be had"):
        store.pictures.add(flat, "flat.png")
    assert list((store.home / "pictures").iterdir()) == []


def test_only_its_owner_looks_into_a_store(store: Store) -> None:
    assert store.home.stat().st_mode & 0o077 == 0
    assert (store.home / "yaila.sqlite").stat().st_mode & 0o077 == 0
