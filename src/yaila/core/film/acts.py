"""The acts of an editor: named changes of a film. Each takes a film and returns a new one.

The interface sends acts where the outcome needs computing (drag this corner of a tilted frame there); whatever
is a plain value it sends as a JSON Patch.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.camera import Pose
from yaila.core.colour import ToneMatch
from yaila.core.errors import BadEdit
from yaila.core.film.choreography import choreograph
from yaila.core.film.fitting import (
    georeferenced,
    grid_of,
    ground_of,
    lay_by_file,
    lay_on,
    picture_place,
    pixel_on_ground,
    placement_of,
    solve_ties,
)
from yaila.core.film.model import (
    Feather,
    Film,
    Fit,
    Ground,
    Model,
    Passage,
    PictureRef,
    Plate,
    Region,
    Tie,
    Vantage,
    new_id,
)
from yaila.core.ground import Point, Similarity
from yaila.core.ground.georeference import Georeference
from yaila.core.ground.mercator import mercator_of
from yaila.core.ground.placement import outline, through
from yaila.core.imagery.fitting.maps import Flat

GRIP_TILT = 80.0
"""The steepest tilt that dragging the standing point gives, degrees."""


FIRST_FEATHER = 14.0
"""The feather that a plate gets when it is first found and had none, percent."""


class _Act(BaseModel):
    model_config = ConfigDict(extra="forbid")

    def apply(self, film: Film) -> Film:
        """The film after the act.

        Raises:
            BadEdit: the act names something that is not there or makes no sense.
        """
        return film


class LayPlate(_Act):
    """Lay a picture on top of the stack. The first plate of a plain ground sets its units."""

    act: Literal["lay_plate"] = "lay_plate"
    picture: PictureRef
    name: str
    at: Point | None = None
    width: Annotated[float, Field(gt=0)] | None = None
    georeference: Georeference | None = None
    credit: str = ""
    feather: Feather = Field(default_factory=Feather)
    holes: tuple[tuple[int, int, int, int], ...] = ()
    sort: bool = False
    """Put it among the plates by its pixel, wide below close, instead of on top."""
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        picture = self.picture
        if self.georeference and not film.plates and not film.vantages:
            film.ground = Ground(kind="mercator")
        if not film.plates and self.at is None:
            placement = Similarity(x=picture.width / 2, y=picture.height / 2, scale=1)
        else:
            below = film.plates[-1] if film.plates else None
            at, width = self.at, self.width
            if below and (at is None or width is None):
                outline = _outline(below)
                at = at or Point(*outline.mean(axis=0).tolist())
                width = width or float(np.ptp(outline[:, 0])) / 2
            at = at or Point(0.0, 0.0)
            placement = Similarity(x=at.x, y=at.y, scale=(width or picture.width) / picture.width)
        plate = Plate(
            id=self.id,
            name=self.name[:120] or "Plate",
            picture=picture,
            placement=placement,
            feather=self.feather,
            credit=self.credit,
            georeference=self.georeference,
            holes=self.holes,
        )
        if film.ground.kind == "mercator" and self.georeference:
            lay_by_file(plate)
        place = len(film.plates)
        if self.sort:
            pixel = pixel_on_ground(plate)
            # Above all that is coarser, so that nothing coarser hides it.
            place = max((i + 1 for i, other in enumerate(film.plates) if pixel_on_ground(other) >= pixel), default=0)
        if place == 0:
            # The lowest has nothing to melt into.
            plate.feather = Feather()
        film.plates.insert(place, plate)
        return film


class LayByFile(_Act):
    """Lay a plate where its own georeference says. A plain ground becomes georeferenced by it: everything keeps its
    place among all else, and takes its true size and bearing."""

    act: Literal["lay_by_file"] = "lay_by_file"
    plate: str
    georeference: Georeference | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        plate.georeference = self.georeference or plate.georeference
        if plate.georeference is None:
            raise BadEdit(
                "This plate has no georeference of its own. Drop its world file, or lay it by control points."
            )
        if film.ground.kind == "plain":
            places = grid_of(plate)
            georeferenced(film, ground_of(plate, places), plate.georeference.on_mercator(places))
        else:
            lay_by_file(plate)
        return film


class GroundByPoints(_Act):
    """Make a plain ground georeferenced by places whose longitude and latitude are known, two or more; nothing moves
    among the rest."""

    act: Literal["ground_by_points"] = "ground_by_points"
    points: list[tuple[float, float, float, float]] = Field(min_length=2)
    """Ground x and y, longitude and latitude in degrees."""

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        if film.ground.kind != "plain":
            raise BadEdit("The ground is georeferenced already.")
        table = np.array(self.points)
        try:
            goal = np.array([mercator_of(lon, lat) for lon, lat in table[:, 2:].tolist()])
        except ValueError as error:
            raise BadEdit(str(error)) from error
        georeferenced(film, table[:, :2], goal)
        return film


class MovePlate(_Act):
    """Move, scale and turn a plate by hand.

    It is shifted by ``by`` (ground units), then scaled by ``factor`` and turned clockwise by ``degrees`` about
    the ground point ``about`` (its own centre if none is given), which keeps its pixel.
    """

    act: Literal["move_plate"] = "move_plate"
    plate: str
    by: Point = Point(0.0, 0.0)
    factor: float = Field(1.0, gt=0, ge=1e-6, le=1e6)
    degrees: float = Field(0.0, ge=-360, le=360)
    about: Point | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        width, height = plate.picture.width, plate.picture.height
        matrix = plate.placement.matrix(width, height)
        middle = through(matrix, np.array([width / 2, height / 2]))
        about = self.about or Point(float(middle[0] + self.by.x), float(middle[1] + self.by.y))
        if isinstance(plate.placement, Similarity):
            placement = plate.placement.moved(self.by).scaled(self.factor, about).turned(self.degrees, about)
            plate.placement = Similarity.model_validate(placement.model_dump())
        else:
            angle = math.radians(self.degrees)
            cos, sin = self.factor * math.cos(angle), self.factor * math.sin(angle)
            turn = np.array([[cos, sin, 0.0], [-sin, cos, 0.0], [0.0, 0.0, 1.0]])
            there, back = np.eye(3), np.eye(3)
            there[:2, 2], back[:2, 2] = about, (self.by.x - about.x, self.by.y - about.y)
            plate.placement = placement_of(there @ turn @ back @ matrix, plate.placement.kind, width, height)
        plate.fit = Fit(by="hand")
        return film


class PullPlate(_Act):
    """Scale and turn a plate about ``about`` so that the ground point ``start`` of it comes to ``to``."""

    act: Literal["pull_plate"] = "pull_plate"
    plate: str
    about: Point
    start: Point
    to: Point
    scale: bool = True
    turn: bool = True

    def apply(self, film: Film) -> Film:
        first = complex(self.start.x - self.about.x, self.start.y - self.about.y)
        second = complex(self.to.x - self.about.x, self.to.y - self.about.y)
        if not first or not second:
            return film
        ratio = second / first
        return MovePlate(
            plate=self.plate,
            about=self.about,
            factor=abs(ratio) if self.scale else 1.0,
            degrees=-math.degrees(math.atan2(ratio.imag, ratio.real)) if self.turn else 0.0,
        ).apply(film)


class TiePlate(_Act):
    """Lay a plate by tie points or control points, which replace those it had; ``hold`` says whether a bend leaves
    the goal flat, none to leave that as it is."""

    act: Literal["tie_plate"] = "tie_plate"
    plate: str
    ties: list[Tie]
    model: Model | None = None
    hold: bool | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        solve_ties(film, plate, self.ties, self.model, plate.fit.hold if self.hold is None else self.hold)
        return film


class LayFound(_Act):
    """Lay a plate where it was found on another: ``pairs`` are pixels of its picture (x, y) and those of the other's
    picture where they belong (x, y), spread over the plate."""

    act: Literal["lay_found"] = "lay_found"
    plate: str
    on: str
    pairs: list[tuple[float, float, float, float]] = Field(min_length=4)
    residual: float
    confidence: float
    inliers: int

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate, other = film.plate(self.plate), film.plate(self.on)
        pairs = np.array(self.pairs)
        if plate.fit.by == "hand" and plate.feather == Feather():
            # A hard edge would show, however well it lies.
            plate.feather = Feather(width=FIRST_FEATHER)
        lay_on(plate, pairs[:, :2], ground_of(other, pairs[:, 2:]))
        plate.fit = Fit(
            by="found", on=self.on, residual=self.residual, confidence=self.confidence, inliers=self.inliers
        )
        return film


class NoteFit(_Act):
    """Say at a plate why it was left as it lay."""

    act: Literal["note_fit"] = "note_fit"
    plate: str
    note: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        plate.fit = plate.fit.model_copy(update={"note": self.note[:300]})
        return film


class MatchTone(_Act):
    """Give a plate the match of its tone to what lies below, all of it or as much as it had."""

    act: Literal["match_tone"] = "match_tone"
    plate: str
    match: ToneMatch | None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        plate.tone = plate.tone.model_copy(update={"match": self.match})
        return film


class OutlinePlate(_Act):
    """Draw a plate's feather along an outline, or move a corner of it: corners are ground places."""

    act: Literal["outline_plate"] = "outline_plate"
    plate: str
    corners: list[Point] | None = Field(None, min_length=3, max_length=200)
    corner: int | None = Field(None, ge=0)
    to: Point | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        outline = list(plate.feather.outline)
        if self.corners:
            outline = [Point(x, y) for x, y in picture_place(plate, np.array(self.corners)).tolist()]
        elif self.corner is not None and self.to and self.corner < len(outline):
            x, y = picture_place(plate, np.array([self.to]))[0].tolist()
            outline[self.corner] = Point(x, y)
        width = plate.feather.width or 10.0
        plate.feather = Feather(shape="outline", width=width, outline=tuple(outline))
        return film


