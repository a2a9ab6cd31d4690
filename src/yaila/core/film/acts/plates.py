"""Acts on plates: laying, moving, fitting, toning, stacking."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from yaila.core.colour import ToneMatch
from yaila.core.errors import BadEdit
from yaila.core.film.acts.act import FilmAct
from yaila.core.film.acts.ties import without_names
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
from yaila.core.film.marked import Inset, Plays, ShownClip
from yaila.core.film.model import Captured, Feather, Film, Fit, FitModel, Ground, PictureRef, Plate, Tie
from yaila.core.film.part import new_id
from yaila.core.film.running import running
from yaila.core.film.walk import Owners, changed
from yaila.core.ground import Point, Similarity
from yaila.core.ground.georeference import Georeference
from yaila.core.ground.mercator import mercator_of
from yaila.core.ground.placement import Affine, Homography, Placement, outline, through
from yaila.core.imagery.land import MOST_SAMPLES, ByColour, Byte
from yaila.core.quantities import PLATE_LENGTH, PLATE_PLACE, PLATE_X, PULLED_X, TIED_PLACE

FIRST_FEATHER = 14.0
"""The feather that a plate gets when it is first found and had none, percent."""


class LayPlate(FilmAct):
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
    captured: Captured | None = None
    sort: bool = False
    """Put it among the plates by its pixel, wide below close, instead of on top."""
    plays: Plays | None = None
    """The clip that is seen in place of its picture."""
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
            captured=self.captured,
            plays=self.plays,
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


def clip_of(film: Film, key: str) -> tuple[Inset, ShownClip]:
    """An inset by its id, and the clip that it shows.

    Raises:
        BadEdit: it shows none, or is not in the film.
    """
    inset = film.mark(key)
    if not isinstance(inset, Inset) or not isinstance(inset.shows, ShownClip):
        raise BadEdit(f"“{inset.name}” shows no clip. A picture can be dropped as a plate, in Gather.")
    return inset, inset.shows


class LayInset(FilmAct):
    """Lay the clip of an inset as a plate on top of the stack, where the inset is: it can be fitted there as any
    picture, and goes on playing from when the inset came. It is as wide as the inset on the ground, or ``width`` if
    that has no width there. Its sound is heard as before. ``picture`` is its first one."""

    act: Literal["lay_inset"] = "lay_inset"
    inset: str
    picture: PictureRef
    width: Annotated[float, Field(gt=0)] | None = None
    id: str = Field(default_factory=new_id)

    def apply(self, film: Film) -> Film:
        inset, clip = clip_of(film, self.inset)
        choreography = choreograph(film)
        time = choreography.timeline.ranges[inset.id].start
        look = running(film.look_of(inset), time, choreography.timeline, inset)
        on_ground = inset.stands in ("facing", "board")
        width = look.ground if on_ground and look.scales == "ground" else self.width
        at = Point(*inset.place) if on_ground else None
        plays = Plays(clip=clip, starts=inset.starts)
        film = without_names(film, {inset.id})
        film.insets.remove(film.mark(inset.id))  # type: ignore[arg-type]
        laid = LayPlate(picture=self.picture, name=inset.name, at=at, width=width, plays=plays, id=self.id)
        return laid.apply(film)


class LayByFile(FilmAct):
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
            return georeferenced(film, ground_of(plate, places), plate.georeference.on_mercator(places))
        lay_by_file(plate)
        return film


class GroundByPoints(FilmAct):
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
        return georeferenced(film, table[:, :2], goal)


class MovePlate(FilmAct):
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
        film, plate = film.one_apart("plates", film.plate_index(self.plate))
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


class PullPlate(FilmAct):
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


class TiePlate(FilmAct):
    """Lay a plate by tie points or control points, which replace those it had; ``hold`` says whether a bend leaves
    the goal flat, none to leave that as it is."""

    act: Literal["tie_plate"] = "tie_plate"
    plate: str
    ties: list[Tie]
    model: FitModel | None = None
    hold: bool | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        solve_ties(film, plate, self.ties, self.model, plate.fit.hold if self.hold is None else self.hold)
        return film


class LayFound(FilmAct):
    """Lay a plate where it was found on another: ``pairs`` are pixels of its picture (x, y) and those of the other's
    picture where they belong (x, y), spread over the plate. One that is ``wider`` is to lie below the other."""

    act: Literal["lay_found"] = "lay_found"
    plate: str
    on: str
    pairs: list[tuple[float, float, float, float]] = Field(min_length=4)
    residual: float
    confidence: float
    inliers: int
    wider: bool = False

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate, other = film.plate(self.plate), film.plate(self.on)
        pairs = np.array(self.pairs)
        above = other if self.wider else plate
        if plate.fit.by == "hand" and above.feather == Feather():
            # A hard edge would show, however well it lies.
            above.feather = Feather(width=FIRST_FEATHER)
        lay_on(plate, pairs[:, :2], ground_of(other, pairs[:, 2:]))
        plate.fit = Fit(
            by="found", on=self.on, residual=self.residual, confidence=self.confidence, inliers=self.inliers
        )
        return film


class NoteFit(FilmAct):
    """Say at a plate why it was left as it lay."""

    act: Literal["note_fit"] = "note_fit"
    plate: str
    note: str

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        plate.fit = plate.fit.model_copy(update={"note": self.note[:300]})
        return film


class MatchTone(FilmAct):
    """Give a plate the match of its tone to what lies below, all of it or as much as it had."""

    act: Literal["match_tone"] = "match_tone"
    plate: str
    match: ToneMatch | None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        plate.tone = plate.tone.model_copy(update={"match": self.match})
        return film


class PickColour(FilmAct):
    """What is like a colour of a plate's picture, (red, green, blue) 0..255, leaves it, besides what leaves it already
    by colour; of over 24 samples the newest stay."""

    act: Literal["pick_colour"] = "pick_colour"
    plate: str
    colour: tuple[Byte, Byte, Byte]

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate = film.plate(self.plate)
        land = plate.land if isinstance(plate.land, ByColour) else ByColour(samples=(self.colour,))
        samples = (*(one for one in land.samples if one != self.colour), self.colour)[-MOST_SAMPLES:]
        plate.land = land.model_copy(update={"samples": samples})
        return film


class OutlinePlate(FilmAct):
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


OTHER_SHAPE = "Its new picture has another shape, so where it lies is not sure: find it, or switch its ties on again."


class SwapPicture(FilmAct):
    """Put another picture in a plate's place and keep everything else: it covers the same ground, and what is said in
    pixels of the plate (ties, outline, bend) is carried over to the new size.

    A clip that it played is seen no more.

    One of another shape cannot cover the same ground and stay as it is: it keeps the middle and the area, and its fit
    is known no more.
    """

    act: Literal["swap_picture"] = "swap_picture"
    plate: str
    picture: PictureRef
    holes: tuple[tuple[int, int, int, int], ...] = ()
    captured: Captured | None = None

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        plate, new = film.plate(self.plate), self.picture
        old_size, new_size = np.array([plate.picture.width, plate.picture.height]), np.array([new.width, new.height])
        size = new_size / old_size
        even = abs(size[0] / size[1] - 1) < 1e-3
        if not even:
            size = np.full(2, math.sqrt(size[0] * size[1]))
        # Pixels of the new picture are those of the old one, times ``size``, plus ``off``.
        off = np.zeros(2) if even else new_size / 2 - size * old_size / 2
        old_from_new = np.diag([*(1 / size), 1.0])
        old_from_new[:2, 2] = -off / size

        def laid(one: Similarity | Affine | Homography, _: Owners) -> Placement:
            return placement_of(one.matrix(*old_size) @ old_from_new, one.kind, new.width, new.height)

        def georeferenced(one: Georeference, _: Owners) -> Georeference:
            a, b, c, d, e, f = one.affine
            rows = np.array([[a, b, c], [d, e, f], [0, 0, 1]]) @ old_from_new
            return one.model_copy(update={"affine": tuple(rows[:2].ravel().tolist())})

        def scaled(places: np.ndarray, _: Owners) -> np.ndarray:
            return places * size + off

        def tied(places: np.ndarray, owners: Owners) -> np.ndarray:
            return places * size + off if getattr(owners[0], "other", None) == self.plate else places

        rules = {
            PLATE_PLACE: scaled,
            PLATE_X: scaled,
            PULLED_X: scaled,
            PLATE_LENGTH: lambda length, _: length * math.sqrt(size[0] * size[1]),
        }
        parts: dict[Any, Any] = {Similarity: laid, Affine: laid, Homography: laid, Georeference: georeferenced}
        swapped = changed(plate, rules, parts)
        if not even:
            ties = [tie.model_copy(update={"used": False}) for tie in swapped.fit.ties]
            swapped.fit = Fit(ties=ties, note=OTHER_SHAPE)
        swapped.picture, swapped.holes, swapped.captured, swapped.plays = new, self.holes, self.captured, None
        film.plates[film.plate_index(self.plate)] = swapped
        return changed(film, {TIED_PLACE: tied})


class RestackPlate(FilmAct):
    """Move a plate to another place in the stack, 0 at the bottom."""

    act: Literal["restack_plate"] = "restack_plate"
    plate: str
    to: int = Field(ge=0)

    def apply(self, film: Film) -> Film:
        film = film.model_copy(deep=True)
        before = film.plate_index(self.plate)
        plate = film.plates.pop(before)
        after = min(self.to, len(film.plates))
        film.plates.insert(after, plate)
        for other in film.plates[min(before, after) : max(before, after) + 1]:
            # What was refused was to be laid on other plates than lie below it now.
            other.fit = other.fit.model_copy(update={"note": ""})
        return film


class RemovePlate(FilmAct):
    """Take a plate off the ground. Its picture stays in store."""

    act: Literal["remove_plate"] = "remove_plate"
    plate: str

    def apply(self, film: Film) -> Film:
        film.plate(self.plate)
        film = without_names(film, {self.plate})
        del film.plates[film.plate_index(self.plate)]
        return film


def _outline(plate: Plate) -> np.ndarray:
    return outline(plate.matrix, *plate.extent)
