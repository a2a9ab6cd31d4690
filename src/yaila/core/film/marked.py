"""What is marked on the ground or in the frame: routes, markers, labels and regions, and the styles that they share."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import ConfigDict, Field, field_validator, model_validator

from yaila.core.film.part import Part, new_id
from yaila.core.ground import Point
from yaila.core.ground.curve import Curve, smooth
from yaila.core.ground.mercator import stretch_at
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
from yaila.core.marks.travellers import Drawing
from yaila.core.quantities import (
    OFFSET,
    PLACE,
    SECONDS,
    TURN,
    Angle,
    Bearing,
    ClipSha,
    Colour,
    Count,
    East,
    Factor,
    Finite,
    FrameLength,
    Frames,
    FrameShare,
    GroundLength,
    Height,
    Id,
    MarkRef,
    Name,
    North,
    Number,
    Percent,
    PictureSha,
    RouteRef,
    RouteShare,
    Seconds,
    StyleRef,
    TrueLength,
)
from yaila.core.time import Changes, Ease, FilmMoment, Moment

MOST_POINTS = 4000
"""Points of a route."""

LEAST_LEG = 0.001
"""Seconds that a line takes for a leg at least."""

MOST_LETTERS = 1000
"""Letters of a label."""


class Mark(Part):
    """What all marks have. ``style`` names a shared look: then only the properties in ``own`` are the mark's own, how
    it comes and goes among them.
    Marks of one ``group`` are shown, hidden and moved together; a ``locked`` one is not moved by hand."""

    id: Id = Field(default_factory=new_id)
    name: Name = "Mark"
    style: StyleRef | None = None
    own: tuple[str, ...] = Field((), max_length=60)
    group: str = Field("", max_length=60)
    locked: bool = False


class LegLook(Part):
    """What one leg of a route has of its own; of the rest it looks as the others do. ``symbol`` is what travels on
    it."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    colour: Colour | None = None
    edge_colour: Colour | None = None
    width: FrameLength | None = Field(None, ge=0.2, le=200)
    dash: Literal["solid", "dashes", "dots", "double"] | None = None
    symbol: Drawing | None = None

    def of(self, look: Stroke) -> Stroke:
        """The line's look on this leg."""
        own = {name: getattr(self, name) for name in ("colour", "edge_colour", "width", "dash")}
        return look.model_copy(update={name: value for name, value in own.items() if value is not None})