class SwapPicture(_Act):
    """Put another picture in a plate's place and keep everything else: it covers the same ground, and what is said in
    pixels of the plate (ties, outline, bend) is carried over to the new size."""

    act: Literal["swap_picture"] = "swap_picture"
    plate: str
    picture: PictureRef

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate, new = film.plate(self.plate), self.picture
        across, down = new.width / plate.picture.width, new.height / plate.picture.height
        matrix = plate.placement.matrix(plate.picture.width, plate.picture.height)
        even = abs(across / down - 1) < 1e-3
        kind: Flat = plate.placement.kind if even or plate.placement.kind == "homography" else "affine"
        plate.placement = placement_of(matrix @ np.diag([1 / across, 1 / down, 1.0]), kind, new.width, new.height)
        plate.feather = plate.feather.model_copy(
            update={"outline": tuple(Point(x * across, y * down) for x, y in plate.feather.outline)}
        )
        for tie in plate.fit.ties:
            tie.x, tie.y = tie.x * across, tie.y * down
        for other in film.plates:
            for tie in other.fit.ties:
                if tie.other == plate.id:
                    tie.to = Point(tie.to.x * across, tie.to.y * down)
        if plate.bend:
            plate.bend = plate.bend.scaled(across, down)
        plate.picture = new
        return film


