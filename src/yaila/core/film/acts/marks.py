"""Acts on marks of all kinds: set, move in time, take away, and how they look."""

from __future__ import annotations

import math
from typing import Any, Literal, TypeVar

import numpy as np
from pydantic import Field, ValidationError

from yaila.core.camera.flight import moved_in_frame
from yaila.core.errors import BadEdit, said
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.courses import SetValue
from yaila.core.film.acts.ties import at_time, moved, names, without_names
from yaila.core.film.choreography import choreograph
from yaila.core.film.marked import (
    EDGES,
    KINDS,
    AnyMark,
    Inset,
    Label,
    Marker,
    Region,
    Reveal,
    Route,
    ShownClip,
    TimedMark,
    style_of,
)
from yaila.core.film.model import Film, Plate
from yaila.core.film.part import new_id
from yaila.core.film.running import running
from yaila.core.film.walk import changed
from yaila.core.ground import Point
from yaila.core.ground.placement import outline
from yaila.core.marks import Arrival, MarkerLook, RegionLook
from yaila.core.quantities import MARK_NAME, PLACE, Finite
from yaila.core.time import Course, FilmMoment, MarkMoment, Moment, RouteMoment, Time


class AddMarker(FilmAct):
    """Set a marker. Beside a route's line (within ``reach`` ground units) it stands on it and comes when the line
    reaches it; else it comes at ``frame``."""

    act: Literal["add_marker"] = "add_marker"
    marker: Marker
    frame: int = Field(0, ge=0)
    reach: float = Field(0.0, ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        marker = self.marker.model_copy(deep=True)
        _come_in(film, marker, self.frame, self.reach)
        film.markers.append(marker)
        return film


class AddLabel(FilmAct):
    """Set a label, as a marker is set. Beside a marker (within ``reach``) it stands there and comes with it."""

    act: Literal["add_label"] = "add_label"
    label: Label
    frame: int = Field(0, ge=0)
    reach: float = Field(0.0, ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        label = self.label.model_copy(deep=True)
        near = [
            (float(np.hypot(marker.x - label.x, marker.y - label.y)), marker)
            for marker in film.markers
            if label.stands != "frame"
        ]
        away, marker = min(near, key=lambda one: one[0], default=(np.inf, None))
        if marker is not None and away <= self.reach:
            label.x, label.y = marker.x, marker.y
            label.starts = MarkMoment(mark=marker.id)
        else:
            _come_in(film, label, self.frame, self.reach if label.stands != "frame" else 0.0)
        film.labels.append(label)
        return film


class AddInset(FilmAct):
    """Set a picture or a clip into the film, as a marker is set: beside a marker (within ``reach``) it belongs to that,
    and comes with it; else it comes at ``frame``. It goes when it has been seen: a clip after its length, a picture
    after ``stays`` seconds."""

    act: Literal["add_inset"] = "add_inset"
    inset: Inset
    frame: int = Field(0, ge=0)
    reach: float = Field(0.0, ge=0)
    stays: float = Field(4.0, gt=0, le=86400)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        inset = self.inset.model_copy(deep=True)
        on_ground = inset.stands in ("facing", "board")
        near = [(float(np.hypot(m.x - inset.x, m.y - inset.y)), m) for m in film.markers if on_ground]
        away, marker = min(near, key=lambda one: one[0], default=(np.inf, None))
        if marker is not None and away <= self.reach:
            inset.x, inset.y = marker.x, marker.y
            inset.starts = MarkMoment(mark=marker.id)
        else:
            _come_in(film, inset, self.frame, self.reach if on_ground else 0.0)
        if "ends" not in self.inset.model_fields_set:
            seconds = self.stays
            if isinstance(inset.shows, ShownClip):
                seconds = max(inset.shows.seconds - inset.shows.skip, 0.1) / inset.shows.speed
            inset.ends = MarkMoment(mark=inset.id, offset=float(max(film.fps.frames(seconds), 1)))
        film.insets.append(inset)
        return film


def _come_in(film: Film, mark: Marker | Label | Inset, frame: int, reach: float) -> None:
    place = np.array([mark.x, mark.y])
    mark.starts = _in_time(film, mark, frame)
    for route in film.routes:
        curve = route.curve
        near = curve.along(np.array([curve.nearest(place)]))[0]
        if route.draws.shown and float(np.hypot(*(near - place))) <= reach:
            mark.x, mark.y = (float(value) for value in near)
            mark.starts = RouteMoment(route=route.id)
            return


def _in_time(film: Film, mark: TimedMark, frame: int) -> FilmMoment:
    """When a mark comes that is set at a frame: then, or so long before the film's end that all of it is seen there."""
    frames = choreograph(film).frames
    latest = max(frames - 1 - mark.takes, 0)
    return at_time(film, Time(min(frame, latest) if frame < frames else frame))


DRAWN = RegionLook(filled=0.35, border=4.0)
"""How a region looks that is drawn by hand: the map shows through it, and its edge is clear."""


Places = Literal["named", "markers", "labels"]
"""What places become: markers with their names, markers, or names alone."""


class MarkStops(FilmAct):
    """Set markers, names, or both at all stops of a route that have none yet: they come when its line reaches the stop,
    and are called as it is."""

    act: Literal["mark_stops"] = "mark_stops"
    route: str
    places: Places = "named"

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        route = film.route(self.route)
        if not any(point.stop for point in route.points):
            raise BadEdit(f"“{route.name}” has no stops: give points of it a name.")
        marked = {mark.place for mark in (*film.markers, *film.labels)}
        for k, point in enumerate(route.points):
            if not point.stop or (point.x, point.y) in marked:
                continue
            set_place(
                film,
                point.stop,
                Point(point.x, point.y),
                RouteMoment(route=route.id, point=k),
                self.places,
                route.group,
            )
        return film


def set_place(
    film: Film,
    name: str,
    place: Point,
    starts: Moment,
    places: Places = "named",
    group: str = "",
    colour: str | None = None,
) -> None:
    """Set a marker, its name, or both into a film as it is; a name beside its marker comes with it."""
    of: dict[str, Any] = {"name": name, "x": place.x, "y": place.y, "group": group}
    if places != "labels":
        look = MarkerLook(colour=colour) if colour else MarkerLook()
        marker = Marker(id=new_id(), starts=starts, look=look, **of)
        film.markers.append(marker)
        starts = MarkMoment(mark=marker.id)
    if places != "markers":
        film.labels.append(Label(id=new_id(), text=name, starts=starts, **of))


class AddRegion(FilmAct):
    """Lay outlines on the ground as a region; with ``frame`` it comes then, else it is there from the start. A circle
    reaches to ``rim``, if that is given. One that is drawn by hand, with ``frame`` and with no look or way to come of
    its own, is see-through with a border, fades in, or grows if it is a circle."""

    act: Literal["add_region"] = "add_region"
    region: Region
    frame: int | None = Field(None, ge=0)
    rim: Point | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.regions.append(self.made(film))
        return film

    def made(self, film: Film) -> Region:
        """The region, as it comes into a film."""
        region = self.region.model_copy(deep=True)
        if not region.rings and not region.circle:
            raise BadEdit("A region needs an outline or a circle. Draw one on the chart.")
        if self.rim:
            _reach(film, region, self.rim)
        if self.frame is not None:
            given = self.region.model_fields_set
            if "look" not in given:
                region.look = DRAWN.model_copy()
            if "comes" not in given:
                region.comes = Arrival(how="grow", frames=25) if region.circle else Arrival(how="fade", frames=12)
            region.starts = _in_time(film, region, self.frame)
        return region


def set_outline(
    film: Film, name: str, rings: list[list[Point]], frame: int, group: str = "", colour: str | None = None
) -> None:
    """Set a region into a film as it is, as one that is drawn by hand at a frame."""
    region = Region(name=name, rings=tuple(tuple(ring) for ring in rings), group=group)
    if colour:
        region.look = DRAWN.model_copy(update={"fill": colour})
    film.regions.append(AddRegion(region=region, frame=frame).made(film))


class PullRim(FilmAct):
    """Let the rim of a circle pass through a ground place."""

    act: Literal["pull_rim"] = "pull_rim"
    region: str
    to: Point

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        region = film.mark(self.region)
        if not isinstance(region, Region):
            raise BadEdit("Only a circle has a rim.")
        _reach(film, region, self.to)
        return film


def _reach(film: Film, region: Region, to: Point) -> None:
    circle = region.circle
    if not circle:
        raise BadEdit(f"“{region.name}” is no circle: pull its corners.")
    reach = math.hypot(to.x - circle.x, to.y - circle.y) / circle.stretch(film.ground.kind == "mercator")
    region.circle = circle.model_copy(update={"radius": max(float(f"{reach:.5g}"), 1e-4)})


def list_of(film: Film, mark: AnyMark) -> list[Any]:
    """The list of the film that a mark stands in."""
    there: list[Any] = getattr(film, KINDS[mark.kind].listed)
    return there


class RemoveMarks(FilmAct):
    """Take marks away, a clip with its own sound. What else hangs on them stays where it is in time."""

    act: Literal["remove_marks"] = "remove_marks"
    marks: list[str] = Field(min_length=1)

    def apply(self, film: Film) -> Film:
        gone = [film.mark(key) for key in self.marks]
        heard = {sound.id for mark in gone for sound in film.own_sounds(mark)}
        film = without_names(film, set(self.marks))
        for mark in gone:
            there = list_of(film, mark)
            there.remove(film.mark(mark.id))
        film.sounds = [sound for sound in film.sounds if sound.id not in heard]
        return film


class DuplicateMark(FilmAct):
    """Make another mark like one, with its look, its times and what it hangs on, ``by`` ground units away; of a clip
    with its own sound."""

    act: Literal["duplicate_mark"] = "duplicate_mark"
    mark: str
    by: tuple[float, float] = (0.0, 0.0)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        mark = film.mark(self.mark)
        copy = _shifted(mark, *self.by).model_copy(update={"id": self.id, "name": f"{mark.name[:110]} copy"})
        # What hung on itself hangs on itself again.
        copy = changed(copy, {MARK_NAME: lambda key, _: self.id if key == self.mark else key})
        there = list_of(film, mark)
        there.insert(there.index(mark) + 1, copy)
        for sound in film.own_sounds(mark):
            again = changed(sound, {MARK_NAME: lambda key, _: self.id if key == self.mark else key})
            film.sounds.insert(film.sounds.index(sound) + 1, again.model_copy(update={"id": new_id()}))
        return film


class ShiftMarks(FilmAct):
    """Move marks over the ground, ground units, and with them all others of their groups that are not locked; labels in
    the frame by shares of its width and height."""

    act: Literal["shift_marks"] = "shift_marks"
    marks: list[str] = Field(min_length=1)
    by: tuple[float, float]

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        chosen = [film.mark(key) for key in self.marks]
        for mark in chosen:
            if mark.locked:
                raise BadEdit(f"“{mark.name}” is locked. Unlock it, then it can be moved.")
        in_frame = _in_frame(chosen[0])
        groups = {mark.group for mark in chosen if mark.group}
        for other in film.marks:
            if _in_frame(other) == in_frame and (other in chosen or (other.group in groups and not other.locked)):
                there = list_of(film, other)
                there[there.index(other)] = _shifted(other, *self.by)
        return film


def _in_frame(mark: object) -> bool:
    return isinstance(mark, Label | Inset) and mark.stands in ("frame", "full")


class DragMark(FilmAct):
    """Drag a text or a sign in the frame, from one place to another, shares of its width and height: what stands in the
    frame moves there, the text of a callout beside its place, all else over the ground, on which it keeps its height,
    or along its route. Values that change over the film do so at ``frame``."""

    act: Literal["drag_mark"] = "drag_mark"
    mark: str
    frame: int = Field(ge=0)
    start: tuple[Finite, Finite]
    to: tuple[Finite, Finite]

    def apply(self, film: Film) -> Film:
        mark = film.mark(self.mark)
        if mark.locked:
            raise BadEdit(f"“{mark.name}” is locked. Unlock it, then it can be moved.")
        if not isinstance(mark, Label | Marker | Inset) or (isinstance(mark, Inset) and mark.stands == "full"):
            raise BadEdit(f"“{mark.name}” is moved on the chart.")
        choreography = choreograph(film)
        if not 0 <= self.frame < choreography.frames:
            raise BadEdit("There is no such frame.")
        time, size = Time(self.frame), film.frame.size
        now = running(mark, time, choreography.timeline, mark)
        du, dv = self.to[0] - self.start[0], self.to[1] - self.start[1]
        if isinstance(now, Label | Inset) and now.stands == "frame":
            return self._set(film, {"u": _within(now.u + du, -0.5, 1.5), "v": _within(now.v + dv, -0.5, 1.5)})
        if isinstance(now, Label) and now.leader and now.stands == "facing":
            dx, dy = now.leader.dx + du * size.width, now.leader.dy + dv * size.height
            return self._set(film, {"leader/dx": _within(dx, -4000, 4000), "leader/dy": _within(dy, -4000, 4000)})
        pose, by = choreography.pose(time), (du * size.width, dv * size.height)
        if isinstance(now, Label) and now.stands == "route" and now.route:
            curve = film.route(now.route).curve
            x, y = curve.along(np.array([now.along * curve.length]))[0].tolist()
            way = curve.nearest(np.array(_on_ground(moved_in_frame(pose, size, (x, y, 0.0), by))))
            return self._set(film, {"along": _within(way / max(curve.length, 1e-12), 0, 1)})
        height = now.height if isinstance(now, Label | Inset) else 0.0
        x, y = _on_ground(moved_in_frame(pose, size, (*now.place, height), by))
        return self._set(film, {"x": x, "y": y})

    def _set(self, film: Film, values: dict[str, float]) -> Film:
        for field, value in values.items():
            film = SetValue(of=self.mark, field=field, frame=self.frame, value=value).apply(film)
        return film


def _on_ground(place: tuple[float, float] | None) -> tuple[float, float]:
    if place is None:
        raise BadEdit("There is no ground to put it on there: that is beyond the horizon.")
    return place


def _within(value: float, low: float, high: float) -> float:
    return float(min(max(value, low), high))


class ShowGroup(FilmAct):
    """Show or hide all marks of a group: routes are then drawn in the film or not."""

    act: Literal["show_group"] = "show_group"
    group: str = Field(min_length=1)
    shown: bool

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        for mark in film.marks:
            if mark.group != self.group:
                continue
            if isinstance(mark, Route):
                mark.draws = mark.draws.model_copy(update={"shown": self.shown})
            else:
                mark.shown = self.shown
        return film


M = TypeVar("M", bound=AnyMark)


def _shifted(mark: M, dx: float, dy: float) -> M:
    """A mark somewhere else: all of its places on the ground, or, if it stands in the frame, its place there."""
    if _in_frame(mark):
        in_frame: Any = mark
        u, v = (_moved_course(value, by) for value, by in ((in_frame.u, dx), (in_frame.v, dy)))
        return in_frame.model_copy(update={"u": u, "v": v})
    return changed(mark, {PLACE: lambda places, _: places + np.array([dx, dy])})


def _moved_course(value: Any, by: float) -> Any:
    if isinstance(value, Course):
        stops = tuple(stop.model_copy(update={"value": _moved_course(stop.value, by)}) for stop in value.stops)
        return value.model_copy(update={"stops": stops})
    return min(max(value + by, -0.5), 1.5)


class RestackMark(FilmAct):
    """Put a mark at a place among those of its kind, 0 at the bottom."""

    act: Literal["restack_mark"] = "restack_mark"
    mark: str
    to: int

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        mark = film.mark(self.mark)
        there = list_of(film, mark)
        there.remove(mark)
        there.insert(min(max(self.to, 0), len(there)), mark)
        return film


class MoveMark(FilmAct):
    """Move the start or the end of a mark, or a route's start, in time; it goes on hanging on what it hangs on."""

    act: Literal["move_mark"] = "move_mark"
    mark: str
    edge: Literal["starts", "ends", "both"] = "starts"
    by: int

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        mark = film.mark(self.mark)
        if isinstance(mark, Route):
            if self.edge in ("starts", "both"):
                mark.draws = mark.draws.model_copy(update={"starts": moved(film, mark.draws.starts, self.by)})
            return film
        if self.edge in ("starts", "both"):
            mark.starts = moved(film, mark.starts, self.by)
        # What goes so long after it has come goes along by itself.
        along = self.edge == "both" and mark.ends is not None and names(mark.ends, mark.id)
        if self.edge in ("ends", "both") and mark.ends and not along:
            mark.ends = moved(film, mark.ends, self.by)
        return film


class MakeRoom(FilmAct):
    """Let labels that face the camera make room for others, or stay where they are."""

    act: Literal["make_room"] = "make_room"
    marks: list[str] = Field(min_length=1)
    on: bool = True

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        for key in self.marks:
            mark = film.mark(key)
            if not isinstance(mark, Label) or mark.stands != "facing":
                raise BadEdit(f"“{mark.name}” does not face the camera, so it cannot move in the frame.")
            mark.gives_way = self.on
        return film


class Uncover(FilmAct):
    """Let a plate or a mark be uncovered in the film, about its middle or along a route (the first one if it has none
    yet); with ``how`` none, all of it is seen at once. When and how softly stays as it was."""

    act: Literal["uncover"] = "uncover"
    of: str
    how: Literal["circle", "wipe", "route"] | None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        one = next((plate for plate in film.plates if plate.id == self.of), None) or film.mark(self.of)
        if isinstance(one, Route):
            raise BadEdit("A route draws itself; nothing need uncover it.")
        if self.how is None:
            one.reveal = None
            return film
        routes = (one.reveal and one.reveal.routes) or tuple(route.id for route in film.routes[:1])
        if self.how == "route" and not routes:
            raise BadEdit(f"Draw a route first; then “{one.name}” can appear along it.")
        x, y = np.mean(outline(one.matrix, *one.extent), axis=0).tolist() if isinstance(one, Plate) else one.place
        changes = {"how": self.how, "routes": routes if self.how == "route" else (), "x": x, "y": y}
        one.reveal = Reveal.model_validate((one.reveal.model_dump() if one.reveal else {}) | changes)
        return film


class SetLook(FilmAct):
    """Set properties of how marks look. Where one uses a style they become its own."""

    act: Literal["set_look"] = "set_look"
    marks: list[str] = Field(min_length=1)
    look: dict[str, Any] = Field(min_length=1)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        for key in self.marks:
            mark = film.mark(key)
            mark.look = _changed(mark.look, self.look)
            if style_of(mark, film.styles):
                mark.own = tuple(dict.fromkeys([*mark.own, *self.look]))
        return film


class SetArrival(FilmAct):
    """Set how marks come or go: ``how``, within so many ``frames``, or both. Where their style says it, it becomes
    their own; or, ``of_style``, the style of the first of them says so from now on, and that mark does as it says."""

    act: Literal["set_arrival"] = "set_arrival"
    marks: list[str] = Field(min_length=1)
    edge: Literal["comes", "goes"]
    how: str | None = None
    frames: int | None = None
    of_style: bool = False

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        given = {key: value for key in ("how", "frames") if (value := getattr(self, key)) is not None}
        for key in self.marks:
            mark = film.mark(key)
            if not isinstance(mark, TimedMark):
                raise BadEdit(f"“{mark.name}” draws itself; how long that takes is said with its line.")
            arrival = _changed(getattr(film.in_style(mark), self.edge), given)
            try:
                mark.can_come(arrival)
            except ValueError as error:
                raise BadEdit(f"{error} Nothing was changed.") from error
            style = style_of(mark, film.styles)
            if self.of_style and style:
                setattr(style, self.edge, arrival)
                mark.own = tuple(name for name in mark.own if name != self.edge)
                return film
            setattr(mark, self.edge, arrival)
            if style and getattr(style, self.edge):
                mark.own = tuple(dict.fromkeys([*mark.own, self.edge]))
        return film


class OpenMap(FilmAct):
    """Let regions open the map, with nothing of their own over what is seen through them; or let them close it."""

    act: Literal["open_map"] = "open_map"
    regions: list[str] = Field(min_length=1)
    open: bool = True

    def apply(self, film: Film) -> Film:
        for key in self.regions:
            if not isinstance(film.mark(key), Region):
                raise BadEdit(f"Only a region can open the map; “{film.mark(key).name}” is none.")
        look = {"opens": 1.0, "filled": 0.0, "hatch": 0.0} if self.open else {"opens": 0.0}
        return SetLook(marks=self.regions, look=look).apply(film)


def _changed(look: Any, values: dict[str, Any]) -> Any:
    try:
        return type(look).model_validate(look.model_dump() | values)
    except ValidationError as error:
        raise BadEdit(f"{said(error)}. Nothing was changed.") from error


class ResetLook(FilmAct):
    """Let properties of a mark follow its style again: those named, or all."""

    act: Literal["reset_look"] = "reset_look"
    mark: str
    names: list[str] | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        mark = film.mark(self.mark)
        mark.own = tuple(name for name in mark.own if self.names is not None and name not in self.names)
        return film


class MakeStyle(FilmAct):
    """Make a style of how a mark looks, comes and goes; the mark uses it."""

    act: Literal["make_style"] = "make_style"
    mark: str
    name: str = Field(min_length=1, max_length=120)
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        mark = film.in_style(film.mark(self.mark))
        arrivals = {edge: getattr(mark, edge) for edge in EDGES if isinstance(mark, TimedMark)}
        film.styles.append(KINDS[mark.kind].style(id=self.id, name=self.name, look=film.look_of(mark), **arrivals))
        mark = film.mark(self.mark)
        mark.style, mark.own = self.id, ()
        return film


class UseStyle(FilmAct):
    """Let marks use a style of their kind, all of it; or, with none, keep how they look as their own."""

    act: Literal["use_style"] = "use_style"
    marks: list[str] = Field(min_length=1)
    style: str | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        style = film.style(self.style) if self.style else None
        for key in self.marks:
            mark = film.mark(key)
            if style and style.kind != mark.kind:
                raise BadEdit(f"“{style.name}” is a style of {style.kind}s; “{mark.name}” is a {mark.kind}.")
            mark.look = film.look_of(mark)
            for edge in EDGES if isinstance(mark, TimedMark) else ():
                setattr(mark, edge, getattr(film.in_style(mark), edge))
            mark.style, mark.own = self.style, ()
        return film


class CopyLook(FilmAct):
    """Let marks look as another one of their kind does, style included."""

    act: Literal["copy_look"] = "copy_look"
    mark: str
    to: list[str] = Field(min_length=1)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        mark = film.mark(self.mark)
        for key in self.to:
            other = film.mark(key)
            if other.kind != mark.kind:
                raise BadEdit(f"A {other.kind} cannot look as a {mark.kind}: “{other.name}” was left as it is.")
            for name in ("look", "style", "own"):
                setattr(other, name, getattr(mark, name))
        return film


class RemoveStyle(FilmAct):
    """Take a style away. Marks that use it keep how they look."""

    act: Literal["remove_style"] = "remove_style"
    style: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        film.style(self.style)
        film = without_names(film, {self.style})
        film.styles = [style for style in film.styles if style.id != self.style]
        return film
