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
from yaila.core.film import Duration, Feather, Film, Ground, Passage, Vantage
from yaila.core.film.finish import MOST_HEIGHTS
from yaila.core.film.model import Holds
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

A_PLATE = 24
"""How many tiles a plate less is worth: its seams, and the work of looking after it (a rule of thumb)."""

CLEARLY = 0.85
"""Below this share of its tiles a block is cut in two."""

COARSEST = 256.0
"""How much coarser than asked a plan may become to keep to its budget."""

TRIES = 7


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

    ``density`` is how many survey pixels a film pixel gets: what was asked for, or what the budget allows, and
    ``whole`` how many tiles the asked for would take. ``looked`` is false where the camera sees no ground at all.
    ``stretch``: the timecodes between which they were planned, if not for the whole film.
    """

    plates: list[PlannedPlate]
    tiles: int
    left: float
    density: float
    whole: int
    looked: bool
    stretch: tuple[str, str] | None = None


class SurveyReach(BaseModel):
    """What a survey can give: zoom levels, tile size in pixels, its bounds on the ground, and what it holds."""

    least: int
    most: int
    tile: int
    box: tuple[float, float, float, float]
    holds: Holds = "pictures"


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
    """The plates to capture from a survey for a film. What is there already counts if it holds the same; of heights,
    of which a film has one plate, all becomes one.

    Args:
        margin: how much wider than needed each plate is, percent.
        density: survey pixels for a film pixel.
        budget: tiles; of the ladders of zoom levels the one that comes closest to it from below is taken (of two
            alike, the one of fewer plates). If none does, all is planned as much coarser as it takes.
        stretch: plan for these frames only, first and last.

    Raises:
        BadEdit: the ground is not georeferenced.
    """
    if film.ground.kind != "mercator":
        raise BadEdit(
            "A survey can only be captured onto a georeferenced ground. Georeference it by a plate of your own, or "
            "start a film on one."
        )
    look = budget_of(_holding(film, survey.holds), most=100_000 if stretch else MOST_FRAMES)
    places = look.places.reshape(-1, 2)
    wanting = (look.bare > SEEN) | (look.enlarged > SHARP)
    frames = np.repeat(look.frames, look.needs.shape[1])
    if stretch:
        wanting &= ((look.frames >= stretch[0]) & (look.frames <= stretch[1]))[:, None]
    finite = np.isfinite(places).all(axis=1)
    inside = finite & _within(np.nan_to_num(places), survey.box)
    wanted = wanting.ravel() & inside
    needs, bare, enlarged = look.needs.ravel(), look.bare.ravel(), look.enlarged.ravel()
    pixel = units_per_pixel(0, survey.tile)

    def planned(density: float) -> tuple[list[list[PlannedPlate]], float]:
        """The ladders for so many survey pixels a film pixel, and what they leave soft or bare."""
        zooms = np.full(len(places), survey.least)
        some = wanted.copy()
        with np.errstate(divide="ignore", invalid="ignore"):
            exact = np.log2(pixel * density / (needs * SHARP))
        zooms[some] = np.clip(np.ceil(exact[some]), survey.least, survey.most).astype(int)
        offered = pixel / 2.0**zooms / needs
        # What even the closest level does not carry, and what lies outside the survey, stays.
        short = (some & (offered > SHARP / asked * (1 + 1e-6))).sum() + (wanting.ravel() & ~inside & finite).sum()
        # There the film's own plates may be better than the survey.
        some &= (bare > SEEN) | (enlarged > 1.15 * offered)
        wish = film, survey, places[some], zooms[some], frames[some], margin
        plans = [_alone(*wish)] if survey.holds == "heights" else [_plates(*wish, stride) for stride in STRIDES]
        return plans, float(short / max(int(finite.sum()), 1))

    asked = density
    plans, left = planned(density)
    whole = min(map(_tiles, plans))
    if whole > budget:
        low, high = math.log(density / COARSEST), math.log(density)
        for _ in range(TRIES):
            middle = (low + high) / 2
            tried = planned(math.exp(middle))
            if min(map(_tiles, tried[0])) <= budget:
                low, (plans, left), density = middle, tried, math.exp(middle)
            else:
                high = middle
        if min(map(_tiles, plans)) > budget:
            density = asked / COARSEST
            plans, left = planned(density)
    fitting = [plan for plan in plans if _tiles(plan) <= budget] or [min(plans, key=_tiles)]
    chosen = max(fitting, key=lambda plan: (_tiles(plan), -len(plan)))
    return CapturePlan(
        plates=chosen,
        tiles=_tiles(chosen),
        left=left,
        density=density,
        whole=whole,
        looked=bool(finite.any()),
        stretch=_times(film, *stretch) if stretch else None,
    )


def _holding(film: Film, holds: Holds) -> Film:
    """The film with the plates that hold what is asked for, seen as pictures are."""
    if holds == "pictures":
        return film
    seen = {"role": "film", "feather": Feather(), "opacity": 1.0}
    plates = [plate.model_copy(update=seen) for plate in film.plates if plate.role == holds]
    return film.model_copy(update={"plates": plates})


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


def _alone(
    film: Film,
    survey: SurveyReach,
    places: NDArray[np.float64],
    zooms: NDArray[np.int64],
    frames: NDArray[np.int64],
    margin: float,
) -> list[PlannedPlate]:
    """All of it as one plate of heights, of no more than are kept."""
    if not len(zooms):
        return []
    widest = max(float(np.ptp(places, axis=0).max()), 1e-6)
    finest = math.floor(math.log2(units_per_pixel(0, survey.tile) * MOST_HEIGHTS / widest))
    zoom = max(min(int(zooms.max()), finest), survey.least)
    return _of_zoom(film, survey, places, frames, zoom, margin, None)


def _of_zoom(
    film: Film,
    survey: SurveyReach,
    places: NDArray[np.float64],
    frames: NDArray[np.int64],
    zoom: int,
    margin: float,
    gap: int | None,
) -> list[PlannedPlate]:
    """Plates of one zoom level; what is less than ``gap`` tiles apart hangs together, without it all of it."""
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
    blocks: list[Block] = [(1, 1, wide - 1, high - 1)]
    if gap:
        closed = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((gap, gap), np.uint8))
        count, labels = cv2.connectedComponents(closed.astype(np.uint8), connectivity=8)
        blocks = [block for label in range(1, count) for block in _blocks(labels == label)]
    # Every place belongs to the first block that it lies in.
    at = np.full((high, wide), -1)
    merged = _merged(blocks)
    for number, (x0, y0, x1, y1) in reversed(list(enumerate(merged))):
        at[y0:y1, x0:x1] = number
    at = at[rows - top, columns - left]
    made = []
    for number, block in enumerate(merged):
        ours = at == number
        if not ours.any():
            continue
        xs, ys = places[ours, 0], places[ours, 1]
        # The outermost places stand at the frames' edges; the margin is of what is needed.
        add_x = (float(np.ptp(xs)) + side / 4) * margin / 200
        add_y = (float(np.ptp(ys)) + side / 4) * margin / 200
        west, east = max(xs.min() - add_x, survey.box[0]), min(xs.max() + add_x, survey.box[2])
        south, north = max(ys.min() - add_y, survey.box[1]), min(ys.max() + add_y, survey.box[3])
        first, last = math.floor((west + HALF_WORLD) / side), math.ceil((east + HALF_WORLD) / side)
        upper, lower = math.floor((HALF_WORLD - north) / side), math.ceil((HALF_WORLD - south) / side)
        if len(merged) > 1:
            # Neighbours overlap by a tile, so that one melts into the other and nothing between them is bare.
            first, last = min(first, left + block[0] - 1), max(last, left + block[2] + 1)
            upper, lower = min(upper, top + block[1] - 1), max(lower, top + block[3] + 1)
            edge = [math.floor((survey.box[0] + HALF_WORLD) / side), math.floor((HALF_WORLD - survey.box[3]) / side)]
            end = [math.ceil((survey.box[2] + HALF_WORLD) / side), math.ceil((HALF_WORLD - survey.box[1]) / side)]
            first, upper = max(first, edge[0]), max(upper, edge[1])
            last, lower = min(last, end[0]), min(lower, end[1])
        across, down = max(last - first, 1), max(lower - upper, 1)
        if max(across, down) > MOST_TILES_WIDE:
            raise BadEdit("The film asks for close imagery over too wide a stretch. Plan a part of it at a time.")
        tiles = TileBlock(zoom=zoom, column=first, row=upper, columns=across, rows=down)
        made.append(
            PlannedPlate(
                **tiles.model_dump(),
                tiles=across * down,
                size=(across * survey.tile, down * survey.tile),
                box=tuple(tiles.ground),
                sharp_span=units_per_pixel(zoom, survey.tile) * film.frame.width,
                first=int(frames[ours].min()),
                last=int(frames[ours].max()),
                serves=_times(film, int(frames[ours].min()), int(frames[ours].max())),
            )
        )
    return made


Block = tuple[int, int, int, int]
"""Columns and rows of tiles, the first of each and the first beyond: left, top, right, bottom."""


def _blocks(wanted: NDArray[np.bool_], offset: tuple[int, int] = (0, 0)) -> list[Block]:
    """Blocks that hold all that is ``wanted``: one, or, along a path that runs askew, several that take far less."""
    ys, xs = np.flatnonzero(wanted.any(axis=1)), np.flatnonzero(wanted.any(axis=0))
    if not len(ys):
        return []
    top, left = int(ys[0]), int(xs[0])
    part = wanted[top : int(ys[-1]) + 1, left : int(xs[-1]) + 1]
    x, y = offset[0] + left, offset[1] + top
    high, wide = part.shape
    best, cut = CLEARLY * _price(wide, high), None
    for axis in (0, 1):
        lines = part if axis else part.T
        # From either end, how far the wanted of the lines up to here reaches.
        extents = []
        for order in (lines, lines[::-1]):
            seen = np.logical_or.accumulate(order, axis=0)
            extents.append(seen.shape[1] - seen[:, ::-1].argmax(axis=1) - seen.argmax(axis=1))
        for k in range(1, len(lines)):
            price = _price(k, int(extents[0][k - 1])) + _price(len(lines) - k, int(extents[1][len(lines) - k - 1]))
            if price < best:
                best, cut = price, (axis, k)
    if cut is None:
        return [(x, y, x + wide, y + high)]
    axis, k = cut
    if axis:
        return _blocks(part[:k], (x, y)) + _blocks(part[k:], (x, y + k))
    return _blocks(part[:, :k], (x, y)) + _blocks(part[:, k:], (x + k, y))


def _price(across: int, down: int) -> int:
    """What a block costs, in tiles: those that it overlaps its neighbours by, and a seam more to look after."""
    return (across + 2) * (down + 2) + A_PLATE


def _merged(blocks: list[Block]) -> list[Block]:
    """Blocks of which none is better joined with another."""
    blocks = list(blocks)
    while len(blocks) > 1:
        pairs = [(_gain(a, b), i, j) for i, a in enumerate(blocks) for j, b in enumerate(blocks[:i])]
        gain, i, j = max(pairs)
        if gain <= 0:
            break
        one, other = blocks.pop(i), blocks.pop(j)
        blocks.append(_union(one, other))
    return sorted(blocks)


def _gain(a: Block, b: Block) -> int:
    """How many tiles joining two blocks saves."""
    x0, y0, x1, y1 = _union(a, b)
    return sum(_price(p[2] - p[0], p[3] - p[1]) for p in (a, b)) - _price(x1 - x0, y1 - y0)


def _union(a: Block, b: Block) -> Block:
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])
