"""What there is to know of the fields of the document's parts, read from their types: names, units, ranges, steps.

The interface asks for it and repeats none of it.
"""

from __future__ import annotations

from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel
from pydantic_core import PydanticUndefined

from yaila.core.camera import Breath, Opening, Settle, Shake, Spin
from yaila.core.camera.manners import Follow, Hop, Orbit, Steps
from yaila.core.colour import Tone
from yaila.core.film.finish import EFFECTS
from yaila.core.film.marked import (
    Circle,
    Counter,
    Crop,
    Deck,
    Draws,
    Inset,
    Label,
    Lamp,
    Leader,
    Marker,
    Region,
    Reveal,
    Route,
    RoutePoint,
    ShownClip,
)
from yaila.core.film.model import Feather, Film, Plate, Vantage
from yaila.core.film.sounds import FileSound, Lane, Levels, MadeSound, Sound
from yaila.core.film.walk import VECTORS, Slot, slots_of
from yaila.core.imagery.adjusted import Edges
from yaila.core.imagery.land import ByBrightness, ByColour
from yaila.core.marks import (
    Arrival,
    DeckLook,
    InsetLook,
    LampLook,
    Lettering,
    MarkerLook,
    RegionLook,
    Stroke,
    Traveller,
)

PARTS: tuple[type[BaseModel], ...] = (
    Film, Vantage, Plate, Feather, Tone, Route, RoutePoint, Draws, Traveller, Reveal, Marker, Label, Leader, Counter,
    Region, Circle, Lamp, Deck, Arrival, Edges, ByColour, ByBrightness,
    Stroke, MarkerLook, Lettering, RegionLook, LampLook, DeckLook, InsetLook, Inset, Crop, ShownClip,
    Hop, Steps, Orbit, Follow, Breath, Shake, Settle, Opening, Spin,
    Lane, Sound, MadeSound, FileSound, Levels, *EFFECTS.values(),
)  # fmt: skip

FACTORS = {"share": 0.01, "frame share": 0.01, "route share": 0.01, "share of time": 0.01}
"""Kinds that people read in percent."""

STEPS = {
    "ground length": 0.05,
    "true length": 0.05,
    "bearing": 15.0,
    "share": 0.05,
    "frame share": 0.01,
    "route share": 0.01,
    "height": 10.0,
    "temperature": 20.0,
    "exposure": 0.05,
    "rate": 0.05,
    "duration": 0.1,
    "factor": 0.05,
    "level": 0.5,
}
"""What an arrow key adds, in units of the document; to what runs in its logarithm, the share of it. Else 1."""

FINE = 100.0
"""Lengths of the frame up to so many pixels go in halves."""


class FieldFacts(BaseModel):
    """A field: what it is called, its unit ("ground" stands for the ground's own), document units in a unit shown, its
    limits, decimals worth keeping, what an arrow key adds (in a logarithm a share), whether it may change over the
    film, its default, and the names that it can have, if it is one of some."""

    name: str
    label: str
    unit: str = ""
    factor: float = 1.0
    low: float | None = None
    high: float | None = None
    places: int = 2
    step: float = 1.0
    logarithmic: bool = False
    changes: bool = False
    colour: bool = False
    default: Any = None
    options: list[str] = []


def field_facts() -> dict[str, dict[str, FieldFacts]]:
    """The facts of all fields, by the names of their parts and their own."""
    return {part.__name__: {fact.name: fact for fact in _facts(part)} for part in PARTS}


def field_facts_of(slot: Slot) -> FieldFacts:
    """The facts of a field of numbers or colours."""
    return _number(slot, None)


def _facts(part: type[BaseModel]) -> list[FieldFacts]:
    slots = {slot.name: slot for slot in slots_of(part)}
    found = []
    for name, field in part.model_fields.items():
        label = field.title or name.replace("_", " ").capitalize()
        default = None if field.default is PydanticUndefined or isinstance(field.default, BaseModel) else field.default
        slot = slots.get(name)
        if slot and slot.kind and slot.kind not in VECTORS and not slot.holds and not slot.depth:
            found.append(_number(slot, default))
        elif options := _options(field.annotation):
            found.append(FieldFacts(name=name, label=label, default=default, options=options))
    return found


def _number(slot: Slot, default: Any) -> FieldFacts:
    assert slot.kind
    kind, factor = slot.kind, FACTORS.get(slot.kind.name, 1.0)
    fine = kind.name == "frame length" and slot.high is not None and slot.high <= FINE
    step = STEPS.get(kind.name, 0.5 if fine else 1.0)
    return FieldFacts(
        name=slot.name,
        label=slot.label,
        unit="%" if factor != 1.0 else kind.unit,
        factor=factor,
        low=slot.low,
        high=slot.high,
        places=0 if slot.whole else 3 if kind.unit == "ground" else 2,
        step=step,
        logarithmic=kind.name in ("ground length", "true length"),
        changes=slot.changes,
        colour=kind.runs == "colours",
        default=default,
    )


def _options(annotation: Any) -> list[str]:
    if get_origin(annotation) is Literal:
        return [str(one) for one in get_args(annotation)]
    return []
