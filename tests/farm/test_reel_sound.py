"""The sound of a reel: on its sample in every form, as loud as was asked, and in step with the picture."""

from __future__ import annotations

import shutil
import zipfile
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from yaila.core.camera import FrameSize
from yaila.core.errors import BadRender
from yaila.core.film import Film, Inset, Vantage
from yaila.core.film.acts import AddSound, SoundEverything
from yaila.core.film.heard import Soundtrack
from yaila.core.sound import RATE
from yaila.core.time import Rate, VantageMoment
from yaila.farm.reel import ReelSettings, ask_files, render, track_of
from yaila.formats.delivery import FORMS
from yaila.formats.loudness import measure
from yaila.formats.video import Coding, Track, join_films, video_writer
from yaila.store import Store


def film(store: Store, folder: Path, loudness: float | None = None) -> tuple[Film, int]:
    """A film of 4 s at 29.97 with a click that hangs on the camera's arrival; the sample it must be at."""
    click = np.zeros((RATE, 2), np.float32)
    click[:2] = 0.7
    soundfile.write(folder / "click.wav", click, RATE)
    made = Film(
        frame={"width": 256, "height": 128},
        rate="30000/1001",
        levels={"loudness": loudness},
        vantages=[Vantage(id="a", hold=1), Vantage(id="b", x=3000, hold=1.5)],
    )
    made.vantages[0].passage.duration = made.vantages[0].passage.duration.model_copy(
        update={"unit": "frames", "value": 45.0}
    )
    made = AddSound(frame=0, file=store.sounds.add(folder / "click.wav", "click.wav"), id="s").done_to(made)
    made.sounds[0].starts = VantageMoment(vantage="b")
    return made, round(Fraction(30 + 45) * RATE * 1001 / 30000)


def heard(path: Path, folder: Path) -> tuple[np.ndarray, float]:
    """The left channel of a file, and the seconds at which it begins."""
    if path.suffix == ".zip":
        with zipfile.ZipFile(path) as archive:
            path = Path(archive.extract("sound.wav", folder))
    with av.open(str(path)) as file:
        stream = file.streams.audio[0]
        assert (stream.rate, stream.channels) == (RATE, 2)
        resampler, parts, begins = av.AudioResampler("fltp", "stereo", RATE), [], None
        for frame in file.decode(stream):
            begins = float(frame.pts * frame.time_base) if begins is None else begins
            parts += [part.to_ndarray()[0] for part in resampler.resample(frame)]
        parts += [part.to_ndarray()[0] for part in resampler.resample(None)]
    assert begins is not None
    return np.concatenate(parts), begins


@pytest.mark.parametrize("form", ["h264", "h265", "vp9", "prores", "ffv1", "png"])
def test_a_click_is_at_the_arrival_s_sample_in_the_file(form: str, store: Store, tmp_path: Path) -> None:
    made, wanted = film(store, tmp_path)
    path = tmp_path / f"reel{FORMS[form].suffix}"
    render(made, store.pictures.pyramid, path, ReelSettings(form=form, width=256), open_sound=store.sounds.read)
    samples, begins = heard(path, tmp_path)
    off = np.abs(samples).argmax() + begins * RATE - wanted
    # Without a loss it is the very sample; else within a millisecond.
    assert abs(off) <= (1 if form in ("prores", "ffv1", "png") else RATE / 1000)
    if form != "png":
        with av.open(str(path)) as file:
            video = file.streams.video[0]
            assert (
                sum(1 for packet in file.demux(video) if packet.size) == Soundtrack(made).samples * 30000 / 1001 / RATE
            )