class RoutePoint(Part):
    """A point of a route, ground units. ``corner`` breaks the curve there; ``stop`` names a place where the journey
    halts, none for a point that only shapes the line. ``before`` and ``after`` are handles, relative to it. ``leg`` is
    how the leg looks that begins there, where it is a stop or the first point."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    x: East
    y: North
    corner: bool = False
    stop: str | None = Field(None, max_length=120)
    wait: Seconds = Field(0.0, ge=0, le=3600)
    """Seconds that the line waits at a stop."""
    before: Annotated[tuple[Finite, Finite], OFFSET] | None = None
    after: Annotated[tuple[Finite, Finite], OFFSET] | None = None
    leg: LegLook | None = None


class Draws(Part):
    """How a route's line draws itself in the film: from the moment ``starts`` on.

    ``pace`` says what is given: ``whole``, ``seconds`` for the whole way, at one pace on the ground; ``screen``, the
    same, at one pace in frame widths, however close the camera is, and without waits; ``legs``, the
    seconds of each leg between stops in ``legs`` (those that are missing take ``seconds`` each); at stops it waits;
    ``camera``, it goes along with the first passage that follows the route, and ``starts`` does not count.

    ``part`` says which part is drawn: ``from_start`` on, ``from_end`` back, from ``both_ends``, from the ``middle``, or
    a travelling ``piece`` that is ``piece`` percent of the whole long.
    """

    shown: bool = False
    starts: Moment = Field(default_factory=FilmMoment)
    pace: Literal["whole", "screen", "legs", "camera"] = "whole"
    part: Literal["from_start", "from_end", "both_ends", "middle", "piece"] = "from_start"
    piece: Percent = Field(20.0, ge=0.5, le=100, title="Piece")
    seconds: Seconds = Field(6.0, gt=0, ge=LEAST_LEG, le=86400, title="The whole way in")
    legs: tuple[Annotated[float, SECONDS, Field(gt=0, ge=LEAST_LEG, le=86400)], ...] = Field((), max_length=500)
    ease: Ease = Ease(x1=0.0, y1=0.0, x2=1.0, y2=1.0)

    def pieces(self, way: float, length: float) -> list[tuple[float, float]]:
        """The parts of a route that are drawn when a way of its length is done: from and to, lengths along it."""
        rest = length - way
        parts = {
            "from_start": [(0.0, way)],
            "from_end": [(rest, length)],
            "both_ends": [(0.0, way / 2), (length - way / 2, length)],
            "middle": [(rest / 2, length - rest / 2)],
            "piece": [(max(way - self.piece / 100 * length, 0.0), way)],
        }[self.part]
        return [(first, last) for first, last in parts if last > first]

    def heads(self, way: float, length: float) -> list[tuple[float, int]]:
        """Where its heads are, lengths along the route, and whether they run with it (1) or against it (-1)."""
        rest = length - way
        return {
            "from_start": [(way, 1)],
            "from_end": [(rest, -1)],
            "both_ends": [(way / 2, 1), (length - way / 2, -1)],
            "middle": [(length - rest / 2, 1), (rest / 2, -1)],
            "piece": [(way, 1)],
        }[self.part]

    def done(self, place: float, length: float) -> float:
        """The way that is done when a head is at a place first; the inverse of :meth:`heads`."""
        return {
            "from_start": place,
            "from_end": length - place,
            "both_ends": 2 * min(place, length - place),
            "middle": 2 * abs(place - length / 2),
            "piece": place,
        }[self.part]


class Route(Mark):
    """A way over the ground: a smooth curve through its points, perhaps drawn in the film."""

    kind: ClassVar[str] = "route"
    name: Name = "Route"
    points: tuple[RoutePoint, ...] = Field(min_length=2, max_length=MOST_POINTS)
    closed: bool = False
    look: Stroke = Field(default_factory=Stroke)
    draws: Draws = Field(default_factory=Draws)
    traveller: Traveller | None = None

    @property
    def stops(self) -> list[int]:
        """The points at which it halts, first and last included."""
        last = len(self.points) - 1
        return [i for i, point in enumerate(self.points) if point.stop or i in (0, last)]

    @property
    def legs(self) -> list[tuple[float, float, LegLook | None]]:
        """The legs from stop to stop: where each begins and ends along the curve, and what it has of its own."""
        stops, knots = self.stops, self.curve.knots
        edges = [*knots[stops].tolist(), *([self.curve.length] if self.closed else [])]
        return [(a, b, self.points[stop].leg) for a, b, stop in zip(edges, edges[1:], stops, strict=False)]

    @property
    def curve(self) -> Curve:
        """The curve, on the ground."""
        return _same_curve(_Same(self.points), self.closed)


@dataclass(frozen=True, eq=False)
class _Same:
    """The very same points: told apart without a look at each of them."""

    points: tuple[RoutePoint, ...]

    def __hash__(self) -> int:
        return id(self.points)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and self.points is other.points


@lru_cache(maxsize=256)
def _same_curve(same: _Same, closed: bool) -> Curve:
    return _route_curve(same.points, closed)


@lru_cache(maxsize=256)
def _route_curve(points: tuple[RoutePoint, ...], closed: bool) -> Curve:
    places = np.array([[point.x, point.y] for point in points])
    handles = [
        tuple(None if h is None else places[i] + h for h in (point.before, point.after))
        for i, point in enumerate(points)
    ]
    return smooth(places, [point.corner for point in points], [(a, b) for a, b in handles], closed)


class Reveal(Part):
    """How a plate or a mark is uncovered in the film, from the moment ``starts`` on.

    By a ``circle`` that grows about ``x``, ``y``, or by a ``wipe`` whose edge runs towards ``direction`` (degrees from
    north), within ``frames``; or along ``routes``, as their lines are drawn, ``width`` ground units wide. ``soft`` is
    how far its edge melts, frame pixels.
    """

    how: Literal["circle", "wipe", "route"] = "circle"
    starts: Moment = Field(default_factory=FilmMoment)
    frames: Frames = Field(25, ge=1, le=5000, title="Within")
    x: East = 0.0
    y: North = 0.0
    direction: Bearing = Field(90.0, ge=-360, le=360, title="Runs towards")
    routes: tuple[RouteRef, ...] = Field((), max_length=40)
    width: GroundLength = Field(500.0, gt=0, ge=1e-3, le=1e8)
    soft: FrameLength = Field(30.0, ge=0, le=400, title="Soft edge")


EDGES = ("comes", "goes")
"""What says how a mark comes and goes, in it and in its style."""


class TimedMark(Mark):
    """A mark that is there from the moment ``starts`` to ``ends`` (the film's end if none)."""

    ways: ClassVar[tuple[str, ...]] = ("cut", "fade")
    """How such a mark can come and go."""

    starts: Moment = Field(default_factory=FilmMoment)
    ends: Moment | None = None
    comes: Arrival = Field(default_factory=Arrival)
    goes: Arrival = Field(default_factory=lambda: Arrival(how="fade", frames=8))
    reveal: Reveal | None = None
    """How it is uncovered besides; none if all of it may be seen."""
    shown: bool = True

    @property
    @abstractmethod
    def place(self) -> tuple[float, float]:
        """Where it is on the ground."""

    @property
    def led(self) -> int:
        """Frames before it begins to come, in which a line leads to it."""
        return 0

    @property
    def takes(self) -> int:
        """Frames from when it begins until all of it is there."""
        return self.led + (0 if self.comes.how == "cut" else self.comes.frames)

    def whole(self, start: int, end: int) -> int:
        """A frame at which all of it is there, when it is from ``start`` to before ``end``: as late as it may be if it
        goes before it has come."""
        came = start + self.takes
        return max(min(came, end - 1 - (self.goes.frames if self.ends else 0)), start)

    @field_validator("comes", "goes")
    @classmethod
    def can_come(cls, arrival: Arrival) -> Arrival:
        """The same, if such marks come or go like that.

        Raises:
            ValueError: they do not.
        """
        if arrival.how not in cls.ways:
            raise ValueError(
                f"A {cls.__name__.lower()} cannot come or go by “{arrival.how}”: it can by "
                f"{', '.join(sorted(cls.ways))}."
            )
        return arrival


class Marker(TimedMark):
    """A sign at a place of the ground. One that lies on it is turned by ``turn`` degrees from north. It blinks
    ``blinks`` times, ``blink`` frames each, once it is there."""

    kind: ClassVar[str] = "marker"
    ways: ClassVar[tuple[str, ...]] = ("cut", "fade", "pop", "grow", "drop", "draw")
    name: Name = "Marker"
    x: East
    y: North
    turn: Changes[Bearing] = Field(0.0, ge=-360, le=360, title="Turned")
    blinks: Count = Field(0, ge=0, le=100)
    blink: Frames = Field(12, ge=2, le=250, title="Each blink")
    look: MarkerLook = Field(default_factory=MarkerLook)

    @property
    def place(self) -> tuple[float, float]:
        """Where it is on the ground."""
        return self.x, self.y


class Leader(Part):
    """The line of a callout, from its place to its text: which stands ``dx``, ``dy`` pixels of the frame from the place
    (to the right, down). ``dot`` is the radius of the dot on the place. The line draws itself within ``frames``, then
    the text comes."""

    dx: Changes[FrameLength] = Field(180.0, ge=-4000, le=4000, title="To the right")
    dy: Changes[FrameLength] = Field(-140.0, ge=-4000, le=4000, title="Down")
    width: Changes[FrameLength] = Field(3.0, ge=0.2, le=60, title="Line")
    dot: Changes[FrameLength] = Field(6.0, ge=0, le=100)
    frames: Frames = Field(12, ge=1, le=500, title="Drawn within")


UNITS = {"m": 1.0, "km": 1000.0, "mi": 1609.344, "nmi": 1852.0, "ft": 0.3048}
"""Metres in each unit of length: the international mile and foot of 1959, the nautical mile of 1929."""


class Counter(Part):
    """What a label counts: how far the line of ``route`` has come over the Earth, in ``unit`` (on a plain ground, its
    length as it is); or, without a route, ``value``, which may change over the film."""

    route: RouteRef | None = None
    value: Changes[Number] = Field(0.0, ge=-1e12, le=1e12, title="Counts")
    unit: Literal["m", "km", "mi", "nmi", "ft"] = "km"
    places: Count = Field(0, ge=0, le=3, title="Decimals")


class Label(TimedMark):
    """A text.

    ``stands`` says how: ``facing``, upright in the frame at a place of the ground; ``board``, on a plane over it that
    is raised by ``tilt`` degrees from the ground (0 lies flat, 90 stands upright) and has its upper edge towards
    ``turn`` degrees, counted from north or, with ``turns``, from the camera's heading; ``frame``, at ``u``, ``v`` of
    the frame's width and height, whatever the camera does; ``route``, along the curve of ``route`` with its middle at
    the share ``along`` of the way.

    With a ``counter`` the text has a number where a # stands, or else before it.

    ``height`` is how far above the ground it stands, ground units. ``sits`` says on which side of its place the text
    is, ``gap`` pixels away. Between the spans ``widest`` and ``closest`` it is seen; beyond, it fades.
    """

    kind: ClassVar[str] = "label"
    ways: ClassVar[tuple[str, ...]] = (
        "cut", "fade", "letters", "words", "typed", "rise", "wipe", "pop", "grow",
    )  # fmt: skip
    name: Name = "Label"
    text: str = Field("Name", min_length=1)
    x: East = 0.0
    y: North = 0.0
    stands: Literal["facing", "board", "frame", "route"] = "facing"
    height: Changes[Height] = Field(0.0, ge=0, le=1e7)
    tilt: Changes[Angle] = Field(0.0, ge=0, le=90, title="Raised by")
    turn: Changes[Annotated[float, TURN]] = Field(0.0, ge=-360, le=360, title="Turned")
    turns: bool = False
    u: Changes[FrameShare] = Field(0.5, ge=-0.5, le=1.5, title="From the left")
    v: Changes[FrameShare] = Field(0.85, ge=-0.5, le=1.5, title="From the top")
    route: RouteRef | None = None
    along: Changes[RouteShare] = Field(0.5, ge=0, le=1, title="Middle at")
    sits: Literal["above", "below", "left", "right", "over"] = "above"
    gap: Changes[FrameLength] = Field(18.0, ge=0, le=1000)
    gives_way: bool = False
    """Whether one that faces the camera moves up or down in the frame where another label would hide it."""
    leader: Leader | None = None
    counter: Counter | None = None
    widest: GroundLength | None = Field(None, gt=0, ge=1e-4, le=1e9, title="Widest span")
    closest: GroundLength | None = Field(None, gt=0, ge=1e-4, le=1e9, title="Closest span")
    comes: Arrival = Field(default_factory=lambda: Arrival(how="letters", frames=18))
    look: Lettering = Field(default_factory=Lettering)

    @property
    def place(self) -> tuple[float, float]:
        """Where it is on the ground."""
        return self.x, self.y

    @property
    def led(self) -> int:
        """Frames in which the line of a callout draws itself."""
        return self.leader.frames if self.leader else 0

    @field_validator("text")
    @classmethod
    def _says_something(cls, text: str) -> str:
        if not text.strip():
            raise ValueError("A label needs a text. Type one, or take the label away")
        if len(text) > MOST_LETTERS:
            raise ValueError(
                f"A label can hold {MOST_LETTERS:,} letters, not {len(text):,}. Shorten it or make several"
            )
        return text

    @model_validator(mode="after")
    def _spans_in_order(self) -> Label:
        if self.widest and self.closest and self.widest <= self.closest:
            raise ValueError("The widest span at which a label is seen must be wider than the closest one")
        return self

    @model_validator(mode="after")
    def _on_the_ground(self) -> Label:
        if self.stands == "frame" and self.reveal:
            raise ValueError("What uncovers a label lies on the ground; one in the frame can come by a wipe instead")
        return self


class Crop(Part):
    """What is cut away on each side, percent of the width and height."""

    left: Changes[Percent] = Field(0.0, ge=0, le=48, title="From the left")
    top: Changes[Percent] = Field(0.0, ge=0, le=48, title="From the top")
    right: Changes[Percent] = Field(0.0, ge=0, le=48, title="From the right")
    bottom: Changes[Percent] = Field(0.0, ge=0, le=48, title="From below")


class ShownPicture(Part):
    """A stored picture, by the SHA-256 of its file, and its size in pixels."""

    kind: Literal["picture"] = "picture"
    sha256: PictureSha
    width: Count = Field(ge=1)
    height: Count = Field(ge=1)


class ShownClip(Part):
    """A stored clip, by the SHA-256 of its file: its size in pixels as it is seen, and how long it is. It plays from
    ``skip`` seconds on, ``speed`` times as fast, from where its inset comes, or, with ``waits``, from where all of it
    is there. ``after`` its end it holds its last picture, begins anew, or is gone."""

    kind: Literal["clip"] = "clip"
    sha256: ClipSha
    width: Count = Field(ge=1)
    height: Count = Field(ge=1)
    seconds: Seconds = Field(gt=0, le=86400)
    skip: Seconds = Field(0.0, ge=0, le=86400, title="Begins at")
    speed: Factor = Field(1.0, gt=0, ge=0.05, le=20, title="Times as fast")
    waits: bool = False
    after: Literal["holds", "again", "gone"] = "holds"

    def at(self, seconds: float) -> float | None:
        """The moment of the clip, seconds, so long after it has begun to play; none when it is over and gone."""
        length = max(self.seconds - self.skip, 1e-3)
        played = max(seconds, 0.0) * self.speed
        if played >= length:
            if self.after == "gone":
                return None
            played = played % length if self.after == "again" else length
        return self.skip + played


class Plays(Part):
    """The clip that a plate shows in place of its picture, from the moment ``starts`` on; before, it shows how the clip
    begins. When one that is ``gone`` after its end is over, the plate is not there any more."""

    clip: ShownClip
    starts: Moment = Field(default_factory=FilmMoment)


Shown = Annotated[ShownPicture | ShownClip, Field(discriminator="kind")]


class Inset(TimedMark):
    """A picture or a clip that belongs to a place, or stands in the frame.

    ``stands`` says how: ``facing``, upright in the frame with its lower edge at its place of the ground; ``board``, on
    a plane over it, as labels do; ``frame``, with its middle at ``u``, ``v`` of the frame's width and height; ``full``,
    over all of the frame. One that is ``under`` the map is seen where no plate covers, and where regions open the map
    (``RegionLook.opens``).
    """

    kind: ClassVar[str] = "inset"
    ways: ClassVar[tuple[str, ...]] = ("cut", "fade", "grow", "pop", "unfold", "iris")
    name: Name = "Inset"
    x: East = 0.0
    y: North = 0.0
    shows: Shown
    stands: Literal["facing", "board", "frame", "full"] = "facing"
    under: bool = Field(False, title="Under the map")
    height: Changes[Height] = Field(0.0, ge=0, le=1e7)
    tilt: Changes[Angle] = Field(0.0, ge=0, le=90, title="Raised by")
    turn: Changes[Annotated[float, TURN]] = Field(0.0, ge=-360, le=360, title="Turned")
    turns: bool = False
    u: Changes[FrameShare] = Field(0.5, ge=-0.5, le=1.5, title="From the left")
    v: Changes[FrameShare] = Field(0.5, ge=-0.5, le=1.5, title="From the top")
    gap: Changes[FrameLength] = Field(24.0, ge=0, le=1000, title="Above its place")
    crop: Crop = Field(default_factory=Crop)
    comes: Arrival = Field(default_factory=lambda: Arrival(how="grow", frames=14))
    goes: Arrival = Field(default_factory=lambda: Arrival(how="grow", frames=12))
    look: InsetLook = Field(default_factory=InsetLook)

    @property
    def place(self) -> tuple[float, float]:
        """Where it is on the ground."""
        return self.x, self.y

    @model_validator(mode="after")
    def _on_the_ground(self) -> Inset:
        if self.under and self.stands == "facing":
            raise ValueError("What stands upright is over the map. Lay an inset on the ground or in the frame first")
        if self.stands in ("frame", "full") and self.reveal:
            raise ValueError("What uncovers an inset lies on the ground; one in the frame can open as an iris instead")
        return self


class Circle(Part):
    """A circle about a place; ``radius`` in metres, or in ground units where the ground is plain."""

    x: East
    y: North
    radius: Changes[TrueLength] = Field(gt=0, ge=1e-4, le=2e7)

    def stretch(self, georeferenced: bool) -> float:
        """Ground units for a unit of its radius: on a Mercator ground metres are stretched by the latitude."""
        return stretch_at(self.y) if georeferenced else 1.0


class Region(TimedMark):
    """A part of the ground within outlines: rings of ground places, filled by the even-odd rule, so that a ring within
    another is a hole; or a circle. ``flashes`` times it lights up, for ``flash`` frames each, once it is there."""

    kind: ClassVar[str] = "region"
    ways: ClassVar[tuple[str, ...]] = ("cut", "fade", "grow", "draw")
    name: Name = "Region"
    rings: tuple[tuple[Annotated[Point, PLACE], ...], ...] = Field((), max_length=20_000)
    circle: Circle | None = None
    comes: Arrival = Field(default_factory=lambda: Arrival(how="cut", frames=12))
    flashes: Count = Field(0, ge=0, le=50)
    flash: Frames = Field(12, ge=2, le=250, title="Each flash")
    look: RegionLook = Field(default_factory=RegionLook)

    @field_validator("rings")
    @classmethod
    def _closed(cls, rings: tuple[tuple[Point, ...], ...]) -> tuple[tuple[Point, ...], ...]:
        if any(len(ring) < 3 for ring in rings):
            raise ValueError("An outline needs three corners at least.")
        if sum(len(ring) for ring in rings) > 60_000:
            raise ValueError("The outlines have over 60,000 corners. Trace them with a larger tolerance.")
        return rings

    @property
    def place(self) -> tuple[float, float]:
        """The middle of its circle, or of its outlines' corners."""
        if self.circle:
            return self.circle.x, self.circle.y
        corners = [corner for ring in self.rings for corner in ring]
        x, y = np.mean(corners, axis=0).tolist() if corners else (0.0, 0.0)
        return x, y

    def outline(self, georeferenced: bool) -> tuple[tuple[tuple[float, float], ...], ...]:
        """Its rings; a circle as a ring, taken to be small beside the Earth."""
        if not self.circle:
            return self.rings
        return (_round(self.circle.x, self.circle.y, self.circle.radius * self.circle.stretch(georeferenced)),)


@lru_cache(maxsize=64)
def _round(x: float, y: float, radius: float) -> tuple[tuple[float, float], ...]:
    angles = np.linspace(0, 2 * np.pi, 180, endpoint=False)
    places = np.column_stack([x + radius * np.sin(angles), y + radius * np.cos(angles)])
    return tuple((a, b) for a, b in places.tolist())


class Lamp(TimedMark):
    """A light at a height over a place of the ground; or one that goes along with a mark, ``hangs``, over what travels
    along a route."""

    kind: ClassVar[str] = "lamp"
    ways: ClassVar[tuple[str, ...]] = ("cut", "fade", "grow")
    name: Name = "Lamp"
    x: East
    y: North
    height: Changes[Height] = Field(200.0, ge=0, le=1e7)
    hangs: MarkRef | None = None
    comes: Arrival = Field(default_factory=lambda: Arrival(how="fade", frames=25))
    goes: Arrival = Field(default_factory=lambda: Arrival(how="fade", frames=25))
    look: LampLook = Field(default_factory=LampLook)

    @property
    def place(self) -> tuple[float, float]:
        """Where it is on the ground, if it does not hang on a mark."""
        return self.x, self.y


class Deck(TimedMark):
    """A layer of cloud at a height over all of the ground."""

    kind: ClassVar[str] = "deck"
    name: Name = "Deck"
    height: Changes[Height] = Field(30_000.0, gt=0, ge=1e-3, le=1e8)
    comes: Arrival = Field(default_factory=lambda: Arrival(how="cut", frames=25))
    goes: Arrival = Field(default_factory=lambda: Arrival(how="fade", frames=25))
    look: DeckLook = Field(default_factory=DeckLook)

    @property
    def place(self) -> tuple[float, float]:
        """It is everywhere: counted from the ground's origin."""
        return 0.0, 0.0


class _Style(Part):
    id: Id = Field(default_factory=new_id)
    name: Name = "Style"


class _TimedStyle(_Style):
    """What styles of marks that come and go have: how those come and go, if that is shared too."""

    comes: Arrival | None = None
    goes: Arrival | None = None

    @model_validator(mode="after")
    def _can_come(self) -> _TimedStyle:
        for arrival in (self.comes, self.goes):
            if arrival:
                KINDS[self.kind].model.can_come(arrival)  # type: ignore[attr-defined]
        return self


class RouteStyle(_Style):
    """A shared look of routes."""

    kind: Literal["route"] = "route"
    look: Stroke = Field(default_factory=Stroke)


class MarkerStyle(_TimedStyle):
    """A shared look of markers."""

    kind: Literal["marker"] = "marker"
    look: MarkerLook = Field(default_factory=MarkerLook)


class LabelStyle(_TimedStyle):
    """A shared look of labels."""

    kind: Literal["label"] = "label"
    look: Lettering = Field(default_factory=Lettering)


class RegionStyle(_TimedStyle):
    """A shared look of regions."""

    kind: Literal["region"] = "region"
    look: RegionLook = Field(default_factory=RegionLook)


class LampStyle(_TimedStyle):
    """A shared look of lamps."""

    kind: Literal["lamp"] = "lamp"
    look: LampLook = Field(default_factory=LampLook)


class InsetStyle(_TimedStyle):
    """A shared look of insets."""

    kind: Literal["inset"] = "inset"
    look: InsetLook = Field(default_factory=InsetLook)


class DeckStyle(_TimedStyle):
    """A shared look of decks."""

    kind: Literal["deck"] = "deck"
    look: DeckLook = Field(default_factory=DeckLook)


@dataclass(frozen=True)
class Kind:
    """A kind of mark: its model, its shared looks, and what its list is called in the film and in a scene."""

    model: type[Mark]
    style: type[Any]
    listed: str


KINDS = {
    "region": Kind(Region, RegionStyle, "regions"),
    "route": Kind(Route, RouteStyle, "routes"),
    "marker": Kind(Marker, MarkerStyle, "markers"),
    "inset": Kind(Inset, InsetStyle, "insets"),
    "label": Kind(Label, LabelStyle, "labels"),
    "lamp": Kind(Lamp, LampStyle, "lamps"),
    "deck": Kind(Deck, DeckStyle, "decks"),
}
"""The kinds of marks, in the order in which they are painted."""

Style = Annotated[
    RouteStyle | MarkerStyle | LabelStyle | RegionStyle | LampStyle | DeckStyle | InsetStyle,
    Field(discriminator="kind"),
]
AnyMark = Route | Marker | Label | Region | Lamp | Deck | Inset
Timed = Marker | Label | Region | Lamp | Deck | Inset


def style_of(mark: AnyMark, styles: list[Any]) -> Any:
    """The style that a mark uses, none if it uses none of its kind."""
    if mark.style is None:
        return None
    return next((style for style in styles if style.id == mark.style and style.kind == mark.kind), None)
