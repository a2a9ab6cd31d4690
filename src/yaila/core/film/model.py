"""The film document, versioned.

Everything a film is, apart from the pictures themselves, which it names by the SHA-256 of their files.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain
from typing import TYPE_CHECKING, Annotated, Any, Literal, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field, ValidationInfo, field_validator, model_validator

from yaila.core.camera import MAX_TILT, AnyManner, Breath, FrameSize, Opening, Pose, Settle, Shake, Spin
from yaila.core.camera.extras import Rise
from yaila.core.camera.manners import Cut, Glide
from yaila.core.colour import Tone
from yaila.core.errors import BadEdit
from yaila.core.film.finish import Finish
from yaila.core.film.marked import (
    EDGES,
    KINDS,
    AnyMark,
    Deck,
    Inset,
    Label,
    Lamp,
    Marker,
    Plays,
    Region,
    Reveal,
    Route,
    ShownClip,
    Style,
    Timed,
    TimedMark,
    style_of,
)
from yaila.core.film.part import Part, apart, new_id
from yaila.core.film.sounds import MOST_SOUNDS, FileSound, Lane, Levels, Sound
from yaila.core.film.upgrades import upgraded
from yaila.core.film.walk import found
from yaila.core.ground import Placement, Point, Similarity, TileBlock
from yaila.core.ground.georeference import Georeference
from yaila.core.imagery.adjusted import Adjustments, Edges
from yaila.core.imagery.bend import Bend
from yaila.core.imagery.land import Land
from yaila.core.marks import Look
from yaila.core.quantities import (
    FILM_TIME,
    GROUND_LENGTH,
    LAID,
    PLATE_BOX,
    PLATE_PLACE,
    TIED_PLACE,
    Angle,
    Bearing,
    Colour,
    Count,
    East,
    Height,
    Id,
    Millimetres,
    Name,
    North,
    Number,
    Percent,
    PictureSha,
    PlateRef,
    PlateX,
    PlateY,
    Ref,
    Seconds,
    Share,
)
from yaila.core.time import Changes, Course, Ease, MarkMoment, Rate

VERSION = 11
"""The version of the document that this program writes."""

LONGEST = 86400.0
"""Seconds: the longest film, and the longest anything in it."""

FRAME_PRESETS = ((1280, 720), (1920, 1080), (3840, 2160), (1080, 1920), (1080, 1080))
"""Frame sizes offered by name, pixels; any even size from 64 to 8192 is free to use."""

Width = Annotated[float, GROUND_LENGTH, Field(gt=0, ge=1e-4, le=1e9, allow_inf_nan=False)]
"""A span: how wide the ground in the frame is, ground units."""


M = TypeVar("M", bound=AnyMark)

if TYPE_CHECKING:
    LaidAs = Placement
else:
    # As ``Changes``, but in a form in which the kinds of placement stay told apart by their name.
    LaidAs = Annotated[Placement | Course[Placement], LAID]


class Frame(Part):
    """The size of the film's frame, pixels. Even, as yuv 4:2:0 video needs."""

    width: Count = Field(1920, ge=64, le=8192, multiple_of=2)
    height: Count = Field(1080, ge=64, le=8192, multiple_of=2)

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

    sha256: PictureSha
    width: Count = Field(ge=1)
    height: Count = Field(ge=1)
    alpha: bool = False


class Feather(Part):
    """How a plate melts into what lies below.

    ``width`` is in percent: of half the shorter side for a rectangle or an outline, of the half axes for an
    ellipse, from the edge inwards. 100 reaches the centre. ``outline`` holds the corners of a drawn one, in plate
    pixels; nothing is shown outside.
    """

    shape: Literal["rectangle", "ellipse", "outline"] = "rectangle"
    width: Changes[Percent] = Field(0.0, ge=0, le=100, title="Feather")
    outline: tuple[Annotated[Point, PLATE_PLACE], ...] = Field((), max_length=200)

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
    x: PlateX
    y: PlateY
    other: PlateRef | None = None
    to: Annotated[Point, TIED_PLACE]
    used: bool = True
    match: Number | None = Field(None, ge=-1, le=1.001)


FitModel = Literal["similarity", "affine", "homography", "bend"]


