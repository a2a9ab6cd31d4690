"""Looks: a whole finish saved by name, and laid on another film."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, field_validator

from yaila.core.errors import BadEdit
from yaila.core.film.choreography import choreograph
from yaila.core.film.finish import EFFECTS, Effect, Finish, Look, TargetFocus
from yaila.core.film.model import Film
from yaila.core.film.part import Part
from yaila.core.film.walk import changed
from yaila.core.quantities import FILM_TIME
from yaila.core.time import FilmMoment, MarkMoment, PassageMoment, RouteMoment, VantageMoment

P = TypeVar("P", bound=Part)

OF_THE_FILM = ("relief", "look")
"""Effects that no look holds: they are about what a film shows."""

WHOLE = ("surface", "backdrop", "glow", "grade", "glass", "vignette", "wear", "grain", "ends", "bars")
"""Effects that are a film's treatment: those that a look does not hold are off with it."""

VERSION = 1


class SavedLook(Part):
    """A finish by name: the effects that it holds, and how long the film was whose time their courses run in."""

    format: Literal["yaila/look"] = "yaila/look"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=60)]
    seconds: float = Field(60.0, gt=0, le=86400, allow_inf_nan=False)
    holds: tuple[str, ...] = Field(max_length=32)
    finish: Finish

    @field_validator("holds")
    @classmethod
    def _effects(cls, names: tuple[str, ...]) -> tuple[str, ...]:
        for name in names:
            if name not in EFFECTS or name in OF_THE_FILM:
                raise ValueError(f"there is no effect “{name}” that a look could hold")
        return names


def look_of(film: Film, name: str, holds: Iterable[str] | None = None) -> SavedLook:
    """What a film's finish is as a look: the effects named, or all that are on, without what they name in the film, and
    with their courses in film time.

    Raises:
        BadEdit: it would hold nothing.
    """
    kept = [one for one in EFFECTS if one not in OF_THE_FILM and getattr(film.finish, one).on]
    if holds is not None:
        wanted = set(holds)
        kept = [one for one in kept if one in wanted]
    if not kept:
        raise BadEdit("No effect is on that a look could hold. Switch some on first.")

    effects = {one: in_film_time(_free(getattr(film.finish, one)), film) for one in kept}
    seconds = max(choreograph(film).frames / float(film.fps.value), 0.04)
    return SavedLook(name=name, seconds=seconds, holds=tuple(kept), finish=Finish(**effects))


def in_film_time(part: P, film: Film) -> P:
    """A part of a film whose moments hang on nothing but the film's time, at which they are."""
    timeline = choreograph(film).timeline

    def freed(moment: Any, owners: Any) -> FilmMoment:
        return FilmMoment(seconds=max(timeline.time(moment).frames, 0.0) / float(film.fps.value))

    hung = dict.fromkeys((FilmMoment, VantageMoment, PassageMoment, RouteMoment, MarkMoment), freed)
    return changed(part, {}, hung)


def _free(effect: Any) -> Any:
    """An effect without what it names in its film."""
    free = effect.model_copy()
    if "focus" in type(effect).model_fields:
        free.focus = TargetFocus()
    if getattr(effect, "plate", None):
        free.plate, free.kind = None, "fine"
    if getattr(effect, "region", None):
        free.region, free.over = None, "ground"
    return free


def with_look(film: Film, look: SavedLook, strength: float) -> Film:
    """A film with a look: the effects that it holds are as it has them, the courses stretched to the film's length; the
    rest of its treatment is off. What they are focused on stays."""
    frames = choreograph(film).frames
    film = film.model_copy(deep=True)
    by = frames / float(film.fps.value) / look.seconds if frames else 1.0

    def stretched(value: float, owners: Any) -> float:
        return value * by

    for name in EFFECTS:
        if name in look.holds:
            # How long it takes to come and to go is the look's own.
            effect: Effect = changed(getattr(look.finish, name), {FILM_TIME: stretched})
            if name == "lens":
                effect = effect.model_copy(update={"focus": film.finish.lens.focus})
            setattr(film.finish, name, effect)
        elif name in WHOLE:
            getattr(film.finish, name).on = False
    film.finish.look = Look(on=True, name=look.name, strength=strength)
    return film


def read_look(document: Any, name: str) -> SavedLook:
    """A look from what was read of its file.

    Raises:
        BadEdit: it is none, or was written by a newer program.
    """
    if not isinstance(document, dict) or document.get("format") != "yaila/look":
        raise BadEdit(f"“{name}” is no look. Looks are files that Yaila saved (.look).")
    version = document.get("version")
    if isinstance(version, int) and version > VERSION:
        raise BadEdit(f"“{name}” was saved by a newer Yaila (look version {version}). Update Yaila to use it.")
    return SavedLook.model_validate(document)
