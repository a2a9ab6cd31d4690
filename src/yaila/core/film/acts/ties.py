"""All that hangs on something: read, hung elsewhere, and let go of without moving anything in time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from yaila.core.film.choreography import choreograph
from yaila.core.film.model import Film
from yaila.core.film.timeline import Timeline
from yaila.core.marks import FilmMoment, Moment


@dataclass(frozen=True)
class Hook:
    """A moment that something hangs on: the start or the end of the mark ``of``, or where the mark or plate begins to
    be uncovered."""

    of: str
    edge: str
    moment: Moment
    holder: Any
    """The part of the document that it stands in, by the name ``edge``; a reveal's is ``starts``."""

    def frame(self, timeline: Timeline) -> int:
        """The frame that it comes to."""
        if self.edge == "uncovers":
            return timeline.reveals[self.of]
        if self.of in timeline.runs:
            return round(timeline.runs[self.of].start)
        return timeline.spans[self.of].start if self.edge == "starts" else timeline.spans[self.of].end

    def hang(self, moment: Moment) -> None:
        """Let it hang on another moment."""
        setattr(self.holder, "starts" if self.edge == "uncovers" else self.edge, moment)


def hooks(film: Film) -> list[Hook]:
    """All moments of a film that something hangs on."""
    found = [Hook(route.id, "starts", route.draws.starts, route.draws) for route in film.routes]
    for mark in film.timed:
        found.append(Hook(mark.id, "starts", mark.starts, mark))
        if mark.ends:
            found.append(Hook(mark.id, "ends", mark.ends, mark))
    return found + [Hook(key, "uncovers", reveal.starts, reveal) for key, reveal, _ in film.reveals]


def at_frame(film: Film, frame: int) -> FilmMoment:
    """The moment of the film's time that a frame is at."""
    return FilmMoment(seconds=round(float(film.fps.seconds(max(frame, 0))), 6))


def settle(film: Film, hangs: Callable[[Moment], bool]) -> None:
    """Let what hangs on something keep its time without it."""
    loose = [hook for hook in hooks(film) if hangs(hook.moment)]
    if not loose:
        return
    timeline = choreograph(film).timeline
    for hook in loose:
        hook.hang(at_frame(film, hook.frame(timeline)))
