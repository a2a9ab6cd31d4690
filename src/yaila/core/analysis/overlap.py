"""What plates show in common: where one lies on another, how their tones differ, and the same feature on both."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from yaila.core.colour import ToneMatch, ciede2000
from yaila.core.colour.match import match_tone
from yaila.core.film.acts import LayFound
from yaila.core.film.fitting import grid_of, ground_of, picture_place, pixel_on_ground
from yaila.core.film.model import Film, Plate, Tie
from yaila.core.ground import Point
from yaila.core.ground.placement import outline, through
from yaila.core.imagery import AdjustedPyramid, Pyramid
from yaila.core.imagery.fitting import NotFitted, find_fit, resampled, solve_map

Open = Callable[[str], Pyramid]
Floats = NDArray[Any]

SAMPLES = 200
"""Samples along the longer side of the overlap that tones are matched on."""

CANDIDATES = 5
"""How many plates below are tried."""

COARSER = 1.2
"""From this ratio of their pixels on, the finer of two plates belongs on top."""

LOUPE = 33
"""Pixels of the coarser plate along a side of the patch that is looked for on the other plate."""

AGREED = 0.6
"""From this correlation on a tie is put where the feature was found."""

DISTINCT = 0.06
"""By how much it must agree better there than anywhere else."""

SEARCH = 12
"""How far it is looked for, the same pixels."""


def find_on_stack(
    film: Film,
    plate: Plate,
    open_picture: Open,
    progress: Callable[[float], None] = lambda share: None,
    waiting: Collection[str] = (),
) -> LayFound:
    """Where a plate lies on those below it in the stack, or else on those above, as the act that lays it there.

    Each is tried both ways: the plate on the other, and the other on it, in case it is the plate that shows more.

    Args:
        waiting: plates that lie nowhere yet, on which nothing can be laid.

    Raises:
        NotFitted: it was found on none of them, or not surely enough.
    """
    index = film.plate_index(plate.id)
    if not index:
        raise NotFitted("There is no plate below it to be found on. It is the ground that others are laid on.")
    shown = [other for other in film.plates if other.shown and other.id not in waiting and other.id != plate.id]
    below = [other for other in shown if film.plate_index(other.id) < index][::-1]
    above = [other for other in shown if film.plate_index(other.id) > index and other.fit.by != "hand"]
    tried = [*below[: CANDIDATES - 1], *below[CANDIDATES - 1 :][-1:], *above[:CANDIDATES]]
    if not tried:
        raise NotFitted("There is no plate beside it that lies somewhere already.")
    best: LayFound | None = None
    why = ""
    for number, other in enumerate(tried):

        def told(share: float, number: int = number) -> None:
            progress((number + share) / len(tried))

        try:
            made = _found_on(plate, other, open_picture, told)
        except NotFitted as error:
            why = why if "sure" in why else f"{other.name}: {error}"
            continue
        if best is None or made.confidence > best.confidence:
            best = made
        if best.confidence > 75:
            break
    if best is None:
        raise NotFitted(why if len(tried) == 1 else f"Found on none of the {len(tried)} other plates. {why}"[:300])
    return best


def _found_on(plate: Plate, other: Plate, open_picture: Open, progress: Callable[[float], None]) -> LayFound:
    """A plate found on another, or that on it."""
    sides = (plate, other)
    pictures = [open_picture(one.picture.sha256) for one in sides]
    names = [one.picture.sha256 for one in sides]
    wider = False
    try:
        found = find_fit(pictures[0], pictures[1], (names[0], names[1]), lambda share: progress(share / 2))
        places = grid_of(plate)
        pairs = np.hstack([places, found.through(places)])
    except NotFitted as refused:
        try:
            found = find_fit(pictures[1], pictures[0], (names[1], names[0]), lambda share: progress(0.5 + share / 2))
        except NotFitted:
            raise refused from None
        # The other shows a part of it only: nothing freer than a similarity can be carried on from there.
        part, wider = grid_of(other), True
        across = solve_map("similarity", found.through(part), part)
        places = grid_of(plate)
        pairs = np.hstack([places, through(across, places)])
    return LayFound(
        plate=plate.id,
        on=other.id,
        pairs=[tuple(pair) for pair in pairs.tolist()],
        residual=found.residual,
        confidence=found.confidence,
        inliers=found.inliers,
        wider=wider,
    )


def finer_below(film: Film, plate: Plate) -> int | None:
    """How far down the stack a plate has to go so that it hides none whose pixels are finer; none if it hides none."""
    low, high = _box(plate)
    for index, other in enumerate(film.plates[: film.plate_index(plate.id)]):
        a, b = _box(other)
        touches = bool((a < high).all() and (b > low).all())
        if touches and other.in_film and pixel_on_ground(plate) > COARSER * pixel_on_ground(other):
            return index
    return None


def _box(plate: Plate) -> tuple[Floats, Floats]:
    corners = outline(plate.matrix, *plate.extent)
    return corners.min(axis=0), corners.max(axis=0)


@dataclass(frozen=True)
class Overlap:
    """What a plate and those below show on one upright grid: two (rows, columns, 4) premultiplied RGBA."""

    above: NDArray[np.uint8]
    below: NDArray[np.uint8]
    ground_from_grid: NDArray[np.float64]

    def shared(self) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
        """Colours (n, 3) where both show something, softened so that a pixel's misfit does not matter."""
        both = cv2.erode(((self.above[..., 3] > 253) & (self.below[..., 3] > 253)).astype(np.uint8), np.ones((5, 5)))
        soft = [cv2.GaussianBlur(picture, (0, 0), 1.2)[both > 0][:, :3] for picture in (self.above, self.below)]
        return soft[0].astype(np.uint8), soft[1].astype(np.uint8)


