"""Flying by hand: what is held stays under the hand."""

from __future__ import annotations

import math

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st

from yaila.core.camera import FrameSize, Pose
from yaila.core.camera.flight import flown, ground_at, panned, turned, zoomed

HD = FrameSize(1920, 1080)
poses = st.builds(
    Pose,
    x=st.floats(-1e5, 1e5),
    y=st.floats(-1e5, 1e5),
    span=st.floats(10, 1e5),
    tilt=st.floats(0, 70),
    heading=st.floats(-180, 180),
    roll=st.floats(-20, 20),
    focal=st.floats(20, 80),
)
places = st.tuples(st.floats(100, 1820), st.floats(400, 1000))


def seen(pose: Pose, ground: tuple[float, float]) -> np.ndarray:
    u, v, w = pose.frame_from_ground(HD) @ np.array([*ground, 1.0])
    return np.array([u / w, v / w])


@given(poses, places, places)
def test_panned_ground_stays_under_the_hand(pose: Pose, start: tuple, to: tuple) -> None:
    held = ground_at(pose, HD, *start)
    assume(held is not None and ground_at(pose, HD, *to) is not None)
    assert np.abs(seen(panned(pose, HD, start, to), held) - to).max() < 1e-3


@given(poses, places, st.floats(0.2, 5))
def test_zooming_keeps_the_ground_under_the_pointer(pose: Pose, at: tuple, factor: float) -> None:
    held = ground_at(pose, HD, *at)
    assume(held is not None)
    closer = zoomed(pose, HD, at, factor)
    assert math.isclose(closer.span, pose.span * factor)
    assert np.abs(seen(closer, held) - at).max() < 1e-3


def test_the_sky_cannot_be_taken_hold_of() -> None:
    pose = Pose(0, 0, 100, tilt=80, focal=20)
    assert ground_at(pose, HD, 960, 10) is None
    assert panned(pose, HD, (960, 10), (900, 60)) == pose


def test_turning_stops_at_the_flattest_and_flying_goes_the_way_of_the_frame() -> None:
    pose = turned(Pose(0, 0, 100, tilt=80, heading=170), 20, 30)
    assert (pose.tilt, pose.heading) == (85, -170)
    east = flown(Pose(0, 0, 100, heading=90), 0, 0.5)
    assert np.allclose((east.x, east.y), (50, 0))


@given(poses)
def test_the_pose_that_looks_from_an_eye_is_the_one_whose_eye_it_is(pose: Pose) -> None:
    # Looking all but straight down, the heading is anybody's guess.
    assume(pose.tilt > 0.1)
    again = Pose.looking(pose.eye(), (pose.x, pose.y), pose.roll, pose.focal, pose.heading)
    assert np.allclose(
        (again.span, again.tilt, again.heading), (pose.span, pose.tilt, pose.heading), rtol=1e-5, atol=2e-3
    )
