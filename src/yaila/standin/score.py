"""What is heard in The Night Post: a piece of music made for it, and the sounds of its places and moves."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
import soundfile
from numpy.typing import NDArray

from yaila.core.film import Film
from yaila.core.film.acts import AddSound, SoundEverything
from yaila.core.film.sounds import Lane, Sound
from yaila.core.sound import RATE
from yaila.core.time import Course, Ease, FilmMoment, RouteMoment, Stop, VantageMoment
from yaila.store import Store

PACE = 72.0
"""Beats a minute."""

CHORDS = (
    (45, 52, 57, 60, 64), (41, 53, 57, 60, 65), (48, 52, 55, 60, 67), (43, 50, 55, 59, 62),
    (45, 52, 57, 60, 64), (38, 50, 57, 62, 65), (40, 52, 56, 59, 64), (45, 52, 57, 60, 64),
)  # fmt: skip
"""Of four beats each: a bass note and the chord above it, MIDI note numbers."""

TUNE = (
    (0, 76), (1.5, 74), (2, 72), (4, 72), (5.5, 74), (6, 69), (8, 67), (10, 72), (11, 71), (12, 71), (14, 67),
    (16, 76), (17.5, 77), (18, 76), (20, 74), (22, 72), (23, 69), (24, 71), (26, 68), (28, 69),
)  # fmt: skip
"""Beats, and notes."""

WAVE = NDArray[np.float64]


def music(seconds: float) -> NDArray[np.float32]:
    """The piece, as long as that: a pad, plucked chords from the second time round, and a tune over both."""
    out = np.zeros((round((seconds + 4) * RATE), 2))
    beat = 60 / PACE
    bar, rounds = 4 * beat, int(np.ceil(seconds / (4 * beat)))
    for number in range(rounds):
        bass, *chord = CHORDS[number % len(CHORDS)]
        _put(out, number * bar, _pad((bass, *chord), bar + 1.6), 0.05, 0.5)
        _put(out, number * bar, _pluck(bass, 3.2), 0.16, 0.5)
        if number >= 2:
            for k, note in enumerate((chord[0], chord[1], chord[3], chord[2], chord[1], chord[3], chord[2], chord[1])):
                _put(out, number * bar + k * beat / 2, _pluck(note + 12, 1.6), 0.055, 0.3 + 0.05 * k)
        if number >= 4:
            first = number % 8 * 4
            for at, note in TUNE:
                if first <= at < first + 4:
                    _put(out, number * bar + (at - first) * beat, _reed(note, 1.4 * beat), 0.05, 0.62)
    whole = out[: round(seconds * RATE)]
    fade = np.clip((seconds - np.arange(len(whole)) / RATE) / 3.5, 0, 1)[:, None]
    return (whole * fade / max(float(np.abs(whole).max()), 1e-9) * 0.6).astype(np.float32)


def _put(out: WAVE, at: float, wave: WAVE, loud: float, side: float) -> None:
    first = round(at * RATE)
    piece = out[first : first + len(wave)]
    piece += loud * wave[: len(piece), None] * np.sqrt([1 - side, side])


def _hertz(note: int) -> float:
    return float(440 * 2 ** ((note - 69) / 12))


def _harmonics(phase: WAVE, count: int) -> Iterator[WAVE]:
    """The sines of so many multiples of a phase, each from the two before it (Chebyshev's recurrence)."""
    twice, before, sine = 2 * np.cos(phase), np.zeros_like(phase), np.sin(phase)
    for _ in range(count):
        yield sine
        before, sine = sine, twice * sine - before


@lru_cache(maxsize=16)
def _pad(notes: tuple[int, ...], seconds: float) -> WAVE:
    """Notes that swell and go."""
    time = np.arange(round(seconds * RATE)) / RATE
    wave = np.zeros(len(time))
    for note in notes:
        for detuned in (0.997, 1.003):
            hertz = _hertz(note) * detuned
            for k, sine in enumerate(_harmonics(2 * np.pi * hertz * time + 1, 6), 1):
                wave += sine / k**1.9
    return np.asarray(wave * np.sin(np.pi * np.clip(time / seconds, 0, 1)) ** 0.8)


@lru_cache(maxsize=64)
def _pluck(note: int, seconds: float) -> WAVE:
    time = np.arange(round(seconds * RATE)) / RATE
    wave = np.zeros(len(time))
    left, dies = np.exp(-1.6 * time), np.exp(-1.1 * time)
    for k, sine in enumerate(_harmonics(2 * np.pi * _hertz(note) * time, 8), 1):
        left *= dies
        wave += sine / k**1.3 * left
    return np.asarray(wave * np.minimum(time / 0.003, 1))


def _reed(note: int, seconds: float) -> WAVE:
    time = np.arange(round((seconds + 0.5) * RATE)) / RATE
    phase = 2 * np.pi * _hertz(note) * (time + 0.0006 * np.sin(2 * np.pi * 5 * time) * np.clip(time - 0.3, 0, 1))
    wave = np.zeros(len(time))
    for k, sine in enumerate(_harmonics(phase, 7), 1):
        wave += sine / k**1.4 * (1.0 if k % 2 else 0.45)
    return np.asarray(wave * np.minimum(time / 0.05, 1) * np.clip((seconds + 0.5 - time) / 0.5, 0, 1))


def with_score(store: Store, film: Film, seconds: float) -> Film:
    """The film with its sound; the music goes into the store."""
    with store.room() as folder:
        file = folder / "The Night Post.wav"
        soundfile.write(file, music(seconds), RATE, subtype="PCM_16")
        piece = store.sounds.add(file, file.name)
    film = film.model_copy(deep=True)
    film.lanes = [
        Lane(id="music", name="Music", gain=-3.0, under="details", gives=4.0),
        Lane(id="moves", name="Moves", gain=-8.0),
        Lane(id="details", name="Details", gain=-6.0),
        Lane(id="ambience", name="Ambience", gain=-12.0),
    ]
    film = AddSound(frame=0, file=piece, name="The Night Post", lane="music", near=0, id="theme").apply(film)
    film = SoundEverything(what="passage", effect="whoosh").apply(film)
    film = SoundEverything(what="pin", effect="pop").apply(film)
    # The light has a bell.
    film.sounds = [sound for sound in film.sounds if getattr(sound.starts, "mark", "") != "light"]
    sea = Sound(
        id="sea",
        name="Sea",
        lane="ambience",
        source={"kind": "made", "effect": "sea"},
        loops=True,
        fade_in=2.0,
        fade_out=2.0,
        # Louder the nearer the camera comes to it.
        gain=Course[float](
            stops=tuple(
                Stop[float](id=f"s{k}", at=at, value=value, ease=Ease())
                for k, (value, at) in enumerate(
                    (
                        (-16.0, FilmMoment()),
                        (0.0, VantageMoment(vantage="v2")),
                        (0.0, VantageMoment(vantage="v3", edge="leaves")),
                        (-8.0, VantageMoment(vantage="v4")),
                        (0.0, VantageMoment(vantage="v5")),
                        (-16.0, VantageMoment(vantage="v7")),
                    )
                )
            )
        ),
    )
    mail = film.routes[0]
    last = mail.stops[-1]
    engine = Sound(
        id="engine",
        name="Mail boat",
        lane="ambience",
        source={"kind": "made", "effect": "engine", "pitch": 3},
        starts=RouteMoment(route=mail.id, point=0),
        ends=RouteMoment(route=mail.id, point=last),
        fade_in=1.5,
        fade_out=3.0,
        gain=-7.0,
    )
    horn = Sound(
        id="horn",
        name="Ship’s horn",
        lane="details",
        source={"kind": "made", "effect": "horn"},
        starts=RouteMoment(route=mail.id, point=0, offset=-12),
        gain=-3.0,
        pan=-0.2,
    )
    bell = Sound(
        id="bell",
        name="Bell of the light",
        lane="details",
        source={"kind": "made", "effect": "bell", "pitch": -3},
        starts=VantageMoment(vantage="v5"),
        gain=-4.0,
        pan=0.3,
    )
    typed = Sound(
        id="typed",
        name="Typing",
        lane="details",
        source={"kind": "made", "effect": "typing"},
        starts={"on": "mark", "mark": "keeper", "offset": 8},
        ends={"on": "mark", "mark": "keeper", "offset": 24},
        gain=-6.0,
    )
    film.sounds += [sea, engine, horn, bell, typed]
    return Film.model_validate(film.model_dump(mode="json"))