def overlap_of(film: Film, plate: Plate, open_picture: Open, toned: bool = False) -> Overlap:
    """A plate as it is laid, with its own tone or without, over the plates below it in the film."""
    below = [other for other in film.plates[: film.plate_index(plate.id)] if other.in_film]
    corners = outline(plate.matrix, *plate.extent)
    low, high = corners.min(axis=0), corners.max(axis=0)
    step = float((high - low).max()) / SAMPLES
    columns, rows = (max(int(v), 1) for v in np.ceil((high - low) / step))
    ground_from_grid = np.array([[step, 0, low[0]], [0, -step, high[1]], [0, 0, 1.0]])

    def seen(one: Plate, with_tone: bool) -> NDArray[np.uint8]:
        adjustments = one.adjustments if with_tone else replace(one.adjustments, tone=None)
        pyramid = AdjustedPyramid(open_picture(one.picture.sha256), adjustments)
        return resampled(pyramid, np.linalg.inv(one.matrix) @ ground_from_grid, columns, rows)

    ground = np.zeros((rows, columns, 4), np.float32)
    for other in below:
        layer = seen(other, True).astype(np.float32)
        ground = np.asarray(layer + ground * (1 - layer[..., 3:] / 255), np.float32)
    return Overlap(seen(plate, toned), np.asarray(ground + 0.5, np.uint8), ground_from_grid)


@dataclass(frozen=True)
class Rim:
    """The edge of a plate against what lies below: the largest step of tone along it (CIEDE2000, the mean over an
    eighth of the rim), and where on the ground that is."""

    step: float
    at: tuple[float, float]


