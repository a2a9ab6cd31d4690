"""The finish of the document: what the lens, the shutter, the air and the light make of the picture."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, fields
from datetime import date
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

from yaila.core.colour import rgb_of
from yaila.core.colour.grading import Grading
from yaila.core.film.part import Part
from yaila.core.quantities import (
    FOCUS,
    Angle,
    Bearing,
    Colour,
    Count,
    East,
    Factor,
    FNumber,
    FrameLength,
    GroundLength,
    Height,
    Hour,
    LightKelvin,
    MarkRef,
    ModelLength,
    North,
    Number,
    Percent,
    PlateRef,
    Share,
    Stops,
)
from yaila.core.time import Changes, Course


class _Focus(BaseModel):
    """What all ways to focus have in common."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)


class TargetFocus(_Focus):
    """On the camera's target, wherever it goes."""

    on: Literal["target"] = "target"


class MarkFocus(_Focus):
    """On a mark: on what travels along a route, on a sign or a name at its height, on the middle of a region."""

    on: Literal["mark"] = "mark"
    mark: MarkRef


class PlaceFocus(_Focus):
    """On a place of the ground, as high as that is there, or at a height above it."""

    on: Literal["place"] = "place"
    x: East
    y: North
    height: Height = Field(0.0, ge=-1e9, le=1e9, allow_inf_nan=False)


class FreeFocus(_Focus):
    """At a distance from the camera, along its line of sight."""

    on: Literal["free"] = "free"
    distance: GroundLength = Field(gt=0, ge=1e-6, le=1e9, allow_inf_nan=False)


Focus = Annotated[TargetFocus | MarkFocus | PlaceFocus | FreeFocus, FOCUS, Field(discriminator="on")]


@dataclass(frozen=True)
class FocusBetween:
    """The focus going over from one thing to another, of which it has done a share, 0..1."""

    start: AnyFocus
    end: AnyFocus
    share: float


AnyFocus = TargetFocus | MarkFocus | PlaceFocus | FreeFocus | FocusBetween

if TYPE_CHECKING:
    FocusedOn = Focus
else:
    # As ``Changes``, but in a form in which the kinds of focus stay told apart by what they are on.
    FocusedOn = Annotated[Focus | Course[Focus], FOCUS]


class Effect(Part):
    """A part of the finish, which can be switched ``on``."""

    on: bool = False

    @property
    def id(self) -> str:
        """What its values are addressed by (``address.py``)."""
        return FINISH + type(self).__name__.lower()


FINISH = "finish."
"""What the names of effects begin with, so that they are no ids."""


class Lens(Effect):
    """Depth of field. Real distances give no blur that is seen, so the lens sees the ground as a model of itself.

    ``model`` says how small: with ``nearness`` the target always seems to be ``nearness`` metres away, so that a dive
    is blurred alike from top to bottom; with ``scale`` the model is 1 to ``scale``, so that the blur grows as one comes
    near. ``blades`` of the iris give highlights that many corners, 0 makes them round; ``roundness`` bends their sides.
    """

    f_number: Changes[FNumber] = Field(2.8, ge=0.5, le=64, title="F-number")
    focus: FocusedOn = Field(default_factory=TargetFocus)
    model: Literal["nearness", "scale"] = "nearness"
    nearness: Changes[ModelLength] = Field(0.6, ge=0.05, le=1000, title="Seems near")
    scale: Changes[Factor] = Field(40_000.0, ge=1, le=1e9, title="Model 1 to")
    blades: Count = Field(0, ge=0, le=16, title="Blades")
    roundness: Share = Field(0.5, ge=0, le=1)


class Shutter(Effect):
    """Motion blur: for how much of a frame's time the shutter is open, and how many moments of it are averaged, 0 to
    take as many as the motion needs."""

    angle: Changes[Angle] = Field(180.0, ge=0, le=360, title="Shutter angle")
    samples: Count = Field(0, ge=0, le=64)


