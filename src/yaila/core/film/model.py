"""The film document, versioned.

Everything a film is, apart from the pictures themselves, which it names by the SHA-256 of their files.
"""

from __future__ import annotations

import secrets
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from yaila.core.camera import MAX_TILT, Ease, FrameSize, Manner, Pose
from yaila.core.colour import Tone
from yaila.core.errors import BadEdit
from yaila.core.film.upgrades import upgraded
from yaila.core.ground import Placement, Point, Similarity
from yaila.core.ground.georeference import Georeference
from yaila.core.ground.placement import Finite
from yaila.core.imagery.adjusted import Adjustments, Edges
from yaila.core.imagery.bend import Bend
from yaila.core.imagery.land import Land
from yaila.core.time import Rate

VERSION = 2
"""The version of the document that this program writes."""

FRAME_PRESETS = ((1280, 720), (1920, 1080), (3840, 2160), (1080, 1920), (1080, 1080))
"""Frame sizes offered by name, pixels; any even size from 64 to 8192 is free to use."""

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
Name = Annotated[str, Field(min_length=1, max_length=120)]
Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Span = Annotated[float, Field(gt=0, ge=1e-4, le=1e9, allow_inf_nan=False)]


def new_id() -> str:
    """A fresh identifier."""
    return secrets.token_hex(4)


class Part(BaseModel):
    """A part of the document: unknown fields are refused, values are checked on assignment too."""

    model_config = ConfigDict(
        extra="forbid", validate_assignment=True, json_schema_serialization_defaults_required=True
    )


class Frame(Part):
    """The size of the film's frame, pixels. Even, as yuv 4:2:0 video needs."""

    width: int = Field(1920, ge=64, le=8192, multiple_of=2)
    height: int = Field(1080, ge=64, le=8192, multiple_of=2)

    @property
    def size(self) -> FrameSize:
        """The same as a plain value."""
        return FrameSize(self.width, self.height)


class Ground(Part):
    """The flat surface that all things lie on.

    ``plain``: units are pixels of the first plate. ``mercator``: units are Web Mercator metres (EPSG:3857).
    """

    kind: Literal["plain", "mercator"] = "plain"


class PictureRef(Part):
    """A stored picture: the SHA-256 of its file, and its size in pixels as it is drawn."""

    sha256: Sha256
    width: int = Field(ge=1)
    height: int = Field(ge=1)
    alpha: bool = False


class Feather(Part):
    """How a plate melts into what lies below.

    ``width`` is in percent: of half the shorter side for a rectangle or an outline, of the half axes for an
    ellipse, from the edge inwards. 100 reaches the centre. ``outline`` holds the corners of a drawn one, in plate
    pixels; nothing is shown outside.
    """

    shape: Literal["rectangle", "ellipse", "outline"] = "rectangle"
    width: float = Field(0.0, ge=0, le=100)
    outline: tuple[Point, ...] = Field((), max_length=200)

    @model_validator(mode="after")
    def _drawn(self) -> Feather:
        if self.shape == "outline" and len(self.outline) < 3:
            raise ValueError("An outline needs three corners at least: click them on the chart.")
        return self


class Tie(Part):
    """The same feature twice: at ``x``, ``y`` of the plate, in its pixels, and where it belongs: at ``to`` on the plate
    ``other``, in that plate's pixels, or at ``to`` on the ground if ``other`` is none. ``match`` is how well the two
    agreed when the tie was made exact."""

    id: Id = Field(default_factory=new_id)
    x: Finite
    y: Finite
    other: Id | None = None
    to: Point
    used: bool = True
    match: float | None = Field(None, ge=-1, le=1.001)


Model = Literal["similarity", "affine", "homography", "bend"]


