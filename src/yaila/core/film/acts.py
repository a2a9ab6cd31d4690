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
from yaila.core.errors import BadEdit
from yaila.core.film.choreography import choreograph
from yaila.core.film.model import Film, Passage, PictureRef, Plate, Vantage, new_id
from yaila.core.ground import Point, Similarity
from yaila.core.ground.placement import outline

GRIP_TILT = 80.0
"""The steepest tilt that dragging the standing point gives, degrees."""


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
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        picture = self.picture
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
        film.plates.append(Plate(id=self.id, name=self.name[:120] or "Plate", picture=picture, placement=placement))
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
        if not isinstance(plate.placement, Similarity):
            raise BadEdit("This plate is not laid by hand. Choose “By hand” for its fit first.")
        placement = plate.placement.moved(self.by)
        about = self.about or Point(placement.x, placement.y)
        placement = placement.scaled(self.factor, about).turned(self.degrees, about)
        plate.placement = Similarity.model_validate(placement.model_dump())
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
    | RestackPlate
    | RemovePlate
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
    picture = plate.picture
    return outline(plate.placement.matrix(picture.width, picture.height), picture.width, picture.height)


def _posed(pose: Pose) -> dict[str, float]:
    return {name: getattr(pose, name) for name in ("x", "y", "span", "tilt", "heading", "roll", "focal")}
