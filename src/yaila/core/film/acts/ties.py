"""What hangs on something, and what names it: hung elsewhere, and let go of without moving anything in time."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from yaila.core.camera.manners import Follow, Glide
from yaila.core.film.choreography import choreograph
from yaila.core.film.finish import Grade, MarkFocus, PlaceFocus, Relief, Surface
from yaila.core.film.fitting import ground_of
from yaila.core.film.focus import focus_place
from yaila.core.film.marked import Counter, Label, Lamp, Mark, Reveal
from yaila.core.film.model import Film, Fit, Passage, Tie
from yaila.core.film.running import resting
from yaila.core.film.scene import length_in
from yaila.core.film.walk import Owners, changed, found, parts_of
from yaila.core.ground import Point
from yaila.core.quantities import Ref
from yaila.core.time import FilmMoment, Hung, Moment, Time


def at_time(film: Film, time: Time) -> FilmMoment:
    """The moment of the document for a time of the film."""
    return FilmMoment(seconds=round(max(time.seconds(film.fps), 0.0), 6))


def moved(film: Film, moment: Moment, by: int) -> Moment:
    """A moment so many frames later; it goes on hanging on what it hangs on."""
    if isinstance(moment, FilmMoment):
        return at_time(film, Time.of_seconds(moment.seconds, film.fps).nearest + Time(round(moment.offset) + by))
    return moment.model_copy(update={"offset": round(moment.offset) + by})


def holder_of(owners: Owners) -> Any:
    """The mark that something stands in, none if it is in none."""
    return next((owner for owner in owners if isinstance(owner, Mark)), None)


def rehung(film: Film, to: Callable[[Moment, Any], Moment]) -> Film:
    """A film in which every moment is what ``to`` makes of it; it is given the mark that hangs on it, too."""
    return changed(film, {}, {Hung: lambda moment, owners: to(moment, holder_of(owners))})


def settled(film: Film, hangs: Callable[[Any], bool]) -> Film:
    """A film in which what hangs on something keeps its time without it."""
    if not any(hangs(moment) for moment, _ in parts_of(film, Hung)):
        return film
    timeline = choreograph(film).timeline
    return rehung(film, lambda moment, mark: at_time(film, timeline.time(moment, mark)) if hangs(moment) else moment)


def names(moment: Moment, key: str) -> bool:
    """Whether a moment hangs on the mark, route or vantage with an id."""
    return key in (getattr(moment, name, None) for name in ("route", "mark", "vantage"))


def without_names(film: Film, keys: set[str]) -> Film:
    """A film in which nothing names the routes, marks, vantages, plates or styles with some ids any more: everything
    else stays where it is and as it looks, in space and in time.

    Passages that follow a route become Glides of the same time, what it uncovers is all there, labels along it stand
    where they were, counters of it keep its length, ties to a plate hang on the ground, the focus stays on the place
    of a mark, and marks keep the look of a style as their own.
    """
    film = settled(film.model_copy(deep=True), lambda moment: any(names(moment, key) for key in keys))

    def label(one: Label, owners: Owners) -> Label:
        if one.route not in keys:
            return one
        curve = film.route(one.route).curve
        x, y = curve.along(np.array([resting(one).along * curve.length]))[0].tolist()
        stands = "facing" if one.stands == "route" else one.stands
        return one.model_copy(update={"x": x, "y": y, "stands": stands, "route": None})

    def counter(one: Counter, owners: Owners) -> Counter:
        if one.route is None or one.route not in keys:
            return one
        whole = length_in(film, one.route, film.route(one.route).curve.length, one.unit)
        return one.model_copy(update={"route": None, "value": whole})

    def reveal(one: Reveal, owners: Owners) -> Reveal | None:
        if not keys & set(one.routes):
            return one
        left = tuple(route for route in one.routes if route not in keys)
        return one.model_copy(update={"routes": left}) if left else None

    def passage(one: Passage, owners: Owners) -> Passage:
        gone = isinstance(one.manner, Follow) and one.manner.route in keys
        return one.model_copy(update={"manner": Glide()}) if gone else one

    def tie(one: Tie, owners: Owners) -> Tie:
        if one.other not in keys:
            return one
        to = Point(*ground_of(resting(film.plate(one.other)), np.array([one.to]))[0].tolist())
        return one.model_copy(update={"other": None, "to": to})

    def fit(one: Fit, owners: Owners) -> Fit:
        return one.model_copy(update={"on": None}) if one.on in keys else one

    def focus(one: MarkFocus, owners: Owners) -> MarkFocus | PlaceFocus:
        if one.mark not in keys:
            return one
        choreography = choreograph(film)
        x, y, height = focus_place(film, choreography, one, Time(choreography.frames))
        return PlaceFocus(x=x, y=y, height=height)

    def on_a_plate(one: Any, owners: Owners) -> Any:
        return one.model_copy(update={"plate": None}) if one.plate in keys else one

    def grade(one: Grade, owners: Owners) -> Grade:
        return one.model_copy(update={"region": None}) if one.region in keys else one

    def lamp(one: Lamp) -> Lamp:
        if one.hangs not in keys:
            return one
        choreography = choreograph(film)
        x, y, height = focus_place(film, choreography, MarkFocus(mark=one.hangs), Time(choreography.frames))
        raised = resting(one).height + height
        return one.model_copy(update={"x": x, "y": y, "hangs": None, **({"height": raised} if height else {})})

    def mark(one: Any, owners: Owners) -> Any:
        if isinstance(one, Lamp):
            one = lamp(one)
        if one.style not in keys:
            return label(one, owners) if isinstance(one, Label) else one
        one = film.in_style(one).model_copy(update={"look": film.look_of(one), "style": None, "own": ()})
        return label(one, owners) if isinstance(one, Label) else one

    rules: dict[Any, Callable[..., Any]] = {
        Counter: counter,
        Reveal: reveal,
        Passage: passage,
        Tie: tie,
        Fit: fit,
        MarkFocus: focus,
        Relief: on_a_plate,
        Surface: on_a_plate,
        Grade: grade,
    }
    return changed(film, {}, {Mark: mark, **rules})


def left_hanging(before: Film, after: Film) -> int:
    """How many things that hung on something hang on the film's time since an edit."""
    hung = {_place(one): moment for moment, one in parts_of(before, Hung)}
    now = {_place(one): moment for moment, one in parts_of(after, Hung)}
    return sum(isinstance(moment, FilmMoment) and not isinstance(hung.get(place, moment), FilmMoment)
               for place, moment in now.items())  # fmt: skip


def _place(owners: Owners) -> tuple[Any, ...]:
    """Where a moment stands, so that it is found again after an edit: ids, and kinds of parts."""
    return tuple(getattr(owner, "id", type(owner).__name__) for owner in owners)


def renamed(film: Film, key: str, fresh: str) -> Film:
    """A film in which all that names one id names another."""
    kinds = {one.kind for one in found(film, Ref) if one.value == key}
    return changed(film, {kind: lambda value, _: fresh if value == key else value for kind in kinds})
