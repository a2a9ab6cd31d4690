"""The finish of the document: what the lens, the shutter, the air and the light make of the picture."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, fields
from datetime import date
from itertools import pairwise
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, field_validator

from yaila.core.colour import rgb_of
from yaila.core.colour.blending import BlendMode
from yaila.core.colour.grading import Grading
from yaila.core.film.part import Part
from yaila.core.quantities import (
    FOCUS,
    AidSha,
    Angle,
    Bearing,
    Colour,
    Count,
    East,
    Factor,
    FNumber,
    FrameLength,
    FrameShare,
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
    Seconds,
    Share,
    Stops,
)
from yaila.core.surfaces import SurfaceKind, TableKind
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

    IDLE: ClassVar[dict[str, float]] = {}
    """The numbers that say how strong it is, with the values at which it does nothing."""

    @property
    def id(self) -> str:
        """What its values are addressed by (``address.py``)."""
        return FINISH + type(self).__name__.lower()

    def weakened(self, strength: float) -> Self:
        """The same with a share of its strength; with the values of a moment."""
        made = {name: idle + (getattr(self, name) - idle) * strength for name, idle in self.IDLE.items()}
        return self.model_copy(update=made) if made else self


FINISH = "finish."
"""What the names of effects begin with, so that they are no ids."""


class Surface(Effect):
    """Paper, cloth or stone that the map lies on: it sticks to the ground. One that comes with the application
    (``kind``), or, as ``own``, the picture of a plate, made to go on without an edge.

    It is blended with the ground by ``strength``, its ``own_colour`` taken out as far as wanted. It lies ``everywhere``
    as fine as the frame, however far the camera goes, or is one sheet, sharp where the camera is ``closest``;
    ``scale`` makes it coarser. Its ``folds`` shift the map, by so many pixels at most, and take the ``light``.
    """

    IDLE: ClassVar[dict[str, float]] = {"strength": 0, "light": 0, "folds": 0}

    kind: SurfaceKind | Literal["own"] = "fine"
    plate: PlateRef | None = None
    blend: BlendMode = "multiply"
    strength: Changes[Share] = Field(0.5, ge=0, le=1)
    own_colour: Changes[Share] = Field(0.0, ge=0, le=1, title="Own colour")
    lies: Literal["everywhere", "closest"] = "everywhere"
    scale: Changes[Factor] = Field(1.0, ge=0.25, le=16, title="Coarser by")
    folds: Changes[FrameLength] = Field(3.0, ge=0, le=40, title="Folds shift")
    light: Changes[Share] = Field(0.35, ge=0, le=1, title="Light on it")

    @property
    def shown(self) -> bool:
        """Whether it shows at all, with the values of a moment."""
        there = self.kind != "own" or self.plate is not None
        return self.on and there and (self.strength > 0 or self.light > 0 or self.folds > 0)


class Backdrop(Effect):
    """What the map lies on where no plate is, and what is above the horizon: a ``colour``, or a table of ``wood``,
    ``felt``, ``steel`` or ``stone``. The map is a sheet on it, so ``thick``, with edges that melt over ``rim`` pixels
    and a ``shadow``; beyond the ``horizon`` is the ``sky``, which the ground fades to far away."""

    IDLE: ClassVar[dict[str, float]] = {"shadow": 0, "rim": 0}

    kind: TableKind | Literal["colour"] = "colour"
    colour: Changes[Colour] = "#1f2a30"
    scale: Changes[Factor] = Field(2.0, ge=0.25, le=16, title="Coarser by")
    thick: Changes[FrameLength] = Field(5.0, ge=0, le=80, title="Sheet")
    rim: Changes[FrameLength] = Field(0.0, ge=0, le=400, title="Rim melts")
    shadow: Changes[Share] = Field(0.5, ge=0, le=1)
    horizon: Changes[Colour] = "#c7d3da"
    sky: Changes[Colour] = "#5f86a8"
    far: Changes[Factor] = Field(12.0, ge=1, le=1000, title="Fades by")


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


MOST_HEIGHTS = 4096
"""Heights along the longer side of a plate that are kept; finer ones are averaged."""


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

    IDLE: ClassVar[dict[str, float]] = {"tints": 0}

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

    IDLE: ClassVar[dict[str, float]] = {"share": 0}

    share: Changes[Share] = Field(1.0, ge=0, le=1, title="Dusk")
    dark: Changes[Stops] = Field(2.5, ge=0, le=8, title="Night darker by")
    colour: Changes[Colour] = Field("#5f7fc0", title="Night’s colour")
    lights: Changes[Factor] = Field(2.0, ge=0, le=50, title="Plates of lights")


class Haze(Effect):
    """Air between the camera and the ground. Up to ``clear`` times the distance to the target nothing of it is seen;
    from there on, ``sees`` such distances further, what is behind it is there by a third still."""

    IDLE: ClassVar[dict[str, float]] = {"most": 0}

    clear: Changes[Factor] = Field(1.0, ge=0, le=100, title="Clear up to")
    sees: Changes[Factor] = Field(3.0, ge=0.01, le=1000, title="Fades within")
    most: Changes[Share] = Field(1.0, ge=0, le=1, title="At most")
    colour: Changes[Colour] = "#c8d5dd"


class Glow(Effect):
    """Light that spreads from what is bright, as in a lens that is not quite clean: ``strength`` of the light that is
    ``above`` some brightness, ``wide`` shares of the frame's width around, in a ``colour``."""

    IDLE: ClassVar[dict[str, float]] = {"strength": 0}

    strength: Changes[Share] = Field(0.35, ge=0, le=1)
    above: Changes[Share] = Field(0.7, ge=0, le=1, title="From brightness")
    wide: Changes[FrameShare] = Field(0.02, ge=0.001, le=0.2)
    colour: Changes[Colour] = "#fff1dc"


