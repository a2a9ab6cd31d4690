"""The capture planner: which plates a survey must give so that no frame of a film is soft or bare.

Every place of every frame asks for a pixel size. Places that the film's plates do not carry are gathered by the zoom
level of the survey that carries them, tile by tile; tiles that hang together become one plate.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.errors import BadEdit
from yaila.core.film import Duration, Film, Ground, Passage, Vantage
from yaila.core.ground import TileBlock
from yaila.core.ground.mercator import HALF_WORLD, units_per_pixel
from yaila.core.soundings.budget import SEEN, SHARP, budget_of
from yaila.core.time import timecode

MOST_FRAMES = 900
"""Frames looked at for a plan."""

MOST_TILES_WIDE = 512
"""The widest plate planned, tiles."""

STRIDES = (1, 2, 3)
"""Zoom levels between one plate and the next closer one. A longer stride makes fewer plates, and so fewer seams, of
more tiles."""


class PlannedPlate(TileBlock):
    """A plate to be captured: its tiles.

    ``box`` is the ground it covers (west, south, east, north), ``size`` its pixels, ``sharp_span`` the span down to
    which it is sharp, ``first`` and ``last`` the frames it serves, ``serves`` their timecodes.
    """

    tiles: int
    size: tuple[int, int]
    box: tuple[float, float, float, float]
    sharp_span: float
    first: int
    last: int
    serves: tuple[str, str]


class CapturePlan(BaseModel):
    """Plates to be captured, wide ones first, and how much of the film would still be soft or bare with them, 0..1.

    ``stretch``: the timecodes between which they were planned, if not for the whole film.
    """

    plates: list[PlannedPlate]
    tiles: int
    left: float
    stretch: tuple[str, str] | None = None


class SurveyReach(BaseModel):
    """What a survey can give: zoom levels, tile size in pixels, and its bounds on the ground."""

    least: int
    most: int
    tile: int
    box: tuple[float, float, float, float]


def descent(film: Film, x: float, y: float, wide: float, close: float) -> Film:
    """A film of the same frame that goes straight down on a place, from one span to another."""
    passage = Passage(duration=Duration(unit="seconds", value=8))
    return film.model_copy(
        update={
            "ground": Ground(kind="mercator"),
            "vantages": [
                Vantage(x=x, y=y, span=max(wide, close), hold=0, passage=passage),
                Vantage(x=x, y=y, span=min(wide, close), hold=0),
            ],
        }
    )


def plan_captures(
    film: Film,
    survey: SurveyReach,
    margin: float = 12.0,
    density: float = 1.0,
    budget: int = 1500,
    stretch: tuple[int, int] | None = None,
) -> CapturePlan:
    """The plates to capture from a survey for a film.

    Args:
        margin: how much wider than needed each plate is, percent.
        density: survey pixels for a film pixel.
        budget: tiles; of the ladders of zoom levels the one that comes closest to it from below is taken (of two
            alike, the one of fewer plates), or else the one with the fewest tiles.
        stretch: plan for these frames only, first and last.

    Raises:
        BadEdit: the ground is not georeferenced.
    """
    if film.ground.kind != "mercator":
        raise BadEdit(
            "A survey can only be captured onto a georeferenced ground. Georeference it by a plate of your own, or "
            "start a film on one."
        )
    look = budget_of(film, most=100_000 if stretch else MOST_FRAMES)
    places = look.places.reshape(-1, 2)
    wanting = (look.bare > SEEN) | (look.enlarged > SHARP)
    frames = np.repeat(look.frames, look.needs.shape[1])
    if stretch:
        wanting &= ((look.frames >= stretch[0]) & (look.frames <= stretch[1]))[:, None]
    finite = np.isfinite(places).all(axis=1)
    inside = finite & _within(np.nan_to_num(places), survey.box)
    wanted = wanting.ravel() & inside
    needs = look.needs.ravel() / density
    zooms = np.full(len(places), survey.least)
    with np.errstate(divide="ignore", invalid="ignore"):
        exact = np.log2(units_per_pixel(0, survey.tile) / (needs * SHARP))
    zooms[wanted] = np.clip(np.ceil(exact[wanted]), survey.least, survey.most).astype(int)
    # What even the closest level does not carry, and what lies outside the survey, stays.
    short = wanted & (exact > survey.most + 1e-6)
    left = float((short.sum() + (wanting.ravel() & ~inside & finite).sum()) / max(int(finite.sum()), 1))
    # There the film's own plates may be better than the survey.
    offered = units_per_pixel(0, survey.tile) / 2.0**zooms / look.needs.ravel()
    wanted &= (look.bare.ravel() > SEEN) | (look.enlarged.ravel() > 1.15 * offered)
    plans = [_plates(film, survey, places[wanted], zooms[wanted], frames[wanted], margin, stride) for stride in STRIDES]
    fitting = [plan for plan in plans if _tiles(plan) <= budget]
    if fitting:
        chosen = max(fitting, key=lambda plan: (_tiles(plan), -len(plan)))
    else:
        chosen = min(plans, key=_tiles)
    return CapturePlan(
        plates=chosen, tiles=_tiles(chosen), left=left, stretch=_times(film, *stretch) if stretch else None
    )


def _times(film: Film, first: int, last: int) -> tuple[str, str]:
    return timecode(first, film.fps), timecode(last, film.fps)


def _tiles(plan: list[PlannedPlate]) -> int:
    return sum(plate.tiles for plate in plan)


def _within(places: NDArray[np.float64], box: Sequence[float]) -> NDArray[np.bool_]:
    west, south, east, north = box
    return (places[:, 0] > west) & (places[:, 0] < east) & (places[:, 1] > south) & (places[:, 1] < north)


def _plates(
    film: Film,
    survey: SurveyReach,
    places: NDArray[np.float64],
    zooms: NDArray[np.int64],
    frames: NDArray[np.int64],
    margin: float,
    stride: int,
) -> list[PlannedPlate]:
    """Plates of one ladder: every ``stride``-th level, counted from the closest that is needed."""
    if not len(zooms):
        return []
    top = int(zooms.max())
    rungs = top - (top - zooms) // stride * stride
    made = []
    for zoom in sorted(set(rungs.tolist())):
        some = rungs == zoom
        made += _of_zoom(film, survey, places[some], frames[some], zoom, margin, 2**stride + 1)
    return made


def _of_zoom(
    film: Film,
    survey: SurveyReach,
    places: NDArray[np.float64],
    frames: NDArray[np.int64],
    zoom: int,
    margin: float,
    gap: int,
) -> list[PlannedPlate]:
    side = 2 * HALF_WORLD / 2**zoom
    columns = np.floor((places[:, 0] + HALF_WORLD) / side).astype(int)
    rows = np.floor((HALF_WORLD - places[:, 1]) / side).astype(int)
    left, top = int(columns.min()) - 1, int(rows.min()) - 1
    wide, high = int(columns.max()) - left + 2, int(rows.max()) - top + 2
    if wide * high > 4_000_000:
        raise BadEdit("The film asks for close imagery over too wide a stretch of ground. Plan a part of it at a time.")
    mask = np.zeros((high, wide), np.uint8)
    mask[rows - top, columns - left] = 1
    # Places are looked at here and there in a frame: what lies between two of them is wanted too.
    closed = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((gap, gap), np.uint8))
    count, labels = cv2.connectedComponents(closed.astype(np.uint8), connectivity=8)
    at = labels[rows - top, columns - left]
    made = []
    for label in range(1, count):
        ours = at == label
        xs, ys = places[ours, 0], places[ours, 1]
        # The outermost places stand at the frames' edges; the margin is of what is needed.
        add_x = (float(np.ptp(xs)) + side / 4) * margin / 200
        add_y = (float(np.ptp(ys)) + side / 4) * margin / 200
        west, east = max(xs.min() - add_x, survey.box[0]), min(xs.max() + add_x, survey.box[2])
        south, north = max(ys.min() - add_y, survey.box[1]), min(ys.max() + add_y, survey.box[3])
        first = math.floor((west + HALF_WORLD) / side)
        last = math.ceil((east + HALF_WORLD) / side)
        upper = math.floor((HALF_WORLD - north) / side)
        lower = math.ceil((HALF_WORLD - south) / side)
        across, down = max(last - first, 1), max(lower - upper, 1)
        if max(across, down) > MOST_TILES_WIDE:
            raise BadEdit("The film asks for close imagery over too wide a stretch. Plan a part of it at a time.")
        block = TileBlock(zoom=zoom, column=first, row=upper, columns=across, rows=down)
        made.append(
            PlannedPlate(
                **block.model_dump(),
                tiles=across * down,
                size=(across * survey.tile, down * survey.tile),
                box=tuple(block.ground),
                sharp_span=units_per_pixel(zoom, survey.tile) * film.frame.width,
                first=int(frames[ours].min()),
                last=int(frames[ours].max()),
                serves=_times(film, int(frames[ours].min()), int(frames[ours].max())),
            )
        )
    return made