class Fit(Part):
    """How a plate came to lie as it does.

    ``by``: hand, ties (tie points or control points), found (automatically) or file (its own georeference).
    ``model`` is what the ties are solved for, none to let the cross-validated residual choose. ``residual`` is the
    root mean square of what is left, in pixels of the coarser plate. ``confidence`` of a found fit is in percent,
    and ``inliers`` says how many matches bear it. ``hold`` keeps a bend from where the camera goes (``goal_of`` in
    ``film/fitting.py``). ``note`` says why a plate was left as it lay.
    """

    by: Literal["hand", "ties", "found", "file"] = "hand"
    model: FitModel | None = None
    ties: list[Tie] = Field(default_factory=list, max_length=400)
    hold: bool = False
    residual: Number | None = Field(None, ge=0)
    confidence: Percent | None = Field(None, ge=0, le=100)
    inliers: Count | None = Field(None, ge=0)
    on: PlateRef | None = None
    note: str = Field("", max_length=300)


Holds = Literal["pictures", "heights", "lights"]
"""What the tiles of a survey hold: pictures to be seen, heights that raise the ground, or light by night."""


class Captured(Part):
    """Where a captured plate came from: the tiles of a survey source."""

    source: Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
    tiles: TileBlock


class Plate(Part):
    """A picture laid on the ground.

    ``role``: one of the film lies on the ground; what it covers may stand out as land by ``raised`` ground units, with
    sides. One that floats is on a plane at a ``height``, and goes before a camera that comes near. One of lights is
    light that is added to the ground at dusk. One that holds heights raises the ground (``Relief``) and is not seen
    itself. A reference plate is seen on the chart only, with ``opacity`` there and ``contrast`` percent.
    """

    id: Id = Field(default_factory=new_id)
    name: Name
    picture: PictureRef
    placement: LaidAs = Field(default_factory=Similarity)
    fit: Fit = Field(default_factory=Fit)
    bend: Bend | None = None
    feather: Feather = Field(default_factory=Feather)
    tone: Tone = Field(default_factory=Tone)
    land: Land | None = None
    edges: Edges | None = None
    opacity: Changes[Share] = Field(1.0, ge=0, le=1)
    raised: Changes[Height] = Field(0.0, ge=0, le=1e7, title="Stands out by")
    height: Changes[Height] = Field(1000.0, ge=0, le=1e8, title="Floats at")
    side_colour: Changes[Colour] = Field("#5b4c35", title="Sides")
    contrast: Percent = Field(100.0, ge=10, le=300)
    shown: bool = True
    role: Literal["film", "floats", "lights", "reference", "heights"] = "film"
    credit: str = Field("", max_length=300)
    georeference: Georeference | None = None
    holes: tuple[Annotated[tuple[int, int, int, int], PLATE_BOX], ...] = Field((), max_length=10_000)
    """Parts of the picture that could not be got: x, y, width, height, pixels."""
    captured: Captured | None = None
    reveal: Reveal | None = None
    """How it is uncovered in the film; none if it is there from the start."""
    plays: Plays | None = None
    """The clip that is seen in place of its picture, and lies as that does; none if it stands still."""

    @property
    def in_film(self) -> bool:
        """Whether the film shows it on the ground."""
        return self.role == "film" and self.is_seen

    @property
    def is_seen(self) -> bool:
        """Whether it is seen where its role lets it be."""
        there = any(stop.value > 0 for stop in self.opacity.stops) if isinstance(self.opacity, Course) else self.opacity
        return self.shown and bool(there)

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


class Duration(Part):
    """How long a passage takes.

    ``seconds`` and ``frames`` say it outright (a fraction of a frame is rounded). ``natural`` takes the length
    of the path and a pace, in doublings per second. ``before`` takes the pace of the passage before, whatever its
    length, times ``value``.
    """

    unit: Literal["seconds", "frames", "natural", "before"] = "natural"
    value: Number = Field(1.0, gt=0, ge=0.01, le=86400)


class Passage(Part):
    """The move from one vantage to the next; with ``rises`` it flies higher on its way, to keep clear of the ground."""

    manner: AnyManner = Field(default_factory=Glide)
    ease: Ease = Field(default_factory=Ease)
    settle: Settle | None = None
    duration: Duration = Field(default_factory=Duration)
    rises: tuple[Rise, ...] = Field((), max_length=200)


