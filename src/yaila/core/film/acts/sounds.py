"""Acts on what is heard."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from pydantic import Field

from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.ties import at_time, moved
from yaila.core.film.choreography import choreograph
from yaila.core.film.heard import Soundtrack
from yaila.core.film.model import Film
from yaila.core.film.part import new_id
from yaila.core.film.sounds import SUITS, EffectKind, FileSound, Lane, MadeSound, Sound
from yaila.core.sound import EFFECTS, RATE
from yaila.core.time import MarkMoment, Moment, RouteMoment, Time, VantageMoment

AMBIENT = {"sea", "wind", "rotor", "engine"}
"""Effects that lie below others, and melt in and out."""

MOVES = {"whoosh", "low"}
"""Effects of the camera's own moves."""


class AddSound(FilmAct):
    """Let something be heard from a frame on: an ``effect`` that is made, or a stored sound (``file``). It goes in the
    lane named, or in the one for its kind, which is made if it is not there. Near an arrival, a leaving or the start of
    a mark (within ``near`` frames) it hangs on that; the sound of a clip on the inset that ``hangs`` names."""

    act: Literal["add_sound"] = "add_sound"
    frame: int = Field(ge=0)
    effect: EffectKind | None = None
    file: FileSound | None = None
    name: str = Field("", max_length=120)
    lane: str | None = None
    near: int = Field(3, ge=0, le=250)
    hangs: str | None = None
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        if (self.effect is None) == (self.file is None):
            raise BadEdit("A sound is either one that is made or one from a file: name one of them.")
        lane = self.lane or (_lane(film, None, "Clips") if self.hangs else None)
        sound = _sound(film, self.effect, self.file, self.name, lane, self.id)
        if self.hangs:
            # The sound of a clip goes with it.
            film.mark(self.hangs)
            sound.starts, sound.ends = MarkMoment(mark=self.hangs), MarkMoment(mark=self.hangs, edge="ends")
            sound.fade_out = 0.2
        else:
            sound.starts = _near(film, self.frame, self.near) or at_time(film, Time(self.frame))
        film.sounds.append(sound)
        return film


def _sound(
    film: Film, effect: EffectKind | None, file: FileSound | None, name: str, lane: str | None, key: str
) -> Sound:
    if effect:
        source: MadeSound | FileSound = MadeSound(effect=effect)
        called = EFFECTS[effect].name
        wanted = "Ambience" if effect in AMBIENT else "Moves" if effect in MOVES else "Details"
    else:
        assert file
        source, called, wanted = file, "Sound", "Music" if file.seconds > 20 else "Details"
    sound = Sound(id=key, name=name or called, lane=_lane(film, lane, wanted), source=source)
    if effect in AMBIENT:
        sound.fade_in = sound.fade_out = 1.0
        sound.gain = -6.0
    return sound


def _lane(film: Film, lane: str | None, name: str) -> str:
    """The id of a lane, made if need be."""
    if lane:
        return film.lane(lane).id
    found = next((one for one in film.lanes if one.name == name), None)
    if found is None:
        found = Lane(name=name)
        film.lanes.append(found)
    return found.id


def _near(film: Film, frame: int, near: int) -> Moment | None:
    """What happens in the film near a frame, the nearest."""
    found = [
        (abs(time.frame - frame), moment)
        for moment, time in _events(film)
        if abs(time.frame - frame) <= near and time.frame
    ]
    return min(found, key=lambda one: one[0])[1] if found else None


def _events(film: Film) -> Iterator[tuple[Moment, Time]]:
    timeline = choreograph(film).timeline
    moments: list[Moment] = []
    for vantage in film.vantages:
        moments += [VantageMoment(vantage=vantage.id), VantageMoment(vantage=vantage.id, edge="leaves")]
    moments += [MarkMoment(mark=mark.id) for mark in film.timed if mark.shown and mark.kind in ("marker", "label")]
    for route in film.routes:
        if route.draws.shown:
            moments += [RouteMoment(route=route.id, point=k) for k in route.stops]
    for moment in moments:
        yield moment, timeline.time(moment)


