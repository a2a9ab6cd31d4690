"""Acts on time: retiming, stretching, beats."""

from __future__ import annotations

import math
import re
from typing import Literal

import numpy as np
from pydantic import Field

from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.choreography import choreograph
from yaila.core.film.model import Duration, Film
from yaila.core.film.walk import Owners, changed
from yaila.core.quantities import FILM_TIME, FRAMES, OWN_FRAMES, SECONDS
from yaila.core.time import Rate, SpeedPoint, frame_at_timecode


class Retime(FilmAct):
    """Set the frames a hold or the passage behind it takes, as dragging in the profile does.

    With ``ripple`` what follows moves along. Without, only this one edge moves: what lies behind it takes up the
    difference, so that everything further on keeps its time. A passage that had natural time gets this time in
    seconds.
    """

    act: Literal["retime"] = "retime"
    vantage: str
    hold: int | None = Field(None, ge=0)
    passage: int | None = Field(None, ge=1)
    ripple: bool = True

    def apply(self, film: Film) -> Film:
        legs = choreograph(film).legs
        film = film.model_copy(deep=True)
        index = film.vantage_index(self.vantage)
        leg = legs[index]
        if self.hold is not None:
            hold = self.hold
            if not self.ripple and leg.passage:
                hold = min(hold, leg.hold + leg.passage - 1)
                _set_passage(film, index, leg.passage + leg.hold - hold)
            _set_hold(film, index, hold)
        if self.passage is not None:
            passage = self.passage
            if not self.ripple and index + 1 < len(legs):
                after = legs[index + 1]
                # The rest behind gives way first, then the passage after it.
                room = after.hold + max(after.passage - 1, 0)
                passage = min(passage, leg.passage + room)
                left = after.hold - (passage - leg.passage)
                _set_hold(film, index + 1, max(left, 0))
                if left < 0:
                    _set_passage(film, index + 1, after.passage + left)
            _set_passage(film, index, passage)
        return film


def _set_hold(film: Film, index: int, frames: int) -> None:
    film.vantages[index].hold = round(float(film.fps.seconds(frames)), 6)


def _set_passage(film: Film, index: int, frames: int) -> None:
    passage = film.vantages[index].passage
    unit: Literal["frames", "seconds"] = "frames" if passage.duration.unit == "frames" else "seconds"
    value = float(frames) if unit == "frames" else round(float(film.fps.seconds(frames)), 6)
    passage.duration = Duration(unit=unit, value=value)


class StretchTime(FilmAct):
    """Stretch the whole film, or from the vantage ``first`` to the vantage ``last``, to ``factor`` of its time: holds,
    passages, rests between steps, beats and all that hangs on film time. Of the whole film everything else that takes
    time is stretched too: lines of routes and their waits, the offsets of ties; a mark comes and goes as quickly as
    before."""

    act: Literal["stretch_time"] = "stretch_time"
    factor: float = Field(gt=0, ge=0.01, le=100)
    first: str | None = None
    last: str | None = None

    def apply(self, film: Film) -> Film:
        legs = choreograph(film).legs
        film = film.model_copy(deep=True)
        first = film.vantage_index(self.first) if self.first else 0
        last = film.vantage_index(self.last) if self.last else len(film.vantages) - 1
        if first > last:
            first, last = last, first
        whole = self.first is None and self.last is None
        seconds = film.fps.seconds
        begin = float(seconds(legs[first].start)) if legs else 0.0
        end = math.inf if whole else float(seconds(legs[last].leaves))
        gained = (end - begin) * (self.factor - 1) if math.isfinite(end) else 0.0

        def longer(time: float, _: Owners) -> float:
            return _stretched(time, self.factor)

        def moved(time: float, _: Owners) -> float:
            if time < begin:
                return time
            return _stretched(time - begin, self.factor, begin) if time <= end else round(time + gained, 9)

        takes = {SECONDS: longer, FRAMES: longer}
        passages = {Duration: lambda duration, _: _stretched_duration(duration, self.factor)}
        if whole:
            return changed(film, takes | {FILM_TIME: moved}, passages)
        film = changed(film, {FILM_TIME: moved})
        for index in range(first, last + 1):
            # The last one rests longer; its passage is beyond what is stretched.
            onward = film.vantages[index].passage
            film.vantages[index] = changed(film.vantages[index], takes, passages)
            if index == last:
                film.vantages[index].passage = onward
        return film


