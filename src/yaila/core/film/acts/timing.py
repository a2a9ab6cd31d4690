"""Acts on time: retiming, stretching, beats."""

from __future__ import annotations

import math
import re
from typing import Literal

import numpy as np
from pydantic import Field

from yaila.core.camera import SpeedPoint
from yaila.core.camera.manners import Steps
from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.choreography import choreograph
from yaila.core.film.marked import LEAST_LEG, Route
from yaila.core.film.model import Duration, Film, Vantage
from yaila.core.marks import FilmMoment, Moment
from yaila.core.time import frame_at_timecode


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
    passages, rests between steps, beats and what hangs on film time. Of the whole film the lines of routes, their waits
    and the offsets of ties are stretched too."""

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
        for index in range(first, last + 1):
            vantage = film.vantages[index]
            vantage.hold = _stretched(vantage.hold, self.factor)
            if index < last or whole:
                _stretch_passage(vantage, self.factor)
        seconds = film.fps.seconds
        begin = float(seconds(legs[first].start)) if legs else 0.0
        end = math.inf if whole else float(seconds(legs[last].leaves))
        gained = (end - begin) * (self.factor - 1) if math.isfinite(end) else 0.0

        def moved(time: float) -> float:
            if time < begin:
                return time
            return _stretched(time - begin, self.factor, begin) if time <= end else round(time + gained, 9)

        def hung(moment: Moment) -> Moment:
            offset = _stretched(moment.offset, self.factor) if whole else moment.offset
            if isinstance(moment, FilmMoment):
                return FilmMoment(seconds=moved(moment.seconds), offset=offset)
            return moment.model_copy(update={"offset": offset})

        film.beats = tuple(moved(beat) for beat in film.beats)
        for marker in film.markers:
            marker.starts, marker.ends = hung(marker.starts), hung(marker.ends) if marker.ends else None
        for route in film.routes:
            _stretch_route(route, self.factor if whole else 1.0, hung(route.draws.starts))
        if film.length is not None and whole:
            film.length = _stretched(film.length, self.factor)
        return film


def _stretch_route(route: Route, factor: float, starts: Moment) -> None:
    draws = route.draws
    route.draws = draws.model_copy(
        update={
            "starts": starts,
            "seconds": max(_stretched(draws.seconds, factor), LEAST_LEG),
            "legs": tuple(max(_stretched(leg, factor), LEAST_LEG) for leg in draws.legs),
        }
    )
    route.points = tuple(
        point.model_copy(update={"wait": _stretched(point.wait, factor)}) if point.wait else point
        for point in route.points
    )


def _stretched(value: float, factor: float, offset: float = 0.0) -> float:
    return round(offset + value * factor, 9)


def _stretch_passage(vantage: Vantage, factor: float) -> None:
    manner = vantage.passage.manner
    if isinstance(manner, Steps):
        rest = min(_stretched(manner.rest, factor), 500.0)
        vantage.passage.manner = manner.model_copy(update={"rest": rest})
    duration = vantage.passage.duration
    # A pace is the other way round; that of the passage before is stretched there.
    if duration.unit == "natural":
        value = _stretched(duration.value, 1 / factor)
    elif duration.unit == "before":
        value = duration.value
    else:
        value = _stretched(duration.value, factor)
    vantage.passage.duration = Duration(unit=duration.unit, value=value)


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
