"""The film laid out for drawing: where frames lie on the ground, when things happen, how the span runs.

The interface draws what stands here and reckons nothing of its own.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.camera import FrameSize, Track
from yaila.core.camera.hop import RHO
from yaila.core.film.choreography import Choreography, Leg, choreograph
from yaila.core.film.fitting import ground_of, models_of, tied
from yaila.core.film.model import Film, Model, Plate, Vantage
from yaila.core.ground.placement import ground_units_per_pixel, outline, through
from yaila.core.time import timecode

XY = tuple[float, float]

MOST_SAMPLES = 2400


class TiePlan(BaseModel):
    """A tie on the ground: where the plate's feature lies now, where it belongs, and how far that is in pixels of the
    coarser plate."""

    id: str
    at: XY
    to: XY
    off: float
    used: bool
    worst: bool


class FitPlan(BaseModel):
    """How the ties of a plate agree: their root mean square, pixels of the coarser plate, and what each model leaves
    when every tie is foretold from the others (none while there are too few)."""

    ties: list[TiePlan]
    residual: float | None
    models: dict[Model, float | None]


class PlatePlan(BaseModel):
    """A plate on the ground: its size in pixels with what its edges add, its corners (top left first, clockwise),
    its 3x3 plate-to-ground matrix, and the span down to which it is sharp (one plate pixel to one film pixel).

    ``look`` differs whenever the plate's pixels do: its picture's SHA-256 and its adjustments.
    """

    id: str
    look: str
    size: tuple[int, int]
    outline: list[XY]
    matrix: list[float]
    sharp_span: float
    pixel: float
    """Ground units that a pixel is wide at the centre."""
    fit: FitPlan | None
    """None while it has no ties."""
    feather_outline: list[XY]
    """Corners of a drawn feather on the ground."""
    holes: list[list[XY]]
    """Corners on the ground of what is missing in it."""


class VantagePlan(BaseModel):
    """A vantage in time (frames) and on the ground: the corners of what its frame shows, and where the camera
    stands (x, y, height)."""

    id: str
    start: int
    hold: int
    timecode: str
    outline: list[XY]
    eye: tuple[float, float, float]
    ahead: XY
    """The middle of the frame's upper edge on the ground."""


class Tick(BaseModel):
    """A half-second mark on a passage: its place, the direction of travel, and whether it is a whole second."""

    at: XY
    towards: XY
    whole: bool


class PassagePlan(BaseModel):
    """The move from one vantage to the next: frames, path of its target on the ground, marks in time."""

    vantage: str
    start: int
    frames: int
    path: list[XY]
    ticks: list[Tick]
    distance: float
    length: float
    """How much the picture changes on the way, doublings."""
    top_pace: float
    """The fastest it changes, doublings per second."""
    widest: float
    """The widest span on the way, ground units."""
    ease_name: str
    ease: list[XY]
    """Progress over time, both 0..1."""


class Stretch(BaseModel):
    """Frames ``start`` to ``end`` - 1, over which ``plate`` is the sharpest below the camera (none: bare)."""

    start: int
    end: int
    plate: str | None
    sharp_span: float | None


class Plan(BaseModel):
    """A film laid out."""

    frames: int
    seconds: float
    end_timecode: str
    plates: list[PlatePlan]
    vantages: list[VantagePlan]
    passages: list[PassagePlan]
    curve_frames: list[int]
    curve_spans: list[float]
    sharpest: list[Stretch]


def plan_of(film: Film) -> Plan:
    """Lay a film out."""
    choreography = choreograph(film)
    size, frames = film.frame.size, choreography.frames
    plates = [_plate(film, plate, size) for plate in film.plates]
    step = max(1, math.ceil(frames / MOST_SAMPLES))
    samples = np.unique(np.append(np.arange(0, frames, step), max(frames - 1, 0)))[: frames or 0]
    return Plan(
        frames=frames,
        seconds=float(film.fps.seconds(frames)),
        end_timecode=timecode(frames, film.fps),
        plates=plates,
        vantages=[_vantage(film, vantage, leg) for vantage, leg in zip(film.vantages, choreography.legs, strict=True)],
        passages=[_passage(film, index, choreography) for index, leg in enumerate(choreography.legs) if leg.passage],
        curve_frames=samples.tolist(),
        curve_spans=choreography.track.span[samples].tolist(),
        sharpest=_carried(film, choreography.track, plates),
    )


def _plate(film: Film, plate: Plate, size: FrameSize) -> PlatePlan:
    (width, height), matrix = plate.extent, plate.matrix
    return PlatePlan(
        id=plate.id,
        look=plate.look,
        size=(width, height),
        outline=_points(outline(matrix, width, height)),
        matrix=matrix.ravel().tolist(),
        sharp_span=ground_units_per_pixel(matrix, width, height) * size.width,
        pixel=ground_units_per_pixel(matrix, width, height),
        fit=_fit(film, plate) if plate.fit.ties else None,
        feather_outline=_points(ground_of(plate, np.array(plate.feather.outline))) if plate.feather.outline else [],
        holes=[_points(ground_of(plate, _corners(*hole))) for hole in plate.holes],
    )