class ChangeRate(FilmAct):
    """Give the film another frame rate. Everything keeps its time: what is counted in frames is counted anew."""

    act: Literal["change_rate"] = "change_rate"
    rate: str

    def apply(self, film: Film) -> Film:
        try:
            rate = Rate.parse(self.rate)
        except ValueError as error:
            raise BadEdit(str(error)) from error
        factor = float(rate.value / film.fps.value)

        def counted(duration: Duration, _: Owners) -> Duration:
            if duration.unit != "frames":
                return duration
            return Duration(unit="frames", value=max(_stretched(duration.value, factor), 0.01))

        film = film.model_copy(deep=True)
        film.rate = str(rate)

        def frames(count: float, _: Owners) -> float:
            return count * factor

        return changed(film, {FRAMES: frames, OWN_FRAMES: frames}, {Duration: counted})


def _stretched(value: float, factor: float, offset: float = 0.0) -> float:
    return round(offset + value * factor, 9)


def _stretched_duration(duration: Duration, factor: float) -> Duration:
    # A pace is the other way round; that of the passage before is stretched there.
    if duration.unit == "natural":
        value = _stretched(duration.value, 1 / factor)
    elif duration.unit == "before":
        value = duration.value
    else:
        value = _stretched(duration.value, factor)
    return Duration(unit=duration.unit, value=min(max(value, 0.01), 86400.0))


class DrawSpeed(FilmAct):
    """Turn the ease of a passage into a drawn curve of speed that runs as it did, for further drawing."""

    act: Literal["draw_speed"] = "draw_speed"
    vantage: str
    points: int = Field(7, ge=2, le=24)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        passage = film.vantages[film.vantage_index(self.vantage)].passage
        times = np.linspace(0, 1, self.points)
        fine = np.linspace(0, 1, 2001)
        speed = np.maximum(np.gradient(passage.ease.at(fine), fine), 0)
        at = np.round(np.interp(times, fine, speed), 3)
        points = tuple(SpeedPoint(round(float(t), 4), float(v)) for t, v in zip(times, at, strict=True))
        passage.ease = passage.ease.model_copy(update={"speed": points})
        return film


class TapBeat(FilmAct):
    """Set a beat at a frame, kept to the microsecond."""

    act: Literal["tap_beat"] = "tap_beat"
    frame: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        beats = {*film.beats, round(float(film.fps.seconds(self.frame)), 6)}
        return film.model_copy(update={"beats": tuple(sorted(beats))}, deep=True)


class ImportBeats(FilmAct):
    """Take the beats of a sound from a text: a time in each line, in seconds or as timecode; more on a line is passed
    over. They come in place of those there were."""

    act: Literal["import_beats"] = "import_beats"
    text: str = Field(max_length=400_000)

    def apply(self, film: Film) -> Film:
        beats: list[float] = []
        for number, line in enumerate(self.text.splitlines(), 1):
            first = re.split(r"[\s,]+", line.strip(), maxsplit=1)[0]
            if not first or first.startswith("#"):
                continue
            try:
                at = float(film.fps.seconds(frame_at_timecode(first, film.fps))) if ":" in first else float(first)
            except ValueError as error:
                if not beats and number == 1:
                    continue  # A heading.
                raise BadEdit(
                    f"Line {number}, “{line.strip()[:40]}”, is no time: write seconds such as 12.48, or a timecode."
                ) from error
            if not 0 <= at <= 86400:
                raise BadEdit(f"Line {number} lies outside a film: {first}.")
            beats.append(round(at, 6))
        if not beats:
            raise BadEdit("There is no time in it. Write one to a line, in seconds or as timecode.")
        return film.model_copy(update={"beats": tuple(sorted(set(beats)))}, deep=True)
