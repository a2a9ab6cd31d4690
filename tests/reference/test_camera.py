"""The camera against hand-derived projections, the papers' formulas and independent libraries from npm."""

from __future__ import annotations

import json
import math
import subprocess
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import cumulative_simpson, fixed_quad, quad
from scipy.interpolate import CubicHermiteSpline, PchipInterpolator
from scipy.optimize import brentq, minimize_scalar
from scipy.spatial import cKDTree

from tests.drawing import motion
from yaila.core.camera import FrameSize, Move, Pose, path_length
from yaila.core.camera.manners import Follow, Glide, Hop, Rail, RailPoint
from yaila.core.camera.manners.glide import glide
from yaila.core.camera.manners.hop import hop
from yaila.core.ground.curve import smooth
from yaila.core.time import PRESETS, Ease, SpeedPoint

WEB = Path(__file__).parents[2] / "web"
HD = FrameSize(1920, 1080)
poses = st.builds(
    Pose,
    x=st.floats(-1e6, 1e6),
    y=st.floats(-1e6, 1e6),
    span=st.floats(10, 1e6),
    heading=st.floats(-180, 180),
    focal=st.just(35.0),
)


def in_node(script: str, data: object) -> list:
    """Run a script in Node beside the installed packages: it reads `data` and prints JSON."""
    code = f"const data = JSON.parse(require('fs').readFileSync(0)); (async () => {{{script}}})()"
    done = subprocess.run(
        ["node", "-e", code], input=json.dumps(data), cwd=WEB, capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout)


def ground_at(pose: Pose, size: FrameSize, u: float, v: float) -> np.ndarray:
    x, y, w = pose.ground_from_frame(size) @ np.array([u, v, 1.0])
    return np.array([x / w, y / w])


@given(poses, st.floats(8, 400))
def test_straight_down_the_frame_shows_exactly_its_span(pose: Pose, focal: float) -> None:
    pose = Pose(pose.x, pose.y, pose.span, heading=pose.heading, focal=focal)
    left, right = ground_at(pose, HD, 0, 540), ground_at(pose, HD, 1920, 540)
    top, bottom = ground_at(pose, HD, 960, 0), ground_at(pose, HD, 960, 1080)
    assert np.linalg.norm(right - left) == pytest.approx(pose.span, rel=1e-9)
    assert np.linalg.norm(top - bottom) == pytest.approx(pose.span * 1080 / 1920, rel=1e-9)
    assert pose.eye()[2] == pytest.approx(pose.span * focal / 36, rel=1e-9)


@pytest.mark.parametrize(("tilt", "focal"), [(30.0, 35.0), (50.0, 28.0), (60.0, 50.0), (72.0, 90.0)])
def test_corners_of_a_tilted_frame_lie_where_plane_trigonometry_puts_them(tilt: float, focal: float) -> None:
    # Looking north, target at the origin. The eye stands d·cos(tilt) high and d·sin(tilt) south of the target,
    # d = span·f/36. A ray through the upper or lower edge leaves the line of sight by atan((h/w)·18/f), so it
    # meets the ground at height·tan(tilt ± that) north of the eye; the edge is as wide there as the frame is at
    # that depth: span·(depth along the line of sight)/d.
    span = 1000.0
    pose = Pose(0, 0, span, tilt=tilt, focal=focal)
    distance, half = span * focal / 36, math.atan(1080 / 1920 * 18 / focal)
    high, south = distance * math.cos(math.radians(tilt)), distance * math.sin(math.radians(tilt))
    for v, angle in ((0, math.radians(tilt) + half), (1080, math.radians(tilt) - half)):
        north = high * math.tan(angle) - south
        depth = math.hypot(high, north + south) * math.cos(half)
        wide = span * depth / distance
        assert ground_at(pose, HD, 0, v) == pytest.approx((-wide / 2, north), abs=1e-6 * span)
        assert ground_at(pose, HD, 1920, v) == pytest.approx((wide / 2, north), abs=1e-6 * span)


