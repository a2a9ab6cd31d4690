"""What is heard: sounds in lanes, each from a moment of the film on."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from yaila.core.film.part import Part, new_id
from yaila.core.quantities import Decibels, Id, LaneRef, Name, Number, Seconds, Semitones, SoundSha
from yaila.core.time import Changes, FilmMoment, Moment

EffectKind = Literal["whoosh", "pop", "tick", "typing", "pencil", "horn", "bell", "sea", "wind", "rotor", "engine",
                     "page", "shutter", "low"]  # fmt: skip
"""The sounds that are made here (``core/sound/effects.py``)."""

QUIETEST, LOUDEST = -60.0, 24.0
"""Decibels: below the one, nothing is heard."""


SUITS: dict[str, EffectKind] = {
    "passage": "whoosh", "arrival": "low", "pin": "pop", "name": "typing", "stop": "tick",
}  # fmt: skip
"""What each kind of moment is most often given (common practice, no source)."""

LOUDNESS = {-23.0: "Broadcast, EBU R 128", -16.0: "The web and podcasts", -14.0: "Streaming services"}
"""How loud films are asked for, LUFS, and by whom."""


class MadeSound(Part):
    """A sound that Yaila makes, higher by ``pitch`` semitones. One that takes any length takes that between the
    sound's ``starts`` and ``ends``."""

    kind: Literal["made"] = "made"
    effect: EffectKind = "whoosh"
    pitch: Semitones = Field(0.0, ge=-24, le=24)


class FileSound(Part):
    """A sound from a file, by the SHA-256 of that: ``seconds`` long, heard from ``skip`` seconds into it on."""

    kind: Literal["file"] = "file"
    sha256: SoundSha
    seconds: Seconds = Field(gt=0, le=86400)
    skip: Seconds = Field(0.0, ge=0, le=86400, title="Begins at")


AnySource = Annotated[MadeSound | FileSound, Field(discriminator="kind")]


class Lane(Part):
    """Sounds that are levelled together. While a sound of the lane ``under`` is heard, it is quieter by ``gives``
    decibels."""

    id: Id = Field(default_factory=new_id)
    name: Name = "Lane"
    gain: Changes[Decibels] = Field(0.0, ge=QUIETEST, le=LOUDEST)
    heard: bool = True
    under: LaneRef | None = None
    gives: Decibels = Field(10.0, ge=0, le=40, title="Gives way by")


class Sound(Part):
    """Something that is heard from ``starts`` to ``ends``, or, without an end, as long as it lasts. With ``loops`` it
    begins anew until its end, the film's if it has none. It comes and goes within ``fade_in`` and ``fade_out``.

    The sound of a clip, one from the clip's own file that starts with its inset, goes as the clip does: from the same
    moment of it on, as fast, and as often.
    """

    id: Id = Field(default_factory=new_id)
    name: Name = "Sound"
    lane: LaneRef
    source: AnySource = Field(default_factory=MadeSound)
    starts: Moment = Field(default_factory=FilmMoment)
    ends: Moment | None = None
    fade_in: Seconds = Field(0.0, ge=0, le=600, title="Comes within")
    fade_out: Seconds = Field(0.0, ge=0, le=600, title="Goes within")
    gain: Changes[Decibels] = Field(0.0, ge=QUIETEST, le=LOUDEST)
    pan: Number = Field(0.0, ge=-1, le=1, title="To the side")
    loops: bool = False
    heard: bool = True


class Levels(Part):
    """How loud the whole film is: brought to ``loudness`` LUFS (integrated, ITU-R BS.1770-5, EBU R 128), or left as it
    is mixed with none, and kept below a true peak of ``ceiling`` dBTP."""

    loudness: Decibels | None = Field(-16.0, ge=-40, le=-8)
    ceiling: Decibels = Field(-1.0, ge=-20, le=0)


MOST_SOUNDS = 2000