class Relief(Effect):
    """The ground raised by the heights of a plate, ``times`` what they are; below ``sea``, metres, it is flat.

    ``codes`` says what its picture holds: metres; grey from ``low`` to ``high``; or tenths of a metre packed into
    colours, as the practice survey has them. ``smooth`` is over how many places of it heights are melted; ``shade`` how
    strong light and shade of its slopes are, ``shadows`` the shadows that they cast. As a ``drawing`` the ground stays
    flat, and shows its light and shade alone. ``lines`` draws contours every so many metres, every fifth stronger, as
    far as they can be told apart.
    """

    plate: PlateRef | None = None
    codes: Literal["metres", "grey", "packed"] = "metres"
    low: Number = Field(0.0, ge=-20_000, le=20_000, title="Black is")
    high: Number = Field(1000.0, ge=-20_000, le=20_000, title="White is")
    times: Changes[Factor] = Field(1.5, ge=0, le=1000, title="Raised")
    sea: Number = Field(0.0, ge=-20_000, le=20_000, title="Sea level")
    smooth: Number = Field(0.0, ge=0, le=200, title="Smoothed by")
    drawing: bool = False
    lines: Number = Field(0.0, ge=0, le=10_000, title="Contours every")
    line_colour: Changes[Colour] = Field("#3a2c1c", title="Contours")
    line_width: Changes[FrameLength] = Field(1.6, ge=0.2, le=40, title="Contours’ width")
    shade: Changes[Share] = Field(0.5, ge=0, le=1, title="Light and shade")
    shadows: Changes[Share] = Field(0.4, ge=0, le=1, title="Cast shadows")

    @property
    def raises(self) -> bool:
        """Whether it raises the ground, with the values of a moment."""
        return self.shown and not self.drawing

    @property
    def shown(self) -> bool:
        """Whether it shows at all, with the values of a moment."""
        return self.on and self.plate is not None and self.times > 0

    def metres(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        """Metres of what its picture holds."""
        return self.low + values * np.float32(self.high - self.low) if self.codes == "grey" else values


class Sun(Effect):
    """Where the light comes from: shadows fall away from it, and it colours what it shines on.

    By ``hand``, from a bearing and a height; or by the ``hour`` of a day where the ground is georeferenced, as the sun
    stands over the camera's target (``date``, and the hour by local mean time: noon is when it is about south).
    ``tints`` is how much its ``warmth`` colours the ground; ``soft`` is how wide the light is, from edge to edge: the
    wider, the softer the edges of shadows, the more so the longer they are (the sun itself: half a degree).
    """

    by: Literal["hand", "hour"] = "hand"
    azimuth: Changes[Bearing] = Field(315.0, ge=-360, le=720, title="Sun from")
    height: Changes[Angle] = Field(50.0, ge=0, le=90, title="Sun’s height")
    date: str = Field("2026-06-21", pattern=r"^\d{4}-\d{2}-\d{2}$")
    hour: Changes[Hour] = Field(15.0, ge=0, le=24)
    warmth: Changes[LightKelvin] = Field(5500.0, ge=1500, le=12000)
    tints: Changes[Share] = Field(0.5, ge=0, le=1)
    soft: Changes[Angle] = Field(2.0, ge=0, le=45, title="Shadows soft")

    @field_validator("date")
    @classmethod
    def _there_is_such_a_day(cls, text: str) -> str:
        date.fromisoformat(text)
        return text


class Dusk(Effect):
    """Night falling over the ground: how dark it is, from day (0) to night (1), how many stops darker the night is, and
    its colour. What burns at dusk burns by as much; plates of lights by ``lights`` times what they show."""

    share: Changes[Share] = Field(1.0, ge=0, le=1, title="Dusk")
    dark: Changes[Stops] = Field(2.5, ge=0, le=8, title="Night darker by")
    colour: Changes[Colour] = Field("#5f7fc0", title="Night’s colour")
    lights: Changes[Factor] = Field(2.0, ge=0, le=50, title="Plates of lights")


class Haze(Effect):
    """Air between the camera and the ground. Up to ``clear`` times the distance to the target nothing of it is seen;
    from there on, ``sees`` such distances further, what is behind it is there by a third still."""

    clear: Changes[Factor] = Field(1.0, ge=0, le=100, title="Clear up to")
    sees: Changes[Factor] = Field(3.0, ge=0.01, le=1000, title="Fades within")
    most: Changes[Share] = Field(1.0, ge=0, le=1, title="At most")
    colour: Changes[Colour] = "#c8d5dd"


class Grade(Effect):
    """What is done to all colours of the frame, in this order (``colour/grading.py``): ``exposure``; ``warmth``, in
    mired, and ``tint``, from green to magenta; ``contrast`` about a ``pivot``; where ``black`` and ``white`` are and
    how bright the ``middle``; ``saturation``, ``vibrance``, which is for what is pale, and ``hue``; a colour of the
    ``shadows`` and of the ``lights``; a ``wash`` of one colour; ``grey``, which is black and white with a tint.
    """

    exposure: Changes[Stops] = Field(0.0, ge=-6, le=6)
    warmth: Changes[Percent] = Field(0.0, ge=-100, le=200)
    tint: Changes[Percent] = Field(0.0, ge=-100, le=100, title="Green to magenta")
    contrast: Changes[Percent] = Field(0.0, ge=-200, le=200)
    pivot: Changes[Share] = Field(0.45, ge=0.05, le=0.95)
    black: Changes[Share] = Field(0.0, ge=0, le=0.45, title="Black at")
    white: Changes[Share] = Field(1.0, ge=0.55, le=1, title="White at")
    middle: Changes[Factor] = Field(1.0, ge=0.2, le=5)
    saturation: Changes[Percent] = Field(0.0, ge=-100, le=200)
    vibrance: Changes[Percent] = Field(0.0, ge=-100, le=200)
    hue: Changes[Angle] = Field(0.0, ge=-180, le=180, title="Hue turned")
    shadows: Changes[Colour] = "#24405e"
    shadows_by: Changes[Share] = Field(0.0, ge=0, le=1, title="Shadows tinted")
    lights: Changes[Colour] = "#ffd9a0"
    lights_by: Changes[Share] = Field(0.0, ge=0, le=1, title="Lights tinted")
    wash: Changes[Colour] = "#c08a4a"
    wash_by: Changes[Share] = Field(0.0, ge=0, le=1, title="Washed")
    grey: Changes[Share] = Field(0.0, ge=0, le=1, title="Black and white")
    grey_tint: Changes[Colour] = Field("#ffffff", title="Its tint")

    @property
    def grading(self) -> Grading:
        """Its numbers, with the values of a moment."""
        values: dict[str, Any] = {one.name: getattr(self, one.name) for one in fields(Grading)}
        made: Any = {name: rgb_of(value) if isinstance(value, str) else value for name, value in values.items()}
        return Grading(**made)


class Vignette(Effect):
    """Less light towards the corners of the frame: ``by`` how much less, from how far out on it is ``soft``, and which
    colour it goes to."""

    by: Changes[Share] = Field(0.45, ge=0, le=1, title="Darker by")
    soft: Changes[Share] = Field(0.75, ge=0.05, le=1)
    colour: Changes[Colour] = "#000000"


class Grain(Effect):
    """Grain of the film: ``strength`` is its deviation at middle grey, percent of white; ``size`` that of a grain,
    pixels of the frame; ``middle`` how much more there is of it in middle greys than in black and white; ``coloured``
    how much of it differs between the colours."""

    strength: Changes[Percent] = Field(3.0, ge=0, le=40)
    size: Changes[FrameLength] = Field(1.6, ge=1, le=12)
    middle: Changes[Share] = Field(0.7, ge=0, le=1, title="In middle greys")
    coloured: Changes[Share] = Field(0.25, ge=0, le=1)
    seed: Count = Field(1, ge=0, le=2**31)


class Bars(Effect):
    """Bars at the edges of the frame: above and below, each a ``share`` of its height; or what is left has a
    ``ratio``."""

    by: Literal["share", "ratio"] = "share"
    share: Changes[Share] = Field(0.06, ge=0, le=0.45, title="Each of the height")
    ratio: Changes[Factor] = Field(2.39, ge=0.2, le=10, title="Width to height")
    colour: Changes[Colour] = "#000000"


class Finish(Part):
    """What is made of the picture once the ground and the marks are there."""

    relief: Relief = Field(default_factory=Relief)
    sun: Sun = Field(default_factory=Sun)
    dusk: Dusk = Field(default_factory=Dusk)
    haze: Haze = Field(default_factory=Haze)
    lens: Lens = Field(default_factory=Lens)
    shutter: Shutter = Field(default_factory=Shutter)
    grade: Grade = Field(default_factory=Grade)
    vignette: Vignette = Field(default_factory=Vignette)
    grain: Grain = Field(default_factory=Grain)
    bars: Bars = Field(default_factory=Bars)

    @property
    def effects(self) -> list[Effect]:
        """All of them."""
        return [getattr(self, name) for name in type(self).model_fields]

    def without(self, effects: Collection[str]) -> Finish:
        """The same with some effects switched off."""
        off = {name: getattr(self, name).model_copy(update={"on": False}) for name in EFFECTS if name in effects}
        return self.model_copy(update=off) if off else self


EFFECTS: dict[str, type[Effect]] = {name: field.annotation for name, field in Finish.model_fields.items()}  # type: ignore[misc]
"""The effects of a film's finish by their names, in the order in which they come."""
