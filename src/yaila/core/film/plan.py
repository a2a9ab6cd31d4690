"""The film laid out for drawing: where frames lie on the ground, when things happen, how the span runs.

The interface draws what stands here and reckons nothing of its own.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import chain, pairwise
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from yaila.core.bounded import Remembered
from yaila.core.camera import FrameSize, Pose, Track
from yaila.core.camera.manners import Steps
from yaila.core.camera.pace import changes
from yaila.core.camera.passages import DENSE
from yaila.core.camera.passages import HEADING as TURN
from yaila.core.camera.pose import FILM_BACK
from yaila.core.camera.track import FIELDS
from yaila.core.colour.grading import curved
from yaila.core.film.choreography import MOST_MARKS, Choreography, choreograph, outlined
from yaila.core.film.fields import field_facts_of
from yaila.core.film.finish import FreeFocus, MarkFocus, PlaceFocus, TargetFocus
from yaila.core.film.fitting import ground_of, models_of, tied
from yaila.core.film.focus import focus_distances
from yaila.core.film.heard import SoundPlan, Soundtrack
from yaila.core.film.legs import Leg, flows
from yaila.core.film.marked import KINDS, Region, Route, Timed, style_of
from yaila.core.film.model import Film, FitModel, Plate, Vantage
from yaila.core.film.running import course_values, courses_of, resting
from yaila.core.film.timeline import Timeline
from yaila.core.film.walk import Slot
from yaila.core.ground.geodesy import metres_along
from yaila.core.ground.placement import ground_units_per_pixel, outline, through
from yaila.core.imagery.pages import level_sizes
from yaila.core.marks import Arrival, DeckLook, InsetLook, LampLook, Lettering, MarkerLook, RegionLook, RouteRun, Stroke
from yaila.core.quantities import FOCUS, LAID
from yaila.core.stopping import go_on
from yaila.core.time import Course, Ease, Rate, Time, timecode

XY = tuple[float, float]

MOST_SAMPLES = 2400

MOST_CARRIED = 20_000
"""Frames at which it is looked which plate is the sharpest."""

MOST_TICKS = 1000
"""Marks in time on a passage."""


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
    models: dict[FitModel, float | None]


class PlatePlan(BaseModel):
    """A plate on the ground: its size in pixels with what its edges add, its corners (top left first, clockwise),
    its 3x3 plate-to-ground matrix, and the span down to which it is sharp (one plate pixel to one film pixel).

    ``look`` differs whenever the plate's pixels do: its picture's SHA-256 and its adjustments.
    """

    id: str
    look: str
    size: tuple[int, int]
    levels: int
    """In how many sizes its tiles come, each half of the one before."""
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
    uncovers: int | None
    """The frame on which it begins to be uncovered; none if it is there from the start."""
    plays: int | None
    """The frame on which the clip begins that it plays; none if it plays none."""


class VantagePlan(BaseModel):
    """A vantage in time (frames) and on the ground: the corners of what its frame shows, and where the camera
    stands (x, y, height). ``flows``: it is passed without a stop."""

    id: str
    start: int
    hold: int
    last: int
    """The last frame on which it is there."""
    timecode: str
    outline: list[XY]
    eye: tuple[float, float, float]
    ahead: XY
    """The middle of the frame's upper edge on the ground."""
    flows: bool
    half_angle: float
    """From the middle of what the lens takes in to its upper edge, degrees."""


class Tick(BaseModel):
    """A half-second mark on a passage: its place, the direction of travel, and whether it is a whole second."""

    at: XY
    towards: XY
    whole: bool


class PassagePlan(BaseModel):
    """The move from one vantage to the next: frames (0 for a cut), path of its target and of its eye (x, y, height),
    marks in time."""

    vantage: str
    start: int
    frames: int
    path: list[XY]
    eye: list[tuple[float, float, float]]
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
    pace: float
    """Doublings per second on the mean of the time it moves."""
    rests: list[tuple[int, int]]
    """First frame of each rest on the way, and the frame after."""
    turn: float
    """By how much the heading turns on the way, degrees, clockwise positive."""


