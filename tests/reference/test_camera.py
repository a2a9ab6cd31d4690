"""The camera against hand-derived projections, the papers' formulas and independent libraries from npm."""

from __future__ import annotations

import json
import math
import subprocess
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from yaila.core.camera import PRESETS, Ease, FrameSize, Pose, travel
from yaila.core.camera.glide import glide, glide_length
from yaila.core.camera.hop import hop, hop_length

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
    track = travel(start, end, "glide", np.linspace(0, 1, 21))
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
    track = travel(start, end, "glide", np.linspace(0, 1, 201))
    share = (end.span - start.span) / -start.span
    fixed_x = start.x + (end.x - start.x) / share
    fixed_y = start.y + (end.y - start.y) / share
    seen = []
    for k in range(len(track)):
        u, v, w = track.pose(k).frame_from_ground(HD) @ np.array([fixed_x, fixed_y, 1.0])
        seen.append((u / w / 1920, v / w / 1920))
    assert np.ptp(np.array(seen), axis=0).max() < 1e-9


def test_glide_between_equal_spans_is_a_straight_even_pan() -> None:
    track = glide(Pose(0, 0, 100), Pose(300, 400, 100), np.linspace(0, 1, 11))
    assert track[:, 0] == pytest.approx(np.linspace(0, 300, 11))
    assert track[:, 1] == pytest.approx(np.linspace(0, 400, 11))
    assert track[:, 2] == pytest.approx(np.full(11, 100))


@given(poses, poses)
@settings(max_examples=60)
def test_lengths_agree_with_quadrature_of_the_metric(start: Pose, end: Pose) -> None:
    # van Wijk & Nuij eq. 4: ds² = (ρ²/w²) du² + (1/(ρ²w²)) dw²
    s = np.linspace(0, 1, 40001)
    for move, length in (
        (glide(start, end, s), glide_length(start, end, 1.4)),
        (hop(start, end, s), hop_length(start, end)),
    ):
        du = np.hypot(np.diff(move[:, 0]), np.diff(move[:, 1]))
        middle = np.sqrt(move[1:, 2] * move[:-1, 2])
        total = np.hypot(1.4 * du / middle, np.diff(np.log(move[:, 2])) / 1.4).sum()
        assert length == pytest.approx(total, rel=2e-3, abs=1e-9)


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
        assert ours == pytest.approx(np.array(their), rel=1e-6, abs=1e-6 * size)


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
        assert ours == pytest.approx(np.array(their), abs=2e-4)
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