class RemoveSounds(FilmAct):
    """Take sounds away."""

    act: Literal["remove_sounds"] = "remove_sounds"
    sounds: list[str] = Field(min_length=1)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        gone = {film.sound(key).id for key in self.sounds}
        film.sounds = [sound for sound in film.sounds if sound.id not in gone]
        return film


class DuplicateSound(FilmAct):
    """Let a sound be heard once more, from a frame on."""

    act: Literal["duplicate_sound"] = "duplicate_sound"
    sound: str
    frame: int = Field(ge=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        sound = film.sound(self.sound)
        starts = _near(film, self.frame, 0) or at_time(film, Time(self.frame))
        copy = sound.model_copy(update={"id": self.id, "starts": starts}, deep=True)
        if sound.ends is not None:
            where = Soundtrack(film).ranges[sound.id]
            frames = round((where.end - where.start) * float(film.fps.value) / RATE)
            copy.ends = at_time(film, Time(self.frame + frames))
        film.sounds.insert(film.sounds.index(sound) + 1, copy)
        return film


class MoveSound(FilmAct):
    """Move a sound in time by frames, or one end of it; it goes on hanging on what it hangs on. The start of one from
    a file takes what is heard with it, so that the rest stays where it is. ``lane`` puts it in another lane."""

    act: Literal["move_sound"] = "move_sound"
    sound: str
    edge: Literal["starts", "ends", "both"] = "both"
    by: int = 0
    lane: str | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        sound = film.sound(self.sound)
        where = Soundtrack(film).ranges[sound.id]
        if self.lane:
            sound.lane = film.lane(self.lane).id
        by = self.by
        if self.edge == "starts" and isinstance(sound.source, FileSound) and not sound.loops:
            seconds = float(film.fps.seconds(by))
            left = sound.source.seconds - 0.02 - sound.source.skip
            seconds = min(max(seconds, -sound.source.skip), left)
            by = round(seconds * float(film.fps.value))
            skip = sound.source.skip + float(film.fps.seconds(by))
            sound.source = sound.source.model_copy(update={"skip": min(max(round(skip, 6), 0.0), 86400.0)})
        if self.edge in ("starts", "both"):
            sound.starts = moved(film, sound.starts, by)
        if self.edge in ("ends", "both") and (sound.ends or self.edge == "ends"):
            if sound.ends is None:
                end = Time(round(where.end * float(film.fps.value) / RATE) + by)
                sound.ends = at_time(film, end)
            else:
                sound.ends = moved(film, sound.ends, by)
        if self.edge != "both" and sound.ends is not None:
            timeline = choreograph(film).timeline
            if timeline.time(sound.ends, sound) <= timeline.time(sound.starts, sound):
                raise BadEdit(f"“{sound.name}” would end before it begins.")
        return film


class SoundEverything(FilmAct):
    """Give a sound to all of a kind at once, each hung on its own: to every ``passage`` (as long as it takes), every
    ``arrival``, every ``pin`` or ``name`` that comes, every ``stop`` that a line reaches. What has this sound there
    already gets no other. Without an ``effect`` it is the one that suits."""

    act: Literal["sound_everything"] = "sound_everything"
    what: Literal["passage", "arrival", "pin", "name", "stop"]
    effect: EffectKind | None = None

    def apply(self, film: Film) -> Film:
        film, effect = film.model_copy(deep=True), self.effect or SUITS[self.what]
        there = {
            sound.starts.model_dump_json()
            for sound in film.sounds
            if isinstance(sound.source, MadeSound) and sound.source.effect == effect
        }
        fresh = [one for one in self._wanted(film) if one[1].model_dump_json() not in there]
        if not fresh:
            raise BadEdit(f"There is no {self.what} in the film that has no {EFFECTS[effect].name.lower()} yet.")
        for name, starts, ends in fresh:
            sound = _sound(film, effect, None, f"{EFFECTS[effect].name}, {name}"[:120], None, new_id())
            sound.starts = starts
            if ends and EFFECTS[effect].fits:
                sound.ends = ends
            film.sounds.append(sound)
        return film

    def _wanted(self, film: Film) -> list[tuple[str, Moment, Moment | None]]:
        vantages, legs = film.vantages, choreograph(film).legs
        if self.what == "passage":
            return [
                (f"to {after.name}", VantageMoment(vantage=one.id, edge="leaves"), VantageMoment(vantage=after.id))
                for one, after, leg in zip(vantages, vantages[1:], legs, strict=False)
                if leg.passage > 1
            ]
        if self.what == "arrival":
            return [(one.name, VantageMoment(vantage=one.id), None) for one in vantages[1:]]
        if self.what == "pin":
            return [(one.name, MarkMoment(mark=one.id), None) for one in film.markers if one.shown]
        if self.what == "name":
            return [
                (one.name, MarkMoment(mark=one.id), MarkMoment(mark=one.id, offset=one.comes.frames))
                for one in map(film.in_style, film.labels)
                if one.shown and one.comes.how != "cut"
            ]
        return [
            (route.points[k].stop or route.name, RouteMoment(route=route.id, point=k), None)
            for route in film.routes
            if route.draws.shown
            for k in route.stops
        ]


class RemoveLane(FilmAct):
    """Take a lane away, and the sounds in it; lanes that gave way to it do no more."""

    act: Literal["remove_lane"] = "remove_lane"
    lane: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        gone = film.lane(self.lane).id
        film.sounds = [sound for sound in film.sounds if sound.lane != gone]
        for lane in film.lanes:
            if lane.under == gone:
                lane.under = None
        film.lanes = [lane for lane in film.lanes if lane.id != gone]
        return film


class FitSound(FilmAct):
    """Let a sound last as long as a passage: from where the camera leaves a vantage to where it arrives at the next."""

    act: Literal["fit_sound"] = "fit_sound"
    sound: str
    vantage: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        sound = film.sound(self.sound)
        index = film.vantage_index(self.vantage)
        if index + 1 >= len(film.vantages):
            raise BadEdit("The film ends at the last vantage: there is no passage from there on.")
        sound.starts = VantageMoment(vantage=self.vantage, edge="leaves")
        sound.ends = VantageMoment(vantage=film.vantages[index + 1].id)
        return film


class BeatsOfSound(FilmAct):
    """Take the beats that were found in a sound, seconds of its file, as the film's, where it is heard."""

    act: Literal["beats_of_sound"] = "beats_of_sound"
    sound: str
    beats: list[float] = Field(max_length=20_000)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        sound = film.sound(self.sound)
        if not isinstance(sound.source, FileSound):
            raise BadEdit(f"“{sound.name}” is not from a file; beats are found in music.")
        where = Soundtrack(film).ranges[sound.id]
        start, end = where.start / RATE, where.end / RATE
        at = [start + beat - sound.source.skip for beat in self.beats]
        kept = [round(time, 6) for time in at if max(start, 0.0) <= time < end]
        if not kept:
            raise BadEdit(f"No beat of “{sound.name}” is heard in the film.")
        film.beats = tuple(kept)[:5000]
        return film


class SetLoudness(FilmAct):
    """Bring the whole film to a loudness, LUFS; with none it stays as it is mixed."""

    act: Literal["set_loudness"] = "set_loudness"
    loudness: float | None = Field(ge=-40, le=-8)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.levels.loudness = self.loudness
        return film


class FadeOut(FilmAct):
    """Let a sound go within so many seconds."""

    act: Literal["fade_out"] = "fade_out"
    sound: str
    seconds: float = Field(ge=0, le=600)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.sound(self.sound).fade_out = self.seconds
        return film


class CloseGap(FilmAct):
    """Let wind be heard from a frame to another, a little beyond either."""

    act: Literal["close_gap"] = "close_gap"
    first: int = Field(ge=0)
    last: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        sound = _sound(film, "wind", None, "Wind", None, new_id())
        over = round(film.fps.frames(sound.fade_in))
        sound.starts = at_time(film, Time(max(self.first - over, 0)))
        sound.ends = at_time(film, Time(self.last + 1 + over))
        film.sounds.append(sound)
        return film