class Fit(Part):
    """How a plate came to lie as it does.

    ``by``: hand, ties (tie points or control points), found (automatically) or file (its own georeference).
    ``model`` is what the ties are solved for, none to let the cross-validated residual choose. ``residual`` is the
    root mean square of what is left, in pixels of the coarser plate. ``confidence`` of a found fit is in percent,
    and ``inliers`` says how many matches bear it. ``hold`` keeps a bend from where the camera goes (``goal_of`` in
    ``film/fitting.py``). ``note`` says why a plate was left as it lay.
    """

    by: Literal["hand", "ties", "found", "file"] = "hand"
    model: Model | None = None
    ties: list[Tie] = Field(default_factory=list, max_length=400)
    hold: bool = False
    residual: float | None = Field(None, ge=0)
    confidence: float | None = Field(None, ge=0, le=100)
    inliers: int | None = Field(None, ge=0)
    on: Id | None = None
    note: str = Field("", max_length=300)


class Plate(Part):
    """A picture laid on the ground.

    ``role``: a reference plate is seen on the chart only, with ``opacity`` there and ``contrast`` percent; it is
    never in the film.
    """

    id: Id = Field(default_factory=new_id)
    name: Name
    picture: PictureRef
    placement: Placement = Field(default_factory=Similarity)
    fit: Fit = Field(default_factory=Fit)
    bend: Bend | None = None
    feather: Feather = Field(default_factory=Feather)
    tone: Tone = Field(default_factory=Tone)
    land: Land | None = None
    edges: Edges | None = None
    opacity: float = Field(1.0, ge=0, le=1)
    contrast: float = Field(100.0, ge=10, le=300)
    shown: bool = True
    role: Literal["film", "reference"] = "film"
    credit: str = Field("", max_length=300)
    georeference: Georeference | None = None
    holes: tuple[tuple[int, int, int, int], ...] = Field((), max_length=10_000)
    """Parts of the picture that could not be got: x, y, width, height, pixels."""

    @property
    def in_film(self) -> bool:
        """Whether the film shows it."""
        return self.shown and self.role == "film" and self.opacity > 0

    @property
    def extent(self) -> tuple[int, int]:
        """Width and height, pixels, with what its edges add."""
        width, height = self.picture.width, self.picture.height
        across, down = self.edges.margin(width, height) if self.edges else (0, 0)
        return width + 2 * across, height + 2 * down

    @property
    def matrix(self) -> NDArray[np.float64]:
        """The 3x3 map to the ground of the pixels of its ``extent``."""
        width, height = self.picture.width, self.picture.height
        matrix = self.placement.matrix(width, height)
        if self.edges:
            across, down = self.edges.margin(width, height)
            matrix = matrix @ np.array([[1.0, 0.0, -across], [0.0, 1.0, -down], [0.0, 0.0, 1.0]])
        return matrix

    @property
    def look(self) -> str:
        """A short name that differs whenever the pixels of the plate do."""
        return self.picture.sha256[:16] + self.adjustments.key

    @property
    def adjustments(self) -> Adjustments:
        """What is done to its picture when it is drawn."""
        outline = self.feather.outline if self.feather.shape == "outline" else ()
        return Adjustments(
            edges=self.edges,
            bend=self.bend,
            land=self.land,
            outline=tuple((point.x, point.y) for point in outline),
            fade=self.feather.width / 200 * min(self.picture.width, self.picture.height) if outline else 0.0,
            tone=None if self.tone.idle else self.tone,
        )


Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


class RegionStyle(Part):
    """How a region is drawn. Lengths are pixels of the film's frame, so that they scale with it.

    ``gap`` keeps the fill away from the outline, so that neighbours are parted by what lies below; ``glow`` is the
    width of a light along the inside of the outline; ``shadow`` is the softness of one that falls to the lower right.
    """

    fill: Colour = "#e9e2cf"
    opacity: float = Field(1.0, ge=0, le=1)
    gap: float = Field(0.0, ge=0, le=200)
    glow: float = Field(0.0, ge=0, le=400)
    glow_colour: Colour = "#ffffff"
    shadow: float = Field(0.0, ge=0, le=200)
    shadow_opacity: float = Field(0.5, ge=0, le=1)


