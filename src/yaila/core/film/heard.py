"""What is heard and when: the sounds of a film, placed to the sample."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.bounded import Remembered
from yaila.core.film.choreography import Choreography, choreograph
from yaila.core.film.marked import ShownClip
from yaila.core.film.model import Film
from yaila.core.film.running import course_values
from yaila.core.film.sounds import QUIETEST, Lane, MadeSound, Sound
from yaila.core.film.walk import slots_of
from yaila.core.sound import EFFECTS, RATE, Placed, Read, Samples, faster, limited, mixed, reading, sample_of
from yaila.core.sound.limiter import EDGE
from yaila.core.time import Course, Time

ReadFile = Callable[[str], Read]
"""Gives what reads a stored sound by its SHA-256."""


def silent(sha256: str) -> Read:
    """Reads sounds that are nowhere: nothing is heard of them."""
    return lambda start, count: np.zeros((0, 2), np.float32)


class SoundPlan(BaseModel):
    """A sound in time: frames of the film, parts of them too. ``look`` differs whenever its wave does; ``heard`` is
    whether anything of it is."""

    id: str
    start: float
    end: float
    look: str
    heard: bool


_PLANS = Remembered[SoundPlan](1024)


@dataclass(frozen=True)
class Range:
    """A sound's stretch of the film, samples from its start: ``end`` is the first that is not its any more."""

    start: int
    end: int


@dataclass(frozen=True)
class Playing:
    """How a sound's own samples are heard: from ``skip`` seconds into them on, ``speed`` times as fast, beginning
    ``late`` frames after it starts; how long it is by itself then, seconds, and whether it begins anew."""

    seconds: float
    loops: bool
    skip: float = 0.0
    speed: float = 1.0
    late: float = 0.0


