"""Acts on courses: values that change over the film. ``of`` names the mark, plate or style, ``field`` the value in it,
as in ``film/address.py``."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.ties import at_time, moved
from yaila.core.film.address import holder, slot_at, with_value
from yaila.core.film.choreography import choreograph
from yaila.core.film.model import Film
from yaila.core.film.part import new_id
from yaila.core.film.running import running
from yaila.core.film.timeline import Timeline
from yaila.core.time import Course, Stop, Time


class OnCourse(FilmAct):
    """What acts on courses have in common."""

    of: str
    field: str = Field(max_length=80)

    def course(self, film: Film) -> Course[Any]:
        """The course at the address.

        Raises:
            BadEdit: the value there does not change over the film.
        """
        value, _, _ = slot_at(film, self.of, self.field)
        if not isinstance(value, Course):
            raise BadEdit("That does not change over the film. Let it change first.")
        return value

    def place(self, course: Course[Any], stop: str) -> int:
        """Which stop of a course has an id."""
        for index, one in enumerate(course.stops):
            if one.id == stop:
                return index
        raise BadEdit("That stop is no longer there. Undo brings it back.")

    def put(self, film: Film, course: Course[Any], stops: list[Stop[Any]]) -> Film:
        """The film with other stops there."""
        value = course.model_copy(update={"stops": tuple(stops)}).model_dump(mode="json")
        return with_value(film, self.of, self.field, value)


def value_at(film: Film, of: str, field: str, time: Time, timeline: Timeline) -> Any:
    """The value at an address at a moment."""
    part = holder(film, of)[2]
    now = running(part, time, timeline, part)
    for name in field.split("/"):
        now = getattr(now, name)
    return now.model_dump(mode="json") if hasattr(now, "model_dump") else now


class SetValue(OnCourse):
    """Set a value at a frame. One that changes over the film gets a stop there, or the one there gets the value; with
    ``change`` one that does not change begins to, from that frame on."""

    act: Literal["set_value"] = "set_value"
    frame: int = Field(ge=0)
    value: Any = None
    change: bool = False
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        value, slot, _ = slot_at(film, self.of, self.field)
        timeline = choreograph(film).timeline
        wanted = value_at(film, self.of, self.field, Time(self.frame), timeline) if self.value is None else self.value
        stop = {"id": self.id, "at": at_time(film, Time(self.frame)), "value": wanted}
        if not isinstance(value, Course):
            if not self.change:
                return with_value(film, self.of, self.field, wanted)
            if not slot.changes:
                raise BadEdit("That cannot change over the film.")
            return with_value(film, self.of, self.field, {"stops": [stop]})
        stops = [one.model_dump(mode="json") for one in value.stops]
        times = [timeline.time(one.at, holder(film, self.of)[2]) for one in value.stops]
        if Time(self.frame) in times:
            stops[times.index(Time(self.frame))]["value"] = wanted
        else:
            before = [k for k, time in enumerate(times) if time < Time(self.frame)]
            if before:
                stop["ease"] = stops[max(before, key=lambda k: times[k])]["ease"]
            stops.append(stop)
        return with_value(film, self.of, self.field, {"stops": _in_order(film, stops, self.of, timeline)})


def _in_order(film: Film, stops: list[dict[str, Any]], of: str, timeline: Timeline) -> list[dict[str, Any]]:
    part = holder(film, of)[2]
    read = Course[Any].model_validate({"stops": stops}).stops
    order = sorted(range(len(stops)), key=lambda k: timeline.time(read[k].at, part))
    return [stops[k] for k in order]


class KeepValue(OnCourse):
    """Let a value change no more: it keeps the one that it has at a frame."""

    act: Literal["keep_value"] = "keep_value"
    frame: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        self.course(film)
        now = value_at(film, self.of, self.field, Time(self.frame), choreograph(film).timeline)
        return with_value(film, self.of, self.field, now)


class MoveStop(OnCourse):
    """Move a stop of a course in time by frames; it goes on hanging on what it hangs on. ``value`` gives it another
    value besides."""

    act: Literal["move_stop"] = "move_stop"
    stop: str
    by: int = 0
    value: Any = None

    def apply(self, film: Film) -> Film:
        course = self.course(film)
        index = self.place(course, self.stop)
        stop = course.stops[index]
        stops = list(course.stops)
        at = moved(film, stop.at, self.by)
        stops[index] = stop.model_copy(update={"at": at, "value": stop.value if self.value is None else self.value})
        return self.put(film, course, stops)


class CopyStop(OnCourse):
    """Set the value of a stop once more, at a frame."""

    act: Literal["copy_stop"] = "copy_stop"
    stop: str
    frame: int = Field(ge=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        course = self.course(film)
        value = course.stops[self.place(course, self.stop)].value
        value = value.model_dump(mode="json") if hasattr(value, "model_dump") else value
        return SetValue(of=self.of, field=self.field, frame=self.frame, value=value, id=self.id).apply(film)


class RemoveStop(OnCourse):
    """Take a stop of a course out. When one alone is left and is taken out, the value is its from then on."""

    act: Literal["remove_stop"] = "remove_stop"
    stop: str

    def apply(self, film: Film) -> Film:
        course = self.course(film)
        index = self.place(course, self.stop)
        if len(course.stops) == 1:
            value = course.stops[0].value
            document = value.model_dump(mode="json") if hasattr(value, "model_dump") else value
            return with_value(film, self.of, self.field, document)
        return self.put(film, course, [one for k, one in enumerate(course.stops) if k != index])


class CopyCourse(OnCourse):
    """Give the course of a value to the same value of others."""

    act: Literal["copy_course"] = "copy_course"
    to: list[str] = Field(min_length=1, max_length=2000)

    def apply(self, film: Film) -> Film:
        document = self.course(film).model_dump(mode="json")
        for other in self.to:
            film = with_value(film, other, self.field, document)
        return film