class StopPlan(BaseModel):
    """A stop of a route: which point it is, and the frames at which the line gets there and goes on."""

    point: int
    reached: int
    leaves: int


class RoutePlan(BaseModel):
    """A route on the ground: its line, where its points lie along it (ground units), and its length."""

    id: str
    line: list[XY]
    knots: list[float]
    length: float
    starts: int
    stops: list[StopPlan]
    """Where its line halts; the first and the last of them are its ends."""
    look: Stroke
    """How it looks with its style."""
    metres: float | None
    """Its length on the Earth, on a georeferenced ground."""


class MarkPlan(BaseModel):
    """A mark in time: its first frame, and the frame after its last; how it looks, comes and goes with its style; and
    the outline of a circle on the ground."""

    id: str
    start: int
    end: int
    whole: int
    """A frame at which all of it is there."""
    look: MarkerLook | Lettering | RegionLook | LampLook | DeckLook | InsetLook
    comes: Arrival
    goes: Arrival
    rings: list[list[XY]]
    uncovers: int | None
    """The frame on which it begins to be uncovered; none if all of it may be seen."""


class CourseStopPlan(BaseModel):
    """A stop of a course: its frame, its value, and what it hangs on; of a focus, how far away that is over flat
    ground, ground units."""

    id: str
    frame: int
    value: float | str | None
    distance: float | None
    on: str


class CoursePlan(BaseModel):
    """A value that changes over the film: ``field`` of the part ``of`` (a mark or a plate), which, if ``via`` names a
    style, it has from that; where it stands in the document, what it is called, its unit, and how it runs.

    ``line`` holds frames and how high the value is there between its lowest (0) and its highest (1); of a colour
    ``tints`` says what it is at these frames."""

    of: str
    via: str | None
    field: str
    path: str
    label: str
    unit: str
    factor: float
    stops: list[CourseStopPlan]
    line: list[tuple[int, float]]
    tints: list[str]


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
    routes: list[RoutePlan]
    marks: list[MarkPlan]
    """Regions, markers and labels, in the film's order."""
    sounds: list[SoundPlan]
    courses: list[CoursePlan]
    grade_curves: dict[str, list[tuple[float, float]]]
    """The curves of the grade as lines, by their fields: what values, 0..1, become."""
    curve_frames: list[int]
    curve_spans: list[float]
    sharpest: list[Stretch]


def plan_of(film: Film) -> Plan:
    """Lay a film out. Plans of the films last asked for are kept.

    Raises:
        Stopped: nobody waits for it any more.
    """
    return _PLANS.of((film,), (), lambda: _laid_out(film))


_PLANS = Remembered[Plan](16)


CURVE_PLACES = 41


def _grade_curves(film: Film) -> dict[str, list[tuple[float, float]]]:
    at = np.linspace(0, 1, CURVE_PLACES)
    made = {}
    for name in ("curve", "curve_red", "curve_green", "curve_blue"):
        points = tuple((point.x, point.y) for point in getattr(film.finish.grade, name))
        places = np.unique(np.concatenate([at, [x for x, _ in points]]))
        values = curved(places, points) if points else places
        made[name] = list(zip(places.round(4).tolist(), values.round(4).tolist(), strict=True))
    return made


def _laid_out(film: Film) -> Plan:
    choreography = choreograph(film)
    size, frames = film.frame.size, choreography.frames
    plates = [_plate(film, plate, size, choreography.timeline) for plate in film.plates]
    at = _spread(frames, MOST_CARRIED)
    track = choreography.camera.at(at.astype(np.float64))
    shown = _spread(len(at), MOST_SAMPLES)
    return Plan(
        frames=frames,
        seconds=float(film.fps.seconds(frames)),
        end_timecode=timecode(frames, film.fps),
        plates=plates,
        vantages=[_vantage(film, index, leg, choreography.frames) for index, leg in enumerate(choreography.legs)],
        passages=[_passage(film, index, choreography) for index in range(len(film.vantages) - 1)],
        routes=[_known_route(film, route, choreography.timeline.runs[route.id]) for route in film.routes],
        marks=[_mark(film, mark, choreography.timeline) for mark in film.timed],
        sounds=Soundtrack(film, choreography).plans(),
        courses=[_course(film, choreography, one) for one in _courses(film)] if frames else [],
        grade_curves=_grade_curves(film),
        curve_frames=at[shown].tolist(),
        curve_spans=track.span[shown].tolist(),
        sharpest=_carried(film, at, track, frames, plates) if frames else [],
    )


