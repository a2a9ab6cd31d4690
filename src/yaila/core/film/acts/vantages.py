"""Acts on vantages: making, moving, ordering, copying."""

from __future__ import annotations

import math
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yaila.core.camera import MAX_TILT, Pose
from yaila.core.camera.manners import AnyManner, Follow, Glide, Rail, RailPoint
from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.handles import opposite
from yaila.core.film.acts.ties import rehung, without_names
from yaila.core.film.choreography import choreograph
from yaila.core.film.legs import leaving_pose, move_of, timing_of
from yaila.core.film.marked import Route
from yaila.core.film.model import Duration, Film, Passage, Vantage, Width
from yaila.core.film.part import new_id
from yaila.core.film.walk import Owners, changed
from yaila.core.ground import Point
from yaila.core.quantities import Finite, wrapped
from yaila.core.time import Ease, FilmMoment, Hung, Moment, PassageMoment, Time, VantageMoment

GRIP_TILT = 80.0
"""The steepest tilt that dragging the standing point gives, degrees."""

BARE = {"before": None, "after": None}
"""A rail point without handles of its own."""


class FlownPose(BaseModel):
    """A pose as it is sent: the fields of a vantage that say where the camera is."""

    model_config = ConfigDict(extra="forbid")
    x: Finite
    y: Finite
    span: Width
    tilt: float = Field(0.0, ge=0, le=MAX_TILT)
    heading: float = 0.0
    roll: float = 0.0
    focal: float = Field(35.0, ge=8, le=400)

    @property
    def pose(self) -> Pose:
        """As a plain value."""
        return Pose(**self.model_dump())


class AddVantage(FilmAct):
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


