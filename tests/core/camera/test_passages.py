"""Passages that are kept: what they weigh, and what a track says of many moments at once."""

from __future__ import annotations

import tracemalloc

import numpy as np
import pytest

from yaila.core.camera import FrameSize, Pose, Timing, Track
from yaila.core.camera.manners import Glide, Hop, Manner, Move, Orbit
from yaila.core.camera.passages import Passage
from yaila.core.time import Ease


@pytest.mark.parametrize("manner", [Hop(), Glide(), Orbit()])
@pytest.mark.parametrize("frames", [20, 600])
def test_a_passage_weighs_at_least_what_it_takes(manner: Manner, frames: int) -> None:
    count = 60
    tracemalloc.start()
    try:
        before, _ = tracemalloc.get_traced_memory()
        kept = []
        for k in range(count):
            move = Move(Pose(0, 0, 100 + k, heading=30), Pose(50.0 + k, 20, 10))
            passage = Passage(move, manner.model_copy(), Timing(Ease()), frames)
            assert passage.at(np.arange(frames)).shape == (frames, 7)
            assert np.isfinite(passage.arrival).all()
            assert passage.rates.shape == (2, 7)
            kept.append((move, passage))
        after, _ = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    taken, said = (after - before) / count, kept[0][1].weight
    assert said / 6 < taken < said


def test_the_maps_of_a_track_are_those_of_its_poses() -> None:
    chance = np.random.default_rng(4)
    size = FrameSize(1280, 540)
    poses = [
        Pose(*chance.uniform(-1e6, 1e6, 2), 10 ** chance.uniform(-2, 6), *chance.uniform([0, -720, -90], [85, 720, 90]))
        for _ in range(40)
    ]
    track = Track(*(np.array([getattr(pose, name) for pose in poses]) for name in Track.__dataclass_fields__))
    for k, (there, back) in enumerate(zip(track.frame_from_ground(size), track.ground_from_frame(size), strict=True)):
        for got, wanted in ((there, poses[k].frame_from_ground(size)), (back, poses[k].ground_from_frame(size))):
            np.testing.assert_allclose(got, wanted, rtol=1e-9, atol=1e-9 * np.abs(wanted).max())
