"""Frames that come as a ZIP become one clip: the same pictures, to the last code."""

from __future__ import annotations

import io
import zipfile
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest

from tests.formats.test_clips import number_of, picture
from yaila.core.errors import BadClip
from yaila.formats.frames_clip import clip_of_frames
from yaila.store import Store

RATE = Fraction(30_000, 1001)


def png(pixels: np.ndarray) -> bytes:
    order = cv2.COLOR_RGBA2BGRA if pixels.shape[2] == 4 else cv2.COLOR_RGB2BGR
    return cv2.imencode(".png", cv2.cvtColor(pixels, order))[1].tobytes()


def packed(path: Path, entries: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w") as archive:
        for name, data in entries.items():
            archive.writestr(zipfile.ZipInfo(name), data)
    return path


def test_frames_come_in_the_order_of_their_numbers_and_missing_ones_are_told(store: Store, tmp_path: Path) -> None:
    shown = [k for k in range(14) if k != 6]
    # As programs write them: without noughts in front, in any order, in a folder, with what systems leave beside.
    entries = {f"shot/plate_v02.{k + 95}.png": png(picture(k, 160, 90)) for k in reversed(shown)}
    file = packed(tmp_path / "shot.zip", {"shot/": b"", **entries, "__MACOSX/shot/._plate_v02.95.png": b"?"})
    out = tmp_path / "shot.mkv"
    assert clip_of_frames(file, out, "shot.zip", RATE).startswith("1 of its frames")
    again = tmp_path / "again.mkv"
    clip_of_frames(file, again, "shot.zip", RATE)
    assert again.read_bytes() == out.read_bytes()
    # As another reader sees it, FFmpeg's own.
    with av.open(str(out)) as container:
        stream = container.streams.video[0]
        frames = list(container.decode(stream))
        assert stream.codec_context.name == "ffv1"
        assert [round(float(frame.pts * frame.time_base * RATE)) for frame in frames] == shown
        for frame, k in zip(frames, shown, strict=True):
            assert np.array_equal(frame.to_ndarray(format="rgb24"), picture(k, 160, 90))
    clip = store.clips.open(store.clips.add(out, "shot.mkv").sha256)
    for k in range(14):
        assert number_of(clip.at((k + 0.5) / float(RATE), 160)) == (5 if k == 6 else k)


def test_what_is_see_through_stays_so(tmp_path: Path) -> None:
    random = np.random.default_rng(4)
    frames = [random.integers(0, 256, (40, 60, 4), np.uint8) for _ in range(3)]
    frames[1][..., 3] = 255
    file = packed(tmp_path / "clear.zip", {f"{k}.png": png(pixels) for k, pixels in enumerate(frames)})
    assert clip_of_frames(file, tmp_path / "clear.mkv", "clear.zip", Fraction(25)) == ""
    with av.open(str(tmp_path / "clear.mkv")) as container:
        for frame, wanted in zip(container.decode(video=0), frames, strict=True):
            assert np.array_equal(frame.to_ndarray(format="rgba"), wanted)


GOOD = png(picture(1, 64, 36))


@pytest.mark.parametrize(
    ("entries", "says"),
    [
        ({"1.png": GOOD, "2.png": png(picture(2, 62, 36))}, r"“2\.png”.*62 × 36.*64 × 36"),
        ({"1.png": GOOD, "2.png": GOOD[:-40]}, r"“2\.png”.*damaged"),
        ({"one.png": GOOD, "two.png": GOOD}, "no number"),
        ({"a1.png": GOOD, "b01.png": GOOD}, "Two frames.*number 1"),
        ({"1.png": GOOD}, "no numbered pictures"),
        ({"way.shp": b"?", "way.dbf": b"?"}, "no numbered pictures"),
        ({"1.png": GOOD, "900000.png": GOOD}, "more than 50,000"),
    ],
)
def test_what_is_no_sequence_is_refused_in_a_sentence(entries: dict[str, bytes], says: str, tmp_path: Path) -> None:
    out = tmp_path / "out.mkv"
    with pytest.raises(BadClip, match=says):
        clip_of_frames(packed(tmp_path / "bad.zip", entries), out, "bad.zip", Fraction(25))
    assert [path.name for path in tmp_path.iterdir()] == ["bad.zip"]


def test_a_damaged_archive_is_refused_in_a_sentence(tmp_path: Path) -> None:
    whole = packed(tmp_path / "whole.zip", {f"{k}.png": GOOD for k in range(3)}).read_bytes()
    for name, data in {
        "cut.zip": whole[:-30],
        "words.zip": b"no archive",
        "spoilt.zip": whole.replace(GOOD[50:60], bytes(10)),
    }.items():
        (tmp_path / name).write_bytes(data)
        with pytest.raises(BadClip, match=name):
            clip_of_frames(tmp_path / name, tmp_path / "out.mkv", name, Fraction(25))
    locked = io.BytesIO(whole)
    data = bytearray(locked.getvalue())
    for at in range(len(data) - 4):
        # The flag of what is encrypted, in local and central headers.
        if data[at : at + 4] in (b"PK\x03\x04", b"PK\x01\x02"):
            data[at + (6 if data[at + 2] == 3 else 8)] |= 1
    (tmp_path / "locked.zip").write_bytes(bytes(data))
    with pytest.raises(BadClip, match=r"locked\.zip"):
        clip_of_frames(tmp_path / "locked.zip", tmp_path / "out.mkv", "locked.zip", Fraction(25))