def _corners(x: int, y: int, width: int, height: int) -> NDArray[np.float64]:
    return np.array([[x, y], [x + width, y], [x + width, y + height], [x, y + height]], np.float64)


def _fit(film: Film, plate: Plate) -> FitPlan:
    pairs = tied(film, plate)
    at = ground_of(plate, pairs.places) if pairs.ties else np.zeros((0, 2))
    off = np.linalg.norm(at - pairs.ground, axis=1) / pairs.unit
    used = np.array([tie.used for tie in pairs.ties], bool)
    worst = int(np.argmax(np.where(used, off, -1))) if used.sum() > 2 else -1
    return FitPlan(
        ties=[
            TiePlan(
                id=tie.id,
                at=_point(at[i]),
                to=_point(pairs.ground[i]),
                off=float(off[i]),
                used=tie.used,
                worst=i == worst,
            )
            for i, tie in enumerate(pairs.ties)
        ],
        residual=float(np.sqrt(np.mean(off[used] ** 2))) if used.any() else None,
        models=models_of(pairs),
    )


def _vantage(film: Film, vantage: Vantage, leg: Leg) -> VantagePlan:
    pose, size = vantage.pose, film.frame.size
    corners = pose.ground_outline(size)
    return VantagePlan(
        id=vantage.id,
        start=leg.start,
        hold=leg.hold,
        timecode=timecode(leg.start, film.fps),
        outline=_points(corners),
        eye=pose.eye(),
        ahead=_point((corners[0] + corners[1]) / 2),
    )


def _passage(film: Film, index: int, choreography: Choreography) -> PassagePlan:
    leg, vantage, rate = choreography.legs[index], film.vantages[index], choreography.rate
    track = choreography.track
    after = film.vantages[index + 1]
    rows = slice(leg.leaves, leg.end)
    # The arrival itself belongs to the path too.
    x = np.append(track.x[rows], after.x)
    y = np.append(track.y[rows], after.y)
    span = np.append(track.span[rows], after.span)
    shown = np.unique(np.linspace(0, leg.passage, min(leg.passage, 96) + 1).astype(int))
    ticks = []
    half = 1
    while (frame := rate.frames(half / 2)) < leg.passage:
        ahead = np.array([x[frame + 1] - x[frame - 1], y[frame + 1] - y[frame - 1]])
        reach = float(np.hypot(*ahead))
        if reach > 0:
            ticks.append(
                Tick(at=(float(x[frame]), float(y[frame])), towards=_point(ahead / reach), whole=half % 2 == 0)
            )
        half += 1
    change = np.hypot(np.diff(np.log(span)), RHO**2 * np.hypot(np.diff(x), np.diff(y)) / np.sqrt(span[1:] * span[:-1]))
    times = np.linspace(0, 1, 41)
    return PassagePlan(
        vantage=vantage.id,
        start=leg.leaves,
        frames=leg.passage,
        path=_points(np.stack([x, y], axis=1)[shown]),
        ticks=ticks,
        distance=math.hypot(after.x - vantage.x, after.y - vantage.y),
        length=leg.length,
        top_pace=float(change.max() * float(rate.value) / math.log(2)),
        widest=float(span.max()),
        ease_name=vantage.passage.ease.name,
        ease=_points(np.stack([times, vantage.passage.ease.at(times)], axis=1)),
    )


def _carried(film: Film, track: Track, plates: list[PlatePlan]) -> list[Stretch]:
    """Which plate is the sharpest under the target, frame by frame."""
    frames = len(track)
    best = np.full(frames, np.inf)
    which = np.full(frames, -1)
    targets = np.stack([track.x, track.y], axis=1)
    for index, (plate, laid) in enumerate(zip(film.plates, plates, strict=True)):
        if not plate.in_film:
            continue
        matrix = np.linalg.inv(np.reshape(laid.matrix, (3, 3)))
        on = through(matrix, targets) if frames else np.zeros((0, 2))
        inside = (on >= 0).all(axis=1) & (on[:, 0] <= laid.size[0]) & (on[:, 1] <= laid.size[1])
        better = inside & (laid.sharp_span < best)
        best[better], which[better] = laid.sharp_span, index
    return [
        Stretch(
            start=start,
            end=end,
            plate=plates[which[start]].id if which[start] >= 0 else None,
            sharp_span=float(best[start]) if which[start] >= 0 else None,
        )
        for start, end in _runs(which)
    ]


def _runs(values: NDArray) -> list[tuple[int, int]]:
    if not len(values):
        return []
    edges = np.flatnonzero(np.diff(values.astype(np.int64))) + 1
    bounds = [0, *edges.tolist(), len(values)]
    return list(pairwise(bounds))


def _point(value: NDArray[np.float64]) -> XY:
    return float(value[0]), float(value[1])


def _points(values: NDArray[np.float64]) -> list[XY]:
    return [(x, y) for x, y in values.tolist()]