MOST_COURSED = 48
"""Frames between two stops at which a course is drawn."""

MOST_FOCUSED = 8
"""And that of the focus, for which the camera has to be asked each time."""


class _Running(NamedTuple):
    """A course as a mark or a plate has it."""

    part: Any
    via: str | None
    way: tuple[str, ...]
    path: str
    course: Course[Any]
    slot: Slot


def _courses(film: Film) -> Iterator[_Running]:
    """Every course of a film, those that marks have from their styles included."""
    for effect in film.finish.effects:
        for way, course, slot in _known_courses(effect):
            yield _Running(effect, None, way, f"/{effect.id.replace('.', '/')}", course, slot)
    for name in ("plates", *(kind.listed for kind in KINDS.values()), "lanes", "sounds"):
        for index, part in enumerate(getattr(film, name)):
            style = style_of(part, film.styles) if hasattr(part, "style") else None
            for way, course, slot in _known_courses(part):
                if not (style and way[0] == "look" and way[1] not in part.own):
                    yield _Running(part, None, way, f"/{name}/{index}", course, slot)
            if style is None:
                continue
            for way, course, slot in _known_courses(style):
                if way[1] not in part.own:
                    yield _Running(part, style.id, way, f"/styles/{film.styles.index(style)}", course, slot)


_HAVE = Remembered[tuple[tuple[tuple[str, ...], Course[Any], Slot], ...]](MOST_MARKS, outlined)


def _known_courses(part: Any) -> tuple[tuple[tuple[str, ...], Course[Any], Slot], ...]:
    return _HAVE.of((part,), (), lambda: tuple(courses_of(part)))


def values_over(film: Film, choreography: Choreography, times: Sequence[Time]) -> Iterator[tuple[str, str, list[Any]]]:
    """All that changes over a film, with its values at some moments: the part that has it, and the field."""
    timeline = choreography.timeline
    for one in _courses(film):
        values = course_values(one.course, one.slot, times, timeline, one.part, one.part)
        yield one.part.id, "/".join(one.way), values


def _course(film: Film, choreography: Choreography, running: _Running) -> CoursePlan:
    go_on()
    timeline = choreography.timeline
    part, via, way, path, course, slot = running
    times = [timeline.time(stop.at, part) for stop in course.stops]
    if slot.kind == FOCUS:
        # It depends on the camera, and on where marks are.
        return _drawn_course(film, choreography, running, times)
    return _COURSES.of(
        # Where a plate lies depends on its picture too.
        (course, part) if slot.kind == LAID else (course,),
        (part.id, via, way, path, *(time.frames for time in times)),
        lambda: _drawn_course(film, choreography, running, times),
    )


_COURSES = Remembered[CoursePlan](512)


def _drawn_course(film: Film, choreography: Choreography, running: _Running, times: list[Time]) -> CoursePlan:
    part, via, way, path, course, slot = running
    edges = sorted({max(time.frame, 0) for time in times})
    most = MOST_FOCUSED if slot.kind == FOCUS else MOST_COURSED
    between = [np.linspace(a, b, min(b - a, most) + 1).astype(int).tolist() for a, b in pairwise(edges)]
    frames = sorted({*edges, *chain(*between)})
    at = [Time(frame) for frame in frames]
    values = course_values(course, slot, at, choreography.timeline, part, part)
    distances: dict[int, float] = {}
    if slot.kind == FOCUS:
        # Its line is how far away what is in focus is, in its logarithm.
        distances = dict(zip(frames, focus_distances(film, choreography, values, at), strict=True))
        values = [math.log(distances[frame]) for frame in frames]
    plain = [value for value in values if isinstance(value, float | int)]
    low, high = (min(plain), max(plain)) if plain else (0.0, 1.0)
    line = [
        (frame, (value - low) / (high - low) if plain and high > low else 0.5)
        for frame, value in zip(frames, values, strict=True)
    ]
    fact = field_facts_of(slot)
    stops = sorted(zip(times, course.stops, strict=True), key=lambda one: one[0])
    return CoursePlan(
        of=part.id,
        via=via,
        field="/".join(way),
        path=f"{path}/{'/'.join(way)}",
        label=fact.label,
        unit=fact.unit,
        factor=fact.factor,
        stops=[
            CourseStopPlan(
                id=stop.id,
                frame=time.frame,
                value=_said(film, stop.value),
                distance=distances.get(max(time.frame, 0)),
                on=stop.at.on,
            )
            for time, stop in stops
        ],
        line=line,
        tints=[value for value in values if isinstance(value, str)],
    )


