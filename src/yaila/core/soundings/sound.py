"""What is wrong with the sound: files that are gone, sounds cut off, silence between sounds, a film that cannot be as
loud as it should be, and one whose peaks are pressed down."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from yaila.core.film import Choreography, Film
from yaila.core.film.acts import Act, CloseGap, FadeOut, SetLoudness
from yaila.core.film.heard import Soundtrack
from yaila.core.film.model import FileUse
from yaila.core.film.sounds import MadeSound
from yaila.core.sound import EFFECTS, RATE

GAP = 2.0
"""Seconds without any sound, in a film that is heard for most of its time, from which on they are noticed (common
practice, no source)."""

MOST = 0.6
"""The share of a film that is heard, from which on it counts as heard for most of its time."""

CUT = 0.25
"""Seconds of a sound that are left unheard at its end, from which on it is cut off."""

PRESSED = 6.0
"""Decibels by which peaks are pressed down, from which on one hears it (common practice, no source)."""

UNLIKE = 0.5
"""LU away from the loudness that is asked for: EBU R 128 allows as much."""


@dataclass(frozen=True)
class Heard:
    """What was measured of a film as it is delivered: LUFS, and the peak it would have without a limiter, dBTP."""

    integrated: float
    free_peak: float


@dataclass(frozen=True)
class Listening:
    """How the checks hear: whether a file is in store, and what was measured of a soundtrack."""

    there: Callable[[FileUse], bool]
    measured: Callable[[Soundtrack], Heard | None]


@dataclass(frozen=True)
class SoundFault:
    """Frames ``first`` to ``last``, with what mends it."""

    kind: Literal["lost sound", "cut off", "silence", "loudness", "pressed"]
    grave: bool
    first: int
    last: int
    frame: int
    figure: float
    text: str
    act: Act | None = None
    says: str = ""
    mark: str | None = None


def sound_faults(film: Film, choreography: Choreography, listening: Listening | None) -> list[SoundFault]:
    """All of them, in no order."""
    if not film.sounds or not choreography.frames:
        return []
    track = Soundtrack(film, choreography)
    found = [*_cut_off(track), *_silence(track)]
    if listening:
        found += [*_lost(track, listening), *_level(track, listening)]
    return found


def _frames(track: Soundtrack, start: int, end: int) -> tuple[int, int]:
    rate = float(track.film.fps.value) / RATE
    last = max(int(track.samples * rate) - 1, 0)
    first = min(max(int(start * rate), 0), last)
    return first, min(max(int(np.ceil(end * rate)) - 1, first), last)


def _lost(track: Soundtrack, listening: Listening) -> list[SoundFault]:
    found = []
    for use in track.film.files:
        if use.kind == "sound" and not listening.there(use):
            where = track.ranges[use.of]
            first, last = _frames(track, where.start, where.end)
            text = f"The file of “{use.name}” is not in store, so it is silent: drop it again"
            found.append(SoundFault("lost sound", True, first, last, first, 0.0, text, mark=use.of))
    return found


def _cut_off(track: Soundtrack) -> list[SoundFault]:
    found = []
    for sound in track.film.sounds:
        where = track.ranges[sound.id]
        heard = (where.end - where.start) / RATE
        playing = track.playing(sound)
        rest = np.inf if playing.loops else playing.seconds - heard
        fits = isinstance(sound.source, MadeSound) and EFFECTS[sound.source.effect].fits and sound.ends is not None
        if not sound.heard or fits or rest < CUT or sound.fade_out > 0 or heard <= 0:
            continue
        _, last = _frames(track, where.start, where.end)
        text = f"“{sound.name}” is cut off where it ends"
        act = FadeOut(sound=sound.id, seconds=round(min(1.5, heard / 2), 2))
        found.append(
            SoundFault("cut off", False, last, last, last, float(min(rest, 1e6)), text, act, "Let it fade", sound.id)
        )
    return found


def _silence(track: Soundtrack) -> list[SoundFault]:
    heard = sorted(
        (max(where.start, 0), where.end)
        for sound in track.film.sounds
        if sound.heard and track.film.lane(sound.lane).heard and (where := track.ranges[sound.id]).end > where.start
    )
    gaps, at, quiet = [], 0, 0
    for start, end in [*heard, (track.samples, track.samples)]:
        if start > at:
            quiet += start - at
            gaps.append((at, start))
        at = max(at, end)
    if not track.samples or 1 - quiet / track.samples < MOST:
        return []
    found = []
    for start, end in gaps:
        seconds = (end - start) / RATE
        if seconds >= GAP:
            first, last = _frames(track, start, end)
            act = CloseGap(first=first, last=last)
            text = f"Nothing is heard for {seconds:.1f} s"
            found.append(SoundFault("silence", False, first, last, first, seconds, text, act, "Lay wind there"))
    return found


def _level(track: Soundtrack, listening: Listening) -> list[SoundFault]:
    levels, heard = track.film.levels, listening.measured(track)
    if heard is None or track.silent:
        return []
    _, last = _frames(track, 0, track.samples)
    over = heard.free_peak - levels.ceiling
    if levels.loudness is None:
        if -30 <= heard.integrated <= -11:
            return []
        how = "quiet" if heard.integrated < -30 else "loud"
        text = f"The film is very {how}, {heard.integrated:.1f} LUFS, and is not levelled"
        act = SetLoudness(loudness=-16.0)
        return [SoundFault("loudness", False, 0, last, 0, heard.integrated, text, act, "Level it to −16 LUFS")]
    if abs(heard.integrated - levels.loudness) > UNLIKE:
        text = f"The film comes to {heard.integrated:.1f} LUFS, not to {levels.loudness:g}: its peaks stand too far out"
        quieter = float(np.floor(max(heard.integrated - 2, -40)))
        act = SetLoudness(loudness=quieter)
        return [SoundFault("loudness", False, 0, last, 0, heard.integrated, text, act, f"Ask for {quieter:g} LUFS")]
    if over > PRESSED:
        quieter = float(np.floor(max(levels.loudness - (over - PRESSED), -40)))
        act = SetLoudness(loudness=quieter)
        text = f"Peaks are pressed down by {over:.1f} dB to be as loud as that"
        return [SoundFault("pressed", False, 0, last, 0, over, text, act, f"Ask for {quieter:g} LUFS")]
    return []
