"""Sound files read back sample for sample, hostile ones refused, and loudness measured as others measure it.

Loudness is checked against pyloudnorm (which has BS.1770 written anew) and against the test signals of EBU Tech 3341,
table 1, that can be made from their words: cases 1 to 4.
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pytest
import soundfile

from yaila.core.errors import BadSound, NotFound
from yaila.core.sound import RATE, made
from yaila.formats.audio import PEAKS, StoredSound, take_in
from yaila.formats.loudness import measure
from yaila.store import Store


def clicks(rate: int, channels: int = 2) -> np.ndarray:
    """Three seconds with a click at every half second."""
    out = np.zeros((3 * rate, channels), np.float32)
    out[rate // 2 :: rate // 2] = 0.8
    return out


def encoded(path: Path, codec: str, rate: int = RATE) -> Path:
    """The same, encoded by FFmpeg."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.codec_context.layout = "stereo"
        samples = np.ascontiguousarray(clicks(rate).T)
        frame = av.AudioFrame.from_ndarray(samples, format="fltp", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = rate, 0, Fraction(1, rate)
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def taken(file: Path, folder: Path) -> StoredSound:
    take_in(file, folder / "sound.flac", folder / "peaks.npy", file.name)
    return StoredSound(folder / "sound.flac")


@pytest.mark.parametrize(
    ("ending", "codec", "off"),
    [
        ("wav", "", 0),
        ("flac", "", 0),
        ("aif", "", 0),
        ("m4a", "aac", 48),
        ("mp3", "libmp3lame", 48),
        ("opus", "libopus", 48),
    ],
)
def test_clicks_come_back_within_a_millisecond(ending: str, codec: str, off: int, tmp_path: Path) -> None:
    file = tmp_path / f"clicks.{ending}"
    if codec:
        encoded(file, codec)
    else:
        soundfile.write(file, clicks(RATE), RATE, format="AIFF" if ending == "aif" else None)
    sound = taken(file, tmp_path)
    samples = sound.read(0, 3 * RATE)
    for k in range(1, 6):
        at = k * RATE // 2
        near = np.abs(samples[at - 2400 : at + 2400, 0])
        assert abs(int(near.argmax()) - 2400) <= off
    assert abs(sound.samples - 3 * RATE) <= (0 if not codec else 2400)
    peaks = np.load(tmp_path / "peaks.npy")
    assert abs(len(peaks) - 3 * PEAKS) <= 6
    assert peaks[PEAKS // 2].max() > 40


@pytest.mark.parametrize("rate", [8000, 22_050, 44_100, 96_000])
def test_any_rate_becomes_that_of_films(rate: int, tmp_path: Path) -> None:
    file = tmp_path / "tone.wav"
    time = np.arange(2 * rate) / rate
    soundfile.write(file, 0.5 * np.sin(2 * np.pi * 440 * time), rate)
    sound = taken(file, tmp_path)
    samples = sound.read(4800, RATE)
    assert abs(sound.samples - 2 * RATE) < 100
    assert np.array_equal(samples[:, 0], samples[:, 1])
    wanted = np.sin(2 * np.pi * 440 * np.arange(RATE) / RATE)
    spectrum = np.abs(np.fft.rfft(samples[:, 0] * np.hanning(RATE)))
    assert spectrum.argmax() == np.abs(np.fft.rfft(wanted * np.hanning(RATE))).argmax()
    assert abs(float(np.sqrt((samples**2).mean())) - 0.5 / np.sqrt(2)) < 0.003


def test_six_channels_become_two_and_any_stretch_is_read(tmp_path: Path) -> None:
    file = tmp_path / "six.wav"
    six = np.zeros((RATE, 6), np.float32)
    six[:, 2] = 0.4
    soundfile.write(file, six, RATE)
    sound = taken(file, tmp_path)
    whole = sound.read(0, RATE)
    assert np.allclose(whole[:, 0], whole[:, 1])
    assert whole.max() > 0.1
    assert np.array_equal(sound.read(12_345, 777), whole[12_345 : 12_345 + 777])
    assert len(sound.read(RATE - 10, 100)) == 10
    assert not sound.read(-50, 100)[:50].any()


def test_what_holds_no_sound_is_refused_in_a_sentence(store: Store, tmp_path: Path) -> None:
    whole = tmp_path / "whole.wav"
    soundfile.write(whole, clicks(RATE), RATE)
    data = whole.read_bytes()
    picture = tmp_path / "film.mp4"
    with av.open(str(picture), "w") as container:
        stream = container.add_stream("libx264", rate=25)
        stream.width = stream.height = 64
        container.mux(stream.encode(av.VideoFrame.from_ndarray(np.zeros((64, 64, 3), np.uint8), format="rgb24")))
        container.mux(stream.encode(None))
    for name, bad in (
        ("empty.wav", data[:44]),
        ("text.mp3", b"no sound at all, only words, and enough of them to be looked at as a file of sound" * 40),
        ("head.wav", data[:20]),
        ("silent.mp4", picture.read_bytes()),
        ("noise.ogg", np.random.default_rng(1).bytes(5000)),
    ):
        file = tmp_path / name
        file.write_bytes(bad)
        with pytest.raises(BadSound, match=name):
            store.sounds.add(file, name, keep=True)
    assert list((store.home / "sounds").iterdir()) == []
    # Cut short, it is heard as far as it goes; what is no number is silent.
    cut = tmp_path / "cut.wav"
    cut.write_bytes(data[: len(data) // 2])
    assert 1.2 < store.sounds.add(cut, "cut.wav", keep=True).seconds < 1.6
    odd = clicks(RATE)
    odd[100:200] = np.nan
    odd[300] = np.inf
    soundfile.write(tmp_path / "odd.wav", odd, RATE, subtype="FLOAT")
    found = store.sounds.open(store.sounds.add(tmp_path / "odd.wav", "odd.wav", keep=True).sha256).read(0, RATE)
    assert np.isfinite(found).all()
    assert np.abs(found).max() <= 1


def test_a_damaged_sound_is_made_anew_from_its_file_or_named(store: Store, tmp_path: Path) -> None:
    file = tmp_path / "a.wav"
    soundfile.write(file, clicks(RATE), RATE)
    key = store.sounds.add(file, "a.wav", keep=True).sha256
    folder = store.home / "sounds" / key
    whole = store.sounds.open(key).read(0, RATE)
    (folder / "sound.flac").write_bytes(b"spoilt")
    again = Store(store.home)
    assert np.array_equal(again.sounds.open(key).read(0, RATE), whole)
    (folder / "sound.flac").write_bytes(b"spoilt")
    (folder / "source.wav").write_bytes(b"spoilt too")
    last = Store(store.home)
    with pytest.raises(NotFound, match=r"a\.wav.*damaged"):
        last.sounds.open(key)
    assert len(last.sounds.read(key)(0, 10)) == 0
    # Brought again, it is whole again.
    assert last.sounds.add(file, "a.wav", keep=True).sha256 == key
    assert np.array_equal(last.sounds.open(key).read(0, RATE), whole)


def level(samples: np.ndarray) -> float:
    return measure(lambda first, count: samples[first : first + count].astype(np.float32), len(samples)).integrated


def tone(decibels: float, seconds: float) -> np.ndarray:
    """A sine of 1 kHz in both channels, dBFS."""
    wave = 10 ** (decibels / 20) * np.sin(2 * np.pi * 1000 * np.arange(round(seconds * RATE)) / RATE)
    return np.stack([wave, wave], axis=1)


def test_the_ebu_s_test_signals_read_what_they_must() -> None:
    assert abs(level(tone(-23, 20)) + 23) <= 0.1
    assert abs(level(tone(-33, 20)) + 33) <= 0.1
    parts = [tone(-36, 10), tone(-23, 60), tone(-36, 10)]
    assert abs(level(np.concatenate(parts)) + 23) <= 0.1
    parts = [tone(-72, 10), *parts, tone(-72, 10)]
    assert abs(level(np.concatenate(parts)) + 23) <= 0.1


def test_loudness_is_that_of_another_meter_to_a_tenth() -> None:
    mix = np.concatenate([made("sea", 20.0) * 0.7, made("horn"), made("low"), made("typing", 4.0), made("wind", 9.0)])
    other = pyloudnorm.Meter(RATE).integrated_loudness(mix.astype(np.float64))
    assert abs(level(mix) - other) <= 0.1
    assert measure(lambda first, count: np.zeros((count, 2), np.float32), RATE).silent