def test_heading_turns_clockwise_and_roll_turns_the_camera_clockwise() -> None:
    east_up = Pose(0, 0, 100, heading=90)
    assert ground_at(east_up, HD, 960, 0) == pytest.approx((28.125, 0))
    rolled = Pose(0, 0, 100, roll=90)
    # A camera turned clockwise has its upper edge to the right: east.
    assert ground_at(rolled, HD, 960, 0) == pytest.approx((28.125, 0))


@given(poses, poses)
def test_ground_and_frame_are_inverse(pose: Pose, other: Pose) -> None:
    tilted = Pose(pose.x, pose.y, pose.span, 50, pose.heading, 12, 40)
    there = ground_at(tilted, HD, 300, 700)
    u, v, w = tilted.frame_from_ground(HD) @ np.array([*there, 1.0])
    assert (u / w, v / w) == pytest.approx((300, 700), abs=1e-6)


def test_a_frame_that_reaches_the_horizon_still_has_an_outline_on_the_ground() -> None:
    outline = Pose(0, 0, 100, tilt=80, focal=20).ground_outline(HD)
    assert len(outline) == 4
    assert np.isfinite(outline).all()
    assert outline[:, 1].max() > 300


@given(poses, poses)
@settings(max_examples=300)
def test_glide_keeps_a_common_fixed_point_and_an_even_log_rate(start: Pose, end: Pose) -> None:
    zoom = abs(math.log(end.span / start.span))
    if zoom < 0.05:
        return
    track = Glide().path(Move(start, end), np.linspace(0, 1, 21))
    # The ground point both framings show at one place q of the frame (in spans from its centre, frame axes):
    # T0 + K0 q = T1 + K1 q with K = span turned by the heading.
    k = track.span * np.exp(-1j * np.radians(track.heading))
    centre = track.x + 1j * track.y
    q = (centre[-1] - centre[0]) / (k[0] - k[-1])
    shown = q * 1920
    fixed = centre[0] + k[0] * q
    where = (fixed - centre) / k * 1920
    assert np.abs(where - shown).max() <= 1e-9 * max(
        1920,
        abs(shown),
        abs(fixed) / k.real.min() if k.real.min() > 0 else 0,
        np.abs(centre).max() / track.span.min() * 1920,
    )
    rates = np.diff(np.log(track.span))
    assert np.abs(rates - rates.mean()).max() < 1e-12 + 1e-11 * zoom


def test_glide_fixed_point_to_a_billionth_of_the_frame() -> None:
    start, end = Pose(100, 50, 20000, heading=10), Pose(4100, 2050, 20, heading=10)
    track = Glide().path(Move(start, end), np.linspace(0, 1, 201))
    share = (end.span - start.span) / -start.span
    fixed_x = start.x + (end.x - start.x) / share
    fixed_y = start.y + (end.y - start.y) / share
    seen = []
    for k in range(len(track)):
        u, v, w = track.pose(k).frame_from_ground(HD) @ np.array([fixed_x, fixed_y, 1.0])
        seen.append((u / w / 1920, v / w / 1920))
    assert np.ptp(np.array(seen), axis=0).max() < 1e-9


@pytest.mark.parametrize("tilts", [(0, 52), (52, 0), (20, 60), (45, 5)])
@pytest.mark.parametrize("focals", [(35, 35), (24, 70)])
@pytest.mark.parametrize("closer", ["end", "start"])
def test_what_a_tilting_glide_goes_to_or_comes_from_stays_on_a_straight_line(
    tilts: tuple[float, float], focals: tuple[float, float], closer: str
) -> None:
    # Projected by the pinhole alone, and measured by a straight line through both ends.
    wide = Pose(0, 0, 20_000, tilts[0], 10, focal=focals[0])
    close = Pose(3500, 3000, 1000, tilts[1], 10, focal=focals[1])
    move = Move(wide, close) if closer == "end" else Move(close, wide)
    track = Glide().path(move, np.linspace(0, 1, 201))
    rows = track.frame_from_ground(HD) @ np.array([close.x, close.y, 1.0])
    seen = rows[:, :2] / rows[:, 2:]
    along = (seen[-1] - seen[0]) / np.linalg.norm(seen[-1] - seen[0])
    assert np.abs((seen - seen[0]) @ np.array([-along[1], along[0]])).max() < 1e-6
    assert (np.diff((seen - seen[0]) @ along) > 0).all()
    for at, pose in ((0, move.start), (-1, move.end)):
        assert (track.x[at], track.y[at]) == pytest.approx((pose.x, pose.y), abs=1e-8)