class Vantage(Part):
    """Where the camera rests: angles in degrees, focal length in millimetres on 36 mm, hold in seconds.

    ``flow`` passes it without a stop, in spite of its hold; ``tension`` (0..1) says how closely: with 1 the turn is
    sharp, with 0 the passages on either side are bent from their middles on. ``breath`` is what the camera does while
    it rests. ``shake`` holds from the arrival here to that at the next vantage. ``passage`` is the move from here to
    the next vantage; the last vantage's waits until there is a next one.
    """

    id: Id = Field(default_factory=new_id)
    name: Name = "Vantage"
    x: East = 0.0
    y: North = 0.0
    span: Width = 1000.0
    tilt: Angle = Field(0.0, ge=0, le=MAX_TILT)
    heading: Bearing = Field(0.0, ge=-360, le=360)
    roll: Angle = Field(0.0, ge=-180, le=180)
    focal: Millimetres = Field(35.0, ge=8, le=400, title="Lens")
    hold: Seconds = Field(1.5, ge=0, le=LONGEST)
    flow: bool = False
    tension: Share = Field(0.3, ge=0, le=1)
    breath: Breath | None = None
    shake: Shake | None = None
    passage: Passage = Field(default_factory=Passage)

    @property
    def pose(self) -> Pose:
        """The camera at rest here."""
        return Pose(self.x, self.y, self.span, self.tilt, self.heading, self.roll, self.focal)

    @property
    def cuts(self) -> bool:
        """Whether the film goes on from here with a cut."""
        return isinstance(self.passage.manner, Cut)


class FileUse(NamedTuple):
    """A stored file that a film needs: of which kind, its SHA-256, and the name and the id of what needs it."""

    kind: Literal["picture", "clip", "sound"]
    sha256: str
    name: str
    of: str


