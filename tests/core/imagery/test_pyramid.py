"""Pictures of every kind become upright sRGB pyramids, and what is no picture is refused with a sentence."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
import pyvips

from tests.conftest import write_picture
from tests.truth import fine_texture
from yaila.core.errors import BadPicture
from yaila.core.imagery import build_pyramid, open_pyramid, pyramid, read_facts


def imported(source: Path) -> np.ndarray:
    target = source.with_suffix(".pyramid.tif")
    build_pyramid(source, target, source.name)
    return open_pyramid(target).read(0)


def test_every_level_is_the_mean_of_the_one_before(tmp_path: Path) -> None:
    source = fine_texture(700, 517)
    path = write_picture(tmp_path / "a.png", source)
    facts = build_pyramid(path, tmp_path / "a.tif", "a.png")
    opened = open_pyramid(tmp_path / "a.tif")
    assert (facts.width, facts.height, facts.alpha) == (700, 517, False)
    assert opened.sizes == ((700, 517), (350, 258), (175, 129))
    assert np.array_equal(opened.read(0)[..., :3], source)
    for level in (1, 2):
        upper, lower = opened.read(level)[..., :3], opened.read(level - 1)[..., :3].astype(float)
        height, width = upper.shape[:2]
        mean = lower[: height * 2, : width * 2].reshape(height, 2, width, 2, 3).mean(axis=(1, 3))
        assert np.abs(upper - mean).max() <= 1


def test_sixteen_bit_is_rounded_not_cut(tmp_path: Path) -> None:
    values = np.linspace(0, 65535, 256 * 64).reshape(64, 256).astype(np.uint16)
    pixels = np.repeat(values[..., None], 3, axis=2)
    for name in ("a.png", "a.tif"):
        path = tmp_path / name
        pyvips.Image.new_from_array(pixels, interpretation="rgb16").write_to_file(str(path))
        assert np.abs(imported(path)[..., 0] - values / 257).max() <= 0.51


def test_grey_alpha_jpeg_and_webp(tmp_path: Path) -> None:
    grey = np.full((40, 60), 77, np.uint8)
    assert (imported(write_picture(tmp_path / "grey.png", grey))[..., :3] == 77).all()
    half = np.zeros((40, 60, 4), np.uint8)
    half[...] = (200, 100, 50, 128)
    seen = imported(write_picture(tmp_path / "alpha.png", half))
    # Pages are premultiplied.
    assert np.abs(seen[0, 0].astype(int) - (100, 50, 25, 128)).max() <= 1
    colour = np.full((64, 64, 3), (180, 90, 40), np.uint8)
    for name, options in (("a.jpg", {"Q": 98}), ("a.webp", {"lossless": True})):
        assert (
            np.abs(
                imported(write_picture(tmp_path / name, colour, **options))[20, 20, :3].astype(int) - (180, 90, 40)
            ).max()
            <= 2
        )


@pytest.mark.parametrize("orientation", range(1, 9))
def test_exif_orientation_is_obeyed(tmp_path: Path, orientation: int) -> None:
    # EXIF 2.3: orientation 6 means the top of the picture is the right-hand column as stored, and so on.
    upright = np.zeros((24, 48, 3), np.uint8)
    upright[:12, :24] = 255
    stored = {
        1: upright, 2: upright[:, ::-1], 3: upright[::-1, ::-1], 4: upright[::-1],
        5: upright.transpose(1, 0, 2), 6: np.rot90(upright), 7: np.rot90(upright, 2).transpose(1, 0, 2),
        8: np.rot90(upright, -1),
    }[orientation]  # fmt: skip
    image = pyvips.Image.new_from_array(np.ascontiguousarray(stored)).copy()
    image.set_type(pyvips.GValue.gint_type, "orientation", orientation)
    path = tmp_path / "turned.tif"
    image.tiffsave(str(path))
    facts = read_facts(path, "turned.tif")
    assert (facts.width, facts.height) == (48, 24)
    assert np.array_equal(imported(path)[..., :3], upright)


def test_cmyk_and_embedded_profiles_become_srgb(tmp_path: Path) -> None:
    srgb = pyvips.Image.new_from_array(np.full((32, 32, 3), (200, 60, 60), np.uint8)).copy(interpretation="srgb")
    cmyk = srgb.icc_transform("cmyk", input_profile="srgb")
    cmyk.jpegsave(str(tmp_path / "cmyk.jpg"), Q=98)
    assert np.abs(imported(tmp_path / "cmyk.jpg")[5, 5, :3].astype(int) - (200, 60, 60)).max() <= 12
    wide = srgb.icc_transform("p3", input_profile="srgb")
    assert np.abs(wide(5, 5)[0] - 200) > 8
    wide.pngsave(str(tmp_path / "p3.png"))
    assert np.abs(imported(tmp_path / "p3.png")[5, 5, :3].astype(int) - (200, 60, 60)).max() <= 3


@pytest.mark.parametrize("share", [0.15, 0.5, 0.9])
def test_of_a_picture_that_is_cut_short_it_is_said_how_far_it_is_whole(share: float, tmp_path: Path) -> None:
    """Held against what OpenCV decodes of the same bytes."""
    whole = write_picture(tmp_path / "whole.jpg", fine_texture(600, 500))
    short = tmp_path / "short.jpg"
    short.write_bytes(whole.read_bytes()[: int(whole.stat().st_size * share)])
    with pytest.raises(BadPicture, match=r"the upper \d+ of 500 rows") as refusal:
        build_pyramid(short, tmp_path / "bad.tif", "short.jpg")
    rows = int(str(refusal.value).split(" of 500 rows")[0].split()[-1])
    found, all_of_it = cv2.imread(str(short)), cv2.imread(str(whole))
    lost = np.flatnonzero((found != all_of_it).any(axis=(1, 2)))[0]
    # Rows of a JPEG come by sixteens, of which the last are there in part.
    assert 0 <= rows - int(lost) <= 18


def test_bad_files_are_refused_each_with_its_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    good = write_picture(tmp_path / "good.png", fine_texture(600, 500))
    jpeg = write_picture(tmp_path / "good.jpg", fine_texture(600, 500))
    tiff = write_picture(tmp_path / "good.tif", fine_texture(600, 500))
    cases = {
        "empty.png": (b"", "no bytes"),
        "words.png": (b"Dear editor, this is a letter.", "not a picture Yaila reads"),
        "page.svg": (b'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>', "not a picture Yaila reads"),
        "moving.gif": (b"GIF89a\x01\x00\x01\x00\x00\x00\x00;", "not a picture Yaila reads"),
        "short.png": (good.read_bytes()[: good.stat().st_size // 2], "cut short or damaged"),
        "short.jpg": (jpeg.read_bytes()[: jpeg.stat().st_size // 2], "cut short or damaged"),
        "short.tif": (tiff.read_bytes()[: tiff.stat().st_size // 2], "damaged"),
        "header.png": (good.read_bytes()[:20], "damaged"),
    }
    for name, (data, sentence) in cases.items():
        path = tmp_path / f"bad-{name}"
        path.write_bytes(data)
        target = tmp_path / "bad.tif"
        with pytest.raises(BadPicture, match=sentence) as refusal:
            build_pyramid(path, target, name)
        assert name in str(refusal.value)
        assert not target.exists()
        assert not target.with_suffix(".part").exists()
    zero = bytearray(good.read_bytes())
    zero[16:20] = bytes(4)
    (tmp_path / "zero.png").write_bytes(zero)
    with pytest.raises(BadPicture, match=r"“zero\.png”"):
        read_facts(tmp_path / "zero.png", "zero.png")
    monkeypatch.setattr(pyramid, "PIXEL_LIMIT", 250_000)
    with pytest.raises(BadPicture, match="over the limit of 250,000"):
        read_facts(good, "good.png")
