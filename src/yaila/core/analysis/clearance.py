"""How high a passage flies over ground that is raised: clear of what stands in its way, or along it."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yaila.core.camera.extras import Rise, lifts
from yaila.core.camera.manners import Hop, Steps
from yaila.core.errors import BadEdit
from yaila.core.film import Film, choreograph
from yaila.core.film.acts import KeepClear
from yaila.core.film.focus import Ground
from yaila.core.stopping import go_on
from yaila.core.time import Time, smoothstep

Floats = NDArray[np.float64]
GroundAt = Callable[[Film, Time], Ground]
"""How high the ground of a film is at a moment."""

CLEAR = 0.02
"""How far above the ground a camera should be at least, in distances to its target (common practice, no source)."""

WELL_CLEAR = 2.0
"""How many times as high as that a camera flies that is to keep clear of the ground."""

CLIMBS = 0.35
"""Over which share of a passage it climbs before a mountain, and comes down."""

RISES = 32
"""Parts of a passage in which it is told how high to fly."""

FINE = 4
"""Looks at the ground in each of these parts."""

EVEN = 0.035
"""Over which share of a passage the ground is evened out that is flown along, as a standard deviation."""

TRIES = 6
"""How often it is raised where it is still too near to the ground between two rises."""

LEAST = 1 / 3
"""How much of its height over the ground is left to it at least, where that rises too steeply to be followed."""


class _Way(NamedTuple):
    """A passage without its rises at even shares of its frames, (n,) each: how high the eye is, how high the ground is
    below it, and how far it is from its target, ground units."""

    shares: Floats
    eye: Floats
    ground: Floats
    distance: Floats


def _way(film: Film, vantage: str, ground_at: GroundAt, parts: int) -> _Way:
    film = KeepClear(vantage=vantage).apply(film)
    choreography, index = choreograph(film), film.vantage_index(vantage)
    leg = choreography.legs[index]
    if not leg.passage:
        raise BadEdit("There is no passage from that vantage, so it cannot keep clear of the ground.")
    shares = np.linspace(0, 1, parts + 1)
    found = []
    for share in shares.tolist():
        go_on()
        # Just before it is at the next vantage: nothing there is its own.
        time = Time(min(leg.start + leg.hold + share * leg.passage, choreography.frames - 1e-6))
        pose = choreography.pose(time)
        x, y, high = pose.eye()
        found.append((high, ground_at(film, time)(x, y), pose.distance))
    return _Way(shares, *np.array(found).T)


def over_the_ground(film: Film, vantage: str, ground_at: GroundAt) -> KeepClear | None:
    """Let the passage from a vantage fly over what stands in its way; none where it cannot, as a vantage itself is too
    low."""
    way = _way(film, vantage, ground_at, RISES)
    missing = np.maximum(WELL_CLEAR * CLEAR * way.distance - (way.eye - way.ground), 0)
    if missing[0] or missing[-1]:
        return None
    # No lower between two shares than at either; and it climbs before the mountain and comes down behind it.
    return _act(vantage, way.shares, _climbed(way.shares, missing))


def along_the_ground(film: Film, vantage: str, ground_at: GroundAt) -> KeepClear:
    """Let the passage from a vantage follow the ground: over ridges and down into valleys, as high over what is below
    it as its ends are, evenly in the logarithm from one to the other.

    Raises:
        BadEdit: it is a cut, a Hop or by Steps, or one of its ends is too near to the ground.
    """
    from scipy.ndimage import gaussian_filter1d

    manner = film.vantages[film.vantage_index(vantage)].passage.manner
    if isinstance(manner, Hop | Steps):
        raise BadEdit(f"A passage by {manner.kind} rises and comes down by itself. Choose another, such as Skim.")
    way = _way(film, vantage, ground_at, RISES * FINE)
    high = (way.eye - way.ground)[[0, -1]]
    if (high < CLEAR * way.distance[[0, -1]]).any():
        where = film.vantages[film.vantage_index(vantage) + int(high[0] >= CLEAR * way.distance[0])].name
        raise BadEdit(f"At “{where}” the camera all but touches the ground. Give it a larger span first.")
    clear = np.exp(np.interp(way.shares, [0, 1], np.log(high)))
    wanted = way.ground + clear - way.eye
    made = gaussian_filter1d(wanted, EVEN * len(wanted), mode="nearest")
    made *= smoothstep(np.minimum(way.shares, 1 - way.shares) / (2 * EVEN))
    act = _act(vantage, way.shares, made)
    for _ in range(TRIES - 1):
        lacks = np.maximum(way.ground + LEAST * clear - (way.eye + lifts(act.rises, way.shares)), 0)
        if not lacks.any():
            break
        made += _climbed(way.shares, lacks, CLIMBS / 2)
        act = _act(vantage, way.shares, made)
    return act


def _climbed(shares: Floats, missing: Floats, climbs: float = CLIMBS) -> Floats:
    """How much higher it flies so that nothing is missing, without a jerk, and not at all at its ends."""
    missing = np.maximum(missing, np.maximum(np.append(missing[1:], 0), np.append(0, missing[:-1])))
    near = smoothstep(1 - np.abs(shares[:, None] - shares[None, :]) / climbs)
    ends = smoothstep(np.minimum(shares, 1 - shares) / (climbs / 2))
    return np.maximum(missing, (missing[None, :] * near).max(axis=1) * ends)


def _act(vantage: str, shares: Floats, by: Floats) -> KeepClear:
    step = max((len(shares) - 1) // RISES, 1)
    inner = slice(step, -1, step)
    rises = zip(shares[inner].tolist(), by[inner].tolist(), strict=True)
    return KeepClear(vantage=vantage, rises=tuple(Rise(at=round(at, 4), by=by) for at, by in rises))
