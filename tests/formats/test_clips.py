"""Clips: the right picture at any moment, whatever the rate, and what is wrong with a file said in a sentence."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import psutil
import pytest

from tests.truth import psnr
from yaila.core.errors import BadClip, NotFound
from yaila.formats.clips import PROXY
from yaila.store import Store

BITS = 10


def picture(number: int, width: int, height: int) -> np.ndarray:
    """A picture that says its number in bars, over a slope of grey."""
    bars = np.array([255 if number >> bit & 1 else 0 for bit in range(BITS)], np.uint8)
    wide = bars[np.arange(width) * BITS // width]
    rgb = np.repeat(wide[None, :, None], 3, axis=2).repeat(height, axis=0)
    rgb[: height // 2] = np.linspace(20, 230, width, dtype=np.uint8)[None, :, None]
    return rgb


def number_of(pixels: np.ndarray) -> int:
    """The number that a picture says."""
    row = pixels[pixels.shape[0] * 3 // 4, :, :3].mean(axis=1)
    width = len(row) / BITS
    return sum(1 << bit for bit in range(BITS) if row[int((bit + 0.5) * width)] > 128)


def written(
    path: Path,
    moments: list[float],
    width: int = 320,
    height: int = 180,
    codec: str = "libx264",
    pixels: str = "yuv420p",
    **options: str,
) -> Path:
    """A clip with a picture at each of these moments, seconds."""
    clock = Fraction(1, 90_000)
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=30, options=options)
        stream.width, stream.height, stream.pix_fmt = width, height, pixels
        stream.time_base = stream.codec_context.time_base = clock
        for number, moment in enumerate(moments):
            frame = av.VideoFrame.from_ndarray(picture(number, width, height), format="rgb24")
            frame.pts, frame.time_base = round(moment / clock), clock
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def even(count: int, rate: float = 25.0) -> list[float]:
    return [k / rate for k in range(count)]


MORE = pytest.mark.thorough


@pytest.mark.parametrize(
    "ending", ["mp4", pytest.param("mov", marks=MORE), *(pytest.param(one, marks=MORE) for one in ("mkv", "webm"))]
)
def test_any_moment_shows_its_picture_forwards_backwards_and_anyhow(ending: str, store: Store, tmp_path: Path) -> None:
    codec = "libvpx-vp9" if ending == "webm" else "libx264"
    options = (
        {"cpu-used": "8", "deadline": "realtime"} if ending == "webm" else {"g": "50", "bf": "3", "preset": "veryfast"}
    )
    file = written(tmp_path / f"a.{ending}", even(120), 1280, 720, codec, **options)
    shown = store.clips.add(file, file.name)
    clip = store.clips.open(shown.sha256)
    assert (shown.width, shown.height) == (1280, 720)
    assert abs(shown.seconds - 4.8) < 0.003
    rng = random.Random(3)
    asked = [0, 1, 2, 60, 59, 119, 3, *(rng.randrange(120) for _ in range(12))]
    for width in (PROXY // 2, 1280):
        for number in asked:
            # In the middle of its time, and at its very moment.
            assert number_of(clip.at(number / 25 + 0.02, width)) == number
            assert number_of(clip.at(number / 25 + 0.001, width)) == number
    assert clip.at(0, PROXY // 2).shape[1] == PROXY // 2
    assert clip.at(0, 1280).shape == (720, 1280, 4)
    assert number_of(clip.at(99.0, 640)) == 119


def test_a_clip_of_variable_rate_is_seen_by_its_exact_moments(store: Store, tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    moments = np.cumsum([0.0, *rng.choice([0.011, 0.033, 0.2, 0.5], 40)]).round(4).tolist()
    shown = store.clips.add(written(tmp_path / "a.mp4", moments), "a.mp4")
    clip = store.clips.open(shown.sha256)
    for number, moment in enumerate(moments):
        assert number_of(clip.at(moment + 0.001, 320)) == number
        if number:
            assert number_of(clip.at(moment - 0.002, 320)) == number - 1


def test_a_clip_that_was_held_upright_is_seen_upright(store: Store, tmp_path: Path) -> None:
    file = written(tmp_path / "plain.mp4", even(5))
    with av.open(str(file)) as source, av.open(str(tmp_path / "turned.mp4"), "w") as to:
        stream = to.add_stream_from_template(source.streams.video[0])
        stream.set_display_rotation(90) if hasattr(stream, "set_display_rotation") else None
        for packet in source.demux(video=0):
            if packet.pts is not None:
                packet.stream = stream
                to.mux(packet)
    with av.open(str(tmp_path / "turned.mp4")) as turned:
        rotation = next(turned.decode(video=0)).rotation
    shown = store.clips.add(tmp_path / "turned.mp4", "turned.mp4")
    pixels = store.clips.open(shown.sha256).at(0.0, 180)
    if rotation:
        assert (shown.width, shown.height) == (180, 320)
        upright = np.rot90(picture(0, 320, 180), round(rotation / 90))
    else:
        upright = picture(0, 320, 180)
    wanted = cv2.resize(upright, pixels.shape[1::-1], interpolation=cv2.INTER_AREA)
    assert psnr(pixels[..., :3], wanted) > 24


@pytest.mark.parametrize(
    ("ending", "codec", "form"), [("mov", "prores_ks", "yuva444p10le"), ("webm", "libvpx-vp9", "yuva420p")]
)
def test_what_is_see_through_in_a_clip_stays_so(
    ending: str, codec: str, form: str, store: Store, tmp_path: Path
) -> None:
    path = tmp_path / f"a.{ending}"
    rgba = np.zeros((128, 256, 4), np.uint8)
    rgba[..., :3] = (200, 120, 40)
    rgba[:, 128:, 3] = 255
    options = {"auto-alt-ref": "0"} if ending == "webm" else {"profile": "4"}
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = 256, 128, form
        for _ in range(6):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(rgba, format="rgba").reformat(format=form)))
        container.mux(stream.encode(None))
    shown = store.clips.add(path, path.name)
    pixels = store.clips.open(shown.sha256).at(0.1, 256)
    assert pixels[:, :110].max() <= 8
    assert pixels[:, 150:, 3].min() >= 250
    assert np.abs(pixels[:, 150:, :3].mean(axis=(0, 1)) - (200, 120, 40)).max() < 8


def test_a_clip_broken_in_its_middle_is_seen_as_far_as_it_goes(store: Store, tmp_path: Path) -> None:
    data = bytearray(written(tmp_path / "a.mkv", even(200), g="10").read_bytes())
    at = len(data) // 2
    data[at : at + 3000] = np.random.default_rng(1).bytes(3000)
    (tmp_path / "spoilt.mkv").write_bytes(data)
    shown = store.clips.add(tmp_path / "spoilt.mkv", "spoilt.mkv")
    clip = store.clips.open(shown.sha256)
    assert number_of(clip.at(0.4 + 0.01, 320)) == 10
    for moment in np.linspace(0, shown.seconds, 30):
        assert clip.at(float(moment), 320).shape == (180, 320, 4)


def test_four_hours_are_opened_and_looked_into_in_little_memory(store: Store, tmp_path: Path) -> None:
    moments = [float(k) for k in range(0, 4 * 3600, 4)]
    file = written(tmp_path / "long.mp4", moments, 64, 36, preset="ultrafast", g="60")
    before = psutil.Process().memory_info().rss
    shown = store.clips.add(file, "long.mp4")
    clip = store.clips.open(shown.sha256)
    assert abs(shown.seconds - 4 * 3600) < 5
    for moment in (0.5, 14_000.5, 7_000.5, 7_004.5):
        assert (
            number_of(cv2.resize(clip.at(moment, 64), (320, 180), interpolation=cv2.INTER_NEAREST))
            == int(moment) // 4 % 1024
        )
    assert psutil.Process().memory_info().rss - before < 150 * 2**20


def test_what_is_no_clip_is_refused_in_a_sentence(store: Store, tmp_path: Path) -> None:
    sound = tmp_path / "sound.mp4"
    with av.open(str(sound), "w") as container:
        stream = container.add_stream("aac", rate=48_000)
        stream.codec_context.layout = "mono"
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 4800), np.float32), format="fltp", layout="mono")
        frame.sample_rate = 48_000
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    whole = written(tmp_path / "whole.mp4", even(5)).read_bytes()
    for name, data in (
        ("words.mp4", b"only words, and no picture at all. " * 200),
        ("cut.mp4", whole[: len(whole) // 3]),
        ("sound.mp4", sound.read_bytes()),
        ("noise.webm", np.random.default_rng(1).bytes(9000)),
    ):
        (tmp_path / name).write_bytes(data)
        with pytest.raises(BadClip, match=name):
            store.clips.add(tmp_path / name, name, keep=True)
    assert list((store.home / "clips").iterdir()) == []
    shown = store.clips.add(tmp_path / "whole.mp4", "whole.mp4")
    (store.home / "clips" / shown.sha256 / "source.mp4").unlink()
    with pytest.raises(NotFound, match=r"whole\.mp4"):
        Store(store.home).clips.open(shown.sha256)
