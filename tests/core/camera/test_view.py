"""What a view says of a place."""

from __future__ import annotations

import numpy as np
import pytest

from yaila.core.camera import FrameSize, Pose, View


@pytest.mark.parametrize("tilt", [0.0, 40.0, 80.0])
def test_one_place_is_seen_where_an_array_of_it_is(tilt: float) -> None:
    random = np.random.default_rng(3)
    pose = Pose(3000, -1200, 800, tilt, 25, 10)
    for view in (
        View.of(pose, FrameSize(960, 540)),
        View.of(pose, FrameSize(960, 540), region=(40, 30, 200, 100)).on(12),
    ):
        places = random.uniform(-900, 900, (50, 2)) + np.array([3000, -1200])
        for place, height in zip(places, random.uniform(0, 200, 50).tolist(), strict=True):
            assert view.spot(place, height) == pytest.approx(view.project(place[None], height)[0])


def test_beside_the_eye_a_place_is_infinitely_far_away() -> None:
    view = View.of(Pose(0, 0, 36, focal=36), FrameSize(960, 540))
    assert view.pose.eye() == (0, 0, 36)
    assert view.spot((5, 0), 36) == (np.inf, np.inf, 0)