def test_a_part_of_the_film_has_its_part_of_the_sound_and_marks_alone_have_none(store: Store, tmp_path: Path) -> None:
    made, wanted = film(store, tmp_path)
    how = ReelSettings(form="ffv1", width=256, first=60, last=89)
    render(made, store.pictures.pyramid, tmp_path / "part.mkv", how, open_sound=store.sounds.read)
    samples, begins = heard(tmp_path / "part.mkv", tmp_path)
    first = round(Fraction(60) * RATE * 1001 / 30000)
    assert np.abs(samples).argmax() + begins * RATE == wanted - first
    for other in ({"part": "marks"}, {"sound": False}):
        how = ReelSettings.model_validate({"form": "ffv1", "width": 256, "first": 60, "last": 63, **other})
        render(made, store.pictures.pyramid, tmp_path / "none.mkv", how, open_sound=store.sounds.read)
        with av.open(str(tmp_path / "none.mkv")) as file:
            assert not file.streams.audio


@pytest.mark.parametrize("loudness", [-23.0, -16.0, -14.0])
def test_a_film_is_as_loud_as_was_asked_and_no_peak_too_high(loudness: float, store: Store, tmp_path: Path) -> None:
    made, _ = film(store, tmp_path, loudness)
    made = SoundEverything(what="passage", effect="whoosh").done_to(made)
    made = AddSound(frame=0, effect="engine").done_to(made)
    track = track_of(made, range(Soundtrack(made).samples * 30000 // 1001 // RATE), store.sounds.read)
    assert track
    loud = measure(track.read, track.samples)
    assert abs(loud.integrated - loudness) <= 0.1
    assert loud.true_peak <= made.levels.ceiling + 0.1


def test_no_reel_is_begun_that_would_lack_a_file(store: Store, tmp_path: Path) -> None:
    made, _ = film(store, tmp_path)
    ask_files(made, store)
    (key,) = made.sound_files
    shutil.rmtree(store.home / "sounds" / key)
    with pytest.raises(BadRender, match="The sound of “Sound” is not in store"):
        ask_files(made, Store(store.home))
    clip = {"kind": "clip", "sha256": "e" * 64, "width": 64, "height": 36, "seconds": 2}
    made = made.model_copy(update={"sounds": [], "insets": [Inset(name="Quay", shows=clip)]})
    with pytest.raises(BadRender, match="The clip of “Quay” is not in store"):
        ask_files(made, store)
    card = {"kind": "picture", "sha256": "e" * 64, "width": 64, "height": 36}
    made = made.model_copy(update={"insets": [Inset(name="Card", shows=card)]})
    with pytest.raises(BadRender, match="The picture of “Card” is not in store"):
        ask_files(made, store)


@pytest.mark.thorough
def test_picture_and_sound_are_in_step_after_an_hour(tmp_path: Path) -> None:
    rate, coding = Rate.parse("30000/1001"), Coding("mp4", "libx264", "yuv420p", (("preset", "ultrafast"),), "aac")
    # 108 pieces of 999 frames; in the last one, one is white.
    each, last = 999, 107 * 999 + 900
    frames = 108 * each
    for name, white in (("dark", -1), ("flash", 900)):
        with video_writer(tmp_path / f"{name}.mp4", coding, FrameSize(64, 64), rate) as writer:
            for k in range(each):
                writer.write(np.full((64, 64, 4), 255 if k == white else 0, np.uint8))
    at = round(Fraction(last) * RATE / rate.value)

    def read(first: int, count: int) -> np.ndarray:
        block = np.zeros((count, 2), np.float32)
        if first <= at < first + count:
            block[at - first] = 0.8
        return block

    samples = round(Fraction(frames) * RATE / rate.value)
    join_films(
        [*[tmp_path / "dark.mp4"] * 107, tmp_path / "flash.mp4"],
        tmp_path / "hour.mp4",
        coding,
        rate,
        "",
        Track(read, samples),
    )
    with av.open(str(tmp_path / "hour.mp4")) as file:
        flash = next(frame.time for frame in file.decode(video=0) if frame.to_ndarray(format="gray").mean() > 128)
    with av.open(str(tmp_path / "hour.mp4")) as file:
        loudest = max(
            (float(np.abs(part).max()), frame.time + int(np.abs(part).argmax()) / RATE)
             for frame in file.decode(audio=0) for part in [frame.to_ndarray()[0]]
        )  # fmt: skip
    assert abs(loudest[1] - flash) < 0.001