def rim_of(film: Film, plate: Plate, open_picture: Open) -> Rim | None:
    """The rim of a plate as it is laid and toned; none where nothing lies below it."""
    overlap = overlap_of(film, plate, open_picture, toned=True)
    both = ((overlap.above[..., 3] > 250) & (overlap.below[..., 3] > 250)).astype(np.uint8)
    inner = cv2.erode(both, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)
    rim = (inner - cv2.erode(inner, np.ones((9, 9), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)) > 0
    rows, columns = np.nonzero(rim)
    if len(rows) < 40:
        return None
    soft = [cv2.GaussianBlur(one, (0, 0), 1.5)[rim][:, :3].astype(np.uint8) for one in (overlap.above, overlap.below)]
    step = ciede2000(soft[0], soft[1])
    turn = np.arctan2(rows - rows.mean(), columns - columns.mean())
    part = np.floor((turn / (2 * np.pi) + 0.5) * 8).astype(int) % 8
    means = [float(step[part == k].mean()) if (part == k).sum() > 4 else 0.0 for k in range(8)]
    worst = int(np.argmax(means))
    x, y, _ = overlap.ground_from_grid @ [columns[part == worst].mean(), rows[part == worst].mean(), 1]
    return Rim(means[worst], (float(x), float(y)))


def tone_match_of(film: Film, plate: Plate, open_picture: Open) -> ToneMatch | None:
    """What gives a plate the tone of those below it; none if they share too little."""
    return match_tone(*overlap_of(film, plate, open_picture).shared())


def made_tie(
    film: Film,
    plate: Plate,
    at: Point,
    to: Point,
    open_picture: Open,
    tie: Tie | None = None,
    exact: bool = True,
    ground: bool = False,
) -> Tie:
    """The tie that a person means who says that what the plate shows at ground place ``at`` belongs at ``to``.

    It hangs on the top plate shown there below, or on the ground if there is none; the feature is looked for about the
    place meant, and kept as meant where nothing agrees.

    Args:
        tie: one to be changed instead: it keeps its place on the plate.
        exact: whether to look.
        ground: hang it on the ground whatever lies below: a control point.
    """
    x, y = (tie.x, tie.y) if tie else picture_place(plate, np.array([at]))[0].tolist()
    place = np.array([to])
    made = Tie(x=x, y=y, to=to, used=tie.used if tie else True)
    if tie:
        made.id = tie.id
    ground = ground or bool(tie and tie.other is None)
    for other in () if ground else reversed(film.plates[: film.plate_index(plate.id)]):
        on = picture_place(other, place)[0]
        inside = (on >= 0).all() and on[0] <= other.picture.width and on[1] <= other.picture.height
        if other.shown and inside:
            made.other, made.to = other.id, Point(*on.tolist())
            if exact:
                found, match = refined_tie(film, plate, other, Point(x, y), made.to, open_picture)
                made.match = match
                if match > AGREED:
                    made.to = found
            break
    return made


def exact_ties(film: Film, plate: Plate, open_picture: Open, only: str | None = None) -> list[Tie]:
    """The ties of a plate, each looked for anew on the plate it hangs on as they lie now: about where it is, and if
    nothing agrees there, about where the plate says that it should be. All of them, or ``only`` one by its id."""
    made = []
    for tie in plate.fit.ties:
        best = tie
        if tie.other and only in (None, tie.id):
            other, at = film.plate(tie.other), Point(tie.x, tie.y)
            said = Point(*picture_place(other, ground_of(plate, np.array([[tie.x, tie.y]])))[0].tolist())
            for to in (tie.to, said):
                found, match = refined_tie(film, plate, other, at, to, open_picture)
                if match > AGREED:
                    best = tie.model_copy(update={"to": found, "match": match})
                    break
        made.append(best)
    return made


def colour_at(plate: Plate, at: Point, open_picture: Open) -> tuple[int, int, int] | None:
    """The colour of a plate's picture about a ground place, the mean of 3 x 3 pixels; none outside it."""
    place = picture_place(plate, np.array([at]))[0]
    if not np.isfinite(place).all():
        return None
    x, y = (int(value) for value in np.floor(place).tolist())
    if not (0 <= x < plate.picture.width and 0 <= y < plate.picture.height):
        return None
    patch = open_picture(plate.picture.sha256).window(0, x - 1, y - 1, 3, 3).reshape(-1, 4).astype(float)
    red, green, blue = (255 * patch[:, :3].sum(axis=0) / max(patch[:, 3].sum(), 1)).round().astype(int).tolist()
    return red, green, blue


def refined_tie(
    film: Film, plate: Plate, other: Plate, at: Point, to: Point, open_picture: Open
) -> tuple[Point, float]:
    """A tie made exact: the feature at pixel ``at`` of ``plate`` is looked for about pixel ``to`` of ``other``.

    Both are compared in pixels of the coarser plate, as the plates lie now, by normalised cross-correlation, its peak
    put between pixels by a parabola (J. P. Lewis, "Fast Normalized Cross-Correlation", 1995). Returns where it is, in
    pixels of ``other``, and how well the two agree there, -1..1: at most ``AGREED`` where ``to`` is left as it was.
    """
    # Both grids run along the other plate's axes.
    step = max(pixel_on_ground(plate) / pixel_on_ground(other), 1.0)
    around = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]) * step
    base = picture_place(other, ground_of(plate, np.array([[at.x, at.y]])))[0]
    laid = picture_place(plate, ground_of(other, base + around))
    across, down = laid[1] - laid[0], laid[2] - laid[0]
    wide = LOUPE + 2 * SEARCH

    def grid(origin: Sequence[float], x_axis: Floats, y_axis: Floats, size: int) -> Floats:
        start = np.asarray(origin) - (x_axis + y_axis) * size / 2
        return np.array([[x_axis[0], y_axis[0], start[0]], [x_axis[1], y_axis[1], start[1]], [0, 0, 1]])

    mine = resampled(open_picture(plate.picture.sha256), grid(at, across, down, LOUPE), LOUPE, LOUPE)
    theirs = resampled(
        open_picture(other.picture.sha256), grid(to, np.array([step, 0.0]), np.array([0.0, step]), wide), wide, wide
    )
    if mine[..., 3].min() < 255 or theirs[..., 3].max() == 0:
        return to, 0.0
    grey = [cv2.cvtColor(p[..., :3], cv2.COLOR_RGB2GRAY).astype(np.float32) for p in (theirs, mine)]
    score = cv2.matchTemplate(grey[0], grey[1], cv2.TM_CCOEFF_NORMED)
    row, column = np.unravel_index(int(np.argmax(score)), score.shape)
    best = float(score[row, column])
    if not (0 < row < score.shape[0] - 1 and 0 < column < score.shape[1] - 1):
        return to, min(best, 0.0)
    # Where another place agrees nearly as well, as in open water, nothing is found.
    rest = score.copy()
    rest[max(row - 3, 0) : row + 4, max(column - 3, 0) : column + 4] = -1
    if best - float(rest.max()) < DISTINCT:
        return to, min(best, AGREED)
    x = column + _vertex(score[row, column - 1], best, score[row, column + 1]) - SEARCH
    y = row + _vertex(score[row - 1, column], best, score[row + 1, column]) - SEARCH
    return Point(float(to.x + x * step), float(to.y + y * step)), best


def _vertex(before: float, middle: float, after: float) -> float:
    """Where the parabola through three neighbours is highest, from the middle one."""
    bend = float(before - 2 * middle + after)
    return 0.0 if bend >= 0 else float(np.clip((before - after) / (2 * bend), -0.5, 0.5))