def test_glide_between_equal_spans_is_a_straight_even_pan() -> None:
    track = glide(Pose(0, 0, 100), Pose(300, 400, 100), 0.0, np.linspace(0, 1, 11))
    assert track[:, 0] == pytest.approx(np.linspace(0, 300, 11))
    assert track[:, 1] == pytest.approx(np.linspace(0, 400, 11))
    assert track[:, 2] == pytest.approx(np.full(11, 100))


def test_path_lengths_are_those_of_d3_interpolate() -> None:
    # Its duration is the S of van Wijk & Nuij (eq. 9) in seconds, times 1000 rho / sqrt(2).
    random = np.random.default_rng(8)
    cases = [
        [
            *random.uniform(-500, 500, 2),
            10 ** random.uniform(0, 3),
            *random.uniform(-500, 500, 2),
            10 ** random.uniform(0, 3),
        ]
        for _ in range(60)
    ]
    theirs = in_node(
        "const { interpolateZoom } = await import('d3-interpolate');"
        "console.log(JSON.stringify(data.map(c => interpolateZoom.rho(1.4)(c.slice(0, 3), c.slice(3)).duration)))",
        cases,
    )
    for case, their in zip(cases, theirs, strict=True):
        length = path_length(Move(Pose(*case[:3]), Pose(*case[3:])), Hop())
        assert length == pytest.approx(their / 1000 / 1.4 * math.sqrt(2) * 1.4 / math.log(2), rel=2e-3)


def test_motion_in_the_frame_is_what_projection_gives() -> None:
    start, end = Pose(100, 50, 900, 55, 20, 4, 30), Pose(140, 90, 800, 50, 28, 1, 35)
    track = Glide().path(Move(start, end), np.array([0.0, 0.1]))
    moved = []
    for u, v in (
        (0.5, 0.5),
        (0.1, 0.9),
        (0.9, 0.9),
        (0.5, 0.9),
        (0.1, 0.5),
        (0.9, 0.5),
        (0.1, 0.1),
        (0.5, 0.1),
        (0.9, 0.1),
    ):
        place = ground_at(track.pose(0), HD, u * 1920, v * 1080)
        x, y, w = track.pose(1).frame_from_ground(HD) @ np.array([*place, 1.0])
        moved.append(math.hypot(x / w - u * 1920, y / w - v * 1080) / 1920)
    assert motion(track, HD)[0] == pytest.approx([moved[0], max(moved)], rel=1e-9)


points_of_ways = st.lists(st.tuples(st.floats(-1e4, 1e4), st.floats(-1e4, 1e4)), min_size=2, max_size=8)


def quadrature(rate: Callable[[np.ndarray], np.ndarray], start: float, end: float) -> float:
    """An integral by Gauss and Legendre, eight places in each of sixteen parts."""
    return sum(fixed_quad(rate, a, b, n=8)[0] for a, b in pairwise(np.linspace(start, end, 17)))