class Region(Part):
    """A part of the ground within outlines: rings of ground places, filled by the even-odd rule, so that a ring within
    another is a hole."""

    id: Id = Field(default_factory=new_id)
    name: Name = "Region"
    rings: tuple[tuple[Point, ...], ...] = Field(max_length=20_000)
    style: RegionStyle = Field(default_factory=RegionStyle)
    shown: bool = True

    @field_validator("rings")
    @classmethod
    def _closed(cls, rings: tuple[tuple[Point, ...], ...]) -> tuple[tuple[Point, ...], ...]:
        if any(len(ring) < 3 for ring in rings):
            raise ValueError("An outline needs three corners at least.")
        if sum(len(ring) for ring in rings) > 60_000:
            raise ValueError("The outlines have over 60,000 corners. Trace them with a larger tolerance.")
        return rings


class Duration(Part):
    """How long a passage takes.

    ``seconds`` and ``frames`` say it outright (a fraction of a frame is rounded). ``natural`` takes the length
    of the path and a pace, in doublings per second.
    """

    unit: Literal["seconds", "frames", "natural"] = "natural"
    value: float = Field(1.0, gt=0, ge=0.01, le=86400)


class Passage(Part):
    """The move from one vantage to the next."""

    manner: Manner = "glide"
    ease: Ease = Field(default_factory=Ease)
    duration: Duration = Field(default_factory=Duration)


class Vantage(Part):
    """Where the camera rests: angles in degrees, focal length in millimetres on 36 mm, hold in seconds.

    ``passage`` is the move from here to the next vantage; the last vantage's waits until there is a next one.
    """

    id: Id = Field(default_factory=new_id)
    name: Name = "Vantage"
    x: Finite = 0.0
    y: Finite = 0.0
    span: Span = 1000.0
    tilt: float = Field(0.0, ge=0, le=MAX_TILT)
    heading: float = Field(0.0, ge=-360, le=360)
    roll: float = Field(0.0, ge=-180, le=180)
    focal: float = Field(35.0, ge=8, le=400)
    hold: float = Field(1.5, ge=0, le=3600)
    passage: Passage = Field(default_factory=Passage)

    @property
    def pose(self) -> Pose:
        """The camera at rest here."""
        return Pose(self.x, self.y, self.span, self.tilt, self.heading, self.roll, self.focal)


class Film(Part):
    """One piece of work. Plates are listed from the bottom of the stack to its top."""

    format: Literal["yaila/film"] = "yaila/film"
    version: Literal[2] = 2
    name: Name = "Untitled film"
    frame: Frame = Field(default_factory=Frame)
    rate: str = "25"
    background: str = Field("#22303a", pattern=r"^#[0-9a-fA-F]{6}$")
    ground: Ground = Field(default_factory=Ground)
    plates: list[Plate] = Field(default_factory=list, max_length=500)
    regions: list[Region] = Field(default_factory=list, max_length=200)
    vantages: list[Vantage] = Field(default_factory=list, max_length=500)

    @model_validator(mode="before")
    @classmethod
    def _upgrade(cls, document: Any) -> Any:
        return upgraded(document)

    @field_validator("rate")
    @classmethod
    def _rate(cls, text: str) -> str:
        return str(Rate.parse(text))

    @model_validator(mode="after")
    def _ids_differ(self) -> Film:
        for what, ids in (
            ("plates", [plate.id for plate in self.plates]),
            ("regions", [region.id for region in self.regions]),
            ("vantages", [vantage.id for vantage in self.vantages]),
        ):
            if len(set(ids)) != len(ids):
                raise ValueError(f"Two {what} have the same id: give each its own.")
        return self

    @property
    def fps(self) -> Rate:
        """The frame rate as a value."""
        return Rate.parse(self.rate)

    def plate(self, plate_id: str) -> Plate:
        """The plate with an id.

        Raises:
            BadEdit: there is none.
        """
        return self.plates[self.plate_index(plate_id)]

    def plate_index(self, plate_id: str) -> int:
        """The place in the stack of the plate with an id, 0 at the bottom."""
        for index, plate in enumerate(self.plates):
            if plate.id == plate_id:
                return index
        raise BadEdit("That plate is no longer in the film. Undo brings it back.")

    def vantage_index(self, vantage_id: str) -> int:
        """The place in the film of the vantage with an id."""
        for index, vantage in enumerate(self.vantages):
            if vantage.id == vantage_id:
                return index
        raise BadEdit("That vantage is no longer in the film. Undo brings it back.")
