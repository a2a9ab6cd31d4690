"""Acts on the finish."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from yaila.core.camera import View
from yaila.core.camera.extras import Rise
from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.courses import SetValue
from yaila.core.film.address import with_value
from yaila.core.film.choreography import choreograph
from yaila.core.film.finish import FreeFocus, MarkFocus, PlaceFocus, TargetFocus
from yaila.core.film.focus import focus_depth, focus_place
from yaila.core.film.looks import SavedLook, with_look
from yaila.core.film.marked import Deck, Lamp
from yaila.core.film.model import Film
from yaila.core.film.part import new_id
from yaila.core.film.running import running
from yaila.core.marks import Arrival, DeckLook, LampLook
from yaila.core.time import Course, Time, VantageMoment

ON_SKY = "There is no ground there to focus on: it is above the horizon. Click below it."


class Focus(FilmAct):
    """Set what the lens is focused on at a frame: the ``target``, a ``mark``, the ``place`` that the frame shows at
    ``at`` (shares of its width and height), or ``free``, at a distance: the one given, or the one that it has there.

    It switches the lens on. With ``change`` the focus begins to change over the film there.
    """

    act: Literal["focus"] = "focus"
    frame: int = Field(ge=0)
    on: Literal["target", "mark", "place", "free"]
    mark: str | None = None
    at: tuple[float, float] | None = None
    ground: tuple[float, float] | None = None
    distance: float | None = Field(None, gt=0, allow_inf_nan=False)
    change: bool = False
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        value = self._focus(film).model_dump(mode="json")
        if not film.finish.lens.on:
            film = film.model_copy(deep=True)
            film.finish.lens.on = True
        begins = self.change or isinstance(film.finish.lens.focus, Course)
        return SetValue(
            of=film.finish.lens.id, field="focus", frame=self.frame, value=value, change=begins, id=self.id
        ).apply(film)

    def _focus(self, film: Film) -> TargetFocus | MarkFocus | PlaceFocus | FreeFocus:
        choreography, time = choreograph(film), Time(self.frame)
        if self.on == "target":
            return TargetFocus()
        if self.on == "mark":
            if self.mark is None:
                raise BadEdit("Focus on which mark? Name one.")
            film.mark(self.mark)
            return MarkFocus(mark=self.mark)
        if not choreography.frames:
            raise BadEdit("There is no camera yet that could be focused. Add a vantage first.")
        pose = choreography.pose(time)
        if self.on == "free":
            if self.distance is not None:
                return FreeFocus(distance=self.distance)
            view = View.of(pose, film.frame.size)
            lens = running(film.finish.lens, time, choreography.timeline)
            depth = focus_depth(film, choreography, lens.focus, view, time)
            return FreeFocus(distance=max(depth, 1e-3) * pose.distance)
        if self.ground is not None:
            return PlaceFocus(x=self.ground[0], y=self.ground[1])
        if self.at is None:
            raise BadEdit("Focus on which place? Click one in the viewfinder or on the chart.")
        width, height = film.frame.size
        x, y, nearness = pose.ground_from_frame(film.frame.size) @ np.array(
            [self.at[0] * width, self.at[1] * height, 1.0]
        )
        if nearness <= 0:
            raise BadEdit(ON_SKY)
        return PlaceFocus(x=float(x / nearness), y=float(y / nearness))


class TakeLook(FilmAct):
    """Lay a look on the film, as strong as that."""

    act: Literal["take_look"] = "take_look"
    look: SavedLook
    strength: float = Field(1.0, ge=0, le=1)

    def apply(self, film: Film) -> Film:
        return with_look(film, self.look, self.strength)


class FocusAtVantage(FilmAct):
    """Let the focus be on something when the camera arrives at a vantage: a stop that hangs on it."""

    act: Literal["focus_at_vantage"] = "focus_at_vantage"
    vantage: str
    on: Literal["target", "mark"] = "target"
    mark: str | None = None
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        index = film.vantage_index(self.vantage)
        start = choreograph(film).legs[index].start
        focus = Focus(frame=start, on=self.on, mark=self.mark, change=True, id=self.id)
        film = focus.apply(film)
        course = film.finish.lens.focus
        assert isinstance(course, Course)
        timeline = choreograph(film).timeline
        arrival = VantageMoment(vantage=self.vantage)
        stops = [
            stop.model_copy(update={"at": arrival}) if timeline.time(stop.at) == Time(start) else stop
            for stop in course.stops
        ]
        document = {"stops": [stop.model_dump(mode="json") for stop in stops]}
        return with_value(film, film.finish.lens.id, "focus", document)


class RaiseGround(FilmAct):
    """Let a plate hold heights, and the ground be raised by them; it is not seen itself any more. ``codes`` says how
    its picture holds them."""

    act: Literal["raise_ground"] = "raise_ground"
    plate: str
    codes: Literal["metres", "grey", "packed"] = "metres"

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        plate.role = "heights"
        relief = film.finish.relief
        film.finish.relief = relief.model_copy(update={"on": True, "plate": plate.id, "codes": self.codes})
        return film


class KeepClear(FilmAct):
    """Let a passage fly higher or lower on its way, by so much at shares of its frames, so that it keeps clear of
    raised ground or follows it; with none, as its manner has it again."""

    act: Literal["keep_clear"] = "keep_clear"
    vantage: str
    rises: tuple[Rise, ...] = Field((), max_length=200)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.vantages[film.vantage_index(self.vantage)].passage.rises = self.rises
        return film


class FloatPlate(FilmAct):
    """Let a plate float over the ground, below the camera of a frame: as a cloud, a sheet, a picture that slides."""

    act: Literal["float_plate"] = "float_plate"
    plate: str
    frame: int = Field(0, ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        choreography = choreograph(film)
        plate = film.plate(self.plate)
        if plate.role != "floats" and choreography.frames:
            plate.height = _round(choreography.pose(Time(self.frame)).eye()[2] / 4)
        plate.role = "floats"
        return film


class LightPlate(FilmAct):
    """Let a plate be light: what is bright in it shines at dusk. By day it would not be seen: night falls with the
    first one."""

    act: Literal["light_plate"] = "light_plate"
    plate: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        if not any(plate.role == "lights" for plate in film.plates):
            film.finish.dusk.on = True
        film.plate(self.plate).role = "lights"
        return film


class AddLamp(FilmAct):
    """Hang a lamp over a place, or on a mark with which it goes: as large as suits what the camera shows at a frame. By
    day it would not be seen: night falls with the first one."""

    act: Literal["add_lamp"] = "add_lamp"
    at: tuple[float, float] | None = None
    mark: str | None = None
    frame: int = Field(0, ge=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        choreography = choreograph(film)
        span = choreography.pose(Time(self.frame)).span if choreography.frames else 1000.0
        if self.mark is not None:
            x, y, _ = focus_place(film, choreography, MarkFocus(mark=self.mark), Time(self.frame))
        elif self.at is not None:
            x, y = self.at
        else:
            raise BadEdit("A lamp hangs over a place. Click one on the chart.")
        reach, height = _round(span / 4), _round(span / 14)
        lamp = Lamp(
            id=self.id,
            name=f"Lamp {len(film.lamps) + 1}",
            x=x,
            y=y,
            height=height,
            hangs=self.mark,
            comes=Arrival(how="cut", frames=25),
            look=LampLook(reach=reach),
        )
        if not film.lamps and not film.finish.dusk.on:
            film.finish.dusk.on = True
        film.lamps.append(lamp)
        return film


class AddDeck(FilmAct):
    """Lay a deck of cloud below the camera of a frame, from the film's start on, as large as suits what it shows."""

    act: Literal["add_deck"] = "add_deck"
    frame: int = Field(0, ge=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        choreography = choreograph(film)
        if not choreography.frames:
            raise BadEdit("There is no camera yet that would see clouds. Add a vantage first.")
        pose = choreography.pose(Time(self.frame))
        look = DeckLook(size=_round(pose.span / 4), seed=len(film.decks) + 1)
        height = _round(pose.eye()[2] / 4)
        film.decks.append(Deck(id=self.id, name=f"Deck {len(film.decks) + 1}", height=height, look=look))
        return film


def _round(value: float) -> float:
    """Two digits of it."""
    return float(f"{value:.2g}")