@given(points_of_ways)
@settings(max_examples=60)
def test_curves_are_those_of_scipy_and_as_long_as_quadrature_says(places: list[tuple[float, float]]) -> None:
    points = np.array(places)
    if np.linalg.norm(np.diff(points, axis=0), axis=1).min() < 1:
        return
    curve = smooth(points)
    # Centripetal Catmull-Rom (Yuksel et al. 2011): a Hermite spline over knots at the roots of the chords, whose
    # slopes are those of the parabola through a point and its neighbours.
    knots = np.concatenate([[0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(points, axis=0), axis=1)))])
    slopes = np.gradient(points, knots, axis=0)
    theirs = CubicHermiteSpline(knots, points, slopes)
    t = np.linspace(0, len(points) - 1, 50)
    piece = np.minimum(t.astype(int), len(points) - 2)
    at = knots[piece] + (t - piece) * np.diff(knots)[piece]
    np.testing.assert_allclose(curve.position(t), theirs(at), rtol=0, atol=1e-6)
    length = sum(quadrature(lambda k: np.linalg.norm(theirs(k, 1), axis=1), a, b) for a, b in pairwise(knots))
    assert curve.length == pytest.approx(length, rel=1e-3)
    # Back from lengths to parameters, by the same quadrature.
    ways = np.linspace(0, curve.length, 5)
    for way, end in zip(ways, curve.parameter(ways), strict=True):
        edges = [*range(math.ceil(end)), end]
        so_far = sum(
            quadrature(lambda t: np.linalg.norm(curve.derivative(t), axis=1), a, b) for a, b in pairwise(edges)
        )
        assert so_far == pytest.approx(way, abs=2e-4 * curve.length)
    # What is drawn strays along the line by a small part of a cut at most, and not at its ends.
    drawn = np.linspace(0, curve.length, 300)
    strays = np.linalg.norm(curve.about(drawn) - curve.along(drawn), axis=1)
    assert strays.max() < 0.02 * curve.length
    assert strays[[0, -1]].max() < 1e-9


def test_follow_keeps_its_ground_speed_by_independent_quadrature() -> None:
    route = smooth(np.array([[0, 0], [900, 300], [1000, -600], [2400, 200], [2500, 1500]], float))
    start, end = (Pose(*route.along(np.array([way]))[0], 500) for way in (200.0, route.length - 300))
    frames = 240
    track = Follow(route="r").path(Move(start, end, route), np.arange(frames + 1) / frames)
    # The way between two frames, by scipy along the curve's parameter.
    t = [
        minimize_scalar(
            lambda t, k=k: float(np.sum((route.position(np.array([t]))[0] - [track.x[k], track.y[k]]) ** 2)),
            bounds=(max(k / frames * 4 - 0.6, 0), min(k / frames * 4 + 0.6, 4)),
            method="bounded",
            options={"xatol": 1e-10},
        ).x
        for k in range(0, frames + 1, 12)
    ]
    ways = [
        quad(lambda u: float(np.linalg.norm(route.derivative(np.array([u]))[0])), a, b, points=[int(b)], limit=400)[0]
        for a, b in pairwise(t)
    ]
    assert np.ptp(ways) / np.mean(ways) < 1e-3
    assert sum(ways) == pytest.approx(route.length - 500, rel=1e-4)


def test_a_rail_runs_along_scipys_spline_at_even_speed() -> None:
    start, end = Pose(0, 0, 800, 60, 0), Pose(3000, 500, 400, 70, 90)
    rail = Rail(points=(RailPoint(x=800, y=-900, z=700), RailPoint(x=2200, y=600, z=300)), look=((1500, 100),))
    track = rail.path(Move(start, end), np.linspace(0, 1, 400))
    eyes = np.array([track.pose(k).eye() for k in range(len(track))])
    places = np.array([start.eye(), (800, -900, 700), (2200, 600, 300), end.eye()])
    knots = np.concatenate([[0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(places, axis=0), axis=1)))])
    slopes = np.gradient(places, knots, axis=0)
    slopes[:, 2] = PchipInterpolator(knots, places[:, 2]).derivative()(knots)
    spline = CubicHermiteSpline(knots, places, slopes)
    near = cKDTree(spline(np.linspace(0, knots[-1], 40001)))
    assert near.query(eyes)[0].max() < 0.2
    steps = np.linalg.norm(np.diff(eyes, axis=0), axis=1)
    assert np.ptp(steps) / steps.mean() < 5e-3
    # In the middle of the way it looks at what it was told to.
    middle = [track.pose(k).frame_from_ground(HD) @ np.array([1500, 100, 1.0]) for k in range(120, 280)]
    assert [row[0] / row[2] for row in middle] == pytest.approx([960] * 160, abs=1e-6)
    assert [row[1] / row[2] for row in middle] == pytest.approx([540] * 160, abs=1e-6)


