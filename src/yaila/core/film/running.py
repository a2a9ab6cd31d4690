"""What courses come to: the values of a moment in place of those that change over the film."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from functools import cache
from typing import Any, TypeVar

import cv2
import numpy as np
from pydantic import BaseModel

from yaila.core.camera.track import turn_between
from yaila.core.colour import mixed
from yaila.core.film.finish import FocusBetween
from yaila.core.film.timeline import Timeline
from yaila.core.film.walk import PLAIN, Slot, kept, slots_of
from yaila.core.ground.placement import Homography, Placement, Similarity, outline
from yaila.core.quantities import FOCUS, LAID
from yaila.core.time import Course, Time

P = TypeVar("P", bound=BaseModel)

GONE = 1e-9


@cache
def _changing(part: type[BaseModel]) -> tuple[Slot, ...]:
    """The fields of a kind of part that may change, and those that hold parts with such fields."""
    return tuple(
        slot
        for slot in slots_of(part)
        if slot.changes or (slot.holds and not slot.depth and any(map(_changing, slot.parts)))
    )


def running(part: P, time: Time, timeline: Timeline, holder: Any = None) -> P:
    """A part with the values that it has at a moment; ``holder`` is the mark it belongs to, if it does."""
    return _valued(part, lambda course, slot, owner: course_value(course, slot, time, timeline, holder, owner))


def resting(part: P) -> P:
    """A part with the first value of all that changes: how it is laid out where no moment is meant."""
    return _valued(part, lambda course, slot, owner: course.stops[0].value)


def courses_of(part: BaseModel) -> Iterator[tuple[tuple[str, ...], Course[Any], Slot]]:
    """The courses in a part, with the names that lead to them."""
    for slot in _changing(type(part)):
        value = getattr(part, slot.name)
        if type(value) in PLAIN:
            continue
        if isinstance(value, Course):
            yield (slot.name,), value, slot
        elif isinstance(value, BaseModel):
            for way, course, inner in courses_of(value):
                yield (slot.name, *way), course, inner


def _valued(part: P, value_of: Callable[[Course[Any], Slot, Any], Any]) -> P:
    update, held = {}, part.__dict__
    for slot in _changing(type(part)):
        value = held[slot.name]
        if type(value) in PLAIN:
            continue
        if isinstance(value, Course):
            update[slot.name] = value_of(value, slot, part)
        elif isinstance(value, BaseModel):
            made = _valued(value, value_of)
            if made is not value:
                update[slot.name] = made
    return part.model_copy(update=update) if update else part


def course_value(course: Course[Any], slot: Slot, time: Time, timeline: Timeline, holder: Any, owner: Any) -> Any:
    """The value of a course at a moment."""
    return course_values(course, slot, [time], timeline, holder, owner)[0]


def course_values(
    course: Course[Any], slot: Slot, times: Sequence[Time], timeline: Timeline, holder: Any, owner: Any
) -> list[Any]:
    """The values of a course at moments."""
    starts, stops = timeline.stops(course, holder)
    at = np.array([time.frames for time in times])
    # Which stop each moment follows: the last of those that it does not come before.
    leg = np.searchsorted(starts, at, side="right") - 1
    found = [stops[max(k, 0)].value for k in leg.tolist()]
    for k in set(leg.tolist()) - {-1, len(stops) - 1}:
        here, there = stops[k : k + 2]
        on_it = np.flatnonzero(leg == k)
        progress = here.ease.at((at[on_it] - starts[k]) / (starts[k + 1] - starts[k]))
        for place, share in zip(on_it.tolist(), progress.tolist(), strict=True):
            found[place] = kept(between(slot, here.value, there.value, share, owner), slot)
    return found


def between(slot: Slot, start: Any, end: Any, progress: float, owner: Any = None) -> Any:
    """A value on its way from one to another, as its kind of quantity runs (``Quantity.runs``)."""
    if slot.kind == FOCUS:
        return FocusBetween(start, end, progress) if progress else start
    if slot.kind == LAID:
        return _laid(start, end, progress, owner.picture.width, owner.picture.height)
    runs = slot.kind.runs if slot.kind else "evenly"
    if runs == "colours":
        return mixed(start, end, progress)
    if runs == "turns":
        return start + turn_between(start, end) * progress
    if runs == "sizes" and start > GONE and end > GONE:
        return start * (end / start) ** progress
    return start + (end - start) * progress


def _laid(start: Placement, end: Placement, progress: float, width: int, height: int) -> Placement:
    """A placement between two: what is only moved, sized and turned, evenly in each; else by its corners."""
    if isinstance(start, Similarity) and isinstance(end, Similarity):
        return Similarity(
            x=start.x + (end.x - start.x) * progress,
            y=start.y + (end.y - start.y) * progress,
            scale=math.exp(math.log(start.scale) + math.log(end.scale / start.scale) * progress),
            turn=start.turn + turn_between(start.turn, end.turn) * progress,
        )
    corners = [outline(one.matrix(width, height), width, height) for one in (start, end)]
    there = corners[0] + (corners[1] - corners[0]) * progress
    middle = there.mean(axis=0)
    own = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    matrix = cv2.getPerspectiveTransform(own, (there - middle).astype(np.float32))
    matrix = np.array([[1, 0, middle[0]], [0, 1, middle[1]], [0, 0, 1]]) @ matrix
    return Homography(coefficients=tuple((matrix / matrix[2, 2]).ravel().tolist()))
