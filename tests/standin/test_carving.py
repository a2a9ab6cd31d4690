"""The land of the practice world: what rain made of it."""

from __future__ import annotations

import numpy as np
import pytest

from yaila.core.ground import GroundBox
from yaila.standin.carving import STEP, carved, receivers
from yaila.standin.world import World, carved_relief, drained_land, rivers


def test_rivers_run_downhill_to_the_sea_and_grow_on_their_way() -> None:
    world = World()
    longest = sorted(rivers(), key=lambda river: -len(river[0]))[:12]
    for places, wide in longest:
        box = 400.0
        heights = [
            float(world.heights(GroundBox(x - box, y - box, x + box, y + box), 40)[20, 20]) for x, y in places[::40]
        ]
        # From spring to mouth, by what is carved and not by each stone on the way.
        assert heights[0] > heights[-1]
        assert np.corrcoef(np.arange(len(heights)), heights)[0, 1] < -0.5
        assert wide[-1] > 1.5 * wide[0]
        # It lies in its valley: lower than the land to both sides of it.
        x, y = places[len(places) // 2]
        around = world.heights(GroundBox(x - 900, y - 900, x + 900, y + 900), 60)
        assert around[27:33, 27:33].mean() < around.mean()
    assert len(rivers()) > 100


def test_all_land_that_is_carved_drains_into_the_sea() -> None:
    relief = carved_relief().astype(float)
    to, _ = receivers(relief, relief > 0)
    pits = (to.reshape(relief.shape) == np.arange(relief.size).reshape(relief.shape)) & (relief > 0)
    # What is rounded to a twentieth of a metre may stop a trickle, no more.
    assert pits.sum() < 0.01 * (relief > 0).sum()
    assert drained_land().max() * np.log(2) > np.log(1000)
    assert 900 < relief.max() < 2500


@pytest.mark.slow
def test_it_is_carved_again_to_the_same_land() -> None:
    """A small island, twice: the same to the last bit, with valleys that its dome did not have."""
    y, x = np.mgrid[-60:60, -80:80]
    base = 400 - 6.0 * np.hypot(x / 1.3, y) - 1
    one, other = carved(base), carved(base)
    assert np.array_equal(one[0], other[0])
    assert np.array_equal(one[1], other[1])
    inside = base > 40
    bent = [np.abs(np.diff(land, 2, axis=0))[inside[1:-1]].mean() / land[inside].mean() for land in (one[0], base)]
    assert bent[0] > 3 * bent[1]
    assert STEP == 120.0