@given(st.lists(st.floats(0, 5), min_size=2, max_size=8))
def test_a_speed_curve_is_the_integral_that_scipy_gives(speeds: list[float]) -> None:
    if max(speeds) < 0.01:
        return
    times = np.linspace(0, 1, len(speeds))
    ease = Ease(speed=tuple(SpeedPoint(float(t), v) for t, v in zip(times, speeds, strict=True)))
    fine = np.linspace(0, 1, 4001)
    way = cumulative_simpson(PchipInterpolator(times, speeds)(fine), x=fine, initial=0)
    np.testing.assert_allclose(ease.at(fine), way / way[-1], rtol=0, atol=1e-6)
    assert (np.diff(ease.at(fine)) >= -1e-12).all()


def test_hop_agrees_with_d3_interpolate_over_random_cases() -> None:
    random = np.random.default_rng(3)
    cases = [
        [
            *random.uniform(-1000, 1000, 2),
            10 ** random.uniform(-1, 4),
            *random.uniform(-1000, 1000, 2),
            10 ** random.uniform(-1, 4),
        ]
        for _ in range(200)
    ]
    cases += [[0, 0, 10, 0, 0, 1000], [5, 5, 100, 5, 5, 100]]
    theirs = in_node(
        "const { interpolateZoom } = await import('d3-interpolate');"
        "console.log(JSON.stringify(data.map(c => { const f = interpolateZoom.rho(1.4)(c.slice(0, 3), c.slice(3));"
        "return [0, .1, .25, .5, .77, 1].map(t => f(t)) })))",
        cases,
    )
    for case, their in zip(cases, theirs, strict=True):
        start, end = Pose(*case[:3]), Pose(*case[3:])
        ours = hop(start, end, np.array([0, 0.1, 0.25, 0.5, 0.77, 1]))
        size = max(abs(value) for value in case)
        np.testing.assert_allclose(ours, their, rtol=1e-6, atol=1e-6 * size)


def test_ease_agrees_with_bezier_easing_and_with_root_finding() -> None:
    random = np.random.default_rng(4)
    curves = [list(preset) for preset in PRESETS.values()]
    curves += [[random.random(), random.uniform(-1, 2), random.random(), random.uniform(-1, 2)] for _ in range(60)]
    times = np.linspace(0, 1, 41)
    theirs = in_node(
        "const bezier = require('bezier-easing');"
        "console.log(JSON.stringify(data.curves.map(c => data.times.map(t => bezier(...c)(t)))))",
        {"curves": curves, "times": times.tolist()},
    )
    for curve, their in zip(curves, theirs, strict=True):
        ours = Ease(x1=curve[0], y1=curve[1], x2=curve[2], y2=curve[3]).at(times)
        # bezier-easing stops at a precision of 1e-7 in x; where the curve is steep that shows in y.
        np.testing.assert_allclose(ours, their, rtol=0, atol=2e-4)
        for time, value in zip(times[1:-1:8], ours[1:-1:8], strict=True):
            s = brentq(
                lambda s, c=curve, t=time: 3 * s * (1 - s) ** 2 * c[0] + 3 * s**2 * (1 - s) * c[2] + s**3 - t,
                0,
                1,
                xtol=1e-15,
            )
            assert value == pytest.approx(
                3 * s * (1 - s) ** 2 * curve[1] + 3 * s**2 * (1 - s) * curve[3] + s**3, abs=1e-7
            )


def test_a_roll_and_a_lens_take_time_as_a_turn_and_a_zoom_do() -> None:
    def length(**to: float) -> float:
        return path_length(Move(Pose(0, 0, 1000), Pose(0, 0, **{"span": 1000.0} | to)), Glide())

    assert length(roll=180) == pytest.approx(length(heading=180), rel=1e-6)
    assert length(focal=Pose(0, 0, 1).focal * 8) == pytest.approx(length(span=125), rel=1e-6)
    assert length(roll=180) == pytest.approx(2, rel=1e-6)