class Film(Part):
    """One piece of work. Plates are listed from the bottom of the stack to its top.

    ``length`` locks the whole length, seconds: passages then share the time that the holds leave, in the proportions
    that they would have by themselves. ``beats`` are moments of the sound to cut to, seconds.
    """

    format: Literal["yaila/film"] = "yaila/film"
    version: Literal[11] = 11
    name: Name = "Untitled film"
    frame: Frame = Field(default_factory=Frame)
    rate: str = "25"
    background: Colour = "#22303a"
    ground: Ground = Field(default_factory=Ground)
    plates: list[Plate] = Field(default_factory=list, max_length=500)
    regions: list[Region] = Field(default_factory=list, max_length=200)
    routes: list[Route] = Field(default_factory=list, max_length=200)
    markers: list[Marker] = Field(default_factory=list, max_length=2000)
    insets: list[Inset] = Field(default_factory=list, max_length=500)
    labels: list[Label] = Field(default_factory=list, max_length=2000)
    lamps: list[Lamp] = Field(default_factory=list, max_length=200)
    decks: list[Deck] = Field(default_factory=list, max_length=20)
    styles: list[Style] = Field(default_factory=list, max_length=200)
    vantages: list[Vantage] = Field(default_factory=list, max_length=500)
    opening: Opening | None = None
    closing: Spin | None = None
    finish: Finish = Field(default_factory=Finish)
    lanes: list[Lane] = Field(default_factory=list, max_length=24)
    sounds: list[Sound] = Field(default_factory=list, max_length=MOST_SOUNDS)
    levels: Levels = Field(default_factory=Levels)
    length: Seconds | None = Field(None, gt=0, le=LONGEST)
    beats: tuple[Annotated[float, FILM_TIME, Field(ge=0, le=LONGEST)], ...] = Field((), max_length=5000)

    @property
    def weight(self) -> int:
        """How many bytes of memory the film takes, roughly, with what is worked out of it."""
        corners = sum(len(ring) for region in self.regions for ring in region.rings)
        points = sum(len(route.points) for route in self.routes)
        parts = len(self.plates) + len(self.markers) + len(self.labels) + len(self.styles) + len(self.vantages)
        parts += len(self.lamps) + len(self.decks) + len(self.insets) + len(self.lanes) + len(self.sounds)
        return 100_000 + 200 * corners + 3_000 * points + 10_000 * (parts + len(self.regions) + len(self.routes))

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
            ("marks", [mark.id for mark in self.marks]),
            ("styles", [style.id for style in self.styles]),
            ("vantages", [vantage.id for vantage in self.vantages]),
            ("lanes", [lane.id for lane in self.lanes]),
            ("sounds", [sound.id for sound in self.sounds]),
        ):
            if len(set(ids)) != len(ids):
                raise ValueError(f"Two {what} have the same id: give each its own.")
        return self

    @model_validator(mode="after")
    def _names_exist(self, info: ValidationInfo) -> Film:
        there, like = self.ids, (info.context or {}).get("like")
        # What is shared with a film in which all that is named is there needs no look, as long as nothing of that went.
        holds = isinstance(like, Film) and all(ids <= there[kind] for kind, ids in like.ids.items())
        known = {id(part) for part in like.parts} if like and holds else ()
        looked_at = (part for part in self.parts if id(part) not in known)
        for name in chain.from_iterable(found(part, Ref) for part in looked_at):
            assert isinstance(name.kind, Ref)
            if name.kind.of in there and name.value not in there[name.kind.of]:
                holder = next((str(owner.name) for owner in name.owners if hasattr(owner, "name")), self.name)
                raise ValueError(
                    f"“{holder}” names a {name.kind.of} that is not in the film (“{name.value}”). Let it use "
                    f"another, or take the {name.kind.of} away with “Remove”, which lets go of all that uses it."
                )
        for one in (*self.plates, *self.timed):
            if one.reveal and one.reveal.how == "route" and not one.reveal.routes:
                raise ValueError(f"“{one.name}” is uncovered along a route, and none is named. Choose one.")
        for label in self.labels:
            if label.stands == "route" and not label.route:
                raise ValueError(f"“{label.name}” runs along a route, and none is named. Choose one.")
        for lane in self.lanes:
            if lane.under == lane.id:
                raise ValueError(f"“{lane.name}” cannot give way to itself. Choose another lane, or none.")
        return self

    @field_validator("beats")
    @classmethod
    def _in_time(cls, beats: tuple[float, ...]) -> tuple[float, ...]:
        return tuple(sorted(set(beats)))

    def __deepcopy__(self, memo: Any = None) -> Film:
        # Every act begins with it: what cannot be changed is shared.
        copy = apart(self)
        assert isinstance(copy, Film)
        return copy

    @property
    def fps(self) -> Rate:
        """The frame rate as a value."""
        return Rate.parse(self.rate)

    def one_apart(self, name: str, index: int) -> tuple[Film, Any]:
        """A copy in which one part of a list can be changed by itself, and that part; the others are the very same."""
        parts = [*getattr(self, name)]
        parts[index] = apart(parts[index])
        return self.model_copy(update={name: parts}), parts[index]

    @property
    def parts(self) -> Iterator[BaseModel]:
        """What it is made of: what stands in its lists, the effects of its finish, and whatever else it has."""
        for name in Film.model_fields:
            value = getattr(self, name)
            for part in value if isinstance(value, list) else value.effects if isinstance(value, Finish) else (value,):
                if isinstance(part, BaseModel):
                    yield part

    @property
    def ids(self) -> dict[str, set[str]]:
        """What there is to be named: the ids of each kind."""
        return {
            "route": {route.id for route in self.routes},
            "plate": {plate.id for plate in self.plates},
            "vantage": {vantage.id for vantage in self.vantages},
            "mark": {mark.id for mark in self.marks},
            "style": {style.id for style in self.styles},
            "lane": {lane.id for lane in self.lanes},
        }

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

    def route(self, route_id: str) -> Route:
        """The route with an id.

        Raises:
            BadEdit: there is none.
        """
        for route in self.routes:
            if route.id == route_id:
                return route
        raise BadEdit("That route is no longer in the film. Undo brings it back.")

    @property
    def timed(self) -> list[Timed]:
        """Marks that come and go, in the order in which they are drawn."""
        lists = [kind.listed for kind in KINDS.values() if issubclass(kind.model, TimedMark)]
        return [mark for name in lists for mark in getattr(self, name)]

    @property
    def reveals(self) -> list[tuple[str, Reveal, Timed | None]]:
        """What is uncovered in the film: the id of the plate or mark, how, and the mark if it is one."""
        plates = [(plate.id, plate.reveal, None) for plate in self.plates if plate.reveal]
        return [*plates, *((mark.id, mark.reveal, mark) for mark in self.timed if mark.reveal)]

    @property
    def marks(self) -> list[AnyMark]:
        """All marks."""
        return [*self.routes, *self.timed]

    def mark(self, mark_id: str) -> AnyMark:
        """The mark with an id.

        Raises:
            BadEdit: there is none.
        """
        for mark in self.marks:
            if mark.id == mark_id:
                return mark
        raise BadEdit("That mark is no longer in the film. Undo brings it back.")

    def style(self, style_id: str) -> Style:
        """The style with an id.

        Raises:
            BadEdit: there is none.
        """
        for style in self.styles:
            if style.id == style_id:
                return style
        raise BadEdit("That style is no longer in the film. Undo brings it back.")

    def look_of(self, mark: AnyMark) -> Any:
        """How a mark looks: as its style says, but for what is its own."""
        style = style_of(mark, self.styles)
        if style is None:
            return mark.look
        look: Look = style.look
        return look.model_copy(update={name: getattr(mark.look, name) for name in mark.own if hasattr(look, name)})

    def in_style(self, mark: M) -> M:
        """A mark that comes and goes as its style says, but for what is its own."""
        style = style_of(mark, self.styles)
        # Lines of routes draw themselves: their styles say nothing of it.
        shared = {edge: getattr(style, edge, None) for edge in EDGES if edge not in mark.own}
        shared = {edge: arrival for edge, arrival in shared.items() if arrival}
        return mark.model_copy(update=shared) if shared else mark  # type: ignore[return-value]

    def lane(self, lane_id: str) -> Lane:
        """The lane with an id.

        Raises:
            BadEdit: there is none.
        """
        for lane in self.lanes:
            if lane.id == lane_id:
                return lane
        raise BadEdit("That lane is no longer in the film. Undo brings it back.")

    def sound(self, sound_id: str) -> Sound:
        """The sound with an id.

        Raises:
            BadEdit: there is none.
        """
        for sound in self.sounds:
            if sound.id == sound_id:
                return sound
        raise BadEdit("That sound is no longer in the film. Undo brings it back.")

    @property
    def files(self) -> list[FileUse]:
        """What is seen and heard in it from files, and where."""
        plates = [FileUse("picture", plate.picture.sha256, plate.name, plate.id) for plate in self.plates]
        plates += [FileUse("clip", one.plays.clip.sha256, one.name, one.id) for one in self.plates if one.plays]
        insets = [FileUse(inset.shows.kind, inset.shows.sha256, inset.name, inset.id) for inset in self.insets]
        sounds = [
            FileUse("sound", sound.source.sha256, sound.name, sound.id)
            for sound in self.sounds
            if isinstance(sound.source, FileSound)
        ]
        return [*plates, *insets, *sounds]

    def _named(self, kind: str) -> set[str]:
        return {one.value for one in found(self, Ref) if isinstance(one.kind, Ref) and one.kind.of == kind}

    @property
    def picture_files(self) -> set[str]:
        """The SHA-256 of the stored pictures that are seen in it."""
        return self._named("picture")

    @property
    def clip_files(self) -> set[str]:
        """The SHA-256 of the stored clips that are seen in it."""
        return self._named("clip")

    @property
    def sound_files(self) -> set[str]:
        """The SHA-256 of the stored sounds that are heard in it."""
        return self._named("sound")

    def own_sounds(self, mark: AnyMark) -> list[Sound]:
        """The sounds of an inset's clip: from its own file, and starting with it."""
        if not isinstance(mark, Inset) or not isinstance(mark.shows, ShownClip):
            return []
        return [
            sound
            for sound in self.sounds
            if isinstance(sound.source, FileSound)
            and sound.source.sha256 == mark.shows.sha256
            and isinstance(sound.starts, MarkMoment)
            and (sound.starts.mark, sound.starts.edge) == (mark.id, "starts")
        ]

    @property
    def aids(self) -> set[str]:
        """The SHA-256 of the fonts and signs that it needs besides what ships with Yaila."""
        return {name for name in self._named("aid") if len(name) == 64}

    def vantage_index(self, vantage_id: str) -> int:
        """The place in the film of the vantage with an id."""
        for index, vantage in enumerate(self.vantages):
            if vantage.id == vantage_id:
                return index
        raise BadEdit("That vantage is no longer in the film. Undo brings it back.")