class RestackPlate(_Act):
    """Move a plate to another place in the stack, 0 at the bottom."""

    act: Literal["restack_plate"] = "restack_plate"
    plate: str
    to: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plates.pop(film.plate_index(self.plate))
        film.plates.insert(min(self.to, len(film.plates)), plate)
        return film


class RemovePlate(_Act):
    """Take a plate off the ground. Its picture stays in store."""

    act: Literal["remove_plate"] = "remove_plate"
    plate: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        del film.plates[film.plate_index(self.plate)]
        return film


class AddRegion(_Act):
    """Lay outlines on the ground as a region."""

    act: Literal["add_region"] = "add_region"
    region: Region

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.regions.append(self.region)
        return film


class RemoveRegion(_Act):
    """Take a region off the ground."""

    act: Literal["remove_region"] = "remove_region"
    region: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.regions = [region for region in film.regions if region.id != self.region]
        return film


class AddVantage(_Act):
    """A new vantage that shows what the chart shows: the widest frame inside ``width`` x ``height`` ground units.

    It goes behind the vantage ``after``, or at the end, and looks straight down.
    """

    act: Literal["add_vantage"] = "add_vantage"
    at: Point
    width: float = Field(gt=0)
    height: float = Field(gt=0)
    after: str | None = None
    name: str | None = None
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        span = min(self.width, self.height * film.frame.width / film.frame.height)
        place = len(film.vantages) if self.after is None else film.vantage_index(self.after) + 1
        vantage = Vantage(
            id=self.id,
            name=self.name or f"Vantage {len(film.vantages) + 1}",
            x=self.at.x,
            y=self.at.y,
            span=span,
        )
        film.vantages.insert(place, vantage)
        return film