class VantageAtFrame(FilmAct):
    """A new vantage where the camera is at a frame: the passage there is parted in two of the same duration."""

    act: Literal["vantage_at_frame"] = "vantage_at_frame"
    frame: int = Field(ge=0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        plan = choreograph(film)
        if self.frame >= plan.frames:
            raise BadEdit("The film has no such frame.")
        film = film.model_copy(deep=True)
        index = plan.leg_at(self.frame)
        leg, before = plan.legs[index], film.vantages[index]
        pose = plan.pose(Time(self.frame))
        vantage = Vantage(
            **_posed(pose) | {"heading": wrapped(pose.heading), "roll": wrapped(pose.roll)},
            id=self.id,
            name=f"Vantage {len(film.vantages) + 1}",
            hold=0.0,
            passage=before.passage.model_copy(deep=True),
        )
        inside = self.frame - leg.leaves
        if inside > 0 and leg.passage - inside > 0:
            self._part_passage(film, index, vantage, inside, leg.passage)
            film = rehung(film, lambda moment, _: self._onward(moment, before.id, inside / leg.passage))
        elif self.frame > leg.start and leg.hold:
            # The rest is parted: a passage of a frame leads from its first half to its second.
            rest = self.frame - leg.start
            before.hold = float(film.fps.seconds(rest - 1))
            vantage.hold = float(film.fps.seconds(leg.hold - rest))
            vantage.shake = before.shake
            before.passage = Passage(duration=Duration(unit="frames", value=1), ease=Ease(x1=0, y1=0, x2=1, y2=1))
            film = rehung(film, lambda moment, _: self._leaving(moment, before.id))
        film.vantages.insert(index + 1, vantage)
        return film

    def _part_passage(self, film: Film, index: int, vantage: Vantage, first: int, whole: int) -> None:
        """Part a passage: each part takes its frames, its piece of the ease, and, on a rail, its points."""
        before = film.vantages[index]
        manner, share = before.passage.manner, first / whole
        eases = before.passage.ease.parted(share)
        manners: tuple[AnyManner, AnyManner] = (manner, manner)
        if isinstance(manner, Rail):
            move = move_of(film, index)
            done = float(timing_of(film, index).at(np.array([share]))[0])
            manners = manner.parted(move, done)
        for one, ease, onward, frames in zip((before, vantage), eases, manners, (first, whole - first), strict=True):
            settle = before.passage.settle if one is vantage else None
            one.passage = Passage(
                manner=onward, ease=ease, settle=settle, duration=Duration(unit="frames", value=frames)
            )
        vantage.shake = before.shake

    def _onward(self, moment: Moment, vantage: str, share: float) -> Moment:
        if not isinstance(moment, PassageMoment) or moment.vantage != vantage:
            return moment
        if moment.share <= share:
            return moment.model_copy(update={"share": min(moment.share / share, 1.0)})
        return moment.model_copy(update={"vantage": self.id, "share": (moment.share - share) / (1 - share)})

    def _leaving(self, moment: Moment, vantage: str) -> Moment:
        """What hung on leaving a rest, or on the passage behind it, hangs on its second half."""
        later = isinstance(moment, PassageMoment) or (isinstance(moment, VantageMoment) and moment.edge == "leaves")
        if later and getattr(moment, "vantage", None) == vantage:
            return moment.model_copy(update={"vantage": self.id})
        return moment


class DuplicateVantage(FilmAct):
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


class RemoveVantages(FilmAct):
    """Take vantages out; the one before then leads on to the one behind."""

    act: Literal["remove_vantages"] = "remove_vantages"
    vantages: list[str] = Field(min_length=1)

    def apply(self, film: Film) -> Film:
        for one in self.vantages:
            film.vantage_index(one)
        film = without_names(film, set(self.vantages))
        film.vantages = [vantage for vantage in film.vantages if vantage.id not in self.vantages]
        return film


class ReorderVantage(FilmAct):
    """Move a vantage to another place in the film, 0 first."""

    act: Literal["reorder_vantage"] = "reorder_vantage"
    vantage: str
    to: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage = film.vantages.pop(film.vantage_index(self.vantage))
        film.vantages.insert(min(self.to, len(film.vantages)), vantage)
        return film


class PullVantage(FilmAct):
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
        film, vantage = film.one_apart("vantages", film.vantage_index(self.vantage))
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
                vantage.heading = wrapped(bearing + 180)
        return film


class KeepPose(FilmAct):
    """A new vantage where a camera that was flown freely is, behind the vantage ``after`` or at the end."""

    act: Literal["keep_pose"] = "keep_pose"
    pose: FlownPose
    after: str | None = None
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        place = len(film.vantages) if self.after is None else film.vantage_index(self.after) + 1
        vantage = Vantage(id=self.id, name=f"Vantage {len(film.vantages) + 1}", **self.pose.model_dump())
        film.vantages.insert(place, vantage)
        return film


class FlyVantage(FilmAct):
    """A vantage comes to where a camera that was flown freely is. Its heading is counted from -180 to 180 again."""

    act: Literal["fly_vantage"] = "fly_vantage"
    vantage: str
    pose: FlownPose

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        index = film.vantage_index(self.vantage)
        pose = self.pose.model_dump() | {"heading": wrapped(self.pose.heading)}
        film.vantages[index] = film.vantages[index].model_copy(update=pose)
        return film


class MoveVantages(FilmAct):
    """Move vantages together: by ground units, their spans by a factor, turned by degrees about their own targets."""

    act: Literal["move_vantages"] = "move_vantages"
    vantages: list[str] = Field(min_length=1)
    by: Point = Point(0.0, 0.0)
    factor: float = Field(1.0, ge=1e-6, le=1e6)
    degrees: float = Field(0.0, ge=-360, le=360)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        for one in self.vantages:
            vantage = film.vantages[film.vantage_index(one)]
            vantage.x += self.by.x
            vantage.y += self.by.y
            vantage.span = max(vantage.span * self.factor, 1e-4)
            vantage.heading = _within(vantage.heading + self.degrees)
        return film


class MoveCamera(FilmAct):
    """Move a vantage's camera in space, its target, or both.

    ``by`` is in ground units along axes of the world (east, north, up) or of the camera (right, up in the frame,
    forward along the line of sight). The camera alone keeps its eye on the target; the target alone is looked at from
    where the camera stands; both keep the direction that the camera looks in.
    """

    act: Literal["move_camera"] = "move_camera"
    vantage: str
    part: Literal["camera", "target", "both"]
    axes: Literal["world", "camera"] = "world"
    by: tuple[Finite, Finite, Finite]

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage = film.vantages[film.vantage_index(self.vantage)]
        pose = vantage.pose
        by = np.array(self.by) if self.axes == "world" else np.array(self.by) @ pose.axes()
        eye, target = np.array(pose.eye()), np.array([pose.x, pose.y])
        if self.part == "target":
            target = target + by[:2]
        else:
            eye = eye + by
        if self.part == "both":
            if eye[2] <= 0:
                raise BadEdit("That would put the camera below the ground.")
            # The line of sight meets the ground further on the higher the camera is.
            ahead = pose.axes()[2]
            target = eye[:2] + ahead[:2] * (eye[2] / -ahead[2])
        _look(vantage, (float(eye[0]), float(eye[1]), float(eye[2])), Point(float(target[0]), float(target[1])))
        return film


class PlaceCamera(FilmAct):
    """Put a vantage's camera at a point in space; it keeps looking at its target."""

    act: Literal["place_camera"] = "place_camera"
    vantage: str
    eye: tuple[Finite, Finite, Finite]

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage = film.vantages[film.vantage_index(self.vantage)]
        _look(vantage, self.eye, Point(vantage.x, vantage.y))
        return film


class LevelVantage(FilmAct):
    """Give a vantage the camera's height and tilt of the one before, so that a Skim to it keeps level."""

    act: Literal["level_vantage"] = "level_vantage"
    vantage: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        index = film.vantage_index(self.vantage)
        if not index:
            raise BadEdit("The first vantage has none before it to be level with.")
        vantage, before = film.vantages[index], film.vantages[index - 1]
        vantage.tilt = before.tilt
        vantage.span *= leaving_pose(before).eye()[2] / vantage.pose.eye()[2]
        return film


class RailHandles(FilmAct):
    """Give every point of the rail that leads on from a vantage handles of its own, along the way to its neighbours, or
    take them away again."""

    act: Literal["rail_handles"] = "rail_handles"
    vantage: str
    on: bool

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage, rail = _rail(film, self.vantage)
        places = [np.array(place) for place in rail.eye_curve(move_of(film, film.vantage_index(self.vantage))).points]
        points = []
        for k, point in enumerate(rail.points):
            reach = (places[k + 2] - places[k]) / 6
            after = (float(reach[0]), float(reach[1]), float(reach[2]))
            before = (-after[0], -after[1], -after[2])
            points.append(point.model_copy(update={"before": before, "after": after} if self.on else BARE))
        vantage.passage.manner = rail.model_copy(update={"points": tuple(points)})
        return film


class ChangeManner(FilmAct):
    """Let the passage that leads on from a vantage run in another manner, in the time it takes now."""

    act: Literal["change_manner"] = "change_manner"
    vantage: str
    manner: AnyManner

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.vantages[film.vantage_index(self.vantage)].passage.manner = self.manner
        return film


class PassThrough(FilmAct):
    """Pass a vantage without a stop, or stop there again."""

    act: Literal["pass_through"] = "pass_through"
    vantage: str
    on: bool = True

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.vantages[film.vantage_index(self.vantage)].flow = self.on
        return film


class AddRailPoint(FilmAct):
    """A new point on the rail that leads on from a vantage: in the middle of its longest stretch, and a little
    aside, so that the rail is bent by it at once."""

    act: Literal["add_rail_point"] = "add_rail_point"
    vantage: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage, rail = _rail(film, self.vantage)
        curve = rail.eye_curve(move_of(film, film.vantage_index(self.vantage)))
        stretches = np.diff(curve.knots)
        longest = int(np.argmax(stretches))
        way = float(curve.knots[longest] + stretches[longest] / 2)
        x, y, z = curve.along(np.array([way]))[0].tolist()
        (dx, dy), reach = (curve.points[longest + 1] - curve.points[longest])[:2], float(stretches[longest]) * ASIDE
        level = math.hypot(dx, dy)
        right = (dy / level, -dx / level) if level > 1e-9 * reach else (1.0, 0.0)
        point = RailPoint(x=x + right[0] * reach, y=y + right[1] * reach, z=max(z, 1e-6))
        points = (*rail.points[:longest], point, *rail.points[longest:])
        vantage.passage.manner = rail.model_copy(update={"points": points})
        return film


ASIDE = 0.2
"""How far to the right of a rail a new point of it comes, in shares of the stretch that it is put in."""


class PullRailHandle(FilmAct):
    """Drag a handle of a rail point to a place, and to a height ``up`` above the ground, or it keeps its own; the other
    one turns with it in its own length."""

    act: Literal["pull_rail_handle"] = "pull_rail_handle"
    vantage: str
    point: int = Field(ge=0)
    which: Literal["before", "after"]
    to: Point
    up: float | None = Field(None, gt=0, allow_inf_nan=False)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        vantage, rail = _rail(film, self.vantage)
        points = list(rail.points)
        point = points[self.point] if self.point < len(points) else None
        if point is None or point.before is None or point.after is None:
            raise BadEdit("That point of the rail has no handles. Tick “Handles” first.")
        old, other = (point.before, point.after) if self.which == "before" else (point.after, point.before)
        mine = (self.to.x - point.x, self.to.y - point.y, old[2] if self.up is None else self.up - point.z)
        theirs = opposite(mine, other)
        before, after = (mine, theirs) if self.which == "before" else (theirs, mine)
        points[self.point] = point.model_copy(update={"before": before, "after": after})
        vantage.passage.manner = rail.model_copy(update={"points": tuple(points)})
        return film


def _rail(film: Film, vantage_id: str) -> tuple[Vantage, Rail]:
    vantage = film.vantages[film.vantage_index(vantage_id)]
    manner = vantage.passage.manner
    if not isinstance(manner, Rail) or vantage is film.vantages[-1]:
        raise BadEdit("The passage from there runs on no rail.")
    return vantage, manner


class Clip(BaseModel):
    """Vantages that were copied, with their passages and the routes these follow."""

    model_config = ConfigDict(extra="forbid")
    vantages: list[Vantage] = Field(min_length=1, max_length=500)
    routes: list[Route] = []


class PasteVantages(FilmAct):
    """Put copied vantages in behind the vantage ``after`` or at the end. They get fresh ids; routes that are here
    already are not brought twice."""

    act: Literal["paste_vantages"] = "paste_vantages"
    clip: Clip
    after: str | None = None
    ids: list[str] = Field(default_factory=list)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        place = len(film.vantages) if self.after is None else film.vantage_index(self.after) + 1
        here = {route.id for route in film.routes}
        film.routes.extend(_at_home(route, film) for route in self.clip.routes if route.id not in here)
        known = {route.id for route in film.routes}
        made = []
        for number, vantage in enumerate(self.clip.vantages):
            fresh = vantage.model_copy(deep=True)
            fresh.id = self.ids[number] if number < len(self.ids) else new_id()
            manner = fresh.passage.manner
            if isinstance(manner, Follow) and manner.route not in known:
                fresh.passage.manner = Glide()
            made.append(fresh)
        film.vantages[place:place] = made
        return film


def _at_home(route: Route, film: Film) -> Route:
    """A route from another film: what it hung on there, and the style it used, may not be here."""
    there = film.ids
    known = there["mark"] | there["vantage"] | {route.id}

    def kept(moment: Moment, _: Owners) -> Moment:
        hung = {getattr(moment, name, None) for name in ("mark", "route", "vantage")} - {None}
        return moment if hung <= known else FilmMoment()

    style = route.style if route.style in there["style"] else None
    return changed(route, {}, {Hung: kept}).model_copy(update={"style": style})


def _look(vantage: Vantage, eye: tuple[float, float, float], target: Point) -> None:
    """Let a vantage look from an eye at a target."""
    if eye[2] <= 0:
        raise BadEdit("That would put the camera below the ground.")
    pose = Pose.looking(eye, (target.x, target.y), vantage.roll, vantage.focal, vantage.heading)
    if pose.tilt > MAX_TILT:
        raise BadEdit(f"The camera would look too flat over the ground; a tilt of {MAX_TILT:.0f}° is the most.")
    for name in ("x", "y", "span", "tilt"):
        setattr(vantage, name, getattr(pose, name))
    vantage.heading = _within(pose.heading)


def _within(heading: float) -> float:
    return wrapped(heading) if abs(heading) > 360 else heading


def _posed(pose: Pose) -> dict[str, Any]:
    return {name: getattr(pose, name) for name in ("x", "y", "span", "tilt", "heading", "roll", "focal")}
