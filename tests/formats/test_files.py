"""Files written are what their standards say."""

from __future__ import annotations

import zipfile
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.truth import fine_texture, psnr
from yaila.core.camera import FrameSize
from yaila.core.errors import BadBundle
from yaila.core.film import Film
from yaila.core.time import RATES, Rate
from yaila.formats.bundle import read_bundle, write_bundle
from yaila.formats.delivery import FORMS, Slate, delivery
from yaila.store import Store


def opaque(rgb: np.ndarray) -> np.ndarray:
    return np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])


@pytest.mark.parametrize("rate", RATES, ids=str)
def test_mp4_has_exact_rate_count_and_timestamps(tmp_path: Path, rate: Rate) -> None:
    path = tmp_path / "reel.mp4"
    with delivery(FORMS["h264"], path, FrameSize(64, 64), rate, 30, Slate("")) as writer:
        for k in range(131):
            writer.write(opaque(np.full((64, 64, 3), k, np.uint8)))
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        assert stream.average_rate == rate.value
        times = [frame.pts * stream.time_base for frame in file.decode(stream)]
        assert times == [k / rate.value for k in range(131)]
        assert Fraction(stream.duration * stream.time_base) == 131 / rate.value
    # faststart: the index stands before the data.
    data = path.read_bytes()
    assert data.index(b"moov") < data.index(b"mdat")


def test_mp4_is_tagged_bt709_and_gives_colours_back(tmp_path: Path) -> None:
    patches = np.zeros((128, 192, 3), np.uint8)
    colours = [(255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 255, 255), (30, 60, 90), (128, 128, 128)]
    for k, colour in enumerate(colours):
        patches[(k // 3) * 64 : (k // 3 + 1) * 64, (k % 3) * 64 : (k % 3 + 1) * 64] = colour
    path = tmp_path / "patches.mp4"
    with delivery(FORMS["h264"], path, FrameSize(192, 128), Rate.parse("25"), 1, Slate("")) as writer:
        for _ in range(5):
            writer.write(opaque(patches))
    with av.open(str(path)) as file:
        context = file.streams.video[0].codec_context
        assert (context.pix_fmt, context.color_primaries, context.color_trc, context.colorspace) == ("yuv420p", 1, 1, 1)
        assert context.color_range == 1
        frame = next(file.decode(video=0))
        planes = frame.to_ndarray().astype(float)
    luma = planes[:128]
    u = planes[128:160].reshape(64, 96)
    v = planes[160:].reshape(64, 96)
    for k, (r, g, b) in enumerate(np.array(colours) / 255):
        # ITU-R BT.709-6: E'Y = 0.2126 R' + 0.7152 G' + 0.0722 B'; D'Y = 219 E'Y + 16, D'C = 224 E'C + 128.
        y = 0.2126 * r + 0.7152 * g + 0.0722 * b
        expected = (16 + 219 * y, 128 + 224 * (b - y) / 1.8556, 128 + 224 * (r - y) / 1.5748)
        row, column = (k // 3) * 64 + 32, (k % 3) * 64 + 32
        seen = (luma[row, column], u[row // 2, column // 2], v[row // 2, column // 2])
        assert seen == pytest.approx(expected, abs=2)


def test_a_bundle_brings_the_film_and_its_pictures_back(store: Store, small_film: Film, tmp_path: Path) -> None:
    bundle = tmp_path / "film.yaila"
    write_bundle(bundle, small_film, store.file_of)
    document, media = read_bundle(bundle, tmp_path)
    assert Film.model_validate(document) == small_film
    other = Store(tmp_path / "other")
    for path in media.values():
        other.pictures.add(path, path.name)
    assert other.pictures.has(small_film.plates[0].picture.sha256)
    sha256 = small_film.plates[0].picture.sha256
    assert np.array_equal(other.pictures.pyramid(sha256).read(0), store.pictures.pyramid(sha256).read(0))


def test_a_bundle_cannot_write_outside_its_folder_and_rubbish_is_refused(tmp_path: Path) -> None:
    evil = tmp_path / "evil.yaila"
    with zipfile.ZipFile(evil, "w") as bundle:
        bundle.writestr("film.json", "{}")
        bundle.writestr("media/../../escaped.png", b"x")
        bundle.writestr("/etc/escaped", b"x")
    folder = tmp_path / "in" / "here"
    folder.mkdir(parents=True)
    assert read_bundle(evil, folder) == ({}, {})
    assert not list(tmp_path.rglob("escaped*"))
    rubbish = tmp_path / "rubbish.yaila"
    rubbish.write_bytes(b"not a zip")
    with pytest.raises(BadBundle, match="not a film bundle"):
        read_bundle(rubbish, tmp_path)


def test_psnr_of_equal_pictures_is_beyond_any_bound() -> None:
    picture = fine_texture(50, 40)
    assert psnr(picture, picture) > 100