class VantageAtFrame(_Act):
    """A new vantage where the camera is at a frame: the passage there is parted in two of the same duration."""

    act: Literal["vantage_at_frame"] = "vantage_at_frame"
    frame: int = Field(ge=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        plan = choreograph(film)
        if self.frame >= plan.frames:
            raise BadEdit("The film has no such frame.")
        film = film.model_copy(deep=True)
        index = max(i for i, leg in enumerate(plan.legs) if leg.start <= self.frame)
        leg, before = plan.legs[index], film.vantages[index]
        pose = plan.track.pose(self.frame)
        heading = (pose.heading + 180) % 360 - 180
        vantage = Vantage(
            **{**_posed(pose), "heading": heading},
            id=self.id,
            name=f"Vantage {len(film.vantages) + 1}",
            hold=0.0,
            passage=before.passage.model_copy(deep=True),
        )
        if self.frame >= leg.leaves and leg.passage:
            first = max(self.frame - leg.leaves, 1)
            rest = max(leg.passage - first, 1)
            before.passage.duration = before.passage.duration.model_copy(update={"unit": "frames", "value": first})
            vantage.passage.duration = vantage.passage.duration.model_copy(update={"unit": "frames", "value": rest})
        film.vantages.insert(index + 1, vantage)
        return film


class DuplicateVantage(_Act):
    """The same vantage again, right behind."""

    act: Literal["duplicate_vantage"] = "duplicate_vantage"
    vantage: str
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        index = film.vantage_index(self.vantage)
        original = film.vantages[index]
        copy = original.model_copy(deep=True, update={"id": self.id, "name": f"{original.name} again"[:120]})
        film.vantages.insert(index + 1, copy)
        return film


class RemoveVantage(_Act):
    """Take a vantage out; the one before then leads on to the one behind."""

    act: Literal["remove_vantage"] = "remove_vantage"
    vantage: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        del film.vantages[film.vantage_index(self.vantage)]
        return film


class ReorderVantage(_Act):
    """Move a vantage to another place in the film, 0 first."""

    act: Literal["reorder_vantage"] = "reorder_vantage"
    vantage: str
    to: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage = film.vantages.pop(film.vantage_index(self.vantage))
        film.vantages.insert(min(self.to, len(film.vantages)), vantage)
        return film


class PullVantage(_Act):
    """Drag a part of a vantage's frame on the chart to a ground point.

    ``target`` brings the target there. ``size`` sizes the frame about its target: what lay at ``start`` of the
    frame comes as near to ``to`` as sizing can bring it. ``heading`` turns the frame until ahead points there.
    ``standing`` puts the camera above that point, at the distance it has: that sets heading and tilt.
    """

    act: Literal["pull_vantage"] = "pull_vantage"
    vantage: str
    grip: Literal["target", "size", "heading", "standing"]
    to: Point
    start: Point | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage = film.vantages[film.vantage_index(self.vantage)]
        dx, dy = self.to.x - vantage.x, self.to.y - vantage.y
        if self.grip == "target":
            from_x, from_y = self.start if self.start else (vantage.x, vantage.y)
            vantage.x += self.to.x - from_x
            vantage.y += self.to.y - from_y
        elif self.grip == "size":
            if self.start is None:
                raise BadEdit("Sizing a frame needs the point it was taken by.")
            sx, sy = self.start.x - vantage.x, self.start.y - vantage.y
            reach = sx * sx + sy * sy
            factor = (sx * dx + sy * dy) / reach if reach else 1.0
            vantage.span = max(vantage.span * max(factor, 1e-3), 1e-4)
        elif math.hypot(dx, dy) > 0:
            bearing = math.degrees(math.atan2(dx, dy))
            if self.grip == "heading":
                vantage.heading = bearing
            else:
                share = min(math.hypot(dx, dy) / vantage.pose.distance, 1.0)
                vantage.tilt = round(min(math.degrees(math.asin(share)), GRIP_TILT), 3)
                vantage.heading = (bearing + 360) % 360 - 180
        return film


class Retime(_Act):
    """Set the frames a hold or the passage behind it takes, as dragging in the profile does.

    What follows moves along. A passage that had natural time gets this time in seconds.
    """

    act: Literal["retime"] = "retime"
    vantage: str
    hold: int | None = Field(None, ge=0)
    passage: int | None = Field(None, ge=1)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage = film.vantages[film.vantage_index(self.vantage)]
        if self.hold is not None:
            vantage.hold = round(float(film.fps.seconds(self.hold)), 6)
        if self.passage is not None:
            frames = vantage.passage.duration.unit == "frames"
            value = self.passage if frames else round(float(film.fps.seconds(self.passage)), 6)
            vantage.passage = Passage.model_validate(
                vantage.passage.model_dump() | {"duration": {"unit": "frames" if frames else "seconds", "value": value}}
            )
        return film


Act = Annotated[
    LayPlate
    | MovePlate
    | PullPlate
    | TiePlate
    | LayFound
    | NoteFit
    | MatchTone
    | OutlinePlate
    | SwapPicture
    | LayByFile
    | GroundByPoints
    | RestackPlate
    | RemovePlate
    | AddRegion
    | RemoveRegion
    | AddVantage
    | VantageAtFrame
    | DuplicateVantage
    | RemoveVantage
    | ReorderVantage
    | PullVantage
    | Retime,
    Field(discriminator="act"),
]


def _outline(plate: Plate) -> np.ndarray:
    return outline(plate.matrix, *plate.extent)


def _posed(pose: Pose) -> dict[str, float]:
    return {name: getattr(pose, name) for name in ("x", "y", "span", "tilt", "heading", "roll", "focal")}