class CurvePoint(BaseModel):
    """A point of a curve: what a value, 0..1, becomes."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x: Share = Field(ge=0, le=1, allow_inf_nan=False)
    y: Share = Field(ge=0, le=1, allow_inf_nan=False)


def _forward(points: tuple[CurvePoint, ...]) -> tuple[CurvePoint, ...]:
    if any(later.x - earlier.x < 1e-3 for earlier, later in pairwise(points)):
        raise ValueError("a curve’s points go from left to right, each at a brightness of its own")
    if len(points) == 1:
        raise ValueError("a curve has two points at least, or none, which leaves all as it is")
    return points


Curve = Annotated[tuple[CurvePoint, ...], Field(max_length=16), AfterValidator(_forward)]
"""Points from left to right; none leave values as they are."""


class Grade(Effect):
    """What is done to all colours, in this order (``colour/grading.py``): ``exposure``; ``warmth``, in mired, and
    ``tint``, from green to magenta; ``contrast`` about a ``pivot``; where ``black`` and ``white`` are and how bright
    the ``middle``; curves, of all channels and of each; ``saturation``, ``vibrance``, which is for what is pale, more
    or less of it by hue, and ``hue`` turned; a colour of the ``shadows`` and of the ``lights``; a ``wash`` of one
    colour; ``grey``, which is black and white with a tint; a ``table`` of one's own.

    It goes over all of the ``frame``, names included, over the ``ground`` alone, or over what lies ``inside`` or
    ``outside`` a region of it.
    """

    IDLE: ClassVar[dict[str, float]] = {
        "exposure": 0, "warmth": 0, "tint": 0, "contrast": 0, "black": 0, "white": 1, "middle": 1, "saturation": 0,
        "vibrance": 0, "hue": 0, "reds": 0, "yellows": 0, "greens": 0, "cyans": 0, "blues": 0, "magentas": 0,
        "curves_by": 0, "shadows_by": 0, "lights_by": 0, "wash_by": 0, "grey": 0, "table_by": 0,
    }  # fmt: skip

    over: Literal["frame", "ground", "inside", "outside"] = "frame"
    region: MarkRef | None = None
    exposure: Changes[Stops] = Field(0.0, ge=-6, le=6)
    warmth: Changes[Percent] = Field(0.0, ge=-100, le=200)
    tint: Changes[Percent] = Field(0.0, ge=-100, le=100, title="Green to magenta")
    contrast: Changes[Percent] = Field(0.0, ge=-200, le=200)
    pivot: Changes[Share] = Field(0.45, ge=0.05, le=0.95)
    black: Changes[Share] = Field(0.0, ge=0, le=0.45, title="Black at")
    white: Changes[Share] = Field(1.0, ge=0.55, le=1, title="White at")
    middle: Changes[Factor] = Field(1.0, ge=0.2, le=5)
    curve: Curve = ()
    curve_red: Curve = ()
    curve_green: Curve = ()
    curve_blue: Curve = ()
    curves_by: Changes[Share] = Field(1.0, ge=0, le=1, title="Curves by")
    saturation: Changes[Percent] = Field(0.0, ge=-100, le=200)
    vibrance: Changes[Percent] = Field(0.0, ge=-100, le=200)
    reds: Changes[Percent] = Field(0.0, ge=-100, le=200)
    yellows: Changes[Percent] = Field(0.0, ge=-100, le=200)
    greens: Changes[Percent] = Field(0.0, ge=-100, le=200)
    cyans: Changes[Percent] = Field(0.0, ge=-100, le=200)
    blues: Changes[Percent] = Field(0.0, ge=-100, le=200)
    magentas: Changes[Percent] = Field(0.0, ge=-100, le=200)
    hue: Changes[Angle] = Field(0.0, ge=-180, le=180, title="Hue turned")
    shadows: Changes[Colour] = "#24405e"
    shadows_by: Changes[Share] = Field(0.0, ge=0, le=1, title="Shadows tinted")
    lights: Changes[Colour] = "#ffd9a0"
    lights_by: Changes[Share] = Field(0.0, ge=0, le=1, title="Lights tinted")
    wash: Changes[Colour] = "#c08a4a"
    wash_by: Changes[Share] = Field(0.0, ge=0, le=1, title="Washed")
    grey: Changes[Share] = Field(0.0, ge=0, le=1, title="Black and white")
    grey_tint: Changes[Colour] = Field("#ffffff", title="Its tint")
    table: AidSha | None = None
    table_by: Changes[Share] = Field(1.0, ge=0, le=1, title="Table by")

    @property
    def grading(self) -> Grading:
        """Its numbers, with the values of a moment, without its table."""
        values: dict[str, Any] = {one.name: getattr(self, one.name) for one in fields(Grading) if one.name != "cube"}
        return Grading(**{name: _numbers(value) for name, value in values.items()})


def _numbers(value: Any) -> Any:
    if isinstance(value, tuple):
        return tuple((point.x, point.y) for point in value)
    return rgb_of(value) if isinstance(value, str) else value


class Glass(Effect):
    """What an old lens does beside being out of focus: ``distortion``, percent of the way to a corner, bulging above 0;
    ``fringes``, how far red and blue lie apart in the corners; ``soft``, how far the edges of the frame melt."""

    IDLE: ClassVar[dict[str, float]] = {"distortion": 0, "fringes": 0, "soft": 0}

    distortion: Changes[Percent] = Field(6.0, ge=-40, le=60)
    fringes: Changes[FrameLength] = Field(3.0, ge=0, le=60)
    soft: Changes[FrameLength] = Field(4.0, ge=0, le=60, title="Soft edges")


class Vignette(Effect):
    """Less light towards the corners of the frame: ``by`` how much less, from how far out on it is ``soft``, and which
    colour it goes to."""

    IDLE: ClassVar[dict[str, float]] = {"by": 0}

    by: Changes[Share] = Field(0.45, ge=0, le=1, title="Darker by")
    soft: Changes[Share] = Field(0.75, ge=0.05, le=1)
    colour: Changes[Colour] = "#000000"


class Wear(Effect):
    """Film that was shown often: ``dust`` and hairs that come and go, ``scratches`` along its way, light that
    ``flicker``s, and a gate in which it does not stand quite still, by so many pixels (``weave``)."""

    IDLE: ClassVar[dict[str, float]] = {"dust": 0, "scratches": 0, "flicker": 0, "weave": 0}

    dust: Changes[Share] = Field(0.3, ge=0, le=1)
    scratches: Changes[Share] = Field(0.2, ge=0, le=1)
    flicker: Changes[Share] = Field(0.3, ge=0, le=1)
    weave: Changes[FrameLength] = Field(1.5, ge=0, le=40, title="Gate weave")
    seed: Count = Field(1, ge=0, le=2**31)


class Grain(Effect):
    """Grain of the film: ``strength`` is its deviation at middle grey, percent of white; ``size`` that of a grain,
    pixels of the frame; ``middle`` how much more there is of it in middle greys than in black and white; ``coloured``
    how much of it differs between the colours."""

    IDLE: ClassVar[dict[str, float]] = {"strength": 0}

    strength: Changes[Percent] = Field(3.0, ge=0, le=40)
    size: Changes[FrameLength] = Field(1.6, ge=1, le=12)
    middle: Changes[Share] = Field(0.7, ge=0, le=1, title="In middle greys")
    coloured: Changes[Share] = Field(0.25, ge=0, le=1)
    seed: Count = Field(1, ge=0, le=2**31)


Going = Literal["cut", "colour", "zoom", "whip"]


class Ends(Effect):
    """How the film comes from the scene before it and goes over to the one behind it: with a plain ``cut``, from and to
    a ``colour``, as if the camera shot through it (``zoom``), or as if it were thrown aside (``whip``), each within so
    many seconds."""

    opens: Going = "colour"
    opens_over: Changes[Seconds] = Field(1.0, ge=0.04, le=60, title="Opens in")
    closes: Going = "colour"
    closes_over: Changes[Seconds] = Field(1.0, ge=0.04, le=60, title="Closes in")
    colour: Changes[Colour] = "#000000"


class Bars(Effect):
    """Bars at the edges of the frame: above and below, each a ``share`` of its height; or what is left has a
    ``ratio``."""

    by: Literal["share", "ratio"] = "share"
    share: Changes[Share] = Field(0.06, ge=0, le=0.45, title="Each of the height")
    ratio: Changes[Factor] = Field(2.39, ge=0.2, le=10, title="Width to height")
    colour: Changes[Colour] = "#000000"


class Look(Effect):
    """A whole finish that was taken over by its ``name``, and how ``strong`` all of it is: at 0 the film is as it would
    be without."""

    name: str = Field("", max_length=60)
    strength: Changes[Share] = Field(1.0, ge=0, le=1)


class Finish(Part):
    """What is made of the picture once the ground and the marks are there."""

    surface: Surface = Field(default_factory=Surface)
    backdrop: Backdrop = Field(default_factory=Backdrop)
    relief: Relief = Field(default_factory=Relief)
    sun: Sun = Field(default_factory=Sun)
    dusk: Dusk = Field(default_factory=Dusk)
    haze: Haze = Field(default_factory=Haze)
    lens: Lens = Field(default_factory=Lens)
    shutter: Shutter = Field(default_factory=Shutter)
    glow: Glow = Field(default_factory=Glow)
    grade: Grade = Field(default_factory=Grade)
    glass: Glass = Field(default_factory=Glass)
    vignette: Vignette = Field(default_factory=Vignette)
    wear: Wear = Field(default_factory=Wear)
    grain: Grain = Field(default_factory=Grain)
    ends: Ends = Field(default_factory=Ends)
    bars: Bars = Field(default_factory=Bars)
    look: Look = Field(default_factory=Look)

    @property
    def effects(self) -> list[Effect]:
        """All of them."""
        return [getattr(self, name) for name in type(self).model_fields]

    def without(self, effects: Collection[str]) -> Finish:
        """The same with some effects switched off."""
        off = {name: getattr(self, name).model_copy(update={"on": False}) for name in EFFECTS if name in effects}
        return self.model_copy(update=off) if off else self

    def by_look(self) -> Finish:
        """The same as strong as the look is, with the values of a moment."""
        if not self.look.on or self.look.strength >= 1:
            return self
        return self.model_copy(update={name: getattr(self, name).weakened(self.look.strength) for name in EFFECTS})

    @property
    def moves_pixels(self) -> bool:
        """Whether what is seen in a place of the frame comes from another place of it, with the values of a moment."""
        glass, wear, ends = self.glass, self.wear, self.ends
        bends = glass.on and bool(glass.distortion or glass.fringes or glass.soft)
        thrown = ends.on and bool({ends.opens, ends.closes} & {"zoom", "whip"})
        return bends or thrown or (wear.on and wear.weave > 0) or (self.glow.on and self.glow.strength > 0)


EFFECTS: dict[str, type[Effect]] = {name: field.annotation for name, field in Finish.model_fields.items()}  # type: ignore[misc]
"""The effects of a film's finish by their names, in the order in which they come."""