def _said(film: Film, value: Any) -> float | str | None:
    """The value of a stop as it is shown: a number, a colour, or what is in focus."""
    if isinstance(value, MarkFocus):
        return film.mark(value.mark).name
    if isinstance(value, TargetFocus | PlaceFocus | FreeFocus):
        return {"target": "the target", "place": "a place", "free": "a distance"}[value.on]
    return value if isinstance(value, float | int | str) else None


def _plate(film: Film, plate: Plate, size: FrameSize, timeline: Timeline) -> PlatePlan:
    times = timeline.reveals.get(plate.id), timeline.plays.get(plate.id)
    if plate.fit.ties:
        # How far its ties are off depends on what they are tied to.
        return _laid_plate(film, resting(plate), size, *times)
    return _PLATES.of((plate,), (size, *times), lambda: _laid_plate(film, resting(plate), size, *times))


_PLATES = Remembered[PlatePlan](1024)


def _laid_plate(film: Film, plate: Plate, size: FrameSize, uncovers: Time | None, plays: Time | None) -> PlatePlan:
    (width, height), matrix = plate.extent, plate.matrix
    return PlatePlan(
        id=plate.id,
        look=plate.look,
        size=(width, height),
        levels=len(level_sizes(width, height)),
        outline=_points(outline(matrix, width, height)),
        matrix=matrix.ravel().tolist(),
        sharp_span=ground_units_per_pixel(matrix, width, height) * size.width,
        pixel=ground_units_per_pixel(matrix, width, height),
        fit=_fit(film, plate) if plate.fit.ties else None,
        uncovers=uncovers.frame if uncovers else None,
        plays=plays.frame if plays else None,
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


_VANTAGES = Remembered[VantagePlan](1024)


def _vantage(film: Film, index: int, leg: Leg, frames: int) -> VantagePlan:
    vantage, passed = film.vantages[index], flows(film, index)
    return _VANTAGES.of(
        (vantage,),
        (leg.start, leg.hold, frames, film.fps, film.frame.size, passed),
        lambda: _laid_vantage(film, vantage, leg, frames, passed),
    )


def _laid_vantage(film: Film, vantage: Vantage, leg: Leg, frames: int, passed: bool) -> VantagePlan:
    corners, eye, ahead = _stand(vantage.pose, film.frame.size)
    return VantagePlan.model_construct(
        id=vantage.id,
        start=leg.start,
        hold=leg.hold,
        last=max(min(leg.start + max(leg.hold, 1), frames) - 1, 0),
        timecode=timecode(leg.start, film.fps),
        outline=corners,
        eye=eye,
        ahead=ahead,
        flows=passed,
        half_angle=math.degrees(math.atan(film.frame.height / film.frame.width * FILM_BACK / 2 / vantage.focal)),
    )


@lru_cache(maxsize=1024)
def _stand(pose: Pose, size: FrameSize) -> tuple[list[XY], tuple[float, float, float], XY]:
    """The corners of what is seen from a pose, where its eye is, and the middle of the upper edge."""
    corners = pose.ground_outline(size)
    return _points(corners), pose.eye(), _point((corners[0] + corners[1]) / 2)


def _passage(film: Film, index: int, choreography: Choreography) -> PassagePlan:
    go_on()
    leg, vantage, rate = choreography.legs[index], film.vantages[index], choreography.rate
    after, manner, frames = film.vantages[index + 1], vantage.passage.manner, leg.passage
    if frames:
        # The arrival itself belongs to the path too.
        at = np.linspace(0, frames, min(frames, DENSE) + 1)
        channels = choreography.camera.passage(index, at)
    else:
        channels = np.vstack([Track.still(pose, 1).channels() for pose in (vantage.pose, after.pose)])
    way = _way(channels.tobytes(), rate, frames)
    rests = []
    if isinstance(manner, Steps) and frames:
        edges = manner.edges(frames)
        rests = [(leg.leaves + end, leg.leaves + first) for (_, end), (first, _) in pairwise(edges)]
    moving = max(frames - sum(end - first for first, end in rests), 1)
    # Made of what was computed here: checking it again would take most of the time of a plan.
    return PassagePlan.model_construct(
        vantage=vantage.id,
        start=leg.leaves,
        frames=frames,
        path=way.path,
        eye=way.eye,
        ticks=way.ticks,
        distance=math.hypot(after.x - vantage.x, after.y - vantage.y),
        length=leg.length,
        top_pace=way.top_pace,
        widest=way.widest,
        ease_name=vantage.passage.ease.name,
        ease=_ease_curve(vantage.passage.ease),
        pace=leg.length / moving * float(rate.value) if frames else 0.0,
        rests=rests,
        turn=float(channels[-1, TURN] - channels[0, TURN]),
    )


class _Way(NamedTuple):
    """What is drawn of a passage and read off it, wherever it lies in time."""

    path: list[XY]
    eye: list[tuple[float, float, float]]
    ticks: list[Tick]
    top_pace: float
    widest: float


# By what the channels hold, so that an edit reckons anew only the passages that it changes.
@lru_cache(maxsize=1024)
def _way(channels: bytes, rate: Rate, frames: int) -> _Way:
    track = Track.of_channels(np.frombuffer(channels).reshape(-1, len(FIELDS)))
    # A thousandth of the closest frame's width is as fine as anybody sees.
    grain = float(track.span.min()) / 1000
    shown = np.unique(np.linspace(0, len(track) - 1, min(frames, 96) + 1).astype(int))
    ticks = []
    # Half seconds, or, where there would be too many of them, as many seconds as it takes.
    step = 2 ** max(math.ceil(math.log2(max(frames / float(rate.value) * 2 / MOST_TICKS, 1))), 0)
    halves = np.arange(step, math.ceil(frames / float(rate.value) * 2) + step, step)
    at = np.array([rate.frames(float(half) / 2) for half in halves], np.float64)
    halves, at = halves[at < frames], at[at < frames]
    x, y = track.x, track.y
    places = np.linspace(0, max(frames, 1), len(track))
    before, now, after = (np.stack([np.interp(at + k, places, axis) for axis in (x, y)], axis=1) for k in (-1, 0, 1))
    for half, place, ahead in zip(halves.tolist(), now, after - before, strict=True):
        reach = float(np.hypot(*ahead))
        if reach > 0:
            ticks.append(Tick.model_construct(at=_point(place), towards=_point(ahead / reach), whole=half % 2 == 0))
    return _Way(
        path=_short(np.stack([x, y], axis=1)[shown], grain),
        eye=[(x, y, z) for x, y, z in _short(track.taken(shown[:: max(len(shown) // 32, 1)]).eyes(), grain)],
        ticks=ticks,
        top_pace=float(changes(track).max() * (len(track) - 1) / frames * float(rate.value)) if frames else 0.0,
        widest=float(track.span.max()),
    )


@lru_cache(maxsize=1024)
def _ease_curve(ease: Ease) -> list[XY]:
    times = np.linspace(0, 1, 33)
    return _short(np.stack([times, ease.at(times)], axis=1), 1e-4)


_ROUTES = Remembered[RoutePlan](256)


def _known_route(film: Film, route: Route, run: RouteRun) -> RoutePlan:
    parts = (route, style_of(route, film.styles), run)
    return _ROUTES.of(parts, (film.ground.kind,), lambda: _route(film, route, run))


def _route(film: Film, route: Route, run: RouteRun) -> RoutePlan:
    curve = route.curve
    count = min(max(len(curve.control) * 16, 32), 4000)
    corners = np.arange(len(curve.control) + 1, dtype=np.float64)
    at = np.unique(np.concatenate([np.linspace(0, len(curve.control), count), corners]))
    edges, stops = run.edges, []
    points = [*route.stops, *([0] if route.closed else [])]
    # A line that goes along with the camera does not halt.
    halts = len(points) == len(run.ways)
    ways = [*curve.knots[route.stops].tolist(), *([curve.length] if route.closed else [])]
    for k, (point, way) in enumerate(zip(points, ways, strict=True)):
        done = route.draws.done(way, curve.length)
        if halts and route.draws.part == "from_start":
            reached = run.start if k == 0 else edges[k - 1][1]
            leaves = edges[k][0] if k < len(edges) else reached
        else:
            reached = leaves = run.reaches(done)
        stops.append(StopPlan(point=point, reached=math.ceil(reached - 1e-9), leaves=math.ceil(leaves - 1e-9)))
    line = curve.position(at)
    metres = metres_along(line) if film.ground.kind == "mercator" else None
    return RoutePlan.model_construct(
        id=route.id, metres=metres, line=_points(line), knots=curve.knots.tolist(), length=curve.length,
        starts=math.ceil(run.start), stops=stops, look=resting(film.look_of(route)),
    )  # fmt: skip


_MARKS = Remembered[MarkPlan](MOST_MARKS, outlined)


def _mark(film: Film, mark: Timed, timeline: Timeline) -> MarkPlan:
    there, uncovers = timeline.ranges[mark.id], timeline.reveals.get(mark.id)
    start, end = there.start.frame, there.end.frame
    uncovered = uncovers.frame if uncovers else None
    return _MARKS.of(
        (mark, style_of(mark, film.styles)),
        (film.ground.kind, start, end, uncovered),
        lambda: _laid_mark(film, mark, start, end, uncovered),
    )


def _laid_mark(film: Film, mark: Timed, start: int, end: int, uncovers: int | None) -> MarkPlan:
    # Traced outlines have many corners: the interface has those from the document.
    rings: list[list[XY]] = []
    if isinstance(mark, Region) and mark.circle:
        rings = [list(ring) for ring in resting(mark).outline(film.ground.kind == "mercator")]
    mark = film.in_style(mark)
    return MarkPlan.model_construct(
        id=mark.id, start=start, end=end, whole=mark.whole(start, end), look=resting(film.look_of(mark)),
        comes=mark.comes, goes=mark.goes, rings=rings, uncovers=uncovers,
    )  # fmt: skip


def _spread(count: int, most: int) -> NDArray[np.int64]:
    """Places among so many, no more than about ``most``: the first and the last, and evenly between them."""
    step = max(1, math.ceil(count / most))
    places = np.arange(0, count, step)
    return places if count % step == 1 % step or not count else np.append(places, count - 1)


def _carried(film: Film, at: NDArray[np.int64], track: Track, frames: int, plates: list[PlatePlan]) -> list[Stretch]:
    """Which plate is the sharpest under the target, from each of the frames looked at to the next."""
    go_on()
    best = np.full(len(at), np.inf)
    which = np.full(len(at), -1)
    targets = np.stack([track.x, track.y], axis=1)
    for index, (plate, laid) in enumerate(zip(film.plates, plates, strict=True)):
        if not plate.in_film:
            continue
        matrix = np.linalg.inv(np.reshape(laid.matrix, (3, 3)))
        on = through(matrix, targets)
        inside = (on >= 0).all(axis=1) & (on[:, 0] <= laid.size[0]) & (on[:, 1] <= laid.size[1])
        better = inside & (laid.sharp_span < best)
        best[better], which[better] = laid.sharp_span, index
    return [
        Stretch(
            start=int(at[start]),
            end=int(at[end]) if end < len(at) else frames,
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


def _short(values: NDArray[np.float64], grain: float) -> list[Any]:
    """Rows of numbers without digits finer than ``grain``, which would only lengthen what is sent."""
    places = min(max(math.ceil(-math.log10(grain)), 0), 12)
    return [tuple(row) for row in np.round(values, places).tolist()]


def _points(values: NDArray[np.float64]) -> list[XY]:
    return [(x, y) for x, y in values.tolist()]
