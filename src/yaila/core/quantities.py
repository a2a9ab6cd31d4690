"""What the values of the document are: the kinds of quantity, said by annotation.

A field says ``x: East`` or ``width: FrameLength``; whoever has to move, scale, turn, stretch or re-reference a film
reads that from the types (``film/walk.py``), and so do the interface, which takes units from the schema, and courses,
which take from it how a value runs from one to another.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

Runs = Literal["evenly", "sizes", "turns", "colours"]
"""How a value runs from one to another: evenly; evenly in its logarithm; the short way round, degrees; in Oklab."""


@dataclass(frozen=True)
class Quantity:
    """A kind of value. ``unit`` is what the interface writes behind it ("ground" stands for the ground's own unit);
    ``unless`` names a flag of the same part that, when set, makes it relative to something else."""

    name: str
    unit: str = ""
    runs: Runs = "evenly"
    unless: str = ""

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        made = handler(schema)
        if "$ref" not in made:
            made |= {"quantity": self.name} | ({"unit": self.unit} if self.unit else {})
        return made


@dataclass(frozen=True)
class Ref(Quantity):
    """A name of something else in the film, or of a picture, sound, clip or aid of the store."""

    of: Literal["route", "plate", "vantage", "mark", "style", "lane", "picture", "sound", "clip", "aid"] = "mark"


FINITE = Field(allow_inf_nan=False, ge=-1e9, le=1e9)
Finite = Annotated[float, FINITE]
ID = Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")
Id = Annotated[str, ID]
"""An identifier."""
Name = Annotated[str, Field(min_length=1, max_length=120)]

# On the ground. A place is a pair of fields, one tagged as its east and one as its north, or a tuple of both.
PLACE = Quantity("place", "ground")
EAST, NORTH = Quantity("east", "ground"), Quantity("north", "ground")
OFFSET = Quantity("offset", "ground")
GROUND_LENGTH = Quantity("ground length", "ground", "sizes")
TRUE_LENGTH = Quantity("true length", "ground", "sizes")
HEIGHT = Quantity("height", "ground")
GROUND_SPEED = Quantity("ground speed", "ground/s")
BEARING = Quantity("bearing", "°", "turns")
TURN = Quantity("bearing", "°", "turns", unless="turns")
"""A bearing, or, with the flag ``turns``, an angle from where the camera looks."""
LAID = Quantity("placement")

East = Annotated[float, EAST, FINITE]
North = Annotated[float, NORTH, FINITE]
"""Ground units."""
GroundLength = Annotated[float, GROUND_LENGTH]
"""Ground units."""
TrueLength = Annotated[float, TRUE_LENGTH]
"""Metres on the Earth where the ground is georeferenced, ground units where it is plain."""
Height = Annotated[float, HEIGHT]
"""Above the ground, ground units."""
GroundSpeed = Annotated[float, GROUND_SPEED]
"""Ground units a second."""
Bearing = Annotated[float, BEARING]
"""Degrees clockwise from north."""

# On a plate's picture, its pixels.
PLATE_PLACE = Quantity("plate place", "px")
TIED_PLACE = Quantity("tied place", "px")
"""Of another plate's picture, or, without one, on the ground."""
PLATE_X, PLATE_Y = Quantity("plate x", "px"), Quantity("plate y", "px")
PULLED_X, PULLED_Y = Quantity("pulled x", "px"), Quantity("pulled y", "px")
PLATE_LENGTH = Quantity("plate length", "px", "sizes")
PLATE_BOX = Quantity("plate box", "px")

PlateX = Annotated[float, PLATE_X, FINITE]
PlateY = Annotated[float, PLATE_Y, FINITE]

# In time.
FILM_TIME = Quantity("film time", "s")
SECONDS = Quantity("duration", "s", "sizes")
FRAMES = Quantity("frames", "frames")
OWN_FRAMES = Quantity("own frames", "frames")
"""Of something that takes its own time, such as a pop: it does not grow longer with the film."""
PACE = Quantity("pace", "doublings/s", "sizes")
PER_SECOND = Quantity("rate", "/s")
TIME_SHARE = Quantity("share of time")

FilmTime = Annotated[float, FILM_TIME]
"""Seconds from the start of the film."""
Seconds = Annotated[float, SECONDS]
Frames = Annotated[int, OWN_FRAMES]
FramesOfTime = Annotated[float, FRAMES]
"""Frames, perhaps a part of one."""
PerSecond = Annotated[float, PER_SECOND]
TimeShare = Annotated[float, TIME_SHARE]
"""0..1 of how long something takes."""

# Along a route.
ROUTE_POINT = Quantity("route point")
ROUTE_SHARE = Quantity("route share")
RoutePointIndex = Annotated[int, ROUTE_POINT]
"""A point of the route named beside it."""
RouteShare = Annotated[float, ROUTE_SHARE]
"""0..1 of the length of the route named beside it."""

# In the frame, and numbers without a place.
FRAME_LENGTH = Quantity("frame length", "px")
FRAME_SIZE = Quantity("frame size", "px", "sizes")
FRAME_SHARE = Quantity("frame share")
SHARE = Quantity("share")
PERCENT = Quantity("percent", "%")
ANGLE = Quantity("angle", "°")
FACTOR = Quantity("factor", "×", "sizes")
LENS = Quantity("focal length", "mm", "sizes")
F_NUMBER = Quantity("f-number", "", "sizes")
MODEL_LENGTH = Quantity("model length", "m", "sizes")
FOCUS = Quantity("focus")
COUNT = Quantity("count")
COLOUR = Quantity("colour", "", "colours")
NUMBER = Quantity("number")

FrameLength = Annotated[float, FRAME_LENGTH]
"""Pixels of the film's frame."""
MarkSize = Annotated[float, FRAME_SIZE]
"""How large a sign or a letter is, pixels of the film's frame."""
FrameShare = Annotated[float, FRAME_SHARE]
"""0..1 of the frame's width or height."""
Share = Annotated[float, SHARE]
"""0..1."""
Percent = Annotated[float, PERCENT]
Angle = Annotated[float, ANGLE]
"""Degrees, from something else than north."""
Factor = Annotated[float, FACTOR]
Millimetres = Annotated[float, LENS]
FNumber = Annotated[float, F_NUMBER]
ModelLength = Annotated[float, MODEL_LENGTH]
"""Metres of the model that the lens sees."""
Count = Annotated[int, COUNT]
Stops = Annotated[float, Quantity("exposure", "stops")]
Kelvin = Annotated[float, Quantity("temperature", "K")]
LightKelvin = Annotated[float, Quantity("colour temperature", "K", "sizes")]
"""The colour temperature of a light."""
Hour = Annotated[float, Quantity("hour of the day", "h")]
TurnsAMinute = Annotated[float, Quantity("turning", "turns/min")]
Decibels = Annotated[float, Quantity("level", "dB")]
Semitones = Annotated[float, Quantity("pitch", "semitones")]
Number = Annotated[float, NUMBER]
"""A number of no kind that anything else depends on."""
Colour = Annotated[str, COLOUR, Field(pattern=r"^#[0-9a-fA-F]{6}$")]

# Names of other things.
RouteRef = Annotated[str, Ref("route name", of="route"), ID]
PlateRef = Annotated[str, Ref("plate name", of="plate"), ID]
VantageRef = Annotated[str, Ref("vantage name", of="vantage"), ID]
MARK_NAME = Ref("mark name", of="mark")
MarkRef = Annotated[str, MARK_NAME, ID]
StyleRef = Annotated[str, Ref("style name", of="style"), ID]
SHA256 = Field(pattern=r"^[0-9a-f]{64}$")
PictureSha = Annotated[str, Ref("picture name", of="picture"), SHA256]
LaneRef = Annotated[str, Ref("lane name", of="lane"), ID]
ClipSha = Annotated[str, Ref("clip name", of="clip"), SHA256]
SoundSha = Annotated[str, Ref("sound name", of="sound"), SHA256]
FamilyName = Annotated[str, Ref("font name", of="aid")]
"""A family that ships with Yaila, or the SHA-256 of a font of the store."""
AidSha = Annotated[str, Ref("aid name", of="aid"), SHA256]


def wrapped(degrees: Any) -> Any:
    """The same direction counted from -180 (included) to 180, of a number or an array."""
    return (degrees + 180) % 360 - 180


def quantity_of(metadata: list[Any] | tuple[Any, ...]) -> Quantity | None:
    """The kind of quantity among the metadata of an annotation; none if it says none."""
    return next((one for one in metadata if isinstance(one, Quantity)), None)


def is_count(text: str) -> bool:
    """Whether a text is a whole number from 0 that a database can hold: ASCII digits, no more than 18."""
    return text.isascii() and text.isdigit() and len(text) <= 18