class Soundtrack:
    """All that is heard of a film, placed to the sample."""

    def __init__(self, film: Film, choreography: Choreography | None = None) -> None:
        self.film = film
        self._choreography = choreography or choreograph(film)
        self._rate = Fraction(film.fps.value)
        self.samples = sample_of(self._choreography.frames, self._rate)
        """How many there are, from the film's first frame to its end."""
        self._clips = {sound.id: inset for inset in film.insets for sound in film.own_sounds(inset)}
        self.ranges = {sound.id: self._range(sound) for sound in film.sounds}

    @property
    def silent(self) -> bool:
        """Whether nothing is heard."""
        return not any(self._sounds(sound) for sound in self.film.sounds)

    @cached_property
    def key(self) -> str:
        """Differs whenever what is heard does, before it is levelled."""
        parts: list[Any] = [self.samples, self.film.rate]
        for sound in self.film.sounds:
            if self._sounds(sound):
                where = self.ranges[sound.id]
                own = sound.model_dump(mode="json", exclude={"starts", "ends", "name", "id"})
                parts.append([own, where.start, where.end, self.playing(sound), self._told(sound, "gain")])
        parts += [
            [lane.model_dump(mode="json", exclude={"name"}), self._told(lane, "gain")] for lane in self.film.lanes
        ]
        return hashlib.sha256(repr(parts).encode()).hexdigest()[:32]

    def plans(self) -> list[SoundPlan]:
        """The sounds as the interface draws them."""
        return [self._known_plan(sound) for sound in self.film.sounds]

    def _known_plan(self, sound: Sound) -> SoundPlan:
        where, playing, heard = self.ranges[sound.id], self.playing(sound), self._sounds(sound)
        return _PLANS.of(
            (sound,), (where, playing, heard, self._rate), lambda: self._plan(sound, where, playing, heard)
        )

    def _plan(self, sound: Sound, where: Range, playing: Playing, heard: bool) -> SoundPlan:
        start, end = (float(Fraction(at) * self._rate / RATE) for at in (where.start, where.end))
        drawn = f"{sound.source.model_dump_json()}{playing}{where.end - where.start}"
        look = hashlib.sha256(drawn.encode()).hexdigest()[:16]
        return SoundPlan(id=sound.id, start=round(start, 4), end=round(end, 4), look=look, heard=heard)

    def placed(self, open_file: ReadFile) -> list[Placed]:
        """The sounds as they are mixed."""
        lanes = {lane.id: lane for lane in self.film.lanes}
        return [self._placed(sound, lanes[sound.lane], open_file) for sound in self.film.sounds if self._sounds(sound)]

    def alone(self, sound: Sound, open_file: ReadFile) -> Placed:
        """A sound as it is by itself, from sample 0 on, as loud as its source is."""
        where = self.ranges[sound.id]
        placed = self._placed(sound, Lane(), open_file)
        return replace(placed, start=0, end=where.end - where.start, gain=0.0, lane=0.0, ducked=((), 0.0))

    def playing(self, sound: Sound) -> Playing:
        """How a sound is played."""
        source = sound.source
        if isinstance(source, MadeSound):
            return Playing(EFFECTS[source.effect].seconds, sound.loops)
        inset = self._clips.get(sound.id)
        if inset is None or not isinstance(inset.shows, ShownClip):
            return Playing(max(source.seconds - source.skip, 0.0), sound.loops, source.skip)
        clip, comes = inset.shows, self.film.in_style(inset).comes
        skip = clip.skip + source.skip
        return Playing(
            seconds=max(source.seconds - skip, 0.0) / clip.speed,
            loops=sound.loops or clip.after == "again",
            skip=skip,
            speed=clip.speed,
            late=float(comes.frames) if clip.waits and comes.how != "cut" else 0.0,
        )

    def _sounds(self, sound: Sound) -> bool:
        where = self.ranges[sound.id]
        return sound.heard and self.film.lane(sound.lane).heard and where.end > max(where.start, 0)

    def _range(self, sound: Sound) -> Range:
        timeline, playing = self._choreography.timeline, self.playing(sound)
        start = sample_of(timeline.time(sound.starts, sound).frames + playing.late, self._rate)
        natural = start + round(playing.seconds * RATE)
        fits = isinstance(sound.source, MadeSound) and EFFECTS[sound.source.effect].fits
        if sound.ends is None:
            end = self.samples if playing.loops else natural
        else:
            end = sample_of(timeline.time(sound.ends, sound).frames, self._rate)
            if not fits and not playing.loops:
                end = min(end, natural)
        return Range(start, max(min(end, self.samples), start))

    def _placed(self, sound: Sound, lane: Lane, open_file: ReadFile) -> Placed:
        where = self.ranges[sound.id]
        count = where.end - where.start
        playing = self.playing(sound)
        natural = round(playing.seconds * RATE)
        if isinstance(sound.source, MadeSound):
            own = natural if playing.loops or sound.ends is None else count
            read, natural = reading(sound.source.effect, own / RATE, sound.source.pitch)
        else:
            read = _later(open_file(sound.source.sha256), round(playing.skip * RATE))
            read = faster(read, playing.speed) if playing.speed != 1 else read
        over: tuple[tuple[int, int], ...] = ()
        if lane.under:
            others = [one for one in self.film.sounds if one.lane == lane.under and self._sounds(one)]
            over = _joined([(self.ranges[one.id].start, self.ranges[one.id].end) for one in others])
        return Placed(
            start=where.start,
            end=where.end,
            read=read,
            fade_in=min(round(sound.fade_in * RATE), count),
            fade_out=min(round(sound.fade_out * RATE), count),
            gain=self._level(sound, "gain"),
            lane=self._level(lane, "gain"),
            pan=sound.pan,
            loops=natural if playing.loops else 0,
            ducked=(over, lane.gives),
        )

    def _told(self, part: Sound | Lane, name: str) -> list[float] | None:
        """A level that changes, as far as it depends on anything else in the film."""
        value = getattr(part, name)
        if not isinstance(value, Course):
            return None
        return [self._choreography.timeline.time(stop.at, part).frames for stop in value.stops]

    def _level(self, part: Sound | Lane, name: str) -> float | Callable[[NDArray[np.float64]], NDArray[np.float64]]:
        """Decibels: a number, or a level over the samples of the film, straight between frames."""
        value = getattr(part, name)
        if not isinstance(value, Course):
            return float(value) if value > QUIETEST else -400.0
        slot = next(slot for slot in slots_of(type(part)) if slot.name == name)

        def level(at: NDArray[np.float64]) -> NDArray[np.float64]:
            frames = at * float(self._rate) / RATE
            edges = np.arange(int(np.floor(frames[0])), int(np.ceil(frames[-1])) + 2)
            values = course_values(
                value, slot, [Time(float(edge)) for edge in edges], self._choreography.timeline, part, part
            )
            told = np.array([one if one > QUIETEST else -400.0 for one in values])
            return np.interp(frames, edges, told)

        return level


class Mix:
    """The sound of a film as it is delivered: mixed, brought to its loudness by ``gain`` decibels, and limited."""

    def __init__(self, track: Soundtrack, open_file: ReadFile, gain: float = 0.0, limits: bool = True) -> None:
        self.track, self._limits = track, limits
        self._placed = track.placed(open_file)
        self._factor = np.float32(10 ** (gain / 20))
        self._ceiling = 10 ** (track.film.levels.ceiling / 20)

    def read(self, first: int, count: int) -> Samples:
        """Samples ``first`` to before ``first + count`` of the film, (count, 2); silence beyond its ends."""
        edge = EDGE if self._limits else 0
        low, high = first - edge, first + count + edge
        block = np.zeros((high - low, 2), np.float32)
        start, end = max(low, 0), min(high, self.track.samples)
        if start < end:
            block[start - low : end - low] = mixed(self._placed, start, end - start) * self._factor
        return limited(block, self._ceiling)[edge : edge + count] if self._limits else block


def _later(read: Read, skip: int) -> Read:
    return lambda start, count: read(start + skip, count)


def _joined(ranges: list[tuple[int, int]]) -> tuple[tuple[int, int], ...]:
    """Ranges in order, those that touch as one."""
    joined: list[tuple[int, int]] = []
    for start, end in sorted(ranges):
        if joined and start <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((start, end))
    return tuple(joined)
